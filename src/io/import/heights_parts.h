#pragma once
// What readers of heights share: one function a format, called by heights_file.cpp.

#include "io/import/heights_file.h"

namespace thicket::detail {

/// Values as they stand in a file.
struct RawHeights {
    HeightFileInfo info;
    BigVector<float> values; ///< empty when only the head was asked for
    double highest = 0;      ///< the largest value that its whole numbers can have; 0: floating point
    double lowest = 0;
    std::vector<std::string> notes;
};

/// ERRORS     of a size before allocation: BadInput below 2 x 2, TooLarge above what memory holds.
Result<void> checkHeightSize(std::uint64_t columns, std::uint64_t rows, const std::string& where);

Result<RawHeights> readPngHeights(const std::filesystem::path& path, bool headOnly, const JobContext& job);
Result<RawHeights> readTiffHeights(const std::filesystem::path& path, bool headOnly, const JobContext& job);
Result<RawHeights> readGridHeights(const std::filesystem::path& path, bool headOnly, const JobContext& job);
Result<RawHeights> readRawHeights(const std::filesystem::path& path, const HeightOptions& options, bool headOnly,
                                  const JobContext& job);

} // namespace thicket::detail
