#pragma once
// Projects as commands take them.

#include "base/job.h"
#include "cli/commands.h"
#include "scene/scene.h"

namespace thicket::cli {

/// Opens a project whole: sources read, levels cut again where they were not kept.
/// ERRORS     as readProject; the first source that is missing or has changed.
Result<Scene> openWhole(const std::filesystem::path& path, const JobContext& job);

/// What is flown: of the scene that it was looked up in.
struct Flight {
    const Device* device = nullptr;
    const Route* route = nullptr;
};
/// The device of that name, or with none the project's own.
/// ERRORS     BadInput when there is none.
Result<const Device*> deviceOf(const Scene& scene, const std::string& name, const std::filesystem::path& project);
/// The device and the route that options name, or the project's own.
/// ERRORS     BadInput when there is none of that name.
Result<Flight> flightOf(const Scene& scene, const ProjectOptions& options);

/// What went wrong on a flight, told of the project as it was given.
Error inProject(Error error, const ProjectOptions& options);

/// Reads meshes into a scene, where each stands at the origin; they keep no places of their own.
Result<void> addSurface(Scene& scene, const std::filesystem::path& file, const JobContext& job);

/// A view that sees so much, with so many lines.
View viewWith(double fovDegrees, int lines);

} // namespace thicket::cli
