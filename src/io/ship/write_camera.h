#pragma once
// A route as a camera that moves, in a GLB.

#include "scene/scene.h"

#include <filesystem>

namespace thicket {

/// The camera's places and turns at every key and 30 times a second, with the field and the shape of a view.
/// REQUIRES   a route with a length.
/// ERRORS     Unwritable; CheckFailed where it does not read back as the same move.
Result<void> writeCamera(const std::filesystem::path& file, const Route& route, const View& view);

} // namespace thicket
