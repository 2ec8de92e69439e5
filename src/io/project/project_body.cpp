#include "io/project/project_body.h"

#include "base/file.h"
#include "io/json/care_json.h"
#include "io/json/emitter_json.h"
#include "io/json/field_json.h"
#include "io/json/level_json.h"
#include "io/json/strand_json.h"
#include "io/json/switching_json.h"
#include "io/json/terrain_json.h"
#include "io/project/placements_file.h"
#include "io/project/strands_file.h"
#include "scene/kinds.h"

#include <fmt/format.h>
#include <limits>

namespace thicket {
namespace fs = std::filesystem;
using json::ordered_json;

namespace {

constexpr std::uint32_t kLargestSubject = std::numeric_limits<std::uint32_t>::max() - 1;

ordered_json encode(const Placement& p) {
    ordered_json out{{"id", p.id},
                     {"position", json::array3(p.position)},
                     {"rotation", {p.rotation.x(), p.rotation.y(), p.rotation.z(), p.rotation.w()}},
                     {"scale", p.scale},
                     {"importance", p.importance}};
    if (p.asset != 0)
        out["asset"] = p.asset;
    return out;
}

Placement decodePlacement(const ordered_json& in, const std::string& path) {
    Placement p;
    p.id = json::integer<std::uint32_t>(in, "id", path, 0, kLargestSubject);
    p.asset = json::integer<std::uint32_t>(in, "asset", path, 0, kLargestSubject, 0);
    p.position = json::vector3(in, "position", path);
    const auto q = json::numbers(in, "rotation", path);
    if (q.size() != 4)
        throw json::FieldError(path + "rotation: needs four numbers (x y z w)");
    p.rotation = Quatd(q[3], q[0], q[1], q[2]);
    if (!(p.rotation.norm() > 1e-6) || !(p.rotation.norm() < 1e6))
        throw json::FieldError(path + "rotation: is zero");
    if (p.rotation.norm() != 1)
        p.rotation.normalize();
    p.scale = json::number(in, "scale", path, 1e-6, 1e6);
    p.importance = json::number(in, "importance", path, 0.01, 100, 1);
    return p;
}

ordered_json encode(const Placements& placements, BesideFiles* files) {
    if (placements.size() > kMostInText) {
        std::vector<std::byte> bytes = encodePlacements(placements);
        const std::string hash = contentHash(bytes);
        if (files != nullptr)
            files->try_emplace(hash + kPlacementsSuffix, std::move(bytes));
        return {{"count", placements.size()}, {"content", hash}};
    }
    ordered_json out = ordered_json::array();
    for (const Placement& p : placements)
        out.push_back(encode(p));
    return out;
}

SharedPlacements decodePlacements(const ordered_json& in, const char* name, const std::string& path,
                                  const BesideReader& beside) {
    const ordered_json& value = json::member(in, name, path);
    if (value.is_object()) {
        const std::string at = path + name + ".";
        const auto count = json::integer<std::uint32_t>(value, "count", at, 0, kMostPlacements);
        const std::string hash = json::hash(value, "content", at);
        auto read = beside.placements(hash);
        if (!read)
            throw json::FieldError(at + "content: " + read.error().text());
        if ((*read)->size() != count)
            throw json::FieldError(fmt::format("{}count: is {}, but the file holds {}", at, count, (*read)->size()));
        return *read;
    }
    const ordered_json& items = json::list(in, name, path);
    Placements out;
    for (std::size_t i = 0; i < items.size(); ++i)
        out.push_back(decodePlacement(items[i], fmt::format("{}{}[{}].", path, name, i)));
    return std::make_shared<const Placements>(std::move(out));
}

ordered_json encodeLevel(const Level& level) {
    ordered_json out = json::encode(level);
    if (level.origin != LevelOrigin::Source)
        out["content"] = level.content;
    if (level.surfaces)
        out["ownSurfaces"] = true;
    return out;
}

Level decodeLevel(const ordered_json& in, const std::string& path) {
    Level level = json::decodeLevel(in, path);
    level.content = json::hash(in, "content", path);
    if (json::flag(in, "ownSurfaces", path, false))
        level.surfaces = std::make_shared<const Surfaces>(); // filled from the file beside the project
    return level;
}

// ---- a page a kind

void encodeBody(const Subject& s, const MeshBody& body, const fs::path& folder, BesideFiles* files, ordered_json& out) {
    out["source"] = {{"path", relativeTo(s.source.path, folder).generic_string()}, {"hash", s.source.hash}};
    if (!s.source.family.empty())
        out["source"]["family"] = s.source.family;
    if (s.source.apart)
        out["source"]["apart"] = true;
    out["levels"] = ordered_json::array();
    for (const Level& level : body.levels)
        out["levels"].push_back(encodeLevel(level));
    out["pieces"] = {{"count", body.pieces}, {"aggregate", body.aggregate}};
    const CutRules& rules = body.cutRules;
    out["cutRules"] = {
        {"keepPieces", rules.keepPieces}, {"reuseVertices", rules.reuseVertices}, {"symmetric", rules.symmetric}};
    if (body.care)
        out["care"] = json::encode(*body.care);
    if (careIsNewer(s)) // of the care that levels were cut with, only whether it is this one matters
        out["careIsNewer"] = true;
    out["curve"] = {{"triangles", body.curve.triangles}, {"deviation", body.curve.deviation}};
    if (!body.curve.visible.empty())
        out["curve"]["visible"] = body.curve.visible;
    if (!body.curve.careful.empty())
        out["curve"]["careful"] = body.curve.careful;
    for (const Mend& mend : body.mends) {
        ordered_json one{{"kind", keyOf(mend.kind)}};
        if (mendRange(mend.kind).second > 0)
            one["value"] = mend.value;
        out["mends"].push_back(std::move(one));
    }
    if (body.placed && !body.placed->empty())
        out["placed"] = encode(*body.placed, files);
}

DeviationCurve decodeCurve(const ordered_json& in, const std::string& path) {
    DeviationCurve curve;
    for (const double count : json::numbers(in, "triangles", path)) {
        if (!(count >= 0 && count <= 4e9 && count == std::floor(count)))
            throw json::FieldError(fmt::format("{}triangles: {} is not a count of triangles", path, count));
        curve.triangles.push_back(static_cast<std::uint32_t>(count));
    }
    curve.deviation = json::numbers(in, "deviation", path);
    if (in.contains("careful"))
        curve.careful = json::numbers(in, "careful", path);
    if (in.contains("visible"))
        curve.visible = json::numbers(in, "visible", path);
    if (curve.triangles.size() != curve.deviation.size() ||
        (!curve.careful.empty() && curve.careful.size() != curve.triangles.size()) ||
        (!curve.visible.empty() && curve.visible.size() != curve.triangles.size()))
        throw json::FieldError(path.substr(0, path.size() - 1) + ": triangles and deviation differ in length");
    for (std::size_t i = 1; i < curve.triangles.size(); ++i)
        if (curve.triangles[i] >= curve.triangles[i - 1])
            throw json::FieldError(path + "triangles: do not fall");
    return curve;
}

std::vector<Mend> decodeMends(const ordered_json& in, const std::string& path) {
    constexpr std::size_t kMost = 256;
    const ordered_json& mends = json::list(in, "mends", path);
    if (mends.size() > kMost)
        throw json::FieldError(path + "mends: there are at most 256");
    std::vector<Mend> out;
    for (std::size_t i = 0; i < mends.size(); ++i) {
        const std::string at = fmt::format("{}mends[{}].", path, i);
        Mend mend;
        mend.kind = json::choice<MendKind>(mends[i], "kind", at);
        if (const auto [low, high] = mendRange(mend.kind); high > 0)
            mend.value = json::number(mends[i], "value", at, low, high);
        if (mend.kind == MendKind::Upright && mend.value != std::floor(mend.value))
            throw json::FieldError(at + "value: is no axis that is up");
        out.push_back(mend);
    }
    return out;
}

MeshBody decodeMesh(const ordered_json& in, const fs::path& folder, const std::string& path, const BesideReader& beside,
                    SourceFile& file) {
    MeshBody body;
    const ordered_json& source = json::object(in, "source", path);
    file.path = (folder / json::string(source, "path", path + "source.")).lexically_normal();
    file.hash = json::string(source, "hash", path + "source.");
    file.family = json::string(source, "family", path + "source.", "");
    file.apart = json::flag(source, "apart", path + "source.", false);
    const ordered_json& levels = json::list(in, "levels", path);
    for (std::size_t i = 0; i < levels.size(); ++i)
        body.levels.push_back(decodeLevel(levels[i], fmt::format("{}levels[{}].", path, i)));
    constexpr std::size_t kMostLevels = 64;
    if (body.levels.empty() || body.levels.size() > kMostLevels || body.source().origin != LevelOrigin::Source)
        throw json::FieldError(path + "levels: the first must be the source, and there are at most 64");
    const ordered_json& pieces = json::object(in, "pieces", path);
    body.pieces = json::integer<std::uint32_t>(pieces, "count", path + "pieces.", 0, kLargestSubject);
    body.aggregate = json::flag(pieces, "aggregate", path + "pieces.", false);
    if (in.contains("cutRules")) {
        const ordered_json& rules = json::object(in, "cutRules", path);
        body.cutRules = {json::flag(rules, "keepPieces", path + "cutRules.", false),
                         json::flag(rules, "reuseVertices", path + "cutRules.", false),
                         json::flag(rules, "symmetric", path + "cutRules.", false)};
    }
    body.curve = decodeCurve(json::object(in, "curve", path), path + "curve.");
    if (in.contains("care"))
        body.care = std::make_shared<const Care>(json::decodeCare(json::list(in, "care", path), path));
    body.careCut = json::flag(in, "careIsNewer", path, false) ? std::make_shared<const Care>() : body.care;
    if (in.contains("placed"))
        body.placed = decodePlacements(in, "placed", path, beside);
    if (in.contains("mends"))
        body.mends = decodeMends(in, path);
    return body;
}

using FixedSwitches = std::vector<std::optional<FixedSwitch>>;

void encodeSwitches(const FixedSwitches& switches, ordered_json& out) {
    if (std::none_of(switches.begin(), switches.end(), [](const auto& f) { return f.has_value(); }))
        return;
    out["switches"] = ordered_json::array();
    for (const auto& fixed : switches)
        out["switches"].push_back(fixed ? json::encode(*fixed) : ordered_json());
}

FixedSwitches decodeSwitches(const ordered_json& in, const std::string& path) {
    FixedSwitches out;
    if (!in.contains("switches"))
        return out;
    constexpr std::size_t kMostLevels = 64;
    const ordered_json& switches = json::list(in, "switches", path);
    if (switches.size() > kMostLevels)
        throw json::FieldError(path + "switches: there are at most 64");
    for (std::size_t i = 0; i < switches.size(); ++i)
        out.push_back(switches[i].is_null()
                          ? std::nullopt
                          : std::optional(json::decodeFixed(switches[i], fmt::format("{}switches[{}].", path, i))));
    return out;
}

void encodeBody(const Subject& s, const InstancesBody& body, const fs::path& folder, BesideFiles* files,
                ordered_json& out) {
    out["assets"] = body.assets;
    out["copies"] = encode(*body.copies, files);
    if (body.thinning != Thinning())
        out["thinning"] = json::encode(body.thinning);
    encodeSwitches(body.fixed, out);
    if (!body.engineInstances)
        out["engineInstances"] = false;
    if (body.recipe)
        out["recipe"] = json::encode(*body.recipe, json::byId(), folder);
    if (!s.source.path.empty())
        out["table"] = relativeTo(s.source.path, folder).generic_string();
}

InstancesBody decodeInstances(const ordered_json& in, const fs::path& folder, const std::string& path,
                              const BesideReader& beside, SourceFile& file) {
    InstancesBody body;
    if (in.contains("thinning"))
        body.thinning = json::decodeThinning(json::object(in, "thinning", path), path + "thinning.");
    body.fixed = decodeSwitches(in, path);
    body.engineInstances = json::flag(in, "engineInstances", path, true);
    if (in.contains("recipe"))
        body.recipe = std::make_shared<const ScatterRecipe>(
            json::decodeRecipe(json::object(in, "recipe", path), json::byId(), folder, path + "recipe."));
    if (const std::string table = json::string(in, "table", path, ""); !table.empty())
        file.path = (folder / table).lexically_normal();
    for (const double id : json::numbers(in, "assets", path)) {
        if (!(id >= 1 && id <= kLargestSubject && id == std::floor(id)))
            throw json::FieldError(path + "assets: needs ids of subjects");
        body.assets.push_back(static_cast<std::uint32_t>(id));
    }
    body.copies = decodePlacements(in, "copies", path, beside);
    for (const Placement& copy : *body.copies)
        if (copy.asset >= body.assets.size())
            throw json::FieldError(
                fmt::format("{}copies: one names asset {}, and there are {}", path, copy.asset, body.assets.size()));
    return body;
}

void encodeBody(const Subject& s, const TerrainBody& body, const fs::path& folder, BesideFiles* /*files*/,
                ordered_json& out) {
    if (body.trial)
        out["trial"] = json::encode(*body.trial);
    else
        out["source"] = {{"path", relativeTo(s.source.path, folder).generic_string()}, {"hash", s.source.hash}};
    out["reading"] = json::encode(body.reading);
    out["cells"] = body.cells;
    out["between"] = keyOf(body.between);
    if (!body.strokes.empty()) {
        out["strokes"] = ordered_json::array();
        for (const auto& stroke : body.strokes)
            out["strokes"].push_back(json::encode(*stroke));
    }
    encodeSwitches(body.fixed, out);
}

TerrainBody decodeTerrain(const ordered_json& in, const fs::path& folder, const std::string& path, SourceFile& file) {
    TerrainBody body;
    if (in.contains("trial")) {
        body.trial = json::decodeGround(json::object(in, "trial", path), path + "trial.");
    } else {
        const ordered_json& source = json::object(in, "source", path);
        file.path = (folder / json::string(source, "path", path + "source.")).lexically_normal();
        file.hash = json::string(source, "hash", path + "source.");
    }
    body.reading = json::decodeReading(json::object(in, "reading", path), path + "reading.");
    body.cells = json::integer<std::uint32_t>(in, "cells", path, 2, 256);
    if (!isTileSize(body.cells))
        throw json::FieldError(fmt::format("{}cells: {} is odd", path, body.cells));
    if (in.contains("between"))
        body.between = json::choice<Passing>(in, "between", path);
    else if (!json::flag(in, "morph", path, true)) // as it was said before there were three
        body.between = Passing::Sudden;
    if (in.contains("strokes")) {
        const ordered_json& strokes = json::list(in, "strokes", path);
        for (std::size_t i = 0; i < strokes.size(); ++i)
            body.strokes.push_back(std::make_shared<const GroundStroke>(
                json::decodeStroke(strokes[i], fmt::format("{}strokes[{}].", path, i))));
    }
    body.fixed = decodeSwitches(in, path);
    return body;
}

void encodeBody(const Subject& s, const StrandsBody& body, const fs::path& folder, BesideFiles* files,
                ordered_json& out) {
    if (!body.recipe) {
        out["source"] = {{"path", relativeTo(s.source.path, folder).generic_string()}, {"hash", s.source.hash}};
    } else {
        out["recipe"] = json::encode(*body.recipe, json::byId(), folder);
        if (body.strands) { // what was grown on may be another ground by now
            std::vector<std::byte> bytes = encodeStrands(*body.strands);
            const std::string hash = contentHash(bytes);
            if (files != nullptr)
                files->try_emplace(hash + kStrandsSuffix, std::move(bytes));
            out["strands"] = {{"count", body.strands->size()}, {"content", hash}};
        }
    }
    out["width"] = body.width;
    if (!body.recipe) {
        out["unit"] = body.unit;
        out["up"] = keyOf(body.up);
    }
    out["look"] = json::encode(body.look);
    out["levels"] = ordered_json::array();
    for (const StrandLevel& level : body.levels)
        out["levels"].push_back(json::encode(level));
    out["thinning"] = json::encode(body.thinning);
}

StrandsBody decodeStrandsBody(const ordered_json& in, const fs::path& folder, const std::string& path,
                              const BesideReader& beside, SourceFile& file) {
    StrandsBody body;
    if (in.contains("recipe")) {
        body.recipe = std::make_shared<const StrandRecipe>(
            json::decodeStrandRecipe(json::object(in, "recipe", path), json::byId(), folder, path + "recipe."));
        if (in.contains("strands")) {
            const std::string at = path + "strands.";
            auto read = beside.strands(json::hash(json::object(in, "strands", path), "content", at));
            if (read)
                body.strands = std::move(*read);
            else if (read.error().code != ErrorCode::NotFound) // what is only missing can be grown again
                throw json::FieldError(at + "content: " + read.error().text());
        }
    } else {
        const ordered_json& source = json::object(in, "source", path);
        file.path = (folder / json::string(source, "path", path + "source.")).lexically_normal();
        file.hash = json::string(source, "hash", path + "source.");
    }
    body.width = json::number(in, "width", path, 1e-6, 10, body.width);
    const auto [leastUnit, mostUnit] = mendRange(MendKind::Unit);
    if (!body.recipe)
        body.unit = json::number(in, "unit", path, leastUnit, mostUnit, body.unit);
    if (!body.recipe && in.contains("up"))
        body.up = json::choice<Up>(in, "up", path);
    body.look = json::decodeLook(json::object(in, "look", path), path + "look.");
    const ordered_json& levels = json::list(in, "levels", path);
    constexpr std::size_t kMostLevels = 16;
    if (levels.empty() || levels.size() > kMostLevels)
        throw json::FieldError(path + "levels: there are 1 to 16");
    for (std::size_t i = 0; i < levels.size(); ++i)
        body.levels.push_back(json::decodeStrandLevel(levels[i], fmt::format("{}levels[{}].", path, i)));
    for (std::size_t i = 0; i < body.levels.size(); ++i)
        if (body.levels[i].perCard > 0 && (i == 0 || i + 1 < body.levels.size()))
            throw json::FieldError(
                fmt::format("{}levels[{}].strandsPerCard: only the last of several levels is one of cards", path, i));
    body.thinning = json::decodeThinning(json::object(in, "thinning", path), path + "thinning.");
    body.thinning.widths = true;
    return body;
}

void encodeBody(const Subject& s, const EmitterBody& body, const fs::path& folder, BesideFiles* files,
                ordered_json& out) {
    out["emitter"] = json::encode(body.emitter, folder);
    if (!s.source.path.empty())
        out["source"] = {{"path", relativeTo(s.source.path, folder).generic_string()}, {"hash", s.source.hash}};
    if (body.placed && !body.placed->empty())
        out["placed"] = encode(*body.placed, files);
}

EmitterBody decodeEmitterBody(const ordered_json& in, const fs::path& folder, const std::string& path,
                              const BesideReader& beside, SourceFile& file) {
    EmitterBody body;
    body.emitter = json::decodeEmitter(json::object(in, "emitter", path), folder, path + "emitter.");
    if (auto sound = checkEmitter(body.emitter, path + "emitter"); !sound)
        throw json::FieldError(sound.error().text());
    if (in.contains("source")) {
        const ordered_json& source = json::object(in, "source", path);
        file.path = (folder / json::string(source, "path", path + "source.")).lexically_normal();
        file.hash = json::string(source, "hash", path + "source.");
    }
    body.sprites.resize(body.emitter.parts.size());
    if (in.contains("placed"))
        body.placed = decodePlacements(in, "placed", path, beside);
    return body;
}

} // namespace

fs::path relativeTo(const fs::path& file, const fs::path& folder) {
    const fs::path relative = file.lexically_relative(fullPath(folder));
    return relative.empty() ? file : relative;
}

ordered_json encodeSubject(const Subject& s, const fs::path& folder, BesideFiles* files) {
    ordered_json out{
        {"id", s.id},
        {"name", s.name},
        {"kind", keyOf(s.kind())},
        {"role", keyOf(s.role)},
        {"rule", json::encode(s.rule)},
        {"bounds", {{"low", json::array3(s.bounds.low)}, {"high", json::array3(s.bounds.high)}, {"radius", s.radius}}}};
    std::visit([&](const auto& body) { encodeBody(s, body, folder, files, out); }, s.body);
    return out;
}

Subject decodeSubject(const ordered_json& in, const fs::path& folder, const std::string& path,
                      const BesideReader& beside) {
    Subject s;
    s.id = json::integer<std::uint32_t>(in, "id", path, 1, kLargestSubject);
    s.name = json::string(in, "name", path);
    s.role = json::choice<Role>(in, "role", path);
    s.rule = json::decodeRule(json::object(in, "rule", path), path + "rule.");
    const ordered_json& bounds = json::object(in, "bounds", path);
    s.bounds = {json::vector3(bounds, "low", path + "bounds."), json::vector3(bounds, "high", path + "bounds.")};
    s.radius = json::number(bounds, "radius", path + "bounds.", 0, 1e12);
    switch (json::choice<Kind>(in, "kind", path)) {
    case Kind::Mesh:
        s.body = decodeMesh(in, folder, path, beside, s.source);
        break;
    case Kind::Instances:
        s.body = decodeInstances(in, folder, path, beside, s.source);
        break;
    case Kind::Terrain:
        s.body = decodeTerrain(in, folder, path, s.source);
        break;
    case Kind::Strands:
        s.body = decodeStrandsBody(in, folder, path, beside, s.source);
        break;
    case Kind::Emitter:
        s.body = decodeEmitterBody(in, folder, path, beside, s.source);
        break;
    }
    return s;
}

} // namespace thicket
