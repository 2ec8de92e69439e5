#pragma once
// Care from a picture.

#include "base/result.h"
#include "mesh/care.h"

#include <filesystem>
#include <memory>

namespace thicket {

/// Reads a picture as a mask: white takes all care, black none. Larger ones are shrunk to at most 256 a side, which
/// is finer than any brush.
/// ERRORS     Unreadable, BadInput, TooLarge.
Result<std::shared_ptr<const CareMask>> readCareMask(const std::filesystem::path& file);

} // namespace thicket
