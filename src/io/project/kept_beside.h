#pragma once
// What stands beside a project: levels, and arrays too large for its text.

#include "base/job.h"
#include "io/project/project_body.h"

namespace thicket {

/// The source and what came with it are in the source file; everything else is ours to keep.
bool keptBeside(const Level& level);

/// Writes the levels for which `which` holds, those that are not there yet, named after what they hold.
/// ERRORS     Unwritable.
Result<void> keepLevelsOf(const Scene& scene, const std::filesystem::path& project,
                          const std::function<bool(const Level&)>& which);
/// Writes the arrays that a project's text names, those that are not there yet.
/// ERRORS     Unwritable.
Result<void> writeBeside(const BesideFiles& files, const std::filesystem::path& project);

/// Removes what was kept beside the project and is no part of the scene any more: only files with names that this
/// program gives, and never what a link stands for.
void dropOldFiles(const Scene& scene, const BesideFiles& beside, const std::filesystem::path& project);

/// Takes levels from beside the project, where what is read is what its name says; not those cut from a source that is
/// another one now.
/// `byName`: of a project whose hashes did not hold for what is read back; counts decide then.
void takeKeptLevels(MeshBody& body, const std::filesystem::path& project, bool sourceChanged, bool byName,
                    const JobContext& job);

/// Reads arrays from the folder beside a project: what is read must have the hash that it goes by.
BesideReader readerBeside(const std::filesystem::path& folder);

} // namespace thicket
