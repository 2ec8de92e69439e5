#include "io/project/attach_source.h"

#include "base/memory.h"
#include "io/import/heights_file.h"
#include "io/import/import.h"
#include "io/import/read_strands.h"
#include "io/project/emitter_file.h"
#include "io/project/project.h"
#include "scene/grounds.h"
#include "scene/kinds.h"
#include "scene/mend_subject.h"
#include "scene/strand_subject.h"
#include "scene/thin_subject.h"

#include <fmt/format.h>

namespace thicket {
namespace fs = std::filesystem;
namespace {

Result<Subject> attachHeights(const Subject& terrain, const fs::path& file, const JobContext& job,
                              const fs::path& beside) {
    if (const auto& trial = terrain.terrain()->trial) {
        // The heights, the tree, and both again while strokes are laid.
        const double bytes = 9.0 * trial->columns * trial->rows;
        if (auto fits = checkMemory(bytes, availableMemory(), terrain.name); !fits)
            return fits.error();
    }
    if (terrain.terrain()->trial)
        return withHeights(terrain, std::make_shared<const Heights>(makeHeights(*terrain.terrain()->trial)), job);
    auto read = readHeights(file, terrain.terrain()->reading, job.part(0, 0.6), {beside});
    if (!read)
        return read.error();
    Subject out = terrain;
    out.source = {fs::absolute(file).lexically_normal(), read->hash.empty() ? hashOf(read->heights) : read->hash, {}};
    return withHeights(std::move(out), std::make_shared<const Heights>(std::move(read->heights)), job.part(0.6, 1),
                       read->tree);
}

/// What was grown stands beside the project and is there already; what came from a file is read again.
Result<Subject> attachStrands(const Subject& subject, const fs::path& file, const JobContext& job) {
    const StrandsBody& body = *subject.strands();
    if (body.recipe) {
        if (!body.strands)
            return Error{ErrorCode::NotFound, subject.name, "has lost what was grown", "grow it again"};
        return withStrands(subject, body.strands, job);
    }
    auto read = readStrands(file, {body.width, false, body.unit, body.up}, job.part(0, 0.7));
    if (!read)
        return read.error();
    Subject out = subject;
    out.source = {fs::absolute(file).lexically_normal(), read->hash, {}};
    std::get<StrandsBody>(out.body).ownWidths = read->widths;
    return withStrands(std::move(out), std::make_shared<const StrandSet>(std::move(read->set)), job.part(0.7, 1));
}

/// An emitter stands in the project as a whole; only its sprites are pictures beside it.
Result<Subject> attachSprites(const Subject& subject) {
    Subject out = subject;
    auto& body = std::get<EmitterBody>(out.body);
    for (std::size_t p = 0; p < body.emitter.parts.size(); ++p) {
        auto sprite = readSprite(body.emitter.parts[p].sprite);
        if (!sprite)
            return Error{
                sprite.error().code, sprite.error().where,
                fmt::format("its sprite {} {}", body.emitter.parts[p].sprite.filename().string(), sprite.error().what),
                sprite.error().remedy};
        body.sprites[p] = std::move(*sprite);
    }
    refresh({}, out);
    return out;
}

const ImportedSubject* findIn(const std::vector<ImportedSubject>& read, const SourceFile& source) {
    for (const ImportedSubject& candidate : read)
        if (source.family.empty() ? read.size() == 1 : candidate.source.family == source.family)
            return &candidate;
    // Of a file that held several and holds this one alone now.
    return read.size() == 1 && read.front().name == source.family ? &read.front() : nullptr;
}

/// What a mesh's file holds of it.
Result<Subject> attachMesh(const Subject& subject, const fs::path& file, ImportedSubject found) {
    Subject out = subject;
    MeshBody& body = out.mesh();
    const bool same = found.source.hash == subject.source.hash;
    out.source = found.source;
    std::vector<Mesh*> meshes;
    for (ImportedLevel& level : found.levels)
        meshes.push_back(&level.mesh);
    if (auto mended = mendAgain(body.mends, meshes, found.rig.empty() ? nullptr : &found.rig); !mended)
        return Error{mended.error().code, file.string(), mended.error().what, "point to the file it was mended from"};
    body.surfaces = found.surfaces;
    body.rig = found.rig.empty() ? nullptr : std::make_shared<const Rig>(std::move(found.rig));
    body.source().mesh = std::make_shared<const Mesh>(std::move(found.levels.front().mesh));
    for (std::size_t i = 1; i < body.levels.size(); ++i) {
        Level& level = body.levels[i];
        if (level.origin == LevelOrigin::Collapsed && !same)
            level.mesh.reset();
        if (level.origin == LevelOrigin::HandMade && !level.surfaces)
            for (ImportedLevel& own : found.levels)
                if (own.mesh.triangleCount() == level.triangles)
                    level.mesh = std::make_shared<const Mesh>(own.mesh);
    }
    std::erase_if(body.levels, [](const Level& level) {
        return level.origin == LevelOrigin::HandMade && !level.mesh && !level.surfaces;
    });
    refreshSubject(out);
    if (!same)
        body.curve = {};
    return out;
}

} // namespace

Result<Subject> attachUnlooked(const Subject& subject, const fs::path& file, const JobContext& job,
                               const fs::path& beside, const std::vector<ImportedSubject>* read) {
    if (subject.terrain() != nullptr)
        return attachHeights(subject, file, job, beside);
    if (subject.strands() != nullptr)
        return attachStrands(subject, file, job);
    if (subject.emitter() != nullptr)
        return attachSprites(subject);
    std::vector<ImportedSubject> own;
    if (read == nullptr) {
        auto now = readModel(file, job, subject.source.apart ? Meshes::Apart : Meshes::Together);
        if (!now)
            return now.error();
        own = std::move(*now);
    }
    const ImportedSubject* found = findIn(read != nullptr ? *read : own, subject.source);
    if (found == nullptr)
        return Error{ErrorCode::BadInput, file.string(), "does not hold the meshes of " + subject.name,
                     "point to the file it came from"};
    if (read != nullptr)
        return attachMesh(subject, file, *found);
    return attachMesh(subject, file, std::move(own[static_cast<std::size_t>(found - own.data())]));
}

Result<Subject> attachSource(const Subject& subject, const fs::path& file, const JobContext& job,
                             const fs::path& beside) {
    auto out = attachUnlooked(subject, file, job, beside);
    if (out && out->isMesh())
        out->findings = findProblems(*out);
    return out;
}

} // namespace thicket
