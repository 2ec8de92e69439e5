#pragma once
// What the JSON of a glTF file says, checked before a library reads it: a value of the wrong kind is an error here and
// not a silent default there.

#include "base/result.h"

#include <cstddef>
#include <filesystem>
#include <span>

namespace thicket::detail {

/// ERRORS     BadInput with the first thing that is wrong: cut short, another version, an extension that is needed and
///            not understood, nested too deep, a negative or broken size, a node that is its own ancestor or has two
///            parents, an index of something that does not exist, a matrix or a turn without its numbers.
Result<void> checkGltf(const std::filesystem::path& path, std::span<const std::byte> data, bool binary);

} // namespace thicket::detail
