#pragma once
// Where a line of sight meets the ground.

#include "switching/tile_tree.h"
#include "terrain/heights.h"

namespace thicket {

/// The first place of the finest ground along a ray, in the world; empty when it meets none within `most` metres.
/// direction  of unit length
/// COST       O(tiles it passes near the ground + cells it passes there).
std::optional<Vec3d> groundAlong(const Heights& heights, const TileTree& tree, const Vec3d& from,
                                 const Vec3d& direction, double most);

} // namespace thicket
