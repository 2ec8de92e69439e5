#pragma once
// What of a deviation can be seen. The largest deviation of a scan is set by needles that no pixel ever shows.

#include "base/job.h"
#include "measure/vertex_samples.h"

namespace thicket {

/// One surface of two, with how far each of its vertices is from the other.
struct MeasuredSide {
    const Mesh& mesh;
    const SurfaceQuery& other;
    std::span<const double> distance;       ///< one a vertex, metres
    std::span<const std::uint32_t> closest; ///< one a vertex: the nearest triangle of the other
};

struct VisibleOptions {
    std::uint32_t pieces =
        25'000;             ///< a side is looked at in about so many pieces at least, and where it is off in more
    double floorMetres = 0; ///< below this nothing is looked for; 0: a 4,096th of the largest deviation
};

/// The largest x for which some place p has A(p, x) >= x^2 / 8, where A(p, x) is the area of all that lies within x of
/// p, on either surface, and is off by more than x. Seen from where x is one pixel, all that is off by more round any
/// place then covers less than an eighth of a pixel, so that no pixel changes by more than an eighth of its contrast.
/// Areas are summed round places, not by patches: one lost hair is not seen, a thousand side by side are.
/// From above, to within some 5 %: x falls in steps, pieces are a quarter of x or finer where something is off, and a
/// ball is a little larger than x, for what pieces reach out of it. Never above the largest distance found.
/// COST       O((pieces + V + what is off) log T).
/// THREADS    uses all cores; the result does not depend on how many.
/// RETURNS    metres; at least the floor where anything is off by more; when cancelled, the largest distance found.
double visibleDeviation(const MeasuredSide& one, const MeasuredSide& two, const VisibleOptions& options,
                        const JobContext& job);

/// A quick estimate of the same, for curves: the distances of at most `points` vertices a side, and how much is off round
/// a few of the farthest.
/// COST       O(points log T).
double sampleVisible(const Mesh& reference, const SurfaceQuery& referenceQuery, const Mesh& level,
                     const SurfaceQuery& levelQuery, std::uint32_t points);
/// The same from vertices that were measured before.
double sampleVisible(const Mesh& reference, const SurfaceQuery& referenceQuery, const Mesh& level,
                     const SurfaceQuery& levelQuery, const VertexSamples& samples);

} // namespace thicket
