#pragma once
// JSON values in and out with errors that name the field.

#include "bake/impostor.h"
#include "base/result.h"
#include "mesh/care.h"
#include "switching/chain_rule.h"

#include <nlohmann/json.hpp>
#include <stdexcept>
#include <string>

namespace thicket::json {

using nlohmann::ordered_json;

/// Thrown inside a decoder only, and caught there: becomes an Error naming the field.
struct FieldError : std::runtime_error {
    using std::runtime_error::runtime_error;
};

/// The field `name` of `object` as T, or FieldError "subjects[2].name: ..." ; `path` names the object.
template <class T> T get(const ordered_json& object, const char* name, const std::string& path) {
    const auto found = object.find(name);
    if (found == object.end())
        throw FieldError(path + name + ": is missing");
    try {
        return found->get<T>();
    } catch (const nlohmann::json::exception&) {
        throw FieldError(path + name + ": is of the wrong kind");
    }
}
template <class T> T get(const ordered_json& object, const char* name, const std::string& path, const T& fallback) {
    return object.contains(name) ? get<T>(object, name, path) : fallback;
}
/// As text. A path that is not UTF-8 is written with U+FFFD in place of what cannot be.
inline std::string text(const ordered_json& value, int indent) {
    return value.dump(indent, ' ', false, ordered_json::error_handler_t::replace);
}
double number(const ordered_json& object, const char* name, const std::string& path, double low, double high);
double number(const ordered_json& object, const char* name, const std::string& path, double low, double high,
              double fallback);
Vec3d vector3(const ordered_json& object, const char* name, const std::string& path);
ordered_json array3(const Vec3d& v);

std::string key(DecideBy value);
std::string key(MeasureFrom value);
DecideBy decideBy(const std::string& key, const std::string& path);
MeasureFrom measureFrom(const std::string& key, const std::string& path);
ordered_json encode(const FixedSwitch& fixed);
FixedSwitch decodeFixed(const ordered_json& object, const std::string& path);
ordered_json encode(const SwitchRule& rule);
ordered_json encode(const Care& care);
Care decodeCare(const ordered_json& list, const std::string& path);
SwitchRule decodeRule(const ordered_json& object, const std::string& path);

ordered_json encode(const ViewGrid& grid);
ViewGrid decodeViews(const ordered_json& in, const std::string& path);

} // namespace thicket::json
