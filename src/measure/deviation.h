#pragma once
// How far two surfaces are apart, with a bound that can be promised.

#include "base/job.h"
#include "base/result.h"
#include "measure/vertex_samples.h"

namespace thicket {

/// One direction: from every point of A to the closest point of B. All in metres.
struct OneSidedDeviation {
    double max = 0;   ///< largest distance found at a point of A
    double bound = 0; ///< no point of A is farther than this: max <= true maximum <= bound
    double p99 = 0;   ///< 99 % of A's area is nearer
    double rms = 0;
    Vec3d place{0, 0, 0}; ///< where on A the largest was found
};

struct Deviation {
    OneSidedDeviation there; ///< reference to level
    OneSidedDeviation back;  ///< level to reference
    double spacing = 0;      ///< mean distance between samples on the reference, metres
    double visible = 0;      ///< what of it a pixel can show (visibleDeviation); never above promised()
    [[nodiscard]] double max() const { return std::max(there.max, back.max); }
    [[nodiscard]] double bound() const { return std::max(there.bound, back.bound); }
    /// Every point: the largest found and a twentieth on top, or the proven bound where that is lower.
    [[nodiscard]] double promised() const { return std::min(bound(), 1.05 * max()); }
    [[nodiscard]] double p99() const { return std::max(there.p99, back.p99); }
    [[nodiscard]] double rms() const { return std::max(there.rms, back.rms); }
};

struct DeviationOptions {
    /// Stratified points a direction for p99 and RMS at most: 10 k is a draft, 1 M is thorough. Meshes of less than 25 k
    /// triangles, both together, are looked at in fewer, four a triangle and 25 k at least.
    std::uint32_t samples = 100'000;
    double tolerance = 0.05; ///< the bound may exceed the maximum by this share of it
    double floorMetres = 0;  ///< below this the bound is not tightened; 0: 1e-7 of the size
};

/// Two-sided deviation between two meshes. The maximum is bracketed by branch and bound: all vertices are measured; a
/// triangle of A can hold no point farther than the largest distance of its corners to any one triangle of B, since
/// distance to a convex set is convex, and one that lies across several of B none farther than its parts between these;
/// triangles whose bound exceeds the largest found are split at their edge midpoints, the highest bounds first, for a
/// bounded number of rounds, but not below what had to be left out. Where the surfaces touch (a flat region kept exactly)
/// the bound stays loose; the maximum found is still the true one to within the spacing of the search there.
/// ERRORS     Cancelled (looked at once a chunk of 512 queries).
/// COST       O((V_A + V_B + samples) log T).
/// THREADS    uses all cores; the result does not depend on how many.
/// SOURCE     Guthe, Borodin, Klein 2005 (bounds over sub-triangles); ours tightens one triangle list breadth first.
Result<Deviation> measureDeviation(const Mesh& reference, const Mesh& level, const DeviationOptions& options,
                                   const JobContext& job);

/// The same with hierarchies built before, for measuring many levels of one reference.
Result<Deviation> measureDeviation(const Mesh& reference, const SurfaceQuery& referenceQuery, const Mesh& level,
                                   const DeviationOptions& options, const JobContext& job);

/// The largest distance found, and the largest product of distance and the weight of the reference there.
struct SampledDeviation {
    double max = 0;
    double weighted = 0;
    double mean = 0; ///< from the reference to the level
};

/// A quick estimate of the two-sided maximum from vertices (at most `points` a direction), for curves. Never above
/// max().
/// weights  one a vertex of the reference, or empty: nothing is weighted.
SampledDeviation sampleDeviation(const Mesh& reference, const SurfaceQuery& referenceQuery, const Mesh& level,
                                 std::uint32_t points, std::span<const float> weights = {});
SampledDeviation sampleDeviation(const Mesh& reference, const SurfaceQuery& referenceQuery, const Mesh& level,
                                 const SurfaceQuery& levelQuery, std::uint32_t points,
                                 std::span<const float> weights = {});
/// The same from vertices that were measured before.
SampledDeviation sampleDeviation(const Mesh& reference, const VertexSamples& samples,
                                 std::span<const float> weights = {});

} // namespace thicket
