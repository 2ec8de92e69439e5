#pragma once
// Camera moves from glTF files, as routes.

#include "scene/scene.h"

#include <filesystem>

namespace thicket {

/// One route a camera and animation that moves it, with the keys that it takes to come within 2 cm; named after the
/// camera. What a camera sees, its field of view, is no part of a route.
/// ERRORS     BadInput: no glTF or GLB, no camera that moves, an animation that reaches beyond its buffer or lasts longer
///            than can be flown; NotFound; Cancelled.
Result<std::vector<Route>> readCameras(const std::filesystem::path& file, const JobContext& job);

} // namespace thicket
