#pragma once
// A subject of a project and what its source file holds.

#include "base/job.h"
#include "scene/scene.h"

#include <filesystem>

namespace thicket {

/// As attachSource, but what is wrong with a mesh is not looked for.
Result<Subject> attachUnlooked(const Subject& subject, const std::filesystem::path& file, const JobContext& job,
                               const std::filesystem::path& beside);

} // namespace thicket
