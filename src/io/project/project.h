#pragma once
// The project file: documented JSON, sources by relative path and content hash (docs/formats/README.md).

#include "io/import/import.h"

namespace thicket {

constexpr const char* kProjectSuffix = ".thicket.json";

/// Writes a scene as a project, all or nothing. Large arrays of placements stand beside it in NAME.levels/. With
/// `keepLevels` so do the levels, so that opening need not thin again; cut ones can be deleted at any time.
Result<void> writeProject(const Scene& scene, const std::filesystem::path& path, bool keepLevels);

/// Writes what a crash must not take: the project's text, and beside it the levels that could not be cut again.
Result<void> writeAutosave(const Scene& scene, const std::filesystem::path& file);
/// Where the levels of a project, or of what was saved of it automatically, are kept: NAME.levels beside it.
std::filesystem::path levelsFolder(const std::filesystem::path& project);

/// The project's text with sources relative to `folder`. What autosave writes.
std::string encodeProject(const Scene& scene, const std::filesystem::path& folder);

struct ProjectLoad {
    Scene scene;
    std::vector<Error>
        problems; ///< sources that are missing or have changed; those subjects are there without their meshes
    std::vector<std::uint32_t> toCut; ///< subjects whose levels must be cut again
};
/// Whether what is wrong with the meshes of a project is looked for when it is read, which takes as long as reading.
enum class ProjectFindings : std::uint8_t { Looked, None };
/// Reads a project and its sources, several at once.
/// ERRORS     NotFound, BadInput (naming the field), Cancelled.
Result<ProjectLoad> readProject(const std::filesystem::path& path, const JobContext& job,
                                ProjectFindings findings = ProjectFindings::Looked);

/// Parses the text, and the placements that it names in the folder `beside`: subjects have no meshes yet. `folder`
/// makes source paths absolute.
/// ERRORS     BadInput naming the field.
Result<Scene> decodeProject(const std::string& text, const std::filesystem::path& folder, const std::string& where,
                            const std::filesystem::path& beside = {});

/// Gives a subject the meshes of a file, or a terrain its heights (again, or another one). The chain's cut levels lose their meshes when the file
/// has changed.
/// ERRORS     as readModel; BadInput when the file does not hold the subject's family.
/// beside     folder in which what is too large to hold is kept; empty: where the person keeps what can be made again.
Result<Subject> attachSource(const Subject& subject, const std::filesystem::path& file, const JobContext& job,
                             const std::filesystem::path& beside = {});

/// The rules of all roles as JSON, for a project and for a person's own settings.
std::string encodeRoleRules(const RoleRules& rules);
/// ERRORS BadInput naming the field.
Result<RoleRules> decodeRoleRules(const std::string& text);

} // namespace thicket
