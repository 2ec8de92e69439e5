#include "emitters/emitter.h"

#include "base/text.h"
#include "emitters/particles.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>

namespace thicket {
namespace {

/// The level that one inherits from; `level` above 0.
std::size_t finerOf(const Emitter& emitter, std::size_t level) {
    return emitter.levels[level].inherits.value_or(static_cast<std::uint32_t>(level - 1));
}

void lay(const PartOverride& over, EmitterPart& part) {
    part.on = over.on.value_or(part.on);
    part.rate = over.rate.value_or(part.rate);
    part.lifetime = over.lifetime.value_or(part.lifetime);
    part.size = over.size.value_or(part.size);
    part.speed = over.speed.value_or(part.speed);
}

} // namespace

bool PartOverride::says(PartValue value) const {
    switch (value) {
    case PartValue::On:
        return on.has_value();
    case PartValue::Rate:
        return rate.has_value();
    case PartValue::Lifetime:
        return lifetime.has_value();
    case PartValue::Size:
        return size.has_value();
    case PartValue::Speed:
        return speed.has_value();
    }
    return false;
}

void PartOverride::clear(PartValue value) {
    switch (value) {
    case PartValue::On:
        on.reset();
        break;
    case PartValue::Rate:
        rate.reset();
        break;
    case PartValue::Lifetime:
        lifetime.reset();
        break;
    case PartValue::Size:
        size.reset();
        break;
    case PartValue::Speed:
        speed.reset();
        break;
    }
}

std::vector<EmitterPart> partsAt(const Emitter& emitter, std::size_t level) {
    std::vector<std::size_t> line; // from the level asked for to the source
    for (std::size_t l = level; l > 0; l = finerOf(emitter, l))
        line.push_back(l);
    std::vector<EmitterPart> out = emitter.parts;
    for (auto l = line.rbegin(); l != line.rend(); ++l)
        for (std::size_t p = 0; p < out.size(); ++p)
            lay(emitter.levels[*l].parts[p], out[p]);
    return out;
}

std::size_t saidBy(const Emitter& emitter, std::size_t level, std::size_t part, PartValue value) {
    std::size_t l = level;
    while (l > 0 && !emitter.levels[l].parts[part].says(value))
        l = finerOf(emitter, l);
    return l;
}

std::size_t ownValues(const EmitterLevel& level) {
    std::size_t out = 0;
    for (const PartOverride& part : level.parts)
        for (const auto& value : kPartValues)
            out += part.says(value.value) ? 1 : 0;
    return out;
}

EmitterLevel nextLevel(const Emitter& emitter, double share, double metres) {
    EmitterLevel out;
    out.from.value = metres;
    for (const EmitterPart& part : partsAt(emitter, emitter.levels.size() - 1)) {
        PartOverride over;
        if (part.on && part.rate > 0)
            over.rate = std::max(0.01, std::round(100 * part.rate * share) / 100);
        out.parts.push_back(over);
    }
    return out;
}

namespace {

bool within(double v, double low, double high) {
    return v >= low && v <= high; // false for what is no number
}

/// What is wrong with a part's values; empty when nothing is.
std::string problemOf(const EmitterPart& p) {
    if (!within(p.rate, 0, 1e12))
        return "its rate is negative or no number";
    if (!within(p.burst, 0, 1e12) || !within(p.burstEvery, 0.01, 1e6))
        return "its burst cannot be";
    if (!(p.lifetime.low > 0) || !within(p.lifetime.high, 0.01, 3600))
        return "its lifetime is not between 0 and 3600 seconds";
    if (!(p.lifetime.low <= p.lifetime.high))
        return "its lifetime is upside down: the shortest is longer than the longest";
    if (!within(p.size.low, 0, 1e4) || !within(p.size.high, 1e-4, 1e4) || p.size.low > p.size.high)
        return "its size is negative, upside down or beyond 10 km";
    if (!within(p.sizeAtBirth, 0, 100) || !within(p.sizeAtEnd, 0, 100))
        return "its size over life is negative or beyond 100 times";
    if (!within(p.speed.low, 0, 1e4) || !within(p.speed.high, 0, 1e4) || p.speed.low > p.speed.high)
        return "its speed is negative or upside down";
    if (!p.direction.allFinite() || std::abs(p.direction.norm() - 1) > 1e-3)
        return "its direction is not of length 1";
    if (!within(p.spreadDegrees, 0, 180))
        return "its spread is not between 0 and 180 degrees";
    if (!p.pull.allFinite() || p.pull.norm() > 1e4 || !p.from.allFinite() || p.from.minCoeff() < 0 ||
        p.from.maxCoeff() > 1e5 || !p.middle.allFinite() || p.middle.norm() > 1e5)
        return "what pulls at it, or the box it begins in, cannot be";
    if (!p.colour.allFinite() || !p.colourAtEnd.allFinite() || p.colour.minCoeff() < 0 || p.colourAtEnd.minCoeff() < 0)
        return "a colour is negative or no number";
    if (!within(p.opacity, 0, 1) || !within(p.fadeIn, 0, 1) || !within(p.fadeOut, 0, 1))
        return "its opacity is not between 0 and 1";
    return {};
}

} // namespace

Result<void> checkEmitter(const Emitter& emitter, const std::string& where) {
    const auto bad = [&](const std::string& what) { return Error{ErrorCode::BadInput, where, what, "mend the value"}; };
    if (emitter.parts.empty() || emitter.parts.size() > Emitter::kMostParts)
        return bad(fmt::format("has {} parts; 1 to {} can be", emitter.parts.size(), Emitter::kMostParts));
    if (emitter.levels.empty() || emitter.levels.size() > Emitter::kMostLevels)
        return bad(fmt::format("has {} levels; 1 to {} can be", emitter.levels.size(), Emitter::kMostLevels));
    for (std::size_t l = 0; l < emitter.levels.size(); ++l) {
        const EmitterLevel& level = emitter.levels[l];
        if (level.inherits && *level.inherits >= l)
            return bad(fmt::format("level {} inherits from {}, which is {}", l, *level.inherits,
                                   *level.inherits == l ? "itself" : "a coarser one"));
        if (level.parts.size() != emitter.parts.size())
            return bad(fmt::format("level {} speaks of {} parts, and there are {}", l, level.parts.size(),
                                   emitter.parts.size()));
        const FixedSwitch& before = emitter.levels[l > 0 ? l - 1 : 0].from;
        if (!within(level.from.value, 0, 1e9) || (l == 0 && level.from != FixedSwitch()) ||
            (level.from.unit == DecideBy::Distance && before.unit == DecideBy::Distance &&
             level.from.value < before.value))
            return bad(fmt::format("level {} comes in at {} m; distances rise from 0", l, level.from.value));
    }
    if (ownValues(emitter.levels.front()) > 0)
        return bad("the first level says something otherwise: it is the source");
    if (emitter.forced && *emitter.forced >= emitter.levels.size())
        return bad(fmt::format("level {} is forced, and there is none", *emitter.forced));
    for (std::size_t l = 0; l < emitter.levels.size(); ++l) {
        const std::vector<EmitterPart> parts = partsAt(emitter, l);
        for (const EmitterPart& part : parts)
            if (const std::string problem = problemOf(part); !problem.empty())
                return bad(fmt::format("level {}, part “{}”: {}", l, part.name, problem));
        if (const double worst = forecastOf(parts).worst; worst > kMostParticles)
            return Error{ErrorCode::TooLarge, where,
                         fmt::format("level {} would have {} particles at its worst", l, shortCount(worst)),
                         fmt::format("lower a rate or a lifetime; at most {} can be",
                                     grouped(static_cast<std::int64_t>(kMostParticles)))};
    }
    return {};
}

} // namespace thicket
