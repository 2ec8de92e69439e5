#include "io/project/project.h"

#include "base/file.h"
#include "base/memory.h"
#include "base/parallel.h"
#include "io/import/height_store.h"
#include "io/import/read_strands.h"
#include "io/json/device_json.h"
#include "io/json/fields.h"
#include "io/project/emitter_file.h"
#include "io/project/placements_file.h"
#include "io/project/project_body.h"
#include "io/project/strands_file.h"
#include "io/ship/write_glb.h"
#include "scene/grounds.h"
#include "scene/kinds.h"
#include "scene/mend_subject.h"
#include "scene/strand_subject.h"
#include "scene/thin_subject.h"

#include <algorithm>
#include <atomic>
#include <fmt/format.h>
#include <limits>
#include <numbers>
#include <optional>
#include <set>
#include <thread>

namespace thicket {
namespace fs = std::filesystem;
using json::ordered_json;

namespace {

constexpr const char* kMendProject = "mend the field or take an older copy of the project";
constexpr double kDegrees = std::numbers::pi / 180;

ordered_json encodeRoute(const Route& r) {
    ordered_json keys = ordered_json::array();
    for (const RouteKey& k : r.keys)
        keys.push_back({{"seconds", k.seconds}, {"eye", json::array3(k.eye)}, {"target", json::array3(k.target)}});
    ordered_json out{{"name", r.name}, {"keys", keys}};
    if (r.loop)
        out["loop"] = true;
    return out;
}

Route decodeRoute(const ordered_json& in, const std::string& path) {
    Route r;
    r.name = json::string(in, "name", path);
    const ordered_json& keys = json::list(in, "keys", path);
    for (std::size_t i = 0; i < keys.size(); ++i) {
        const std::string at = fmt::format("{}keys[{}].", path, i);
        r.keys.push_back({json::number(keys[i], "seconds", at, 0, 1e6), json::vector3(keys[i], "eye", at),
                          json::vector3(keys[i], "target", at)});
        if (i > 0 && r.keys[i].seconds <= r.keys[i - 1].seconds)
            throw json::FieldError(at + "seconds: is not later than the key before");
    }
    r.loop = json::flag(in, "loop", path, false);
    return r;
}

ordered_json encodeRoles(const RoleRules& rules) {
    ordered_json out = ordered_json::object();
    for (std::size_t i = 0; i < std::size(kRoles); ++i) {
        const RoleRule& r = rules.of[i];
        out[kRoles[i].key] = {
            {"levels", r.levels}, {"share", r.share}, {"allowPx", r.allowPx}, {"cards", r.cards}, {"spread", r.spread}};
    }
    return out;
}

RoleRules decodeRoles(const ordered_json& in, const std::string& path) {
    RoleRules rules;
    for (std::size_t i = 0; i < std::size(kRoles); ++i) {
        const char* role = kRoles[i].key;
        if (!in.contains(role))
            continue;
        const ordered_json& one = json::object(in, role, path);
        const std::string at = path + role + ".";
        rules.of[i] = {json::integer<int>(one, "levels", at, 1, 7), json::number(one, "share", at, 0.02, 0.9),
                       json::number(one, "allowPx", at, 0.05, 64), json::integer<int>(one, "cards", at, 0, 4),
                       json::flag(one, "spread", at, false)}; // projects of before knew only shares
    }
    return rules;
}

View decodeView(const ordered_json& in, const std::string& path) {
    View like;
    like.fovY = json::number(in, "fovDegrees", path, 1, 170) * kDegrees;
    like.lines = json::integer<int>(in, "lines", path, 16, 16384);
    like.aspect = json::number(in, "aspect", path, 0.1, 10);
    like.nearMetres = json::number(in, "nearMetres", path, 1e-6, 1e6, like.nearMetres);
    like.farMetres = json::number(in, "farMetres", path, 1e-3, 1e9, like.farMetres);
    like.detail = json::number(in, "detail", path, 0.01, 100, 1);
    return lookAt(like, json::vector3(in, "eye", path), json::vector3(in, "target", path));
}

/// Every id once, whatever it is of; what has none (0) is no matter.
class Ids {
public:
    void use(std::uint32_t id, const std::string& field) {
        if (id == 0)
            return;
        if (!m_used.insert(id).second)
            throw json::FieldError(fmt::format("{}: {} is used twice", field, id));
        m_largest = std::max(m_largest, id);
    }
    [[nodiscard]] std::uint32_t largest() const { return m_largest; }

private:
    std::set<std::uint32_t> m_used;
    std::uint32_t m_largest = 0;
};

void useIds(const Subject& subject, const std::string& at, Ids& subjects, Ids& copies) {
    subjects.use(subject.id, at + "id");
    const auto each = [&](const SharedPlacements& placements, const char* name) {
        for (std::size_t i = 0; placements && i < placements->size(); ++i)
            copies.use((*placements)[i].id, fmt::format("{}{}[{}].id", at, name, i));
    };
    std::visit(Overload{[&](const MeshBody& body) { each(body.placed, "placed"); },
                        [&](const InstancesBody& body) { each(body.copies, "copies"); }, [](const TerrainBody&) {},
                        [](const StrandsBody&) {}, [&](const EmitterBody& body) { each(body.placed, "placed"); }},
               subject.body);
}

/// Fields draw subjects that are there and have a mesh.
void checkAssets(const Scene& scene) {
    for (std::size_t i = 0; i < scene.subjects.size(); ++i)
        if (const InstancesBody* field = scene.subjects[i].instances())
            for (const std::uint32_t asset : field->assets)
                if (scene.findMesh(asset) == nullptr)
                    throw json::FieldError(fmt::format("subjects[{}].assets: there is no mesh {}", i, asset));
}

int versionOf(const ordered_json& in) {
    if (!in.is_object() || json::string(in, "format", "", "") != "lean-thicket-project")
        throw json::FieldError("format: this is not a Lean Thicket project");
    const int version = json::integer<int>(in, "version", "", 1, std::numeric_limits<int>::max());
    if (version > kProjectVersion)
        throw json::FieldError(fmt::format("version: {} was made by a newer program", version));
    return version;
}

Scene decode(ordered_json in, const fs::path& folder, const BesideReader& beside) {
    upgradeProject(in, versionOf(in));
    Scene scene;
    Settings& settings = scene.settings;
    settings.name = json::string(in, "name", "");
    settings.view = decodeView(json::object(in, "view", ""), "view.");
    const auto list = [&in](const char* name, const auto& decodeOne) {
        const ordered_json& items = json::list(in, name, "");
        for (std::size_t i = 0; i < items.size(); ++i)
            decodeOne(items[i], fmt::format("{}[{}].", name, i));
    };
    list("devices", [&](const ordered_json& item, const std::string& at) {
        settings.devices.push_back(json::decodeDevice(item, at));
    });
    settings.device = json::integer<std::uint32_t>(in, "device", "", 0, 1'000'000, 0);
    if (in.contains("roles"))
        settings.roles = decodeRoles(json::object(in, "roles", ""), "roles.");
    settings.halfSpeed = json::number(in, "halfSpeed", "", 0, 1e6, 0);
    settings.cullHidden = json::flag(in, "cullHidden", "", true);
    if (in.contains("ownViews"))
        list("ownViews", [&](const ordered_json& item, const std::string& at) {
            settings.ownViews.push_back({json::string(item, "name", at), json::number(item, "fovDegrees", at, 1, 170),
                                         json::integer<int>(item, "lines", at, 16, 16384)});
        });
    Ids subjects;
    Ids copies;
    list("subjects", [&](const ordered_json& item, const std::string& at) {
        scene.subjects.push_back(decodeSubject(item, folder, at, beside));
        useIds(scene.subjects.back(), at, subjects, copies);
    });
    checkAssets(scene);
    list("routes",
         [&](const ordered_json& item, const std::string& at) { settings.routes.push_back(decodeRoute(item, at)); });
    settings.route = std::min(json::integer<std::size_t>(in, "route", "", 0, 100'000, 0),
                              std::max<std::size_t>(settings.routes.size(), 1) - 1);
    scene.nextId = std::max(
        {json::integer<std::uint32_t>(in, "nextId", "", 1, ~0U, 1), subjects.largest() + 1, copies.largest() + 1});
    return scene;
}

/// The source and what came with it are in the source file; everything else is ours to keep.
bool keptBeside(const Level& level) {
    return level.origin == LevelOrigin::Collapsed || ofPictures(level.origin) || level.origin == LevelOrigin::Rebuilt ||
           (level.origin == LevelOrigin::HandMade && level.surfaces);
}

/// Named after what it holds, so that a stale file is simply not found.
fs::path keptFile(const fs::path& project, const Level& level) {
    return levelsFolder(project) / (level.content + ".glb");
}

/// Writes the levels for which `which` holds, those that are not there yet.
template <class Which> Result<void> keepLevelsOf(const Scene& scene, const fs::path& project, const Which& which) {
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

/// Removes what was kept beside the project and is no part of the scene any more: only files with names that this
/// program gives, and never what a link stands for.
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

/// Takes levels from beside the project, where what is read is what its name says; not those cut from a source that is
/// another one now.
/// `byName`: of a project whose hashes did not hold for what is read back; counts decide then.
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
        Level read = level;
        read.mesh = std::make_shared<const Mesh>(std::move(kept->front().levels.front().mesh));
        if (level.surfaces)
            read.surfaces = std::make_shared<const Surfaces>(std::move(kept->front().surfaces));
        const std::string content = levelContent(read);
        if (content != level.content && !(byName && read.mesh->triangleCount() == level.triangles))
            continue;
        read.content = content;
        level = std::move(read);
    }
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

BesideReader readerBeside(const fs::path& folder) {
    return {[folder](const std::string& hash) {
                return readBeside<Placements>(folder, hash, kPlacementsSuffix, decodePlacements);
            },
            [folder](const std::string& hash) {
                return readBeside<StrandSet>(folder, hash, kStrandsSuffix, decodeStrands);
            }};
}

} // namespace

fs::path levelsFolder(const fs::path& project) {
    std::string stem = project.filename().string();
    if (const auto at = stem.find(kProjectSuffix); at != std::string::npos)
        stem.erase(at);
    return project.parent_path() / (stem + ".levels");
}

namespace {

std::string encodeProject(const Scene& scene, const fs::path& folder, BesideFiles* beside) {
    const Settings& settings = scene.settings;
    const View& v = settings.view;
    ordered_json out{{"format", "lean-thicket-project"},
                     {"version", kProjectVersion},
                     {"name", settings.name},
                     {"view",
                      {{"fovDegrees", v.fovY / kDegrees},
                       {"lines", v.lines},
                       {"aspect", v.aspect},
                       {"nearMetres", v.nearMetres},
                       {"farMetres", v.farMetres},
                       {"detail", v.detail},
                       {"eye", json::array3(v.eye)},
                       {"target", json::array3(v.eye + v.forward)}}},
                     {"device", settings.device}};
    if (settings.roles != RoleRules())
        out["roles"] = encodeRoles(settings.roles);
    out["halfSpeed"] = settings.halfSpeed;
    out["cullHidden"] = settings.cullHidden;
    for (const NamedView& own : settings.ownViews)
        out["ownViews"].push_back({{"name", own.name}, {"fovDegrees", own.fovDegrees}, {"lines", own.lines}});
    out["nextId"] = scene.nextId;
    for (const char* list : {"devices", "subjects", "routes"})
        out[list] = ordered_json::array();
    for (const Device& d : settings.devices)
        out["devices"].push_back(json::encode(d));
    for (const Subject& s : scene.subjects)
        out["subjects"].push_back(encodeSubject(s, folder, beside));
    for (const Route& r : settings.routes)
        out["routes"].push_back(encodeRoute(r));
    if (settings.route > 0)
        out["route"] = settings.route;
    return json::text(out, 2) + "\n";
}

} // namespace

std::string encodeProject(const Scene& scene, const fs::path& folder) {
    return encodeProject(scene, folder, nullptr);
}

std::string encodeRoleRules(const RoleRules& rules) {
    return json::text(encodeRoles(rules), -1);
}

Result<RoleRules> decodeRoleRules(const std::string& text) {
    return json::decoded("roles", "set them again", [&] { return decodeRoles(json::parse(text), ""); });
}

Result<void> writeProject(const Scene& scene, const fs::path& path, bool keepLevels) {
    // What stands beside first and the clearing up last: whatever fails on the way, what was saved before stays whole.
    BesideFiles beside;
    const std::string text = encodeProject(scene, path.parent_path(), &beside);
    if (auto done = writeBeside(beside, path); !done)
        return done;
    if (keepLevels)
        if (auto done = keepLevelsOf(scene, path, keptBeside); !done)
            return done;
    if (auto done = writeTextFile(path, text); !done)
        return done;
    if (keepLevels)
        dropOldFiles(scene, beside, path);
    return {};
}

Result<void> writeAutosave(const Scene& scene, const fs::path& file) {
    const auto irreplaceable = [](const Level& level) {
        return keptBeside(level) && level.origin != LevelOrigin::Collapsed;
    };
    BesideFiles beside;
    const std::string text = encodeProject(scene, file.parent_path(), &beside);
    if (auto done = writeBeside(beside, file); !done)
        return done;
    if (auto done = keepLevelsOf(scene, file, irreplaceable); !done)
        return done;
    return writeTextFile(file, text);
}

Result<Scene> decodeProject(const std::string& text, const fs::path& folder, const std::string& where,
                            const fs::path& beside) {
    return json::decoded(where, kMendProject, [&] { return decode(json::parse(text), folder, readerBeside(beside)); });
}

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
    auto read = readStrands(file, {body.width, false}, job.part(0, 0.7));
    if (!read)
        return read.error();
    Subject out = subject;
    out.source = {fs::absolute(file).lexically_normal(), read->hash, {}};
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

} // namespace

namespace {

/// As attachSource, but for the findings.
Result<Subject> attachUnlooked(const Subject& subject, const fs::path& file, const JobContext& job,
                               const fs::path& beside) {
    if (subject.terrain() != nullptr)
        return attachHeights(subject, file, job, beside);
    if (subject.strands() != nullptr)
        return attachStrands(subject, file, job);
    if (subject.emitter() != nullptr)
        return attachSprites(subject);
    auto read = readModel(file, job);
    if (!read)
        return read.error();
    ImportedSubject* found = nullptr;
    for (ImportedSubject& candidate : *read)
        if (subject.source.family.empty() ? read->size() == 1 : candidate.name == subject.source.family)
            found = &candidate;
    if (found == nullptr)
        return Error{ErrorCode::BadInput, file.string(), "does not hold the meshes of " + subject.name,
                     "point to the file it came from"};
    Subject out = subject;
    MeshBody& body = out.mesh();
    const bool same = found->source.hash == subject.source.hash;
    out.source = found->source;
    std::vector<Mesh*> meshes;
    for (ImportedLevel& level : found->levels)
        meshes.push_back(&level.mesh);
    if (auto mended = mendAgain(body.mends, meshes, found->rig.empty() ? nullptr : &found->rig); !mended)
        return Error{mended.error().code, file.string(), mended.error().what, "point to the file it was mended from"};
    body.surfaces = std::make_shared<const Surfaces>(std::move(found->surfaces));
    body.rig = found->rig.empty() ? nullptr : std::make_shared<const Rig>(std::move(found->rig));
    body.source().mesh = std::make_shared<const Mesh>(std::move(found->levels.front().mesh));
    for (std::size_t i = 1; i < body.levels.size(); ++i) {
        Level& level = body.levels[i];
        if (level.origin == LevelOrigin::Collapsed && !same)
            level.mesh.reset();
        if (level.origin == LevelOrigin::HandMade && !level.surfaces)
            for (ImportedLevel& own : found->levels)
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

/// A subject of a project with what its files hold, and what is to be said of that.
struct ReadSubject {
    Subject subject;
    std::vector<Error> problems;
    bool toCut = false; ///< a cut level is not kept beside the project
};

/// ERRORS     Cancelled; all else is a problem.
Result<ReadSubject> readSubject(const Subject& before, const fs::path& project, int version, const JobContext& job) {
    ReadSubject out{before, {}, false};
    auto attached = attachUnlooked(before, before.source.path, job, levelsFolder(project));
    if (!attached) {
        if (attached.error().code == ErrorCode::Cancelled)
            return attached.error();
        Error problem = attached.error();
        problem.where = before.name + " (" + before.source.path.string() + ")";
        problem.remedy = before.emitter() != nullptr ? "put the picture back and open the project again"
                         : before.strands() != nullptr && before.strands()->recipe
                             ? "grow it again in Gather"
                             : "point to the file again in Gather";
        out.problems.push_back(problem);
        return out;
    }
    out.subject = std::move(*attached);
    Subject& subject = out.subject;
    const bool changed = subject.source.hash != before.source.hash;
    if (changed)
        out.problems.push_back({ErrorCode::BadInput, subject.name,
                                "the source file has changed since the project was saved",
                                subject.isMesh()               ? "thin it again to bring its levels up to date"
                                : subject.terrain() != nullptr ? "look whether its strokes still lie where they should"
                                                               : "look at its levels again"});
    if (!subject.isMesh())
        return out;
    takeKeptLevels(subject.mesh(), project, changed, version < 2, job);
    if (std::erase_if(subject.mesh().levels, [](const Level& l) {
            return !l.mesh && l.origin != LevelOrigin::Collapsed && l.origin != LevelOrigin::Source;
        }) > 0)
        out.problems.push_back({ErrorCode::NotFound, subject.name,
                                "a level that was not cut is missing from the folder of levels beside the project",
                                "add it again"});
    for (Level& level : subject.mesh().levels)
        if (level.origin == LevelOrigin::Collapsed && !level.mesh) {
            out.toCut = true;
            level.surfaces.reset();
        }
    if (job.cancelled())
        return cancelledError();
    return out;
}

} // namespace

Result<Subject> attachSource(const Subject& subject, const fs::path& file, const JobContext& job,
                             const fs::path& beside) {
    auto out = attachUnlooked(subject, file, job, beside);
    if (out && out->isMesh())
        out->findings = findProblems(*out);
    return out;
}

Result<ProjectLoad> readProject(const fs::path& path, const JobContext& job, ProjectFindings findings) {
    auto text = readTextFile(path);
    if (!text)
        return text.error();
    int version = kProjectVersion;
    auto scene = json::decoded(path.string(), kMendProject, [&] {
        ordered_json tree = json::parse(*text);
        version = versionOf(tree);
        return decode(std::move(tree), fs::absolute(path).parent_path(), readerBeside(levelsFolder(path)));
    });
    if (!scene)
        return scene.error();
    ProjectLoad load{std::move(*scene), {}, {}};
    std::vector<Subject>& subjects = load.scene.subjects;
    std::vector<std::optional<Result<ReadSubject>>> read(subjects.size());
    std::atomic<std::size_t> done = 0;
    // Only what this thread reads is told of: how far it is itself, with what others have read meanwhile.
    const auto owner = std::this_thread::get_id();
    const double all = static_cast<double>(std::max<std::size_t>(1, subjects.size()));
    double farthest = 0;
    JobContext told = job;
    told.progress = [&job, &farthest](double fraction, std::string_view phrase) {
        farthest = std::max(farthest, fraction);
        if (job.progress)
            job.progress(farthest, phrase);
    };
    JobContext silent;
    silent.stop = job.stop;
    const auto readOne = [&](std::size_t i) {
        const bool tell = std::this_thread::get_id() == owner;
        const double from = static_cast<double>(done) / all;
        const JobContext own = tell ? told.part(from, from + 1 / all) : silent;
        own.report(0, "reading " + subjects[i].name);
        read[i] = readSubject(subjects[i], path, version, own);
        if (*read[i] && (*read[i])->subject.isMesh() && (*read[i])->subject.mesh().source().mesh &&
            findings == ProjectFindings::Looked)
            (*read[i])->subject.findings = findProblems((*read[i])->subject);
        ++done;
    };
    // Grounds one after the other: of the same heights they keep the same store.
    std::vector<std::vector<std::size_t>> together(1);
    for (std::size_t i = 0; i < subjects.size(); ++i) {
        if (subjects[i].terrain() != nullptr)
            together.front().push_back(i);
        else if (subjects[i].instances() == nullptr)
            together.push_back({i});
    }
    parallelChunks(together.size(), 1, job, [&](std::size_t k, std::size_t) {
        for (const std::size_t i : together[k])
            if (!job.cancelled())
                readOne(i);
    });
    if (job.cancelled())
        return cancelledError();
    for (std::size_t i = 0; i < subjects.size(); ++i) {
        if (!read[i])
            continue;
        if (!*read[i])
            return read[i]->error();
        ReadSubject& one = **read[i];
        load.problems.insert(load.problems.end(), one.problems.begin(), one.problems.end());
        if (one.toCut)
            load.toCut.push_back(one.subject.id);
        subjects[i] = std::move(one.subject);
    }
    for (Subject& subject : subjects)
        if (!subject.isMesh() || !subject.mesh().source().mesh)
            refresh(load.scene, subject);
    return load;
}

} // namespace thicket
