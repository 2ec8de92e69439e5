#include "io/json_fields.h"

#include <fmt/format.h>

namespace thicket::json {

double number(const ordered_json& object, const char* name, const std::string& path, double low, double high) {
    const auto value = get<double>(object, name, path);
    if (!(value >= low && value <= high))
        throw FieldError(fmt::format("{}{}: {} is not between {} and {}", path, name, value, low, high));
    return value;
}

double number(const ordered_json& object, const char* name, const std::string& path, double low, double high,
              double fallback) {
    return object.contains(name) ? number(object, name, path, low, high) : fallback;
}

Vec3d vector3(const ordered_json& object, const char* name, const std::string& path) {
    const auto values = get<std::vector<double>>(object, name, path);
    if (values.size() != 3)
        throw FieldError(path + name + ": needs three numbers");
    return {values[0], values[1], values[2]};
}

ordered_json array3(const Vec3d& v) {
    return {v.x(), v.y(), v.z()};
}

std::string key(DecideBy value) {
    return value == DecideBy::PixelError     ? "pixel-error"
           : value == DecideBy::Distance     ? "distance"
           : value == DecideBy::ScreenHeight ? "screen-height"
                                             : "share-of-reach";
}
std::string key(MeasureFrom value) {
    return value == MeasureFrom::NearestPoint ? "nearest-point" : value == MeasureFrom::Centre ? "centre" : "depth";
}
DecideBy decideBy(const std::string& text, const std::string& path) {
    for (const DecideBy value :
         {DecideBy::PixelError, DecideBy::Distance, DecideBy::ScreenHeight, DecideBy::ShareOfReach})
        if (key(value) == text)
            return value;
    throw FieldError(path + ": \"" + text + "\" is not pixel-error, distance, screen-height or share-of-reach");
}
MeasureFrom measureFrom(const std::string& text, const std::string& path) {
    for (const MeasureFrom value : {MeasureFrom::NearestPoint, MeasureFrom::Centre, MeasureFrom::Depth})
        if (key(value) == text)
            return value;
    throw FieldError(path + ": \"" + text + "\" is not nearest-point, centre or depth");
}

ordered_json encode(const FixedSwitch& fixed) {
    return {{"unit", key(fixed.unit)}, {"value", fixed.value}};
}

FixedSwitch decodeFixed(const ordered_json& object, const std::string& path) {
    return {decideBy(get<std::string>(object, "unit", path), path + "unit"), number(object, "value", path, 0, 1e12)};
}

ordered_json encode(const SwitchRule& rule) {
    ordered_json out{{"decideBy", key(rule.decideBy)},    {"measureFrom", key(rule.measureFrom)},
                     {"allowPx", rule.allowPx},           {"hysteresis", rule.hysteresis},
                     {"dwellSeconds", rule.dwellSeconds}, {"checkSeconds", rule.checkSeconds},
                     {"fadeSeconds", rule.fadeSeconds},   {"cullBelowPx", rule.cullBelowPx},
                     {"reachMetres", rule.reachMetres},   {"marginMetres", rule.marginMetres}};
    if (rule.importance != 1)
        out["importance"] = rule.importance;
    if (rule.target != 0)
        out["target"] = rule.target;
    return out;
}

SwitchRule decodeRule(const ordered_json& object, const std::string& path) {
    SwitchRule rule;
    rule.decideBy = decideBy(get<std::string>(object, "decideBy", path), path + "decideBy");
    rule.measureFrom = measureFrom(get<std::string>(object, "measureFrom", path), path + "measureFrom");
    rule.allowPx = number(object, "allowPx", path, 0.01, 1000);
    rule.hysteresis = number(object, "hysteresis", path, 0, 1);
    rule.dwellSeconds = number(object, "dwellSeconds", path, 0, 60, 0);
    rule.checkSeconds = number(object, "checkSeconds", path, 0, 60, 0);
    rule.fadeSeconds = number(object, "fadeSeconds", path, 0, 60);
    rule.cullBelowPx = number(object, "cullBelowPx", path, 0, 10000);
    rule.reachMetres = number(object, "reachMetres", path, 0, 1e9);
    rule.marginMetres = number(object, "marginMetres", path, 0, 1e6);
    rule.importance = number(object, "importance", path, 0.01, 100, 1);
    rule.target = get<std::uint32_t>(object, "target", path, 0U);
    return rule;
}

ordered_json encode(const ViewGrid& grid) {
    return {{"layout", "hemi-octahedral"}, {"across", grid.across}, {"centre", array3(grid.centre)},
            {"half", grid.half},           {"texels", grid.texels}, {"gutter", kViewGutter}};
}

ViewGrid decodeViews(const ordered_json& in, const std::string& path) {
    ViewGrid grid;
    grid.across = static_cast<int>(number(in, "across", path, 2, 32));
    grid.centre = vector3(in, "centre", path);
    grid.half = number(in, "half", path, 0, 1e12);
    grid.texels = static_cast<int>(number(in, "texels", path, 1, 4096));
    return grid;
}

} // namespace thicket::json
