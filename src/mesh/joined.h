#pragma once
// Sets that are joined two by two.

#include <algorithm>
#include <cstddef>
#include <cstdint>
#include <numeric>
#include <vector>

namespace thicket {

/// SOURCE  Galler and Fischer 1964; paths are halved as they are walked (Tarjan and van Leeuwen 1984).
class Joined {
public:
    explicit Joined(std::size_t count) : m_parent(count) { std::iota(m_parent.begin(), m_parent.end(), 0U); }
    /// The least member of a member's set.
    std::uint32_t of(std::uint32_t i) {
        while (m_parent[i] != i)
            i = m_parent[i] = m_parent[m_parent[i]];
        return i;
    }
    void join(std::uint32_t a, std::uint32_t b) {
        a = of(a);
        b = of(b);
        m_parent[std::max(a, b)] = std::min(a, b);
    }

private:
    std::vector<std::uint32_t> m_parent;
};

} // namespace thicket
