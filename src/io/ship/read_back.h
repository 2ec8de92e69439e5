#pragma once
// What is said of a written file that does not read back as it was meant.

#include "base/result.h"

#include <filesystem>
#include <string>

namespace thicket {

inline Error readBackDiffers(const std::filesystem::path& file, const std::string& what) {
    return {ErrorCode::CheckFailed, file.string(), "read back, " + what,
            "do not use this file; report how it was made"};
}

} // namespace thicket
