// Strokes of care as JSON.

#include "io/json_fields.h"

#include <fmt/format.h>

namespace thicket::json {
namespace {
const char* kindKey(CareStroke::Kind kind) {
    return kind == CareStroke::Kind::Paint ? "paint" : kind == CareStroke::Kind::Erase ? "erase" : "vertex-color";
}
} // namespace

ordered_json encode(const Care& care) {
    ordered_json out = ordered_json::array();
    for (const CareStroke& stroke : care) {
        ordered_json one{{"kind", kindKey(stroke.kind)}, {"strength", stroke.strength}};
        if (stroke.kind == CareStroke::Kind::FromColor) {
            one["channel"] = stroke.channel;
        } else {
            one["radius"] = stroke.radius;
            one["path"] = ordered_json::array();
            for (const Vec3f& p : stroke.path)
                one["path"].push_back({p.x(), p.y(), p.z()});
            if (stroke.mirror)
                one["mirrorX"] = stroke.mirrorX;
        }
        out.push_back(std::move(one));
    }
    return out;
}

Care decodeCare(const ordered_json& in, const std::string& path) {
    Care care;
    for (std::size_t i = 0; i < in.size(); ++i) {
        const std::string at = fmt::format("{}care[{}].", path, i);
        CareStroke stroke;
        const auto kind = get<std::string>(in[i], "kind", at);
        bool known = false;
        for (const auto candidate : {CareStroke::Kind::Paint, CareStroke::Kind::Erase, CareStroke::Kind::FromColor})
            if (kind == kindKey(candidate)) {
                stroke.kind = candidate;
                known = true;
            }
        if (!known)
            throw FieldError(at + "kind: \"" + kind + "\" is not paint, erase or vertex-color");
        stroke.strength = static_cast<float>(number(in[i], "strength", at, 0, 1));
        if (stroke.kind == CareStroke::Kind::FromColor) {
            stroke.channel = static_cast<int>(number(in[i], "channel", at, 0, 3));
        } else {
            stroke.radius = static_cast<float>(number(in[i], "radius", at, 1e-9, 1e12));
            for (const auto& p : get<std::vector<std::vector<float>>>(in[i], "path", at)) {
                if (p.size() != 3)
                    throw FieldError(at + "path: needs three numbers a place");
                stroke.path.emplace_back(p[0], p[1], p[2]);
            }
            stroke.mirror = in[i].contains("mirrorX");
            if (stroke.mirror)
                stroke.mirrorX = static_cast<float>(number(in[i], "mirrorX", at, -1e12, 1e12));
        }
        care.push_back(std::move(stroke));
    }
    return care;
}

} // namespace thicket::json
