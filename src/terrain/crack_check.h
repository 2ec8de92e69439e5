#pragma once
// Looks for cracks in a set of tiles by their triangles alone, whatever made them.

#include "mesh/mesh.h"

#include <span>
#include <string>
#include <vector>

namespace thicket {

struct CrackReport {
    std::uint64_t edges = 0;  ///< outline edges that meet another mesh's
    std::uint64_t cracks = 0; ///< of those: where both have not the same points
    std::string first;        ///< words for the first
};

/// Outlines are compared where they run along X or Z, as those of tiles do: where two of them, one from either side,
/// overlap seen from above, they must be the same edge with the same ends.
/// COST       O(edges log edges).
CrackReport findCracks(std::span<const Mesh> tiles);

} // namespace thicket
