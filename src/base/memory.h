#pragma once
// How much memory there is, so that what cannot fit is refused before it begins.

#include "base/result.h"

#include <cstdint>
#include <optional>
#include <string>

namespace thicket {

/// Bytes that can be had without pushing others out, as the system estimates it; none when it does not say.
std::optional<std::uint64_t> availableMemory();

/// ERRORS TooLarge, with the estimate and what there is, when `needed` bytes are more than `available`.
Result<void> checkMemory(double needed, std::optional<std::uint64_t> available, const std::string& what);

} // namespace thicket
