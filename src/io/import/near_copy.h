#pragma once
// Files whose points stand far from the origin, as scans in map coordinates do, brought near it before they are read.

#include "base/result.h"
#include "mesh/vec.h"

#include <filesystem>
#include <optional>
#include <string>

namespace thicket::detail {

/// Beyond this many metres from the origin a float's step is a millimetre and more.
constexpr double kFarFromOrigin = 10'000;

/// How a subject says that it was moved.
std::string movedNote(const Vec3d& shift);

struct NearCopy {
    std::string data; ///< the whole file with every point moved by `shift`
    Vec3d shift{0, 0, 0};
};

/// The file as it would be near the origin; nothing where it stands near already, or its numbers are floats, or it is
/// neither OBJ nor PLY. The import library reads points as floats, which are a metre apart at 10,000 km.
/// COST  a look at the beginning; the whole file in memory, twice, when it is far.
std::optional<NearCopy> nearCopyOf(const std::filesystem::path& path, const std::string& suffix);

} // namespace thicket::detail
