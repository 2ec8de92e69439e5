#include "support/json_schema.h"

#include <algorithm>
#include <regex>
#include <set>

namespace thicket {
namespace {

using nlohmann::json;

bool isOf(const std::string& type, const json& value) {
    return type == "object"    ? value.is_object()
           : type == "array"   ? value.is_array()
           : type == "string"  ? value.is_string()
           : type == "boolean" ? value.is_boolean()
           : type == "number"  ? value.is_number()
           : type == "integer" ? value.is_number_integer()
           : type == "null"    ? value.is_null()
                               : false;
}

const std::set<std::string>& known() {
    static const std::set<std::string> words{
        "$schema",     "title",    "description", "type",    "properties",
        "required",    "enum",     "const",       "items",   "additionalProperties",
        "minItems",    "maxItems", "minimum",     "maximum", "exclusiveMinimum",
        "prefixItems", "anyOf",    "oneOf",       "pattern"};
    return words;
}

} // namespace

std::vector<std::string> breaks(const json& schema, const json& value, const std::string& path) {
    std::vector<std::string> out;
    const auto say = [&](const std::string& what) { out.push_back((path.empty() ? "." : path) + ": " + what); };
    const auto inside = [&](const json& rule, const json& part, const std::string& name) {
        const auto more = breaks(rule, part, path + name);
        out.insert(out.end(), more.begin(), more.end());
    };
    if (schema.is_boolean()) {
        if (!schema.get<bool>())
            say("is not allowed");
        return out;
    }
    for (const auto& [word, rule] : schema.items())
        if (!known().contains(word))
            say("the schema says " + word + ", which is not checked here");
    if (schema.contains("type")) {
        const json& type = schema["type"];
        const bool fits = type.is_array()
                              ? std::any_of(type.begin(), type.end(),
                                            [&](const json& t) { return isOf(t.get<std::string>(), value); })
                              : isOf(type.get<std::string>(), value);
        if (!fits) {
            say("is not of type " + type.dump());
            return out;
        }
    }
    if (schema.contains("const") && schema["const"] != value)
        say("is not " + schema["const"].dump());
    if (schema.contains("enum") &&
        std::find(schema["enum"].begin(), schema["enum"].end(), value) == schema["enum"].end())
        say(value.dump() + " is not one of " + schema["enum"].dump());
    for (const char* way : {"anyOf", "oneOf"})
        if (schema.contains(way) && std::none_of(schema[way].begin(), schema[way].end(),
                                                 [&](const json& one) { return breaks(one, value).empty(); }))
            say("fits none of its forms");
    if (schema.contains("pattern") && value.is_string() &&
        !std::regex_search(value.get<std::string>(), std::regex(schema["pattern"].get<std::string>())))
        say("is not written as it should be");
    if (value.is_number()) {
        const auto number = value.get<double>();
        if (schema.contains("minimum") && number < schema["minimum"].get<double>())
            say("is too small");
        if (schema.contains("exclusiveMinimum") && number <= schema["exclusiveMinimum"].get<double>())
            say("is too small");
        if (schema.contains("maximum") && number > schema["maximum"].get<double>())
            say("is too large");
    }
    if (value.is_array()) {
        if (schema.contains("minItems") && value.size() < schema["minItems"].get<std::size_t>())
            say("has too few entries");
        if (schema.contains("maxItems") && value.size() > schema["maxItems"].get<std::size_t>())
            say("has too many entries");
        const std::size_t first = schema.contains("prefixItems") ? schema["prefixItems"].size() : 0;
        for (std::size_t i = 0; i < value.size(); ++i)
            if (i < first)
                inside(schema["prefixItems"][i], value[i], "[" + std::to_string(i) + "]");
            else if (schema.contains("items"))
                inside(schema["items"], value[i], "[" + std::to_string(i) + "]");
    }
    if (value.is_object()) {
        for (const json& name : schema.value("required", json::array()))
            if (!value.contains(name.get<std::string>()))
                say("lacks " + name.get<std::string>());
        const json properties = schema.value("properties", json::object());
        for (const auto& [name, part] : value.items())
            if (properties.contains(name))
                inside(properties[name], part, "." + name);
            else if (schema.contains("additionalProperties"))
                inside(schema["additionalProperties"], part, "." + name);
    }
    return out;
}

} // namespace thicket
