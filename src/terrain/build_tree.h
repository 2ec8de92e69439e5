#pragma once
// From heights to the tile tree: bounds, and how far each tile is off.

#include "base/job.h"
#include "switching/tile_tree.h"
#include "terrain/heights.h"

namespace thicket {

/// The levels and tiles that there will be, with nothing known of them yet.
TileTree emptyTileTree(const Heights& heights, std::uint32_t cells);

/// Tiles of `cells` a side. Errors are true: the largest vertical distance between all heights within a tile and its
/// grid, and between the heights in the strips of finer neighbours and their stitched grids, for every way in which
/// these may be stitched. A tile that covers holes and ground in one cell is off by that cell's size besides.
/// REQUIRES   checked heights; `cells` even, 2..256.
/// ERRORS     Cancelled.
/// COST       O(heights * levels), on all cores. Memory: 24 bytes a tile, and 4 bytes a level for each of the finest.
Result<std::shared_ptr<const TileTree>> buildTileTree(const Heights& heights, std::uint32_t cells,
                                                      const JobContext& job);

using HeightRect = TileTree::Rect;

/// The tree after heights in a rectangle have changed (holes have not): only tiles that touch them, and those above
/// and beside these, are done again. The same as a tree from nothing.
/// touched    when given, becomes how many were.
std::shared_ptr<const TileTree> editTileTree(const std::shared_ptr<const TileTree>& before, const Heights& heights,
                                             const HeightRect& edited, std::uint32_t* touched = nullptr);

/// An even tile size that is allowed: 2..256.
bool isTileSize(std::uint32_t cells);

} // namespace thicket
