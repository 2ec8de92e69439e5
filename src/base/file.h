#pragma once
// Whole files in and out. Writing is all or nothing: a file is either the old one or the new one, never half of one.

#include "base/result.h"

#include <cstddef>
#include <cstdint>
#include <filesystem>
#include <span>
#include <string>
#include <vector>

namespace thicket {

constexpr std::uintmax_t kAnySize = ~std::uintmax_t{0};

/// Absolute, without dots; of no path the folder that is worked in, which is that of a file without one.
std::filesystem::path fullPath(const std::filesystem::path& path);

/// ERRORS     NotFound; BadInput when it is a folder, a pipe or a device; TooLarge when it is larger than `most` bytes,
///            before anything is allocated.
Result<std::vector<std::byte>> readFile(const std::filesystem::path& path, std::uintmax_t most = kAnySize);
Result<std::string> readTextFile(const std::filesystem::path& path);

/// The file that another file in `folder` refers to. What a file names is not trusted: only a regular file of at most
/// `most` bytes inside that folder, after links are followed, is ever looked at.
/// ERRORS     NotFound; BadInput when the reference is absolute or leads out of the folder, or is no regular file;
///            TooLarge.
Result<std::filesystem::path> referencedFile(const std::filesystem::path& folder, const std::string& reference,
                                             std::uintmax_t most);

/// Writes beside the target under a temporary name, then renames. Parent folders are made.
/// ERRORS  Unwritable; then the old file, where there was one, is untouched.
Result<void> writeFile(const std::filesystem::path& path, std::span<const std::byte> data);
Result<void> writeTextFile(const std::filesystem::path& path, const std::string& text);

/// 128-bit content hash as 32 hexadecimal digits (XXH3), to notice that a source has changed. Not for security.
std::string contentHash(std::span<const std::byte> data);

} // namespace thicket
