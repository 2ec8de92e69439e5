#pragma once
// Frame times that were measured somewhere, as a table.

#include "budget/calibrate.h"

#include <filesystem>

namespace thicket {

/// Comma-, semicolon- or tab-separated values with headings: triangles, draws and ms, and vertices and pixels where they
/// are known (vertices are taken to be as many as triangles, pixels 0, where they are not). Other columns are passed over.
/// ERRORS     NotFound; BadInput naming the line: no such headings, a value that is no number, another encoding; TooLarge.
Result<std::vector<FrameTime>> readFrameTimes(const std::filesystem::path& file);

} // namespace thicket
