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

Result<std::vector<std::byte>> readFile(const std::filesystem::path& path);
Result<std::string> readTextFile(const std::filesystem::path& path);

/// Writes beside the target under a temporary name, then renames. Parent folders are made.
/// ERRORS  Unwritable; then the old file, where there was one, is untouched.
Result<void> writeFile(const std::filesystem::path& path, std::span<const std::byte> data);
Result<void> writeTextFile(const std::filesystem::path& path, const std::string& text);

/// 128-bit content hash as 32 hexadecimal digits (XXH3), to notice that a source has changed. Not for security.
std::string contentHash(std::span<const std::byte> data);

} // namespace thicket
