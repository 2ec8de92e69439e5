#pragma once
// Heights from files: 16-bit PNG, TIFF of 8, 16 or 32 bits, ASCII grids, and raw samples of a stated size.

#include "base/job.h"
#include "switching/tile_tree.h"
#include "terrain/height_options.h"
#include "terrain/heights.h"

#include <filesystem>
#include <string>
#include <vector>

namespace thicket {

/// What a file says of itself, without reading its heights.
struct HeightFileInfo {
    std::string format;
    std::uint32_t columns = 0;
    std::uint32_t rows = 0;
    int bits = 0;
    bool whole = false;            ///< whole numbers, which a range may be stated for
    std::optional<double> spacing; ///< metres, where it says
    std::optional<double> noData;
};

struct ImportedHeights {
    Heights heights; ///< its middle over the origin of the world
    HeightFileInfo info;
    double step = 0;           ///< metres between neighbouring values; 0: floating point
    std::uint64_t missing = 0; ///< values that mean no ground
    std::vector<std::string> notes;
    /// Of heights that lie in a store (height_store.h): their tiles, and what hashOf() says of them. Else empty.
    std::shared_ptr<const TileTree> tree;
    std::string hash;
};

/// Where heights that are too large to hold are kept as a file.
struct StorePlace {
    std::filesystem::path folder;                ///< NAME.levels beside a project; empty: storeCacheFolder()
    std::uint64_t from = std::uint64_t{1} << 30; ///< bytes of heights from which on they are
};

/// ERRORS     NotFound; BadInput: no such format, broken, truncated, absurd sizes; a raw file without its width or
///            whose size does not fit.
Result<HeightFileInfo> inspectHeights(const std::filesystem::path& path, const HeightOptions& options);

/// From its store, where it has one already.
/// ERRORS     the same; BadInput without spacing, with a range that is not a range, with no ground; TooLarge before
///            anything is allocated, with the estimate; Unwritable without room on the disk for a store; Cancelled.
Result<ImportedHeights> readHeights(const std::filesystem::path& path, const HeightOptions& options,
                                    const JobContext& job, const StorePlace& place = {});

/// Whether a file's name is that of heights rather than of a mesh: png, tif, tiff, asc, r16, r32, raw.
bool isHeightsName(const std::filesystem::path& path);

} // namespace thicket
