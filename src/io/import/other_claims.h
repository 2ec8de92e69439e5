#pragma once
// What the headers of OBJ, PLY and STL files promise, before anything is allocated for it.

#include "base/result.h"

#include <filesystem>
#include <string>

namespace thicket::detail {

/// Refuses headers that promise more than the file holds, and faces with so many corners that the import library would not
/// come to an end.
/// suffix     of its name, in lower case; of other kinds nothing is looked at.
/// ERRORS     BadInput.
Result<void> checkClaims(const std::filesystem::path& path, const std::string& suffix);

} // namespace thicket::detail
