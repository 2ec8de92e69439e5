#include "io/json/strand_json.h"

#include "io/json/switching_json.h"
#include "strands/strand_cards.h"

namespace thicket::json {
namespace {

ordered_json colour(const Vec3f& c) {
    return {c.x(), c.y(), c.z()};
}

Vec3f decodeColour(const ordered_json& in, const char* name, const std::string& path) {
    const Vec3d c = vector3(in, name, path);
    if (c.minCoeff() < 0 || c.maxCoeff() > 1)
        throw FieldError(path + name + ": needs three numbers 0 to 1");
    return c.cast<float>();
}

} // namespace

ordered_json encode(const StrandLook& look) {
    return {{"root", colour(look.root)}, {"tip", colour(look.tip)}, {"vary", look.vary}};
}

StrandLook decodeLook(const ordered_json& in, const std::string& path) {
    StrandLook out;
    out.root = decodeColour(in, "root", path);
    out.tip = decodeColour(in, "tip", path);
    out.vary = number(in, "vary", path, 0, 1, out.vary);
    return out;
}

ordered_json encode(const StrandRecipe& r, const SubjectNames& names, const std::filesystem::path& folder) {
    ordered_json out = encode(r.where, names, folder);
    out.erase("assets");
    out["length"] = r.length;
    out["lengthVary"] = r.lengthVary;
    out["width"] = r.width;
    out["tip"] = r.tip;
    out["lean"] = r.leanDegrees;
    out["follow"] = r.follow;
    out["bend"] = r.bendDegrees;
    out["curl"] = r.curl;
    out["curlMetres"] = r.curlMetres;
    out["clump"] = r.clump;
    out["clumpMetres"] = r.clumpMetres;
    out["points"] = r.points;
    return out;
}

StrandRecipe decodeStrandRecipe(const ordered_json& in, const SubjectNames& names, const std::filesystem::path& folder,
                                const std::string& path) {
    StrandRecipe r;
    ordered_json where = in;
    where["assets"] = ordered_json::array();
    r.where = decodeRecipe(where, names, folder, path);
    r.length = number(in, "length", path, 1e-4, 1e3, r.length);
    r.lengthVary = number(in, "lengthVary", path, 0, 0.95, r.lengthVary);
    r.width = number(in, "width", path, 1e-6, 10, r.width);
    r.tip = number(in, "tip", path, 0, 1, r.tip);
    r.leanDegrees = number(in, "lean", path, 0, 90, r.leanDegrees);
    r.follow = number(in, "follow", path, 0, 1, r.follow);
    r.bendDegrees = number(in, "bend", path, 0, 180, r.bendDegrees);
    r.curl = number(in, "curl", path, 0, 50, r.curl);
    r.curlMetres = number(in, "curlMetres", path, 0, 100, r.curlMetres);
    r.clump = number(in, "clump", path, 0, 1, r.clump);
    r.clumpMetres = number(in, "clumpMetres", path, 1e-3, 1e3, r.clumpMetres);
    r.points = integer<std::uint32_t>(in, "points", path, 2, 64, r.points);
    return r;
}

ordered_json encode(const StrandLevel& level) {
    ordered_json out{{"deviation", level.deviation}, {"segments", level.segments}};
    if (level.perCard > 0)
        out["strandsPerCard"] = level.perCard;
    if (level.fixed)
        out["fixed"] = encode(*level.fixed);
    return out;
}

StrandLevel decodeStrandLevel(const ordered_json& in, const std::string& path) {
    StrandLevel out;
    out.deviation = number(in, "deviation", path, 0, 1e6);
    out.segments = integer<std::uint64_t>(in, "segments", path, 0, kMostStrandPoints);
    if (in.contains("strandsPerCard"))
        out.perCard = integer<std::uint32_t>(in, "strandsPerCard", path, kLeastPerCard, kMostPerCard);
    if (in.contains("fixed"))
        out.fixed = decodeFixed(object(in, "fixed", path), path + "fixed.");
    return out;
}

} // namespace thicket::json
