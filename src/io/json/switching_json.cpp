#include "io/json/switching_json.h"

#include <limits>

namespace thicket::json {

ordered_json encode(const FixedSwitch& fixed) {
    return {{"unit", keyOf(fixed.unit)}, {"value", fixed.value}};
}

FixedSwitch decodeFixed(const ordered_json& in, const std::string& path) {
    return {choice<DecideBy>(in, "unit", path), number(in, "value", path, 0, 1e12)};
}

ordered_json encode(const SwitchRule& rule) {
    ordered_json out{{"decideBy", keyOf(rule.decideBy)},  {"measureFrom", keyOf(rule.measureFrom)},
                     {"allowPx", rule.allowPx},           {"hysteresis", rule.hysteresis},
                     {"dwellSeconds", rule.dwellSeconds}, {"checkSeconds", rule.checkSeconds},
                     {"fadeSeconds", rule.fadeSeconds},   {"cullBelowPx", rule.cullBelowPx},
                     {"reachMetres", rule.reachMetres},   {"marginMetres", rule.marginMetres}};
    if (rule.softBand != 0)
        out["softBand"] = rule.softBand;
    if (rule.reachGrows != 0)
        out["reachGrows"] = rule.reachGrows;
    if (rule.everyPoint)
        out["everyPoint"] = true;
    if (!rule.looks)
        out["looks"] = false;
    if (rule.importance != 1)
        out["importance"] = rule.importance;
    if (rule.target != 0)
        out["target"] = rule.target;
    return out;
}

SwitchRule decodeRule(const ordered_json& in, const std::string& path) {
    SwitchRule rule;
    rule.decideBy = choice<DecideBy>(in, "decideBy", path);
    rule.measureFrom = choice<MeasureFrom>(in, "measureFrom", path);
    rule.allowPx = number(in, "allowPx", path, 0.01, 1000);
    rule.hysteresis = number(in, "hysteresis", path, 0, 1);
    rule.dwellSeconds = number(in, "dwellSeconds", path, 0, 60, 0);
    rule.checkSeconds = number(in, "checkSeconds", path, 0, 60, 0);
    rule.fadeSeconds = number(in, "fadeSeconds", path, 0, 60);
    rule.cullBelowPx = number(in, "cullBelowPx", path, 0, 10000);
    rule.reachMetres = number(in, "reachMetres", path, 0, 1e9);
    rule.marginMetres = number(in, "marginMetres", path, 0, 1e6);
    rule.softBand = number(in, "softBand", path, 0, 0.5, 0);
    rule.reachGrows = number(in, "reachGrows", path, 0, 100, 0);
    rule.everyPoint = flag(in, "everyPoint", path, false);
    rule.looks = flag(in, "looks", path, true);
    rule.importance = number(in, "importance", path, 0.01, 100, 1);
    rule.target = integer<std::uint32_t>(in, "target", path, 0, std::numeric_limits<std::uint32_t>::max(), 0);
    return rule;
}

} // namespace thicket::json
