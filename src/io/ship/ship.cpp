#include "io/ship/ship.h"

#include "base/file.h"
#include "io/import/import.h"
#include "io/ship/chain_json.h"
#include "io/ship/ship_devices.h"
#include "io/ship/ship_emitter.h"
#include "io/ship/ship_field.h"
#include "io/ship/ship_strands.h"
#include "io/ship/ship_tables.h"
#include "io/ship/ship_terrain.h"
#include "io/ship/write_glb.h"

#include <fmt/format.h>
#include <set>

namespace thicket {
namespace fs = std::filesystem;

std::string fileNameFor(const std::string& name) {
    std::string out;
    for (const char c : name) {
        if (std::isalnum(static_cast<unsigned char>(c)) != 0)
            out += static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
        else if (!out.empty() && out.back() != '-')
            out += '-';
    }
    while (!out.empty() && out.back() == '-')
        out.pop_back();
    return out.empty() ? "subject" : out;
}

std::string freeFileName(const std::string& name, std::set<std::string>& taken) {
    std::string free = fileNameFor(name);
    for (int n = 2; !taken.insert(free).second; ++n)
        free = fmt::format("{}-{}", fileNameFor(name), n);
    return free;
}

namespace {

/// Screen heights down to which each level shows: the next level's switch, and for the last the smallest size.
std::vector<double> coveragesOf(const Subject& subject, const View& view) {
    const ResolvedChain chain = chainOf(subject, view);
    std::vector<double> out;
    for (std::size_t i = 1; i < chain.fromMetres.size(); ++i)
        out.push_back(heightWhere(subject.rule, subject.radius, chain.fromMetres[i], view));
    const double least = subject.rule.cullBelowPx / view.lines;
    out.push_back(out.empty() ? least : std::min(out.back(), least));
    return out;
}

/// The same mesh with its vertices in the order of one that was read back: where levels share vertices that is the
/// source's order. As it is when a vertex is missing, so that the difference shows.
std::shared_ptr<const Mesh> inOrderOf(const Mesh& read, const std::shared_ptr<const Mesh>& mesh) {
    if (read.positions == mesh->positions || read.vertexCount() != mesh->vertexCount())
        return mesh;
    const std::vector<std::uint32_t> from = findVertices(*mesh, read);
    if (from.empty())
        return mesh;
    Mesh out;
    const auto gather = [&from](auto& to, const auto& values) {
        for (const std::uint32_t v : from)
            if (!values.empty())
                to.push_back(values[v]);
    };
    gather(out.positions, mesh->positions);
    gather(out.normals, mesh->normals);
    gather(out.uvs, mesh->uvs);
    gather(out.colors, mesh->colors);
    out.extras.eachWith(mesh->extras, gather);
    std::vector<std::uint32_t> to(from.size());
    for (std::uint32_t i = 0; i < from.size(); ++i)
        to[from[i]] = i;
    for (const std::uint32_t v : mesh->indices)
        out.indices.push_back(to[v]);
    out.parts = mesh->parts;
    return std::make_shared<const Mesh>(std::move(out));
}

Result<void> compare(const fs::path& file, const Subject& subject, const JobContext& job) {
    auto back = readModel(file, job);
    const auto differs = [&](const std::string& what) {
        return Error{ErrorCode::CheckFailed, file.string(), "read back, " + what,
                     "do not use this file; report how it was made"};
    };
    if (!back)
        return back.error();
    if (back->size() != 1 || back->front().levels.size() != subject.mesh().levels.size())
        return differs("it holds another number of levels");
    for (std::size_t i = 0; i < subject.mesh().levels.size(); ++i) {
        const Mesh& is = back->front().levels[i].mesh;
        const std::shared_ptr<const Mesh> wasOrdered = inOrderOf(is, subject.mesh().levels[i].mesh);
        const Mesh& was = *wasOrdered;
        if (is.indices != was.indices || is.positions != was.positions || is.uvs != was.uvs)
            return differs(fmt::format("level {} differs", i));
        bool extras = is.extras.morphs.size() == was.extras.morphs.size();
        if (extras) {
            VertexExtras copy = is.extras;
            copy.eachWith(was.extras, [&extras](const auto& a, const auto& b) { extras &= a == b; });
        }
        if (!extras)
            return differs(fmt::format("level {} has lost tangents, skin weights, morphs or its second UVs", i));
        if (is.normals.size() != was.normals.size() || is.parts.size() != was.parts.size())
            return differs(fmt::format("level {} has lost normals or materials", i));
    }
    return {};
}

} // namespace

Result<ShipReport> shipScene(const Scene& scene, const fs::path& folder, const ShipOptions& options,
                             const JobContext& job) {
    ShipReport report;
    std::set<std::string> names;
    std::map<std::uint32_t, std::string> shipped; ///< by subject id
    for (std::size_t s = 0; s < scene.subjects.size(); ++s) {
        const Subject& subject = scene.subjects[s];
        if (job.cancelled())
            return cancelledError();
        job.report(static_cast<double>(s) / static_cast<double>(scene.subjects.size()), "writing " + subject.name);
        const std::string base = freeFileName(subject.name, names);
        shipped[subject.id] = base;
        if (subject.terrain() != nullptr) {
            if (auto done = shipTerrain(scene, subject, folder / base, options, job, report); !done)
                return done.error();
            continue;
        }
        if (subject.strands() != nullptr) {
            if (auto done = shipStrands(scene, subject, folder, base, options, job, report); !done)
                return done.error();
            continue;
        }
        if (subject.emitter() != nullptr) {
            if (auto done = shipEmitter(scene, subject, folder, base, options, job, report); !done)
                return done.error();
            continue;
        }
        if (!subject.isMesh()) {
            if (auto done = shipField(scene, subject, folder, base, options, job, report); !done)
                return done.error();
            continue;
        }
        if (std::any_of(subject.mesh().levels.begin(), subject.mesh().levels.end(),
                        [](const Level& l) { return !l.mesh; })) {
            report.skipped.push_back(subject.name + ": its source or a level is missing");
            shipped.erase(subject.id);
            continue;
        }
        const LevelSet set = joinLevels(subject);
        const auto glb = [&](const char* suffix, GlbLevels how) -> Result<void> {
            const fs::path file = folder / (base + suffix);
            const auto bytes =
                encodeGlb(subject.name, set.meshes, set.surfaces, how, coveragesOf(subject, scene.settings.view),
                          subject.mesh().rig.get(), subject.mesh().cutRules.reuseVertices, viewsOf(subject));
            if (auto done = writeFile(file, bytes); !done)
                return done;
            if (auto same = compare(file, subject, job); !same)
                return same;
            report.files.push_back({file, bytes.size(), true});
            return {};
        };
        if (options.extensionGlb)
            if (auto done = glb(".lod.glb", GlbLevels::Extension); !done)
                return done.error();
        if (options.namedGlb)
            if (auto done = glb(".levels.glb", GlbLevels::Named); !done)
                return done.error();
        if (options.chainJson) {
            const fs::path file = folder / (base + ".chain.json");
            const std::string text = encodeChain(subject, scene.settings.view);
            if (auto done = writeTextFile(file, text); !done)
                return done.error();
            const auto back = readTextFile(file);
            if (!back || *back != text)
                return Error{ErrorCode::CheckFailed, file.string(), "read back, it differs", "check the disk"};
            report.files.push_back({file, text.size(), true});
        }
    }
    if (options.tables)
        if (auto done = shipPlaces(scene, shipped, folder, freeFileName("scene", names), job, report); !done)
            return done.error();
    if (options.chainJson)
        if (auto done = shipDevices(scene, shipped, folder, report); !done)
            return done.error();
    return report;
}

} // namespace thicket
