#include "io/json/terrain_json.h"

namespace thicket::json {
namespace {

constexpr double kFarthest = 1e7;
constexpr std::uint32_t kMostSide = 32769;

} // namespace

ordered_json encode(const HeightOptions& r) {
    ordered_json out{{"spacing", r.spacing}};
    if (r.low && r.high)
        out["range"] = {*r.low, *r.high};
    if (r.noData)
        out["noData"] = *r.noData;
    if (r.columns > 0)
        out["raw"] = {
            {"columns", r.columns}, {"rows", r.rows}, {"samples", keyOf(r.samples)}, {"bigEndian", r.bigEndian}};
    return out;
}

HeightOptions decodeReading(const ordered_json& in, const std::string& path) {
    HeightOptions out;
    out.spacing = number(in, "spacing", path, 0, 1e5, 0);
    if (in.contains("range")) {
        const auto range = numbers(in, "range", path);
        if (range.size() != 2 || !(range[0] < range[1]))
            throw FieldError(path + "range: needs a lower and a higher height");
        out.low = range[0];
        out.high = range[1];
    }
    if (in.contains("noData"))
        out.noData = number(in, "noData", path, -1e30, 1e30);
    if (in.contains("raw")) {
        const ordered_json& raw = object(in, "raw", path);
        out.columns = integer<std::uint32_t>(raw, "columns", path + "raw.", 0, 1'000'000);
        out.rows = integer<std::uint32_t>(raw, "rows", path + "raw.", 0, 1'000'000);
        out.samples = choice<RawSamples>(raw, "samples", path + "raw.");
        out.bigEndian = flag(raw, "bigEndian", path + "raw.", false);
    }
    return out;
}

ordered_json encode(const GroundRecipe& r) {
    return {{"columns", r.columns}, {"rows", r.rows},       {"spacing", r.spacing}, {"relief", r.relief},
            {"feature", r.feature}, {"octaves", r.octaves}, {"seed", r.seed}};
}

GroundRecipe decodeGround(const ordered_json& in, const std::string& path) {
    GroundRecipe out;
    out.columns = integer<std::uint32_t>(in, "columns", path, 2, kMostSide);
    out.rows = integer<std::uint32_t>(in, "rows", path, 2, kMostSide);
    out.spacing = number(in, "spacing", path, 1e-3, 1e5);
    out.relief = number(in, "relief", path, 0, 1e5);
    out.feature = number(in, "feature", path, 1e-3, 1e6);
    out.octaves = integer<std::uint32_t>(in, "octaves", path, 1, 20);
    out.seed = integer<std::uint32_t>(in, "seed", path, 0, ~0U);
    return out;
}

ordered_json encode(const GroundStroke& s) {
    ordered_json path = ordered_json::array();
    for (const auto& [x, z] : s.path) {
        path.push_back(x);
        path.push_back(z);
    }
    return {{"kind", keyOf(s.kind)},
            {"radius", s.radius},
            {"strength", s.strength},
            {"level", s.level},
            {"path", std::move(path)}};
}

GroundStroke decodeStroke(const ordered_json& in, const std::string& path) {
    GroundStroke out;
    out.kind = choice<BrushKind>(in, "kind", path);
    out.radius = number(in, "radius", path, 1e-3, 1e5);
    out.strength = number(in, "strength", path, 0, 1e5);
    out.level = number(in, "level", path, -1e6, 1e6);
    const auto points = numbers(in, "path", path);
    constexpr std::size_t kMostPoints = 200'000;
    if (points.empty() || points.size() % 2 != 0 || points.size() > kMostPoints)
        throw FieldError(path + "path: needs pairs of X and Z, at least one");
    for (std::size_t i = 0; i < points.size(); i += 2) {
        if (!(std::abs(points[i]) <= kFarthest && std::abs(points[i + 1]) <= kFarthest))
            throw FieldError(path + "path: lies beyond 10,000 km");
        out.path.push_back({points[i], points[i + 1]});
    }
    return out;
}

} // namespace thicket::json
