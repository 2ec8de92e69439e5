#pragma once
// Models from files: glTF/GLB by our own checked reading of tinygltf's tree, everything else by Assimp.

#include "base/job.h"
#include "scene/scene.h"

#include <span>

namespace thicket {

struct ImportedLevel {
    std::string name;
    int named = -1; ///< the number its name carried (_LOD2: 2), -1 for none
    Mesh mesh;
};

/// One subject as a file held it: a mesh, or a family of levels, finest first.
struct ImportedSubject {
    std::string name;
    SourceFile source;
    std::shared_ptr<const Surfaces> surfaces = std::make_shared<const Surfaces>(); ///< may be all of the file's
    Rig rig;
    std::vector<ImportedLevel> levels;
    double metresPerUnit = 1;            ///< as the file says; it was not scaled by that yet
    bool ofWhole = false;                ///< taken apart: otherwise it is part of what the file's meshes are together
    Placements placed;                   ///< where it stands, when the file says where that is of each; else empty
    std::vector<double> screenCoverages; ///< from the glTF level-of-detail extension, one a level, or empty
    std::vector<std::string> notes;      ///< what was inferred or mended, in words for the user
};

/// A mesh that a glTF file places more often than this is a subject of its own with as many copies; one that stands less
/// often is part of the whole, as the wheels of a car are.
constexpr int kMostBaked = 16;

/// How the meshes of a file become subjects.
enum class Meshes {
    Together, ///< one subject, but for what stands in many places
    Apart     ///< each mesh is a subject with the places where it stands; what moves as one thing stays together
};

/// Reads one file. Its meshes become subjects as `how` says; those whose names or the level-of-detail extension say that
/// they are levels become one in either case. Node transforms are applied. Every mesh has passed checkMesh.
/// ERRORS     NotFound, BadInput, TooLarge (refused before allocation), Cancelled. Nothing is kept then.
Result<std::vector<ImportedSubject>> readModel(const std::filesystem::path& path, const JobContext& job,
                                               Meshes how = Meshes::Together);

/// Joins subjects from several files whose names differ only by a level suffix (post_LOD0.obj, post_LOD1.obj).
std::vector<ImportedSubject> joinFamilies(std::vector<ImportedSubject> subjects);

/// Splits "post_LOD2" into "post" and 2. Suffixes: _LOD2 .lod2 -LOD2 in any case, with or without a separator after it.
struct LevelName {
    std::string base;
    int level = -1; ///< -1: no suffix, base is the whole name
};
LevelName splitLevelName(const std::string& name);

/// Scales what was read to metres, where its file says that it is in other units.
void toMetres(ImportedSubject& subject);

/// Turns an import into a subject with measured hand-made levels and findings; in metres, which is one of its mends where
/// its file has other units.
/// ERRORS     Cancelled.
Result<Subject> makeSubject(ImportedSubject imported, const JobContext& job);

/// What is said of a file that holds lines besides.
constexpr const char* kLinesNote = "it holds lines besides, which were left out: add them as strands";

/// Suffixes of file names that can be opened, lower case with the dot, for dialogs.
std::vector<std::string> readableSuffixes();

namespace detail {
Result<std::vector<ImportedSubject>> readGltf(const std::filesystem::path& path, std::span<const std::byte> data,
                                              Meshes how, const JobContext& job);
Result<std::vector<ImportedSubject>> readOther(const std::filesystem::path& path, Meshes how, const JobContext& job);
/// readOther in a process of its own (ask_reader.h): the import library crashes or runs on without end on some damaged
/// files. Cancel ends it at once.
Result<std::vector<ImportedSubject>> readOtherGuarded(const std::filesystem::path& path, Meshes how,
                                                      const JobContext& job);
/// What that program is told besides the file.
constexpr const char* kApartArgument = "apart";
/// That program's whole life: reads the file and writes what came of it to `fd`. Returns its exit code.
int serveReader(const std::filesystem::path& path, Meshes how, int fd);
/// The same where it unpacks triangles (packed_geometry.h): takes them from a file and writes what came of it to another.
int serveUnpacking(int from, int to);
/// What subjects of a file share: with names that are sound, and a material for meshes that have none.
std::shared_ptr<const Surfaces> sharedSurfaces(Surfaces surfaces);
/// Orders by triangles, aligns origins, names the subject.
void finishFamily(ImportedSubject& subject);
} // namespace detail

} // namespace thicket
