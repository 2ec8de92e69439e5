#pragma once
// Which point's turn it is: a queue by cost that does every step in constant time.

#include "reduce/record.h"

#include <array>
#include <bit>

namespace thicket::reduce {

/// Each of `count` members stands in it at most once, under the bits of a float that is not negative (such floats order
/// as their bits). Costs that agree in their first five binary places count as equal, and then the one that came first
/// is first; a heap would tell them apart, at three times the time of all that is done here.
class CostQueue {
public:
    void reset(std::uint32_t count) {
        m_members.assign(count, {});
        m_first.assign(kBuckets, kNone);
        m_used.fill(0);
        m_usedWords.fill(0);
    }
    [[nodiscard]] static std::uint32_t bucketOf(std::uint32_t bits) { return bits >> kShift; }
    [[nodiscard]] bool holds(std::uint32_t member) const { return m_members[member].bucket != kNone; }

    /// Members that are in it already go to where they belong now.
    void put(std::uint32_t member, std::uint32_t bits) {
        remove(member);
        const std::uint32_t b = bucketOf(bits);
        m_members[member].bucket = b;
        std::uint32_t& first = m_first[b];
        if (first == kNone) {
            first = m_members[member].next = m_members[member].before = member;
            m_used[b / 64] |= std::uint64_t{1} << b % 64;
            m_usedWords[b / 4096] |= std::uint64_t{1} << b / 64 % 64;
            return;
        }
        const std::uint32_t last = m_members[first].before; // the runs are rings
        m_members[last].next = member;
        m_members[member].before = last;
        m_members[member].next = first;
        m_members[first].before = member;
    }
    void remove(std::uint32_t member) {
        const std::uint32_t b = m_members[member].bucket;
        if (b == kNone)
            return;
        m_members[member].bucket = kNone;
        const std::uint32_t next = m_members[member].next;
        if (next == member) {
            m_first[b] = kNone;
            if ((m_used[b / 64] &= ~(std::uint64_t{1} << b % 64)) == 0)
                m_usedWords[b / 4096] &= ~(std::uint64_t{1} << b / 64 % 64);
            return;
        }
        const std::uint32_t before = m_members[member].before;
        m_members[before].next = next;
        m_members[next].before = before;
        if (m_first[b] == member)
            m_first[b] = next;
    }
    /// Whose turn it is after a member, among those of equal cost; the first again after the last.
    [[nodiscard]] std::uint32_t after(std::uint32_t member) const { return m_members[member].next; }
    /// The member of least cost, or kNone.
    [[nodiscard]] std::uint32_t first() const {
        for (std::size_t i = 0; i < m_usedWords.size(); ++i)
            if (m_usedWords[i] != 0) {
                const std::size_t word = 64 * i + static_cast<std::size_t>(std::countr_zero(m_usedWords[i]));
                return m_first[64 * word + static_cast<std::size_t>(std::countr_zero(m_used[word]))];
            }
        return kNone;
    }

private:
    static constexpr unsigned kShift = 18; // of 23 binary places
    static constexpr std::size_t kBuckets = std::size_t{1} << (31 - kShift);

    struct Member {
        std::uint32_t next = kNone;
        std::uint32_t before = kNone;
        std::uint32_t bucket = kNone; ///< kNone: not in it
    };
    std::vector<Member> m_members;
    // a bucket each
    std::vector<std::uint32_t> m_first;
    std::array<std::uint64_t, kBuckets / 64> m_used{};
    std::array<std::uint64_t, kBuckets / 4096> m_usedWords{};
};

} // namespace thicket::reduce
