#pragma once
// Emitters: smoke, sparks, mist. Several parts that give off particles, in levels that name only what differs.

#include "base/named.h"
#include "base/result.h"
#include "mesh/vec.h"
#include "switching/chain_rule.h"

#include <cstdint>
#include <filesystem>
#include <memory>
#include <optional>
#include <string>
#include <vector>

namespace thicket {

/// Evenly between two values.
struct Between {
    double low = 0;
    double high = 0;
    [[nodiscard]] double mean() const { return (low + high) / 2; }
    bool operator==(const Between&) const = default;
};

/// What a level may say otherwise of a part.
enum class PartValue { On, Rate, Lifetime, Size, Speed };
constexpr Named<PartValue> kPartValues[] = {{PartValue::On, "on", "On"},
                                            {PartValue::Rate, "rate", "Rate"},
                                            {PartValue::Lifetime, "lifetime", "Lifetime"},
                                            {PartValue::Size, "size", "Size"},
                                            {PartValue::Speed, "speed", "Speed"}};
constexpr std::span<const Named<PartValue>> namesOf(PartValue /*any*/) {
    return kPartValues;
}

/// A part at its finest. Lengths are metres, times seconds; colours are linear.
struct EmitterPart {
    std::string name;
    bool on = true;
    double rate = 20;         ///< particles a second
    double burst = 0;         ///< particles at once besides, each `burstEvery`
    double burstEvery = 1;    ///< seconds
    Between lifetime{3, 4};   ///< of a particle
    Between size{0.8, 1.2};   ///< across, at the middle of its life
    double sizeAtBirth = 0.5; ///< times that, at the beginning and the end of its life; straight between
    double sizeAtEnd = 1.5;
    Between speed{0.2, 0.4};             ///< when it is given off, metres a second
    Vec3d direction{0, 1, 0};            ///< of length 1
    double spreadDegrees = 15;           ///< 0..180; away from the direction at most
    Vec3d pull{0, 0, 0};                 ///< metres a second squared: gravity, wind, lift
    Vec3d from{0.5, 0, 0.5};             ///< half of the box that particles begin in
    Vec3d middle{0, 0, 0};               ///< and its middle
    Vec3f colour{0.7F, 0.7F, 0.7F};      ///< at birth
    Vec3f colourAtEnd{0.7F, 0.7F, 0.7F}; ///< straight between
    double opacity = 0.3;                ///< 0..1, at its most
    double fadeIn = 0.2;                 ///< 0..1; share of its life after which it is at its most
    double fadeOut = 0.5;                ///< and from which on it goes
    bool glows = false;                  ///< adds light instead of covering
    bool local = false;                  ///< particles move with the emitter; else they stay in the world
    std::filesystem::path sprite;        ///< a picture, beside the file; empty: a soft disc
    bool operator==(const EmitterPart&) const = default;
};

/// What a level says of one part; what is empty it has from the level that it inherits from.
struct PartOverride {
    std::optional<bool> on;
    std::optional<double> rate;
    std::optional<Between> lifetime;
    std::optional<Between> size;
    std::optional<Between> speed;

    [[nodiscard]] bool says(PartValue value) const;
    void clear(PartValue value);
    bool operator==(const PartOverride&) const = default;
};

struct EmitterLevel {
    std::optional<std::uint32_t> inherits; ///< a finer level; empty: the next finer one
    std::vector<PartOverride> parts;       ///< one a part of the emitter
    FixedSwitch from;                      ///< where it comes in
    bool operator==(const EmitterLevel&) const = default;
};

/// What says which level shows.
enum class LevelBy { Distance, Tier };
constexpr Named<LevelBy> kLevelBy[] = {{LevelBy::Distance, "distance", "Distance"}, {LevelBy::Tier, "tier", "Device"}};
constexpr std::span<const Named<LevelBy>> namesOf(LevelBy /*any*/) {
    return kLevelBy;
}

struct Emitter {
    static constexpr std::size_t kMostParts = 16;
    static constexpr std::size_t kMostLevels = 8;
    std::vector<EmitterPart> parts;   ///< at least one
    std::vector<EmitterLevel> levels; ///< the first is the source and says nothing otherwise
    LevelBy levelBy = LevelBy::Distance;
    std::optional<std::uint32_t> forced; ///< this level, whatever the distance and the device
    std::uint32_t seed = 1;
    bool operator==(const Emitter&) const = default;
};

/// The parts of a level with everything filled in.
/// REQUIRES   a level that there is.
std::vector<EmitterPart> partsAt(const Emitter& emitter, std::size_t level);

/// Where a level has a value of a part from: itself, or the finer level that says it; 0 is the source.
std::size_t saidBy(const Emitter& emitter, std::size_t level, std::size_t part, PartValue value);

/// The same, for all levels of it.
std::size_t ownValues(const EmitterLevel& level);

/// A coarser level after the last: what it gives off is a share of that, and it says nothing else.
EmitterLevel nextLevel(const Emitter& emitter, double share, double metres);

/// More particles than this are refused: at the worst moment, of one emitter.
constexpr double kMostParticles = 200'000;

/// Checks an emitter once, on entry.
/// ERRORS   BadInput naming the part and value: a negative rate, a lifetime upside down, a level that inherits from
///          itself or a coarser one, too many parts; TooLarge with the forecast beyond kMostParticles.
Result<void> checkEmitter(const Emitter& emitter, const std::string& where);

} // namespace thicket
