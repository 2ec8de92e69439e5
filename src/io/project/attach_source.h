#pragma once
// A subject of a project and what its source file holds.

#include "base/job.h"
#include "io/import/import.h"
#include "scene/scene.h"

#include <filesystem>

namespace thicket {

/// As attachSource, but what is wrong with a mesh is not looked for.
/// read  what the file holds, read as the subject's source says, where that is known already; null: it is read.
Result<Subject> attachUnlooked(const Subject& subject, const std::filesystem::path& file, const JobContext& job,
                               const std::filesystem::path& beside, const std::vector<ImportedSubject>* read = nullptr);

} // namespace thicket
