#pragma once
// How far outlines are apart: what an eye sees of a level that is not a closer look at its surface.

#include "bake/appearance.h"

#include "base/job.h"

#include <functional>

namespace thicket {

struct SilhouetteOptions {
    int directions = 12;                       ///< round the upright axis
    std::vector<double> elevations{0.05, 0.5}; ///< radians above the horizon, for each of them
    int cells = 192;                           ///< along the larger side of the picture
};

/// From all directions together, in metres across the line of sight.
struct SilhouetteDifference {
    double shift = 0; ///< the farthest that a place covered by one is from the nearest that the other covers
    double p99 = 0;   ///< 99 % of covered places are nearer
    double rms = 0;
    double cell = 0;    ///< width of a cell: what the figures are exact to
    double changed = 0; ///< cells covered by one alone, as a share of those the first covers
};

/// Casts parallel rays through a grid of cells at both, and measures with exact distance maps.
/// COST       directions * elevations * cells^2 rays at each.
/// ERRORS     Cancelled.
/// THREADS    uses all cores.
/// SOURCE     Felzenszwalb & Huttenlocher 2012 (distance transform of sampled functions).
Result<SilhouetteDifference> silhouetteDifference(const Appearance& a, const Appearance& b,
                                                  const SilhouetteOptions& options, const JobContext& job);

/// The same for something that looks otherwise from every side: `lookOf` gives what is seen from a direction (unit,
/// towards the camera), and what it gave last is not used any more. `bounds` hold all that it can give.
Result<SilhouetteDifference> silhouetteDifference(const Appearance& a,
                                                  const std::function<const Appearance&(const Vec3d& back)>& lookOf,
                                                  const Bounds& bounds, const SilhouetteOptions& options,
                                                  const JobContext& job);

/// Distance of every cell to the nearest covered one, in cells; very large where none is covered.
std::vector<float> distanceMap(const std::vector<std::uint8_t>& covered, int width, int height);

} // namespace thicket
