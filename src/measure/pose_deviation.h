#pragma once
// How far a level is off while it moves: skinned and morphing meshes at moments of their animations.

#include "base/job.h"
#include "base/result.h"
#include "measure/deviation.h"
#include "mesh/pose.h"

#include <span>

namespace thicket {

struct PosedDeviation {
    double max = 0; ///< two-sided, metres, of all moments
    Moment at{};    ///< where that was
};

struct PoseOptions {
    std::size_t moments = 24;      ///< spread over all animations
    std::uint32_t points = 30'000; ///< vertices measured a direction and moment
    std::size_t inFull = 2;        ///< of the worst of them, whole triangles too
};

/// One entry a level: the largest deviation from the reference in the same pose. Zero for a rig without animations and
/// for levels that do not move (cards, which stand for all poses). All moments are measured by vertices, and the two
/// where a level is farthest off in full.
/// ERRORS     Cancelled (looked at once a moment and level).
/// THREADS    uses all cores.
Result<std::vector<PosedDeviation>> deviationInPoses(const Mesh& reference, std::span<const Mesh* const> levels,
                                                     const Rig& rig, const PoseOptions& options, const JobContext& job);

} // namespace thicket
