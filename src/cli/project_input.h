#pragma once
// Projects as commands take them.

#include "base/job.h"
#include "scene/scene.h"

namespace thicket::cli {

/// Opens a project whole: sources read, levels cut again where they were not kept.
/// ERRORS     as readProject; the first source that is missing or has changed.
Result<Scene> openWhole(const std::filesystem::path& path, const JobContext& job);

} // namespace thicket::cli
