#include "io/project/project_text.h"

#include "io/json/device_json.h"
#include "io/json/fields.h"
#include "io/project/kept_beside.h"
#include "io/project/project.h"

#include <algorithm>
#include <fmt/format.h>
#include <limits>
#include <numbers>
#include <set>

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
        out[kRoles[i].key] = {{"levels", r.levels}, {"share", r.share},   {"allowPx", r.allowPx},
                              {"cards", r.cards},   {"spread", r.spread}, {"unseen", r.unseen}};
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
                       json::number(one, "allowPx", at, 0.05, 64),  json::integer<int>(one, "cards", at, 0, 4),
                       json::flag(one, "spread", at, false), // projects of before knew only shares
                       json::flag(one, "unseen", at, true)};
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
    like.pixelsADegree = json::number(in, "pixelsADegree", path, 0, kMostPixelsADegree, 0);
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

} // namespace

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
                       {"pixelsADegree", v.pixelsADegree},
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

std::string encodeProject(const Scene& scene, const fs::path& folder) {
    return encodeProject(scene, folder, nullptr);
}

std::string encodeRoleRules(const RoleRules& rules) {
    return json::text(encodeRoles(rules), -1);
}

Result<RoleRules> decodeRoleRules(const std::string& text) {
    return json::decoded("roles", "set them again", [&] { return decodeRoles(json::parse(text), ""); });
}

Result<ProjectText> decodeProject(const std::string& text, const fs::path& folder, const std::string& where,
                                  const BesideReader& beside) {
    return json::decoded(where, kMendProject, [&] {
        ordered_json tree = json::parse(text);
        const int version = versionOf(tree);
        return ProjectText{decode(std::move(tree), folder, beside), version};
    });
}

Result<Scene> decodeProject(const std::string& text, const fs::path& folder, const std::string& where,
                            const fs::path& beside) {
    auto decoded = decodeProject(text, folder, where, readerBeside(beside));
    if (!decoded)
        return decoded.error();
    return std::move(decoded->scene);
}

} // namespace thicket
