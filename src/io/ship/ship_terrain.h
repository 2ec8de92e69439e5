#pragma once
// Terrain out: tile sets, all tiles by level with what an engine needs to draw them, heights with overviews. Sets of
// tiles are looked through for cracks before anything is written.

#include "io/ship/ship.h"
#include "terrain/crack_check.h"

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

/// What an engine draws tiles from: the heights with overviews, the tree with bounds and errors as JSON, the sixteen
/// lists of triangles; with `meshes` every tile of every level too, one GLB a level, as whole grids.
/// ERRORS     the same; Cancelled.
Result<ShippedTiles> shipTiles(const Heights& heights, const TileTree& tree, const TileRule& rule,
                               const std::filesystem::path& folder, bool meshes, const JobContext& job);

/// A terrain of a scene: all of its tiles into a folder of its own; the heights are read back and compared.
Result<void> shipTerrain(const Scene& scene, const Subject& terrain, const std::filesystem::path& folder,
                         const ShipOptions& options, const JobContext& job, ShipReport& report);

/// Heights as a tiled TIFF of 32-bit floating point with a reduced page a level: each page holds every second height of
/// the one before. Holes are the no-data value, -32768.
/// ERRORS     Unwritable, then there is no file; Cancelled.
Result<void> writeHeightsTiff(const Heights& heights, const std::filesystem::path& file, const JobContext& job);

} // namespace thicket
