#pragma once
// Which of some strands is nearest to a place, by their roots.

#include "strands/strand_set.h"

namespace thicket {

/// The first so many strands of a set in a tree that halves them by the widest side.
/// SOURCE  k-d tree, Bentley 1975.
/// COST    O(n log n) to make, O(log n) a query wherever they stand.
class NearestRoot {
public:
    /// REQUIRES   1 <= count <= set.size(); the set lives as long.
    NearestRoot(const StrandSet& set, std::uint32_t count);
    /// Of several as near the first of the set.
    [[nodiscard]] std::uint32_t of(const Vec3f& place) const;

private:
    struct Best {
        float squared = 1e38F;
        std::uint32_t strand = 0;
    };
    void halve(std::uint32_t first, std::uint32_t end);
    void look(std::uint32_t first, std::uint32_t end, const Vec3f& place, Best& best) const;
    [[nodiscard]] const Vec3f& rootOf(std::uint32_t strand) const { return m_set.points[m_set.first[strand]]; }

    const StrandSet& m_set;
    std::vector<std::uint32_t> m_order; ///< of any part that is halved the middle one halves it
    std::vector<std::uint8_t> m_axis;   ///< by which, one a place in the order
};

} // namespace thicket
