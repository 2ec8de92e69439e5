#pragma once
// JSON values in and out, strictly: what is of another kind, out of its range or nested too deep is an error that names
// the field, never a silent conversion.

#include "base/named.h"
#include "base/result.h"
#include "mesh/vec.h"

#include <nlohmann/json.hpp>
#include <stdexcept>
#include <string>
#include <type_traits>
#include <vector>

namespace thicket::json {

using nlohmann::ordered_json;

/// Thrown inside a decoder only, and caught there (`decoded`): becomes an Error naming the field.
struct FieldError : std::runtime_error {
    using std::runtime_error::runtime_error;
};

constexpr int kDeepest = 64; ///< nesting of lists and objects; deeper files are refused before they are parsed

/// The tree of a text. Throws FieldError when it is nested deeper than kDeepest or is not JSON.
ordered_json parse(const std::string& text);

/// Whether a text nests lists and objects deeper than kDeepest, in one pass without a stack of its own.
bool tooDeep(std::string_view text);

/// Runs a decoder; what it throws becomes a BadInput with this place and remedy.
template <class Decode>
auto decoded(const std::string& where, const std::string& remedy, const Decode& decode)
    -> Result<std::invoke_result_t<Decode>> {
    const auto bad = [&](const std::string& what) { return Error{ErrorCode::BadInput, where, what, remedy}; };
    try {
        return decode();
    } catch (const FieldError& e) {
        return bad(e.what());
    } catch (const nlohmann::json::exception&) {
        return bad("has a field of the wrong kind");
    }
}

/// The member `name` of `object`; FieldError "subjects[2].name: is missing". `path` names the object.
const ordered_json& member(const ordered_json& object, const char* name, const std::string& path);
const ordered_json& list(const ordered_json& object, const char* name, const std::string& path);
const ordered_json& object(const ordered_json& object, const char* name, const std::string& path);
std::string string(const ordered_json& object, const char* name, const std::string& path);
std::string string(const ordered_json& object, const char* name, const std::string& path, const std::string& fallback);
bool flag(const ordered_json& object, const char* name, const std::string& path, bool fallback);
/// Within low..high, ends included.
double number(const ordered_json& object, const char* name, const std::string& path, double low, double high);
double number(const ordered_json& object, const char* name, const std::string& path, double low, double high,
              double fallback);
std::vector<double> numbers(const ordered_json& object, const char* name, const std::string& path);
/// 32 hexadecimal digits, as contentHash gives them; or empty where that is allowed.
std::string hash(const ordered_json& object, const char* name, const std::string& path);
bool isHash(std::string_view text);
Vec3d vector3(const ordered_json& object, const char* name, const std::string& path);
ordered_json array3(const Vec3d& v);

/// A whole number within low..high.
template <class T> T integer(const ordered_json& object, const char* name, const std::string& path, T low, T high);
template <class T>
T integer(const ordered_json& object, const char* name, const std::string& path, T low, T high, T fallback) {
    return object.contains(name) ? integer<T>(object, name, path, low, high) : fallback;
}

/// One of an enumeration's keys.
template <class E> E choice(const ordered_json& object, const char* name, const std::string& path) {
    const std::string key = string(object, name, path);
    const auto value = fromKey<E>(key);
    if (!value)
        throw FieldError(path + name + ": \"" + key + "\" is not " + keyList<E>());
    return *value;
}

/// As text. A path that is not UTF-8 is written with U+FFFD in place of what cannot be.
inline std::string text(const ordered_json& value, int indent) {
    return value.dump(indent, ' ', false, ordered_json::error_handler_t::replace);
}

/// The same tree with names as the command line writes them: "fromMetres" as "from_metres".
ordered_json snakeCase(const ordered_json& value);

} // namespace thicket::json
