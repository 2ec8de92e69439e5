#include "io/json/fields.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>

namespace thicket::json {
namespace {

double numberIn(const ordered_json& value, const std::string& field) {
    if (!value.is_number())
        throw FieldError(field + ": is not a number");
    return value.get<double>();
}

void checkRange(double value, double low, double high, const std::string& field) {
    if (!(value >= low && value <= high))
        throw FieldError(fmt::format("{}: {} is not between {} and {}", field, value, low, high));
}

} // namespace

bool tooDeep(std::string_view text) {
    int depth = 0;
    bool quoted = false;
    for (std::size_t i = 0; i < text.size(); ++i) {
        const char c = text[i];
        if (quoted) {
            if (c == '\\')
                ++i;
            else if (c == '"')
                quoted = false;
            continue;
        }
        if (c == '"')
            quoted = true;
        else if (c == '{' || c == '[')
            ++depth;
        else if (c == '}' || c == ']')
            --depth;
        if (depth > kDeepest)
            return true;
    }
    return false;
}

ordered_json parse(const std::string& text) {
    if (tooDeep(text))
        throw FieldError(fmt::format("is nested deeper than {} lists and objects", kDeepest));
    try {
        return ordered_json::parse(text);
    } catch (const nlohmann::json::parse_error& e) {
        throw FieldError(fmt::format("is not whole JSON (byte {})", e.byte));
    }
}

const ordered_json& member(const ordered_json& object, const char* name, const std::string& path) {
    if (!object.is_object())
        throw FieldError((path.empty() ? std::string("the file") : path.substr(0, path.size() - 1)) +
                         ": is not an object");
    const auto found = object.find(name);
    if (found == object.end())
        throw FieldError(path + name + ": is missing");
    return *found;
}

const ordered_json& list(const ordered_json& in, const char* name, const std::string& path) {
    const ordered_json& value = member(in, name, path);
    if (!value.is_array())
        throw FieldError(path + name + ": is not a list");
    return value;
}

const ordered_json& object(const ordered_json& in, const char* name, const std::string& path) {
    const ordered_json& value = member(in, name, path);
    if (!value.is_object())
        throw FieldError(path + name + ": is not an object");
    return value;
}

std::string string(const ordered_json& in, const char* name, const std::string& path) {
    const ordered_json& value = member(in, name, path);
    if (!value.is_string())
        throw FieldError(path + name + ": is not a text");
    return value.get<std::string>();
}

std::string string(const ordered_json& in, const char* name, const std::string& path, const std::string& fallback) {
    return in.contains(name) ? string(in, name, path) : fallback;
}

bool flag(const ordered_json& in, const char* name, const std::string& path, bool fallback) {
    if (!in.contains(name))
        return fallback;
    const ordered_json& value = member(in, name, path);
    if (!value.is_boolean())
        throw FieldError(path + name + ": is not true or false");
    return value.get<bool>();
}

double number(const ordered_json& in, const char* name, const std::string& path, double low, double high) {
    const double value = numberIn(member(in, name, path), path + name);
    checkRange(value, low, high, path + name);
    return value;
}

double number(const ordered_json& in, const char* name, const std::string& path, double low, double high,
              double fallback) {
    return in.contains(name) ? number(in, name, path, low, high) : fallback;
}

template <class T> T integer(const ordered_json& in, const char* name, const std::string& path, T low, T high) {
    const double value = numberIn(member(in, name, path), path + name);
    if (value != std::floor(value))
        throw FieldError(fmt::format("{}{}: {} is not a whole number", path, name, value));
    checkRange(value, static_cast<double>(low), static_cast<double>(high), path + name);
    return static_cast<T>(value);
}
template int integer<int>(const ordered_json&, const char*, const std::string&, int, int);
template std::uint32_t integer<std::uint32_t>(const ordered_json&, const char*, const std::string&, std::uint32_t,
                                              std::uint32_t);
template std::uint64_t integer<std::uint64_t>(const ordered_json&, const char*, const std::string&, std::uint64_t,
                                              std::uint64_t);

std::vector<double> numbers(const ordered_json& in, const char* name, const std::string& path) {
    std::vector<double> out;
    for (const ordered_json& value : list(in, name, path))
        out.push_back(numberIn(value, fmt::format("{}{}[{}]", path, name, out.size())));
    return out;
}

bool isHash(std::string_view text) {
    return text.size() == 32 && std::all_of(text.begin(), text.end(),
                                            [](char c) { return (c >= '0' && c <= '9') || (c >= 'a' && c <= 'f'); });
}

std::string hash(const ordered_json& in, const char* name, const std::string& path) {
    std::string value = string(in, name, path, "");
    if (!value.empty() && !isHash(value))
        throw FieldError(path + name + ": is not a hash of 32 hexadecimal digits");
    return value;
}

Vec3d vector3(const ordered_json& in, const char* name, const std::string& path) {
    const auto values = numbers(in, name, path);
    if (values.size() != 3)
        throw FieldError(path + name + ": needs three numbers");
    for (const double value : values)
        checkRange(value, -1e12, 1e12, path + name);
    return {values[0], values[1], values[2]};
}

ordered_json array3(const Vec3d& v) {
    return {v.x(), v.y(), v.z()};
}

ordered_json snakeCase(const ordered_json& value) {
    if (value.is_array()) {
        ordered_json out = ordered_json::array();
        for (const ordered_json& item : value)
            out.push_back(snakeCase(item));
        return out;
    }
    if (!value.is_object())
        return value;
    ordered_json out = ordered_json::object();
    for (const auto& [name, item] : value.items()) {
        std::string plain;
        for (const char c : name) {
            if (c >= 'A' && c <= 'Z')
                plain += {'_', static_cast<char>(c - 'A' + 'a')};
            else
                plain += c;
        }
        out[plain] = snakeCase(item);
    }
    return out;
}

} // namespace thicket::json
