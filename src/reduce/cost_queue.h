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
        m_next.resize(count);
        m_before.resize(count);
        m_bucket.assign(count, kNone);
        m_first.assign(kBuckets, kNone);
        m_used.fill(0);
        m_usedWords.fill(0);
    }
    [[nodiscard]] static std::uint32_t bucketOf(std::uint32_t bits) { return bits >> kShift; }
    [[nodiscard]] bool holds(std::uint32_t member) const { return m_bucket[member] != kNone; }

    /// Members that are in it already go to where they belong now.
    void put(std::uint32_t member, std::uint32_t bits) {
        remove(member);
        const std::uint32_t b = bucketOf(bits);
        m_bucket[member] = b;
        std::uint32_t& first = m_first[b];
        if (first == kNone) {
            first = m_next[member] = m_before[member] = member;
            m_used[b / 64] |= std::uint64_t{1} << b % 64;
            m_usedWords[b / 4096] |= std::uint64_t{1} << b / 64 % 64;
            return;
        }
        const std::uint32_t last = m_before[first]; // the runs are rings
        m_next[last] = member;
        m_before[member] = last;
        m_next[member] = first;
        m_before[first] = member;
    }
    void remove(std::uint32_t member) {
        const std::uint32_t b = m_bucket[member];
        if (b == kNone)
            return;
        m_bucket[member] = kNone;
        const std::uint32_t next = m_next[member];
        if (next == member) {
            m_first[b] = kNone;
            if ((m_used[b / 64] &= ~(std::uint64_t{1} << b % 64)) == 0)
                m_usedWords[b / 4096] &= ~(std::uint64_t{1} << b / 64 % 64);
            return;
        }
        const std::uint32_t before = m_before[member];
        m_next[before] = next;
        m_before[next] = before;
        if (m_first[b] == member)
            m_first[b] = next;
    }
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

    // a member each
    std::vector<std::uint32_t> m_next;
    std::vector<std::uint32_t> m_before;
    std::vector<std::uint32_t> m_bucket; ///< kNone: not in it
    // a bucket each
    std::vector<std::uint32_t> m_first;
    std::array<std::uint64_t, kBuckets / 64> m_used{};
    std::array<std::uint64_t, kBuckets / 4096> m_usedWords{};
};

} // namespace thicket::reduce
