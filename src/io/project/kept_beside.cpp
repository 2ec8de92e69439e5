#include "io/project/kept_beside.h"

#include "base/file.h"
#include "io/import/height_store.h"
#include "io/import/import.h"
#include "io/json/fields.h"
#include "io/project/placements_file.h"
#include "io/project/project.h"
#include "io/project/strands_file.h"
#include "io/ship/write_glb.h"
#include "scene/thin_subject.h"

#include <set>

namespace thicket {
namespace fs = std::filesystem;
namespace {

/// Named after what it holds, so that a stale file is simply not found.
fs::path keptFile(const fs::path& project, const Level& level) {
    return levelsFolder(project) / (level.content + ".glb");
}

/// What a file beside a project holds: what is read must have the hash that it goes by.
template <class T>
Result<std::shared_ptr<const T>> readBeside(const fs::path& folder, const std::string& hash, const char* suffix,
                                            Result<T> (*decode)(std::span<const std::byte>, const std::string&)) {
    const fs::path file = folder / (hash + suffix);
    std::error_code ec;
    if (hash.empty() || !fs::is_regular_file(file, ec))
        return Error{ErrorCode::NotFound, file.string(), "is missing", "bring the folder beside the project along"};
    auto bytes = readFile(file);
    if (!bytes)
        return bytes.error();
    if (contentHash(*bytes) != hash)
        return Error{ErrorCode::BadInput, file.string(), "is not what its name says", "take an older copy"};
    auto read = decode(*bytes, file.string());
    if (!read)
        return read.error();
    return std::make_shared<const T>(std::move(*read));
}

} // namespace

fs::path levelsFolder(const fs::path& project) {
    std::string stem = project.filename().string();
    if (const auto at = stem.find(kProjectSuffix); at != std::string::npos)
        stem.erase(at);
    return project.parent_path() / (stem + ".levels");
}

bool keptBeside(const Level& level) {
    return level.origin == LevelOrigin::Collapsed || ofPictures(level.origin) || level.origin == LevelOrigin::Rebuilt ||
           (level.origin == LevelOrigin::HandMade && level.surfaces);
}

Result<void> keepLevelsOf(const Scene& scene, const fs::path& project, const std::function<bool(const Level&)>& which) {
    for (const Subject& subject : scene.subjects) {
        if (!subject.isMesh())
            continue;
        const MeshBody& body = subject.mesh();
        for (const Level& level : body.levels) {
            if (!which(level) || level.content.empty() || !level.mesh)
                continue;
            const fs::path file = keptFile(project, level);
            if (std::error_code ec; fs::exists(file, ec))
                continue;
            Surfaces surfaces;
            surfaces.materials.resize(body.surfaces ? body.surfaces->materials.size() : 1);
            if (level.surfaces)
                surfaces = *level.surfaces;
            if (auto done =
                    writeFile(file, encodeGlb("level", {level.mesh}, surfaces, GlbLevels::Named, {}, body.rig.get()));
                !done)
                return done;
        }
    }
    return {};
}

Result<void> writeBeside(const BesideFiles& files, const fs::path& project) {
    for (const auto& [name, bytes] : files) {
        const fs::path file = levelsFolder(project) / name;
        if (std::error_code ec; fs::exists(file, ec))
            continue;
        if (auto done = writeFile(file, bytes); !done)
            return done;
    }
    return {};
}

void dropOldFiles(const Scene& scene, const BesideFiles& beside, const fs::path& project) {
    std::set<std::string> wanted;
    for (const auto& [name, bytes] : beside)
        wanted.insert(name);
    for (const Subject& subject : scene.subjects)
        if (subject.isMesh())
            for (const Level& level : subject.mesh().levels)
                if (keptBeside(level))
                    wanted.insert(keptFile(project, level).filename().string());
    for (const Subject& subject : scene.subjects)
        if (const TerrainBody* body = subject.terrain(); body != nullptr && !body->trial)
            if (const auto name = heightStoreName(subject.source.path, body->reading))
                wanted.insert(*name);
    std::error_code ec;
    const fs::path folder = levelsFolder(project);
    if (fs::is_symlink(fs::symlink_status(folder, ec)))
        return;
    for (const auto& entry : fs::directory_iterator(folder, ec)) {
        const std::string suffix = entry.path().extension().string();
        const bool ours = (suffix == ".glb" || suffix == kPlacementsSuffix || suffix == kStrandsSuffix ||
                           suffix == kHeightStoreSuffix) &&
                          json::isHash(entry.path().stem().string());
        if (ours && fs::is_regular_file(entry.symlink_status(ec)) && !wanted.contains(entry.path().filename().string()))
            fs::remove(entry.path(), ec);
    }
}

void takeKeptLevels(MeshBody& body, const fs::path& project, bool sourceChanged, bool byName, const JobContext& job) {
    for (Level& level : body.levels) {
        if (!keptBeside(level) || level.mesh || (sourceChanged && level.origin == LevelOrigin::Collapsed))
            continue;
        const fs::path file = keptFile(project, level);
        std::error_code ec;
        if (level.content.empty() || !fs::is_regular_file(file, ec))
            continue;
        auto kept = readModel(file, job);
        if (!kept || kept->size() != 1)
            continue;
        // Cut before its source was read with what moves it: it would stand still. A locked one is never made anew.
        if (level.origin == LevelOrigin::Collapsed && !level.locked && body.source().mesh &&
            !body.source().mesh->extras.joints.empty() && kept->front().levels.front().mesh.extras.joints.empty())
            continue;
        Level read = level;
        read.mesh = std::make_shared<const Mesh>(std::move(kept->front().levels.front().mesh));
        if (level.surfaces)
            read.surfaces = kept->front().surfaces;
        const std::string content = levelContent(read);
        if (content != level.content && !(byName && read.mesh->triangleCount() == level.triangles))
            continue;
        read.content = content;
        level = std::move(read);
    }
}

BesideReader readerBeside(const fs::path& folder) {
    return {[folder](const std::string& hash) {
                return readBeside<Placements>(folder, hash, kPlacementsSuffix, decodePlacements);
            },
            [folder](const std::string& hash) {
                return readBeside<StrandSet>(folder, hash, kStrandsSuffix, decodeStrands);
            }};
}

} // namespace thicket
