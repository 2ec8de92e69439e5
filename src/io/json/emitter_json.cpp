#include "io/json/emitter_json.h"

#include "base/file.h"
#include "io/json/switching_json.h"

#include <fmt/format.h>

namespace thicket::json {
namespace {

constexpr double kAny = 1e15; // what a number may be before checkEmitter says what is wrong with it

ordered_json encode(const Between& b) {
    return {b.low, b.high};
}

Between decodeBetween(const ordered_json& in, const char* name, const std::string& path) {
    const auto v = numbers(in, name, path);
    if (v.size() != 2)
        throw FieldError(path + name + ": needs two numbers, the least and the most");
    return {v[0], v[1]};
}

ordered_json encode(const EmitterPart& p, const std::filesystem::path& folder) {
    ordered_json out{{"name", p.name}};
    if (!p.on)
        out["on"] = false;
    out["rate"] = p.rate;
    if (p.burst > 0)
        out["burst"] = {{"count", p.burst}, {"every", p.burstEvery}};
    out["lifetime"] = encode(p.lifetime);
    out["size"] = encode(p.size);
    out["sizeOverLife"] = {p.sizeAtBirth, p.sizeAtEnd};
    out["speed"] = encode(p.speed);
    out["direction"] = array3(p.direction);
    out["spread"] = p.spreadDegrees;
    out["pull"] = array3(p.pull);
    out["from"] = {{"middle", array3(p.middle)}, {"half", array3(p.from)}};
    out["colour"] = array3(p.colour.cast<double>());
    out["colourAtEnd"] = array3(p.colourAtEnd.cast<double>());
    out["opacity"] = {{"most", p.opacity}, {"in", p.fadeIn}, {"out", p.fadeOut}};
    if (p.glows)
        out["glows"] = true;
    if (p.local)
        out["local"] = true;
    if (!p.sprite.empty()) {
        const auto relative = p.sprite.lexically_relative(fullPath(folder));
        out["sprite"] = (relative.empty() ? p.sprite : relative).generic_string();
    }
    return out;
}

EmitterPart decodePart(const ordered_json& in, const std::filesystem::path& folder, const std::string& path) {
    EmitterPart p;
    p.name = string(in, "name", path);
    p.on = flag(in, "on", path, true);
    p.rate = number(in, "rate", path, -kAny, kAny);
    if (in.contains("burst")) {
        const ordered_json& burst = object(in, "burst", path);
        p.burst = number(burst, "count", path + "burst.", 0, kAny);
        p.burstEvery = number(burst, "every", path + "burst.", 0, kAny);
    }
    p.lifetime = decodeBetween(in, "lifetime", path);
    p.size = decodeBetween(in, "size", path);
    if (in.contains("sizeOverLife")) {
        const Between over = decodeBetween(in, "sizeOverLife", path);
        p.sizeAtBirth = over.low;
        p.sizeAtEnd = over.high;
    }
    if (in.contains("speed"))
        p.speed = decodeBetween(in, "speed", path);
    if (in.contains("direction")) {
        p.direction = vector3(in, "direction", path);
        if (!(p.direction.norm() > 1e-6))
            throw FieldError(path + "direction: has no length");
        if (std::abs(p.direction.norm() - 1) > 1e-12)
            p.direction.normalize();
    }
    p.spreadDegrees = number(in, "spread", path, -kAny, kAny, p.spreadDegrees);
    if (in.contains("pull"))
        p.pull = vector3(in, "pull", path);
    if (in.contains("from")) {
        const ordered_json& from = object(in, "from", path);
        p.middle = vector3(from, "middle", path + "from.");
        p.from = vector3(from, "half", path + "from.");
    }
    if (in.contains("colour")) {
        p.colour = vector3(in, "colour", path).cast<float>();
        p.colourAtEnd = in.contains("colourAtEnd") ? Vec3f(vector3(in, "colourAtEnd", path).cast<float>()) : p.colour;
    }
    if (in.contains("opacity")) {
        const ordered_json& opacity = object(in, "opacity", path);
        p.opacity = number(opacity, "most", path + "opacity.", -kAny, kAny);
        p.fadeIn = number(opacity, "in", path + "opacity.", -kAny, kAny, p.fadeIn);
        p.fadeOut = number(opacity, "out", path + "opacity.", -kAny, kAny, p.fadeOut);
    }
    p.glows = flag(in, "glows", path, false);
    p.local = flag(in, "local", path, false);
    if (const std::string sprite = string(in, "sprite", path, ""); !sprite.empty())
        p.sprite = (fullPath(folder) / sprite).lexically_normal();
    return p;
}

ordered_json encode(const PartOverride& over) {
    ordered_json out = ordered_json::object();
    if (over.on)
        out["on"] = *over.on;
    if (over.rate)
        out["rate"] = *over.rate;
    if (over.lifetime)
        out["lifetime"] = encode(*over.lifetime);
    if (over.size)
        out["size"] = encode(*over.size);
    if (over.speed)
        out["speed"] = encode(*over.speed);
    return out;
}

PartOverride decodeOverride(const ordered_json& in, const std::string& path) {
    PartOverride out;
    if (!in.is_object())
        throw FieldError(path.substr(0, path.size() - 1) + ": needs the values that differ");
    if (in.contains("on"))
        out.on = flag(in, "on", path, true);
    if (in.contains("rate"))
        out.rate = number(in, "rate", path, -kAny, kAny);
    if (in.contains("lifetime"))
        out.lifetime = decodeBetween(in, "lifetime", path);
    if (in.contains("size"))
        out.size = decodeBetween(in, "size", path);
    if (in.contains("speed"))
        out.speed = decodeBetween(in, "speed", path);
    for (const auto& [key, value] : in.items())
        if (!fromKey<PartValue>(key))
            throw FieldError(path + key + ": is nothing that a level may say otherwise");
    return out;
}

ordered_json head(const Emitter& e) {
    ordered_json out{{"levelBy", keyOf(e.levelBy)}};
    if (e.forced)
        out["forced"] = *e.forced;
    out["seed"] = e.seed;
    return out;
}

ordered_json encodeFrom(const FixedSwitch& from) {
    return from.unit == DecideBy::Distance ? ordered_json(from.value) : json::encode(from);
}

} // namespace

ordered_json encode(const Emitter& e, const std::filesystem::path& folder) {
    ordered_json out = head(e);
    out["parts"] = ordered_json::array();
    for (const EmitterPart& part : e.parts)
        out["parts"].push_back(encode(part, folder));
    out["levels"] = ordered_json::array();
    for (const EmitterLevel& level : e.levels) {
        ordered_json one{{"from", encodeFrom(level.from)}};
        if (level.inherits)
            one["inherits"] = *level.inherits;
        ordered_json differs = ordered_json::object();
        for (std::size_t p = 0; p < level.parts.size(); ++p)
            if (level.parts[p] != PartOverride())
                differs[e.parts[p].name] = encode(level.parts[p]);
        if (!differs.empty())
            one["parts"] = std::move(differs);
        out["levels"].push_back(std::move(one));
    }
    return out;
}

ordered_json encodeResolved(const Emitter& e, const std::filesystem::path& folder) {
    ordered_json out = head(e);
    out["levels"] = ordered_json::array();
    for (std::size_t l = 0; l < e.levels.size(); ++l) {
        ordered_json one{{"from", encodeFrom(e.levels[l].from)}, {"parts", ordered_json::array()}};
        for (const EmitterPart& part : partsAt(e, l)) {
            one["parts"].push_back(encode(part, folder));
            one["parts"].back()["on"] = part.on;
        }
        out["levels"].push_back(std::move(one));
    }
    return out;
}

Emitter decodeEmitter(const ordered_json& in, const std::filesystem::path& folder, const std::string& path) {
    Emitter e;
    if (in.contains("levelBy"))
        e.levelBy = choice<LevelBy>(in, "levelBy", path);
    if (in.contains("forced"))
        e.forced = integer<std::uint32_t>(in, "forced", path, 0, 63);
    e.seed = integer<std::uint32_t>(in, "seed", path, 0, 0xFFFFFFFEU, 1);
    const ordered_json& parts = list(in, "parts", path);
    if (parts.size() > Emitter::kMostParts)
        throw FieldError(fmt::format("{}parts: there are at most {}", path, Emitter::kMostParts));
    for (std::size_t i = 0; i < parts.size(); ++i) {
        e.parts.push_back(decodePart(parts[i], folder, fmt::format("{}parts[{}].", path, i)));
        for (std::size_t k = 0; k < i; ++k)
            if (e.parts[k].name == e.parts[i].name)
                throw FieldError(fmt::format("{}parts[{}].name: “{}” is used twice", path, i, e.parts[i].name));
    }
    const ordered_json& levels = list(in, "levels", path);
    if (levels.size() > Emitter::kMostLevels)
        throw FieldError(fmt::format("{}levels: there are at most {}", path, Emitter::kMostLevels));
    for (std::size_t l = 0; l < levels.size(); ++l) {
        const std::string at = fmt::format("{}levels[{}].", path, l);
        EmitterLevel level;
        level.parts.resize(e.parts.size());
        if (levels[l].is_object() && levels[l].contains("from") && levels[l]["from"].is_object())
            level.from = decodeFixed(levels[l]["from"], at + "from.");
        else
            level.from.value = number(levels[l], "from", at, -kAny, kAny, 0);
        if (levels[l].contains("inherits"))
            level.inherits = integer<std::uint32_t>(levels[l], "inherits", at, 0, 63);
        if (levels[l].contains("parts"))
            for (const auto& [name, value] : object(levels[l], "parts", at).items()) {
                const auto part = std::find_if(e.parts.begin(), e.parts.end(),
                                               [&name = name](const EmitterPart& p) { return p.name == name; });
                if (part == e.parts.end())
                    throw FieldError(fmt::format("{}parts: there is no part “{}”", at, name));
                level.parts[static_cast<std::size_t>(part - e.parts.begin())] =
                    decodeOverride(value, at + "parts." + name + ".");
            }
        e.levels.push_back(std::move(level));
    }
    if (e.levels.empty())
        e.levels.push_back({{}, std::vector<PartOverride>(e.parts.size()), {}});
    return e;
}

} // namespace thicket::json
