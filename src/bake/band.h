#pragma once
// What an eye sees of a field where one level gives way to another: whether a line goes across the ground.

#include "bake/pop.h"

#include <span>

namespace thicket {

constexpr double kBandWidth = 192; ///< pixels of the screen that a shot is wide

/// A copy of a field near such a place. Neither appearance is owned.
struct BandCopy {
    const Appearance* finer = nullptr;
    const Appearance* coarser = nullptr;
    Vec3d position{0, 0, 0};
    Quatd rotation{1, 0, 0, 0};
    double scale = 1;
    bool soft = false;   ///< the coarser level shows where copies switch one by one
    bool sudden = false; ///< and where all switch at one distance
};

/// Copies seen from a place. The middle of the picture is `target`, where one of them switches.
struct BandShot {
    Vec3d eye{0, 0, 0};
    Vec3d target{0, 0, -1};
    std::vector<BandCopy> copies;
};

/// CIELAB 1976 between mean colours.
struct BandLine {
    /// How far what the switch changes differs between two strips of the picture that lie on each other, at most: where
    /// copies switch one by one, and where all do at one distance.
    double soft = 0;
    double sudden = 0;
    double scale = 1; ///< pixels looked at for each of the screen's
    Pixels softly;    ///< of the first shot; alpha is cover
    Pixels suddenly;
    Pixels difference; ///< what switching one by one changes against the finer level alone, white at 20
};

/// Looks at each shot with all at the finer level, switched one by one, switched at one distance, and all at the coarser
/// level. What is compared are strips over the whole width of all shots, eight pixels of the screen high: what single copies change
/// goes into their mean, so what is left is what makes a line.
/// pixelsPerMetre  at one metre of depth: the stated view's pixel scale.
/// REQUIRES   at least one shot; all from the same side above, about as far from their targets.
/// ERRORS     Cancelled.
/// COST       pixels * samples^2 rays at each copy that a ray may meet.
/// THREADS    uses all cores; the result does not depend on how many.
Result<BandLine> lookAtBand(std::span<const BandShot> shots, double pixelsPerMetre, const PopOptions& options,
                            const JobContext& job);

} // namespace thicket
