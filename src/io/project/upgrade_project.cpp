// Projects of earlier versions, changed into trees of the present one before they are decoded.

#include "io/project/project_body.h"

#include <fmt/format.h>
#include <map>

namespace thicket {
using json::ordered_json;

namespace {

/// Moves a member to another name or object; nothing where it is not there.
void move(ordered_json& from, const char* name, ordered_json& to, const char* as) {
    if (!from.contains(name))
        return;
    to[as] = std::move(from[name]);
    from.erase(name);
}

/// Levels said what was measured of them side by side, and of drift by other names.
void upgradeLevel(ordered_json& level, const std::string& path) {
    if (!level.is_object())
        throw json::FieldError(path + ": is not an object");
    ordered_json deviation = ordered_json::object();
    move(level, "deviation", deviation, "max");
    for (const char* name : {"promised", "p99", "rms"})
        move(level, name, deviation, name);
    level["deviation"] = std::move(deviation);
    move(level, "posed", level, "posedDeviation");
    move(level, "driftTexels", level, "textureDriftTexels");
    move(level, "driftDegrees", level, "normalDriftDegrees");
}

/// Version 1 knew meshes only, and had placements in one list beside the subjects.
void upgradeFrom1(ordered_json& project) {
    if (!project.contains("subjects") || !project["subjects"].is_array())
        throw json::FieldError("subjects: is not a list");
    std::uint64_t largest = 0;
    std::map<std::uint32_t, std::size_t> byId;
    const auto seen = [&largest](const ordered_json& item) {
        if (item.is_object() && item.contains("id") && item["id"].is_number_unsigned())
            largest = std::max(largest, item["id"].get<std::uint64_t>());
    };
    ordered_json& subjects = project["subjects"];
    for (std::size_t i = 0; i < subjects.size(); ++i) {
        ordered_json& s = subjects[i];
        const std::string path = fmt::format("subjects[{}].", i);
        seen(s);
        byId.try_emplace(json::integer<std::uint32_t>(s, "id", path, 0, ~0U), i);
        for (std::size_t k = 0; k < json::list(s, "levels", path).size(); ++k)
            upgradeLevel(s["levels"][k], fmt::format("{}levels[{}]", path, k));
        s["kind"] = "mesh";
        if (!s.contains("pieces")) // files of the first form have none
            s["pieces"] = {{"count", 1}, {"aggregate", false}};
        if (!s["pieces"].is_object())
            throw json::FieldError(path + "pieces: is not an object");
        ordered_json rules = ordered_json::object();
        move(s["pieces"], "keep", rules, "keepPieces");
        move(s, "reuseVertices", rules, "reuseVertices");
        move(s, "symmetric", rules, "symmetric");
        s["cutRules"] = std::move(rules);
    }
    const ordered_json& placements = json::list(project, "placements", "");
    for (std::size_t i = 0; i < placements.size(); ++i) {
        seen(placements[i]);
        const std::string path = fmt::format("placements[{}].", i);
        const auto found = byId.find(json::integer<std::uint32_t>(placements[i], "subject", path, 0, ~0U));
        if (found == byId.end())
            throw json::FieldError(path + "subject: there is no such subject");
        ordered_json copy = placements[i];
        copy.erase("subject");
        subjects[found->second]["placed"].push_back(std::move(copy));
    }
    project.erase("placements");
    project["nextId"] = largest + 1;
}

} // namespace

void upgradeProject(ordered_json& project, int version) {
    if (version < 2)
        upgradeFrom1(project);
    project["version"] = kProjectVersion;
}

} // namespace thicket
