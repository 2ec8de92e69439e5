#pragma once
// What a scene costs wherever one may stand in it: a map that needs no route.

#include "budget/audit.h"

#include <array>

namespace thicket {

struct SweepOptions {
    double spacing = 5;     ///< metres between places, > 0
    double eyeHeight = 1.7; ///< metres above the ground; where there is none, above the lowest of those things
    int directions = 4; ///< 1..36 that are looked in at each, evenly all round; four of a usual picture leave no gap
    /// Low X, low Z, high X, high Z, metres; empty: over all that is placed and a spacing beyond, but for
    /// what is seen far off (Role::Horizon); where there is nothing else, that too, and of terrains alone all.
    std::optional<std::array<double, 4>> area;
};

/// The dearest direction at one place.
struct SweepPlace {
    double x = 0;
    double z = 0;
    double eye = 0; ///< Y of the camera
    double ms = 0;
    std::uint64_t triangles = 0; ///< the most of any direction, and so are draws
    std::uint64_t draws = 0;
    double degrees = 0; ///< of the dearest direction, from +X towards +Z
    bool over = false;  ///< in some direction over one of the device's budgets
};

struct Sweep {
    std::uint32_t columns = 0; ///< along X
    std::uint32_t rows = 0;    ///< along Z
    double spacing = 0;
    std::vector<SweepPlace> places;   ///< row by row
    std::size_t over = 0;             ///< of them
    std::vector<std::size_t> dearest; ///< the ten worst, four spacings from each other
    /// The dearest places, at least `apart` metres from each other, dearest first.
    [[nodiscard]] std::vector<std::size_t> worst(std::size_t most, double apart) const;
};

/// As comma-separated values, a row a place.
std::string sweepTable(const Sweep& sweep);

constexpr std::size_t kMostSweepPlaces = 250'000;

/// How many columns and rows a sweep has.
/// ERRORS     BadInput: a spacing, height, count or area that is none; a scene in which nothing is placed. TooLarge: more
///            than kMostSweepPlaces, refused before anything is made.
Result<std::pair<std::uint32_t, std::uint32_t>> sweepSize(const Scene& scene, const SweepOptions& options);

/// Stands at every place and looks all round with the stated view on a device. Levels are as they are where one comes to
/// stand: without hysteresis and fades, so that a place costs the same whichever way one came. Hidden things count as
/// they do in audits.
/// ERRORS     as sweepSize; Cancelled.
/// COST       places * directions selections, each from what was near the one before.
/// THREADS    uses all cores; the result does not depend on how many.
Result<Sweep> sweepScene(const Scene& scene, const Device& device, const SweepOptions& options, const JobContext& job);

} // namespace thicket
