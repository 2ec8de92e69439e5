// Strokes of care as JSON.

#include "io/json/care_json.h"

#include <cstring>
#include <fmt/format.h>

namespace thicket::json {
namespace {
constexpr char kDigits[] = "0123456789abcdef";

/// A mask as two hexadecimal digits a value, a row a string.
ordered_json encodeMask(const CareMask& mask) {
    ordered_json rows = ordered_json::array();
    for (int y = 0; y < mask.height; ++y) {
        std::string row;
        for (int x = 0; x < mask.width; ++x) {
            const std::uint8_t value = mask.values[static_cast<std::size_t>(y * mask.width + x)];
            row += {kDigits[value >> 4], kDigits[value & 15]};
        }
        rows.push_back(row);
    }
    return rows;
}

std::shared_ptr<const CareMask> decodeMask(const std::vector<std::string>& rows, const std::string& at) {
    CareMask mask;
    mask.height = static_cast<int>(rows.size());
    mask.width = rows.empty() ? 0 : static_cast<int>(rows.front().size() / 2);
    if (mask.width < 1 || mask.width > 4096 || mask.height > 4096)
        throw FieldError(at + "mask: needs rows of at least one value");
    for (const std::string& row : rows) {
        if (row.size() != 2 * static_cast<std::size_t>(mask.width))
            throw FieldError(at + "mask: its rows differ in length");
        for (std::size_t i = 0; i < row.size(); i += 2) {
            const char* high = std::strchr(kDigits, row[i]);
            const char* low = std::strchr(kDigits, row[i + 1]);
            if (high == nullptr || low == nullptr || row[i] == 0 || row[i + 1] == 0)
                throw FieldError(at + "mask: holds something else than hexadecimal digits");
            mask.values.push_back(static_cast<std::uint8_t>((high - kDigits) << 4 | (low - kDigits)));
        }
    }
    return std::make_shared<const CareMask>(std::move(mask));
}
} // namespace

ordered_json encode(const Care& care) {
    ordered_json out = ordered_json::array();
    for (const CareStroke& stroke : care) {
        ordered_json one{{"kind", keyOf(stroke.kind)}, {"strength", stroke.strength}};
        if (stroke.kind == CareStroke::Kind::FromColor) {
            one["channel"] = stroke.channel;
        } else if (stroke.kind == CareStroke::Kind::FromMask) {
            one["mask"] = encodeMask(*stroke.mask);
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
        stroke.kind = choice<CareStroke::Kind>(in[i], "kind", at);
        stroke.strength = static_cast<float>(number(in[i], "strength", at, 0, 1));
        if (stroke.kind == CareStroke::Kind::FromMask) {
            std::vector<std::string> rows;
            for (const ordered_json& row : list(in[i], "mask", at)) {
                if (!row.is_string())
                    throw FieldError(at + "mask: needs rows of text");
                rows.push_back(row.get<std::string>());
            }
            stroke.mask = decodeMask(rows, at);
        } else if (stroke.kind == CareStroke::Kind::FromColor) {
            stroke.channel = integer<int>(in[i], "channel", at, 0, 3);
        } else {
            stroke.radius = static_cast<float>(number(in[i], "radius", at, 1e-9, 1e12));
            const ordered_json& places = list(in[i], "path", at);
            for (std::size_t k = 0; k < places.size(); ++k)
                stroke.path.push_back(vector3(ordered_json{{"path", places[k]}}, "path", at).cast<float>());
            stroke.mirror = in[i].contains("mirrorX");
            if (stroke.mirror)
                stroke.mirrorX = static_cast<float>(number(in[i], "mirrorX", at, -1e12, 1e12));
        }
        care.push_back(std::move(stroke));
    }
    return care;
}

} // namespace thicket::json
