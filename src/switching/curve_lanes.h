#pragma once
// The curves of a field at many distances at once, in floats. Internal to the selector.

#include "switching/thinning.h"

#include <array>

namespace thicket::detail {

/// A curve between two of its distances: a line, and where its gain changes.
struct LaneCurve {
    struct Point {
        float at;
        float gain; ///< more from there on, a metre
    };
    float start = 1; ///< at 0 m
    float gain = 0;  ///< a metre
    std::array<Point, DistanceCurve::kMostPoints> points;
    std::size_t count = 0;

    /// REQUIRES a curve of no more points than kMostPoints.
    LaneCurve(const DistanceCurve& of, double nearest, double farthest);
    LaneCurve() = default;
    /// What floats may be off when they add it up, to such a distance.
    [[nodiscard]] double rounding(double farthest) const;
};

/// What is kept, and how many times their own size copies are drawn, between two distances.
struct LaneThinning {
    LaneCurve keep;
    bool held = false; ///< their size holds the cover; else `grow` says it
    LaneCurve grow;
    float band = 0;
    float most = 1; ///< that they grow to where the cover is held
    bool widths = false;

    LaneThinning() = default;
    LaneThinning(const Thinning& of, double nearest, double farthest);
};

// Loops over `count` distances, metres.
void curveOver(const LaneCurve& curve, const float* metres, std::size_t count, float* out);
/// As Thinning::growAt. `kept`: of those distances.
void growthsOver(const LaneThinning& thinning, const float* metres, const float* kept, std::size_t count, float* out);

} // namespace thicket::detail
