#pragma once
// Terrain out: tile sets, all tiles by level with what an engine needs to draw them, heights with overviews. Sets of
// tiles are looked through for cracks before anything is written.

#include "base/job.h"
#include "switching/select_tiles.h"
#include "terrain/crack_check.h"
#include "terrain/heights.h"

#include <filesystem>

namespace thicket {

struct ShippedTiles {
    std::vector<std::filesystem::path> files;
    std::uint64_t tiles = 0;
    std::uint64_t triangles = 0;
    CrackReport cracks;
};

/// The tiles of a cut as one GLB, a node each, named LEVEL_X_Y, in world space.
/// skirt      metres that sides hang down; 0: none
/// ERRORS     CheckFailed when a crack was found: nothing is written; TooLarge; Unwritable.
Result<ShippedTiles> shipCut(const Heights& heights, const TileTree& tree, const TileCut& cut, double skirt,
                             const std::filesystem::path& file);

/// Every tile of every level: one GLB a level with whole grids, the sixteen lists of triangles, the tree with bounds and
/// errors as JSON, and the heights with overviews. Names are those of the folder.
/// ERRORS     the same; Cancelled.
Result<ShippedTiles> shipTiles(const Heights& heights, const TileTree& tree, const TileRule& rule,
                               const std::filesystem::path& folder, const JobContext& job);

/// Heights as a tiled TIFF of 32-bit floating point with a reduced page a level: each page holds every second height of
/// the one before. Holes are the no-data value, -32768.
/// ERRORS     Unwritable, then there is no file; Cancelled.
Result<void> writeHeightsTiff(const Heights& heights, const std::filesystem::path& file, const JobContext& job);

} // namespace thicket
