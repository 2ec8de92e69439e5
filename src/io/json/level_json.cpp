#include "io/json/level_json.h"

#include "io/json/switching_json.h"

#include <fmt/format.h>

namespace thicket::json {
namespace {

constexpr double kLargest = 1e12; // metres
constexpr std::uint32_t kMostElements = 4'000'000'000U;

ViewGrid decodeViews(const ordered_json& in, const std::string& path) {
    ViewGrid grid;
    grid.across = integer<int>(in, "across", path, 2, 32);
    grid.centre = vector3(in, "centre", path);
    grid.half = number(in, "half", path, 0, kLargest);
    grid.texels = integer<int>(in, "texels", path, 1, 4096);
    return grid;
}

ordered_json encode(const MaterialChoice& m) {
    ordered_json out{{"halvings", m.halvings},     {"dropNormals", m.dropNormals},
                     {"dropDetail", m.dropDetail}, {"opaque", m.opaque},
                     {"merge", m.merge},           {"mergedSide", m.mergedSide}};
    if (!m.swaps.empty())
        out["swaps"] = m.swaps;
    return out;
}

MaterialChoice decodeMaterials(const ordered_json& in, const std::string& path) {
    MaterialChoice m;
    m.halvings = integer<int>(in, "halvings", path, 0, 6);
    m.dropNormals = flag(in, "dropNormals", path, false);
    m.dropDetail = flag(in, "dropDetail", path, false);
    m.opaque = flag(in, "opaque", path, false);
    m.merge = flag(in, "merge", path, false);
    m.mergedSide = integer<int>(in, "mergedSide", path, 16, 8192);
    if (in.contains("swaps"))
        for (const ordered_json& pair : list(in, "swaps", path)) {
            const auto material = [&](std::size_t i) {
                constexpr double kMost = 1e6;
                if (!pair.is_array() || pair.size() != 2 || !pair[i].is_number_unsigned() ||
                    pair[i].get<double>() > kMost)
                    throw FieldError(path + "swaps: needs pairs of materials by number");
                return pair[i].get<std::uint32_t>();
            };
            m.swaps.emplace_back(material(0), material(1));
        }
    return m;
}

} // namespace

ordered_json encode(const ViewGrid& grid) {
    return {{"layout", "hemi-octahedral"}, {"across", grid.across}, {"centre", array3(grid.centre)},
            {"half", grid.half},           {"texels", grid.texels}, {"gutter", kViewGutter}};
}

ordered_json encode(const Level& level) {
    ordered_json out{
        {"origin", keyOf(level.origin)},
        {"triangles", level.triangles},
        {"vertices", level.vertices},
        {"draws", level.draws},
        {"deviation",
         {{"max", level.deviation},
          {"visible", level.visible},
          {"promised", level.promised},
          {"p99", level.p99},
          {"rms", level.rms}}}};
    if (level.seen > 0)
        out["deviation"]["seen"] = level.seen;
    if (level.posed > 0)
        out["posedDeviation"] = level.posed;
    if (level.driftTexels)
        out["textureDriftTexels"] = *level.driftTexels;
    if (level.driftDegrees)
        out["normalDriftDegrees"] = *level.driftDegrees;
    if (level.pieces > 0)
        out["pieces"] = level.pieces;
    if (level.views.across > 0)
        out["views"] = encode(level.views);
    if (level.materials.any())
        out["materials"] = encode(level.materials);
    if (level.fixed)
        out["fixed"] = encode(*level.fixed);
    if (level.locked)
        out["locked"] = true;
    return out;
}

Level decodeLevel(const ordered_json& in, const std::string& path) {
    Level level;
    level.origin = choice<LevelOrigin>(in, "origin", path);
    level.triangles = integer<std::uint32_t>(in, "triangles", path, 1, kMostElements);
    level.vertices = integer<std::uint32_t>(in, "vertices", path, 0, kMostElements);
    level.draws = integer<std::uint32_t>(in, "draws", path, 0, 1'000'000);
    const ordered_json& deviation = object(in, "deviation", path);
    const std::string of = path + "deviation.";
    level.deviation = number(deviation, "max", of, 0, kLargest);
    level.promised = number(deviation, "promised", of, 0, kLargest);
    level.visible = number(deviation, "visible", of, 0, kLargest, level.promised); // files of before say nothing of it
    level.seen = number(deviation, "seen", of, 0, kLargest, 0);
    level.p99 = number(deviation, "p99", of, 0, kLargest);
    level.rms = number(deviation, "rms", of, 0, kLargest);
    level.posed = number(in, "posedDeviation", path, 0, kLargest, 0);
    if (in.contains("textureDriftTexels"))
        level.driftTexels = number(in, "textureDriftTexels", path, 0, kLargest);
    if (in.contains("normalDriftDegrees"))
        level.driftDegrees = number(in, "normalDriftDegrees", path, 0, 180);
    level.pieces = integer<std::uint32_t>(in, "pieces", path, 0, kMostElements, 0);
    if (in.contains("views"))
        level.views = decodeViews(object(in, "views", path), path + "views.");
    if (in.contains("materials"))
        level.materials = decodeMaterials(object(in, "materials", path), path + "materials.");
    if (in.contains("fixed"))
        level.fixed = decodeFixed(object(in, "fixed", path), path + "fixed.");
    level.locked = flag(in, "locked", path, false);
    return level;
}

} // namespace thicket::json
