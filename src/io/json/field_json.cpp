#include "io/json/field_json.h"

#include "base/file.h"
#include <fmt/format.h>
#include <limits>

namespace thicket::json {
namespace {

ordered_json encode(const DistanceCurve& curve) {
    ordered_json out = ordered_json::array();
    for (const CurvePoint& p : curve.points)
        out.push_back({p.metres, p.value});
    return out;
}

DistanceCurve decodeCurve(const ordered_json& in, const char* name, const std::string& path, double low, double high) {
    DistanceCurve out;
    const ordered_json& points = list(in, name, path);
    if (points.size() > DistanceCurve::kMostPoints)
        throw FieldError(fmt::format("{}{}: has more than {} points", path, name, DistanceCurve::kMostPoints));
    for (std::size_t i = 0; i < points.size(); ++i) {
        const std::string at = fmt::format("{}{}[{}]", path, name, i);
        if (!points[i].is_array() || points[i].size() != 2 || !points[i][0].is_number() || !points[i][1].is_number())
            throw FieldError(at + ": needs a distance and a value");
        const CurvePoint p{points[i][0].get<double>(), points[i][1].get<double>()};
        if (!(p.metres >= 0 && p.metres <= 1e9) || (!out.points.empty() && p.metres <= out.points.back().metres))
            throw FieldError(at + ": distances must rise from 0");
        if (!(p.value >= low && p.value <= high))
            throw FieldError(fmt::format("{}: its value must be {} to {}", at, low, high));
        out.points.push_back(p);
    }
    return out;
}

constexpr std::uint32_t kAnyId = std::numeric_limits<std::uint32_t>::max() - 1;
constexpr double kAnyHeight = 1e9;

} // namespace

ordered_json encode(const Thinning& t) {
    ordered_json out{
        {"keep", encode(t.keep)}, {"holdCover", t.holdCover}, {"growAtMost", t.growAtMost}, {"band", t.band}};
    if (!t.grow.points.empty())
        out["grow"] = encode(t.grow);
    if (t.fullHeight > 0)
        out["fullHeightMetres"] = t.fullHeight;
    if (t.widths)
        out["widths"] = true;
    return out;
}

Thinning decodeThinning(const ordered_json& in, const std::string& path) {
    Thinning out;
    out.keep = decodeCurve(in, "keep", path, 0, 1);
    if (in.contains("grow"))
        out.grow = decodeCurve(in, "grow", path, 1, Thinning::kMostGrowth);
    out.holdCover = flag(in, "holdCover", path, true);
    out.growAtMost = number(in, "growAtMost", path, 1, Thinning::kMostGrowth, Thinning().growAtMost);
    out.band = number(in, "band", path, 0, 1, Thinning().band);
    out.fullHeight = number(in, "fullHeightMetres", path, 0, 1e12, 0);
    out.widths = flag(in, "widths", path, false);
    return out;
}

const SubjectNames& byId() {
    static const SubjectNames kIds{[](std::uint32_t id) { return ordered_json(id); },
                                   [](const ordered_json& in, const char* name, const std::string& path) {
                                       return integer<std::uint32_t>(in, name, path, 1, kAnyId);
                                   }};
    return kIds;
}

ordered_json encode(const ScatterRecipe& r, const SubjectNames& names, const std::filesystem::path& folder) {
    ordered_json out;
    if (r.surface != 0)
        out["surface"] = names.name(r.surface);
    else
        out["ground"] = {{"height", r.groundHeight}, {"low", {r.lowX, r.lowZ}}, {"high", {r.highX, r.highZ}}};
    out["density"] = r.density;
    out["slope"] = {r.leastSlope, r.mostSlope};
    if (r.leastHeight > -kAnyHeight || r.mostHeight < kAnyHeight)
        out["height"] = {r.leastHeight, r.mostHeight};
    if (!r.mask.empty()) {
        const std::filesystem::path relative = r.mask.lexically_relative(fullPath(folder));
        out["mask"] = (relative.empty() ? r.mask : relative).generic_string();
    }
    if (!r.near.empty()) {
        out["near"] = ordered_json::array();
        for (const ScatterNear& n : r.near) {
            ordered_json item;
            if (n.of == ScatterNear::Of::Route)
                item["route"] = n.route;
            else
                item["subject"] = names.name(n.subject);
            item["least"] = n.least;
            if (n.most < kAnyHeight)
                item["most"] = n.most;
            out["near"].push_back(std::move(item));
        }
    }
    out["assets"] = ordered_json::array();
    for (const ScatterAsset& a : r.assets)
        out["assets"].push_back({{"subject", names.name(a.subject)},
                                 {"weight", a.weight},
                                 {"size", {a.leastSize, a.mostSize}},
                                 {"turn", a.turnDegrees},
                                 {"lean", a.leanDegrees},
                                 {"follow", a.follow}});
    out["seed"] = r.seed;
    return out;
}

namespace {

std::pair<double, double> rising(const ordered_json& in, const char* name, const std::string& path, double low,
                                 double high, std::pair<double, double> fallback) {
    if (!in.contains(name))
        return fallback;
    const auto v = numbers(in, name, path);
    if (v.size() != 2 || !(v[0] >= low && v[1] <= high && v[0] <= v[1]))
        throw FieldError(fmt::format("{}{}: needs two rising numbers, {:g} to {:g}", path, name, low, high));
    return {v[0], v[1]};
}

} // namespace

ScatterRecipe decodeRecipe(const ordered_json& in, const SubjectNames& names, const std::filesystem::path& folder,
                           const std::string& path) {
    ScatterRecipe r;
    if (in.contains("surface")) {
        r.surface = names.id(in, "surface", path);
    } else if (in.contains("ground")) {
        const ordered_json& ground = object(in, "ground", path);
        const std::string at = path + "ground.";
        r.groundHeight = number(ground, "height", at, -1e6, 1e6, 0);
        const auto low = numbers(ground, "low", at);
        const auto high = numbers(ground, "high", at);
        if (low.size() != 2 || high.size() != 2 || !(low[0] < high[0] && low[1] < high[1]))
            throw FieldError(at + "low: ground needs two corners, low and high, of x and z");
        r.lowX = low[0];
        r.lowZ = low[1];
        r.highX = high[0];
        r.highZ = high[1];
    }
    r.density = number(in, "density", path, 1e-9, 1e9);
    std::tie(r.leastSlope, r.mostSlope) = rising(in, "slope", path, 0, 90, {r.leastSlope, r.mostSlope});
    std::tie(r.leastHeight, r.mostHeight) =
        rising(in, "height", path, -kAnyHeight, kAnyHeight, {r.leastHeight, r.mostHeight});
    if (const std::string mask = string(in, "mask", path, ""); !mask.empty())
        r.mask = (fullPath(folder) / mask).lexically_normal();
    if (in.contains("near")) {
        const ordered_json& items = list(in, "near", path);
        for (std::size_t i = 0; i < items.size(); ++i) {
            const std::string at = fmt::format("{}near[{}].", path, i);
            ScatterNear n;
            if (items[i].contains("route")) {
                n.route = string(items[i], "route", at);
            } else {
                n.of = ScatterNear::Of::Subject;
                n.subject = names.id(items[i], "subject", at);
            }
            n.least = number(items[i], "least", at, 0, kAnyHeight, 0);
            n.most = number(items[i], "most", at, n.least, kAnyHeight, kAnyHeight);
            r.near.push_back(std::move(n));
        }
    }
    const ordered_json& assets = list(in, "assets", path);
    for (std::size_t i = 0; i < assets.size(); ++i) {
        const std::string at = fmt::format("{}assets[{}].", path, i);
        ScatterAsset a;
        a.subject = names.id(assets[i], "subject", at);
        a.weight = number(assets[i], "weight", at, 0, 1e6, 1);
        std::tie(a.leastSize, a.mostSize) = rising(assets[i], "size", at, 1e-4, 1e4, {a.leastSize, a.mostSize});
        a.turnDegrees = number(assets[i], "turn", at, 0, 360, a.turnDegrees);
        a.leanDegrees = number(assets[i], "lean", at, 0, 90, a.leanDegrees);
        a.follow = number(assets[i], "follow", at, 0, 1, 0);
        r.assets.push_back(a);
    }
    r.seed = integer<std::uint32_t>(in, "seed", path, 0, kAnyId, 1);
    return r;
}

} // namespace thicket::json
