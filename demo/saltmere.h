#pragma once
// The Saltmere estuary: models, placed copies, a route and two devices, written as files and a project.

#include "io/project/project.h"

namespace thicket::demo {

/// Writes the models as GLB and the project. Returns the project's path. Deterministic: same bytes every time.
/// ERRORS Unwritable, Cancelled.
Result<std::filesystem::path> writeSaltmere(const std::filesystem::path& folder, const JobContext& job);

/// Thins every subject that is not made by hand to its role and saves the project with its levels.
Result<void> thinSaltmere(const std::filesystem::path& project, const JobContext& job);

Route channelRun();

} // namespace thicket::demo
