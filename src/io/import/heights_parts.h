#pragma once
// What readers of heights share: one function a format, called by heights_file.cpp.

#include "io/import/heights_file.h"

#include <functional>

namespace thicket::detail {

/// Values as they stand in a file.
struct RawHeights {
    HeightFileInfo info;
    HeightGrid grid;    ///< empty when only the head was asked for
    double highest = 0; ///< the largest value that its whole numbers can have; 0: floating point
    double lowest = 0;
    std::vector<std::string> notes;
};

/// ERRORS     BadInput below 2 x 2, or beyond what any file of heights has.
Result<void> checkHeightSize(std::uint64_t columns, std::uint64_t rows, const std::string& where);

/// Makes room for the heights of a file, once its size is known. None: only the head is asked for.
/// ERRORS     TooLarge, Unwritable.
using HeightRoom = std::function<Result<HeightGrid>(const HeightFileInfo&)>;

Result<RawHeights> readPngHeights(const std::filesystem::path& path, const HeightRoom& room, const JobContext& job);
Result<RawHeights> readTiffHeights(const std::filesystem::path& path, const HeightRoom& room, const JobContext& job);
Result<RawHeights> readGridHeights(const std::filesystem::path& path, const HeightRoom& room, const JobContext& job);
Result<RawHeights> readRawHeights(const std::filesystem::path& path, const HeightOptions& options,
                                  const HeightRoom& room, const JobContext& job);

} // namespace thicket::detail
