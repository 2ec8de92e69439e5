#include "io/project.h"

#include "base/file.h"
#include "io/json_fields.h"
#include "io/write_glb.h"
#include "scene/thin_subject.h"

#include <algorithm>
#include <fmt/format.h>
#include <numbers>
#include <set>

namespace thicket {
namespace fs = std::filesystem;
using json::ordered_json;

namespace {

constexpr int kVersion = 1;
constexpr double kDegrees = std::numbers::pi / 180;

ordered_json encodeLevel(const Level& level) {
    ordered_json out{{"origin", originKey(level.origin)},
                     {"triangles", level.triangles},
                     {"vertices", level.vertices},
                     {"draws", level.draws},
                     {"deviation", level.deviation},
                     {"promised", level.promised},
                     {"p99", level.p99},
                     {"rms", level.rms},
                     {"locked", level.locked}};
    if (level.origin != LevelOrigin::Source)
        out["content"] = level.content;
    if (level.surfaces)
        out["ownSurfaces"] = true;
    if (level.views.across > 0)
        out["views"] = json::encode(level.views);
    if (const MaterialChoice& m = level.materials; m.any())
        out["materials"] = {{"halvings", m.halvings},     {"dropNormals", m.dropNormals},
                            {"dropDetail", m.dropDetail}, {"opaque", m.opaque},
                            {"merge", m.merge},           {"mergedSide", m.mergedSide}};
    if (!level.materials.swaps.empty())
        out["materials"]["swaps"] = level.materials.swaps;
    if (level.pieces > 0)
        out["pieces"] = level.pieces;
    if (level.posed > 0)
        out["posed"] = level.posed;
    if (level.driftTexels)
        out["driftTexels"] = *level.driftTexels;
    if (level.driftDegrees)
        out["driftDegrees"] = *level.driftDegrees;
    if (level.fixed)
        out["fixed"] = json::encode(*level.fixed);
    return out;
}

Level decodeLevel(const ordered_json& in, const std::string& path) {
    Level level;
    const auto origin = json::get<std::string>(in, "origin", path);
    if (!originFromKey(origin))
        throw json::FieldError(path + "origin: \"" + origin +
                               "\" is not source, collapsed, rebuilt, cards, impostor or hand-made");
    level.origin = *originFromKey(origin);
    level.content = json::get<std::string>(in, "content", path, "");
    level.pieces = json::get<std::uint32_t>(in, "pieces", path, 0U);
    if (json::get<bool>(in, "ownSurfaces", path, false))
        level.surfaces = std::make_shared<const Surfaces>(); // filled from the file beside the project
    if (in.contains("views"))
        level.views = json::decodeViews(json::get<ordered_json>(in, "views", path), path + "views.");
    if (in.contains("materials")) {
        const auto m = json::get<ordered_json>(in, "materials", path);
        const std::string at = path + "materials.";
        level.materials.halvings = static_cast<int>(json::number(m, "halvings", at, 0, 6));
        level.materials.dropNormals = json::get<bool>(m, "dropNormals", at, false);
        level.materials.dropDetail = json::get<bool>(m, "dropDetail", at, false);
        level.materials.opaque = json::get<bool>(m, "opaque", at, false);
        level.materials.merge = json::get<bool>(m, "merge", at, false);
        level.materials.swaps = json::get<std::vector<std::pair<std::uint32_t, std::uint32_t>>>(m, "swaps", at, {});
        level.materials.mergedSide = static_cast<int>(json::number(m, "mergedSide", at, 16, 8192));
    }
    level.triangles = static_cast<std::uint32_t>(json::number(in, "triangles", path, 1, 4e9));
    level.vertices = static_cast<std::uint32_t>(json::number(in, "vertices", path, 0, 4e9));
    level.draws = static_cast<std::uint32_t>(json::number(in, "draws", path, 0, 1e6));
    level.deviation = json::number(in, "deviation", path, 0, 1e12);
    level.promised = json::number(in, "promised", path, 0, 1e12);
    level.p99 = json::number(in, "p99", path, 0, 1e12);
    level.rms = json::number(in, "rms", path, 0, 1e12);
    if (in.contains("posed"))
        level.posed = json::number(in, "posed", path, 0, 1e12);
    if (in.contains("driftTexels"))
        level.driftTexels = json::number(in, "driftTexels", path, 0, 1e12);
    if (in.contains("driftDegrees"))
        level.driftDegrees = json::number(in, "driftDegrees", path, 0, 180);
    level.locked = json::get<bool>(in, "locked", path, false);
    if (in.contains("fixed"))
        level.fixed = json::decodeFixed(in["fixed"], path + "fixed.");
    return level;
}

fs::path relativeTo(const fs::path& file, const fs::path& folder) {
    const fs::path relative = file.lexically_relative(fs::absolute(folder).lexically_normal());
    return relative.empty() ? file : relative;
}

ordered_json encodeSubject(const Subject& s, const fs::path& folder) {
    ordered_json out{
        {"id", s.id},
        {"name", s.name},
        {"role", roleKey(s.role)},
        {"source", {{"path", relativeTo(s.source.path, folder).generic_string()}, {"hash", s.source.hash}}},
        {"rule", json::encode(s.rule)},
        {"bounds", {{"low", json::array3(s.bounds.low)}, {"high", json::array3(s.bounds.high)}, {"radius", s.radius}}}};
    if (!s.source.family.empty())
        out["source"]["family"] = s.source.family;
    out["levels"] = ordered_json::array();
    for (const Level& level : s.levels)
        out["levels"].push_back(encodeLevel(level));
    out["pieces"] = {{"count", s.pieces}, {"aggregate", s.aggregate}, {"keep", s.cutRules.keepPieces}};
    if (s.cutRules.reuseVertices)
        out["reuseVertices"] = true;
    if (s.cutRules.symmetric)
        out["symmetric"] = true;
    if (s.care)
        out["care"] = json::encode(*s.care);
    if (careIsNewer(s)) // of the care that levels were cut with, only whether it is this one matters
        out["careIsNewer"] = true;
    out["curve"] = {{"triangles", s.curve.triangles}, {"deviation", s.curve.deviation}};
    if (!s.curve.careful.empty())
        out["curve"]["careful"] = s.curve.careful;
    return out;
}

Subject decodeSubject(const ordered_json& in, const fs::path& folder, const std::string& path) {
    Subject s;
    s.id = json::get<std::uint32_t>(in, "id", path);
    s.name = json::get<std::string>(in, "name", path);
    const auto role = json::get<std::string>(in, "role", path);
    if (!roleFromKey(role))
        throw json::FieldError(path + "role: \"" + role + "\" is not a known role");
    s.role = *roleFromKey(role);
    const auto source = json::get<ordered_json>(in, "source", path);
    s.source.path = (folder / json::get<std::string>(source, "path", path + "source.")).lexically_normal();
    s.source.hash = json::get<std::string>(source, "hash", path + "source.");
    s.source.family = json::get<std::string>(source, "family", path + "source.", "");
    s.rule = json::decodeRule(json::get<ordered_json>(in, "rule", path), path + "rule.");
    const auto bounds = json::get<ordered_json>(in, "bounds", path);
    s.bounds = {json::vector3(bounds, "low", path + "bounds."), json::vector3(bounds, "high", path + "bounds.")};
    s.radius = json::number(bounds, "radius", path + "bounds.", 0, 1e12);
    const auto levels = json::get<ordered_json>(in, "levels", path);
    for (std::size_t i = 0; i < levels.size(); ++i)
        s.levels.push_back(decodeLevel(levels[i], fmt::format("{}levels[{}].", path, i)));
    if (s.levels.empty() || s.levels.front().origin != LevelOrigin::Source)
        throw json::FieldError(path + "levels: the first must be the source");
    if (in.contains("pieces")) { // files of the first form have none
        const auto pieces = json::get<ordered_json>(in, "pieces", path);
        s.pieces = json::get<std::uint32_t>(pieces, "count", path + "pieces.");
        s.aggregate = json::get<bool>(pieces, "aggregate", path + "pieces.");
        s.cutRules.keepPieces = json::get<bool>(pieces, "keep", path + "pieces.");
    }
    s.cutRules.reuseVertices = json::get<bool>(in, "reuseVertices", path, false);
    s.cutRules.symmetric = json::get<bool>(in, "symmetric", path, false);
    const auto curve = json::get<ordered_json>(in, "curve", path);
    s.curve.triangles = json::get<std::vector<std::uint32_t>>(curve, "triangles", path + "curve.");
    s.curve.deviation = json::get<std::vector<double>>(curve, "deviation", path + "curve.");
    s.curve.careful = json::get<std::vector<double>>(curve, "careful", path + "curve.", {});
    if (in.contains("care"))
        s.care = std::make_shared<const Care>(json::decodeCare(json::get<ordered_json>(in, "care", path), path));
    s.careCut = json::get<bool>(in, "careIsNewer", path, false) ? std::make_shared<const Care>() : s.care;
    if (s.curve.triangles.size() != s.curve.deviation.size() ||
        (!s.curve.careful.empty() && s.curve.careful.size() != s.curve.triangles.size()))
        throw json::FieldError(path + "curve: triangles and deviation differ in length");
    return s;
}

ordered_json encodeDevice(const Device& d) {
    return {{"name", d.name},
            {"frameMs", d.frameMs},
            {"frameRate", d.frameRate},
            {"triangleBudget", d.triangleBudget},
            {"drawBudget", d.drawBudget},
            {"nsPerTriangle", d.nsPerTriangle},
            {"nsPerVertex", d.nsPerVertex},
            {"usPerDraw", d.usPerDraw},
            {"nsPerPixel", d.nsPerPixel},
            {"overdraw", d.overdraw},
            {"baseMs", d.baseMs},
            {"detail", d.detail},
            {"source", d.source}};
}

Device decodeDevice(const ordered_json& in, const std::string& path) {
    Device d;
    d.name = json::get<std::string>(in, "name", path);
    d.frameMs = json::number(in, "frameMs", path, 0.01, 10000);
    d.frameRate = json::number(in, "frameRate", path, 1, 1000);
    d.triangleBudget = static_cast<std::uint64_t>(json::number(in, "triangleBudget", path, 1, 1e15));
    d.drawBudget = static_cast<std::uint64_t>(json::number(in, "drawBudget", path, 1, 1e12));
    d.nsPerTriangle = json::number(in, "nsPerTriangle", path, 0, 1e6);
    d.nsPerVertex = json::number(in, "nsPerVertex", path, 0, 1e6);
    d.usPerDraw = json::number(in, "usPerDraw", path, 0, 1e6);
    d.nsPerPixel = json::number(in, "nsPerPixel", path, 0, 1e6);
    d.overdraw = json::number(in, "overdraw", path, 0, 1000);
    d.baseMs = json::number(in, "baseMs", path, 0, 10000);
    d.detail = json::number(in, "detail", path, 0.01, 100, 1);
    d.source = json::get<std::string>(in, "source", path, "entered");
    return d;
}

ordered_json encodeRoute(const Route& r) {
    ordered_json keys = ordered_json::array();
    for (const RouteKey& k : r.keys)
        keys.push_back({{"seconds", k.seconds}, {"eye", json::array3(k.eye)}, {"target", json::array3(k.target)}});
    return {{"name", r.name}, {"keys", keys}};
}

Route decodeRoute(const ordered_json& in, const std::string& path) {
    Route r;
    r.name = json::get<std::string>(in, "name", path);
    const auto keys = json::get<ordered_json>(in, "keys", path);
    for (std::size_t i = 0; i < keys.size(); ++i) {
        const std::string at = fmt::format("{}keys[{}].", path, i);
        r.keys.push_back({json::number(keys[i], "seconds", at, 0, 1e6), json::vector3(keys[i], "eye", at),
                          json::vector3(keys[i], "target", at)});
        if (i > 0 && r.keys[i].seconds <= r.keys[i - 1].seconds)
            throw json::FieldError(at + "seconds: is not later than the key before");
    }
    return r;
}

ordered_json encodeRoles(const RoleRules& rules) {
    ordered_json out = ordered_json::object();
    for (const Role role : kRoles) {
        const RoleRule& r = rules.of[static_cast<std::size_t>(role)];
        out[roleKey(role)] = {{"levels", r.levels}, {"share", r.share}, {"allowPx", r.allowPx}, {"cards", r.cards}};
    }
    return out;
}

RoleRules decodeRoles(const ordered_json& in, const std::string& path) {
    RoleRules rules;
    for (const Role role : kRoles) {
        if (!in.contains(roleKey(role)))
            continue;
        const ordered_json& one = in[roleKey(role)];
        const std::string at = path + roleKey(role) + ".";
        rules.of[static_cast<std::size_t>(role)] = {
            static_cast<int>(json::number(one, "levels", at, 1, 7)), json::number(one, "share", at, 0.02, 0.9),
            json::number(one, "allowPx", at, 0.05, 64), static_cast<int>(json::number(one, "cards", at, 0, 4))};
    }
    return rules;
}

Scene decode(const ordered_json& in, const fs::path& folder) {
    if (!in.is_object() || json::get<std::string>(in, "format", "", "") != "lean-thicket-project")
        throw json::FieldError("format: this is not a Lean Thicket project");
    const int version = json::get<int>(in, "version", "");
    if (version < 1 || version > kVersion)
        throw json::FieldError(fmt::format("version: {} was made by a newer program", version));
    Scene scene;
    scene.name = json::get<std::string>(in, "name", "");
    const auto view = json::get<ordered_json>(in, "view", "");
    View like;
    like.fovY = json::number(view, "fovDegrees", "view.", 1, 170) * kDegrees;
    like.lines = static_cast<int>(json::number(view, "lines", "view.", 16, 16384));
    like.aspect = json::number(view, "aspect", "view.", 0.1, 10);
    like.nearMetres = json::number(view, "nearMetres", "view.", 1e-6, 1e6, like.nearMetres);
    like.farMetres = json::number(view, "farMetres", "view.", 1e-3, 1e9, like.farMetres);
    like.detail = json::number(view, "detail", "view.", 0.01, 100, 1);
    scene.view = lookAt(like, json::vector3(view, "eye", "view."), json::vector3(view, "target", "view."));
    const auto list = [&in](const char* name, const auto& decodeOne) {
        const auto items = json::get<ordered_json>(in, name, "");
        if (!items.is_array())
            throw json::FieldError(std::string(name) + ": is not a list");
        for (std::size_t i = 0; i < items.size(); ++i)
            decodeOne(items[i], fmt::format("{}[{}].", name, i));
    };
    list("devices",
         [&](const ordered_json& item, const std::string& at) { scene.devices.push_back(decodeDevice(item, at)); });
    scene.device = json::get<std::size_t>(in, "device", "", 0);
    if (in.contains("roles"))
        scene.roles = decodeRoles(json::get<ordered_json>(in, "roles", ""), "roles.");
    scene.halfSpeed = json::number(in, "halfSpeed", "", 0, 1e6, 0);
    scene.cullHidden = json::get<bool>(in, "cullHidden", "", true);
    if (in.contains("ownViews"))
        list("ownViews", [&](const ordered_json& item, const std::string& at) {
            scene.ownViews.push_back({json::get<std::string>(item, "name", at),
                                      json::number(item, "fovDegrees", at, 1, 170),
                                      static_cast<int>(json::number(item, "lines", at, 16, 16384))});
        });
    list("subjects", [&](const ordered_json& item, const std::string& at) {
        scene.subjects.push_back(decodeSubject(item, folder, at));
        for (std::size_t i = 0; i + 1 < scene.subjects.size(); ++i)
            if (scene.subjects[i].id == scene.subjects.back().id)
                throw json::FieldError(at + "id: is used twice");
    });
    list("placements", [&](const ordered_json& item, const std::string& at) {
        Placement p;
        p.id = json::get<std::uint32_t>(item, "id", at);
        p.subject = json::get<std::uint32_t>(item, "subject", at);
        if (scene.find(p.subject) == nullptr)
            throw json::FieldError(at + "subject: there is no such subject");
        p.position = json::vector3(item, "position", at);
        const auto q = json::get<std::vector<double>>(item, "rotation", at);
        if (q.size() != 4)
            throw json::FieldError(at + "rotation: needs four numbers (x y z w)");
        p.rotation = Quatd(q[3], q[0], q[1], q[2]);
        if (!(p.rotation.norm() > 1e-6))
            throw json::FieldError(at + "rotation: is zero");
        p.rotation.normalize();
        p.scale = json::number(item, "scale", at, 1e-6, 1e6);
        p.importance = json::number(item, "importance", at, 0.01, 100, 1);
        scene.placements.push_back(p);
    });
    list("routes",
         [&](const ordered_json& item, const std::string& at) { scene.routes.push_back(decodeRoute(item, at)); });
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
    for (const Subject& subject : scene.subjects)
        for (const Level& level : subject.levels) {
            if (!which(level) || level.content.empty() || !level.mesh)
                continue;
            const fs::path file = keptFile(project, level);
            if (std::error_code ec; fs::exists(file, ec))
                continue;
            Surfaces surfaces;
            surfaces.materials.resize(subject.surfaces ? subject.surfaces->materials.size() : 1);
            if (level.surfaces)
                surfaces = *level.surfaces;
            if (auto done = writeFile(
                    file, encodeGlb("level", {level.mesh}, surfaces, GlbLevels::Named, {}, subject.rig.get()));
                !done)
                return done;
        }
    return {};
}

/// Removes kept levels that no level of the scene is any more.
void dropOldLevels(const Scene& scene, const fs::path& project) {
    std::set<fs::path> wanted;
    for (const Subject& subject : scene.subjects)
        for (const Level& level : subject.levels)
            if (keptBeside(level))
                wanted.insert(keptFile(project, level).filename());
    std::error_code ec;
    for (const auto& entry : fs::directory_iterator(levelsFolder(project), ec))
        if (entry.path().extension() == ".glb" && !wanted.contains(entry.path().filename()))
            fs::remove(entry.path(), ec);
}

/// Takes levels from beside the project, where they are whole and of the right counts; not those cut from a source that
/// is another one now.
void takeKeptLevels(Subject& subject, const fs::path& project, bool sourceChanged, const JobContext& job) {
    for (Level& level : subject.levels) {
        if (!keptBeside(level) || level.mesh || (sourceChanged && level.origin == LevelOrigin::Collapsed))
            continue;
        const fs::path file = keptFile(project, level);
        std::error_code ec;
        if (!level.content.empty() && fs::exists(file, ec))
            if (auto kept = readModel(file, job);
                kept && kept->size() == 1 && kept->front().levels.front().mesh.triangleCount() == level.triangles) {
                level.mesh = std::make_shared<const Mesh>(std::move(kept->front().levels.front().mesh));
                if (level.surfaces)
                    level.surfaces = std::make_shared<const Surfaces>(std::move(kept->front().surfaces));
            }
    }
}

} // namespace

fs::path levelsFolder(const fs::path& project) {
    std::string stem = project.filename().string();
    if (const auto at = stem.find(kProjectSuffix); at != std::string::npos)
        stem.erase(at);
    return project.parent_path() / (stem + ".levels");
}

std::string encodeProject(const Scene& scene, const fs::path& folder) {
    const View& v = scene.view;
    ordered_json out{{"format", "lean-thicket-project"},
                     {"version", kVersion},
                     {"name", scene.name},
                     {"view",
                      {{"fovDegrees", v.fovY / kDegrees},
                       {"lines", v.lines},
                       {"aspect", v.aspect},
                       {"nearMetres", v.nearMetres},
                       {"farMetres", v.farMetres},
                       {"detail", v.detail},
                       {"eye", json::array3(v.eye)},
                       {"target", json::array3(v.eye + v.forward)}}},
                     {"device", scene.device}};
    if (scene.roles != RoleRules())
        out["roles"] = encodeRoles(scene.roles);
    out["halfSpeed"] = scene.halfSpeed;
    out["cullHidden"] = scene.cullHidden;
    for (const NamedView& own : scene.ownViews)
        out["ownViews"].push_back({{"name", own.name}, {"fovDegrees", own.fovDegrees}, {"lines", own.lines}});
    for (const char* list : {"devices", "subjects", "placements", "routes"})
        out[list] = ordered_json::array();
    for (const Device& d : scene.devices)
        out["devices"].push_back(encodeDevice(d));
    for (const Subject& s : scene.subjects)
        out["subjects"].push_back(encodeSubject(s, folder));
    for (const Placement& p : scene.placements)
        out["placements"].push_back({{"id", p.id},
                                     {"subject", p.subject},
                                     {"position", json::array3(p.position)},
                                     {"rotation", {p.rotation.x(), p.rotation.y(), p.rotation.z(), p.rotation.w()}},
                                     {"scale", p.scale},
                                     {"importance", p.importance}});
    for (const Route& r : scene.routes)
        out["routes"].push_back(encodeRoute(r));
    return json::text(out, 2) + "\n";
}

std::string encodeRoleRules(const RoleRules& rules) {
    return json::text(encodeRoles(rules), -1);
}

Result<RoleRules> decodeRoleRules(const std::string& text) {
    try {
        return decodeRoles(ordered_json::parse(text), "");
    } catch (const std::exception& e) {
        return Error{ErrorCode::BadInput, "roles", e.what(), "set them again"};
    }
}

Result<void> writeProject(const Scene& scene, const fs::path& path, bool keepLevels) {
    // The levels first and the clearing up last: whatever fails on the way, what was saved before stays whole.
    if (keepLevels)
        if (auto done = keepLevelsOf(scene, path, keptBeside); !done)
            return done;
    if (auto done = writeTextFile(path, encodeProject(scene, path.parent_path())); !done)
        return done;
    if (keepLevels)
        dropOldLevels(scene, path);
    return {};
}

Result<void> writeAutosave(const Scene& scene, const fs::path& file) {
    const auto irreplaceable = [](const Level& level) {
        return keptBeside(level) && level.origin != LevelOrigin::Collapsed;
    };
    if (auto done = keepLevelsOf(scene, file, irreplaceable); !done)
        return done;
    return writeTextFile(file, encodeProject(scene, file.parent_path()));
}

Result<Scene> decodeProject(const std::string& text, const fs::path& folder, const std::string& where) {
    const auto bad = [&where](const std::string& what) {
        return Error{ErrorCode::BadInput, where, what, "mend the field or take an older copy of the project"};
    };
    try {
        return decode(ordered_json::parse(text), folder);
    } catch (const json::FieldError& e) {
        return bad(e.what());
    } catch (const nlohmann::json::parse_error& e) {
        return bad(fmt::format("is not whole JSON (byte {})", e.byte));
    } catch (const nlohmann::json::exception&) {
        return bad("has a field of the wrong kind");
    }
}

Result<Subject> attachSource(const Subject& subject, const fs::path& file, const JobContext& job) {
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
    const bool same = found->source.hash == subject.source.hash;
    out.source = found->source;
    out.surfaces = std::make_shared<const Surfaces>(std::move(found->surfaces));
    out.rig = found->rig.empty() ? nullptr : std::make_shared<const Rig>(std::move(found->rig));
    out.levels.front().mesh = std::make_shared<const Mesh>(std::move(found->levels.front().mesh));
    for (std::size_t i = 1; i < out.levels.size(); ++i) {
        Level& level = out.levels[i];
        if (level.origin == LevelOrigin::Collapsed && !same)
            level.mesh.reset();
        if (level.origin == LevelOrigin::HandMade && !level.surfaces)
            for (ImportedLevel& own : found->levels)
                if (own.mesh.triangleCount() == level.triangles)
                    level.mesh = std::make_shared<const Mesh>(own.mesh);
    }
    std::erase_if(out.levels, [](const Level& level) {
        return level.origin == LevelOrigin::HandMade && !level.mesh && !level.surfaces;
    });
    refreshSubject(out);
    if (!same)
        out.curve = {};
    out.findings = findMeshProblems(*out.levels.front().mesh);
    const auto chain = findChainProblems(out);
    out.findings.insert(out.findings.end(), chain.begin(), chain.end());
    return out;
}

Result<ProjectLoad> readProject(const fs::path& path, const JobContext& job) {
    auto text = readTextFile(path);
    if (!text)
        return text.error();
    auto scene = decodeProject(*text, fs::absolute(path).parent_path(), path.string());
    if (!scene)
        return scene.error();
    ProjectLoad load{std::move(*scene), {}, {}};
    for (std::size_t i = 0; i < load.scene.subjects.size(); ++i) {
        Subject& subject = load.scene.subjects[i];
        const double n = static_cast<double>(load.scene.subjects.size());
        job.report(static_cast<double>(i) / n, "reading " + subject.name);
        const std::string hash = subject.source.hash;
        auto attached = attachSource(subject, subject.source.path,
                                     job.part(static_cast<double>(i) / n, static_cast<double>(i + 1) / n));
        if (!attached) {
            if (attached.error().code == ErrorCode::Cancelled)
                return attached.error();
            Error problem = attached.error();
            problem.where = subject.name + " (" + subject.source.path.string() + ")";
            problem.remedy = "point to the file again in Gather";
            load.problems.push_back(problem);
            continue;
        }
        subject = std::move(*attached);
        if (subject.source.hash != hash)
            load.problems.push_back({ErrorCode::BadInput, subject.name,
                                     "the source file has changed since the project was saved",
                                     "thin it again to bring its levels up to date"});
        takeKeptLevels(subject, path, subject.source.hash != hash, job);
        if (std::erase_if(subject.levels, [](const Level& l) {
                return !l.mesh && l.origin != LevelOrigin::Collapsed && l.origin != LevelOrigin::Source;
            }) > 0)
            load.problems.push_back({ErrorCode::NotFound, subject.name,
                                     "a level that was not cut is missing from the folder of levels beside the project",
                                     "add it again"});
        bool cut = false;
        for (Level& level : subject.levels)
            if (level.origin == LevelOrigin::Collapsed && !level.mesh) {
                cut = true;
                level.surfaces.reset();
            }
        if (cut)
            load.toCut.push_back(subject.id);
        if (job.cancelled())
            return cancelledError();
    }
    return load;
}

} // namespace thicket
