#pragma once
// What emitters give off at a moment, and what of it a ray meets.

#include "app/viewport/cloud_maker.h"
#include "scene/scene.h"
#include "switching/selector.h"

namespace thicket::app {

/// Of all emitters that a selection draws. A level that comes in gives off from its switch on; what the one before has
/// given off lives out.
/// seconds   on the clock of the effects
CloudWish cloudOf(const Scene& scene, const SelectInput& input, const Selection& selection, const View& view,
                  double seconds);

/// Levels of one emitter, each moved along x; `level` -1: all of them side by side at these offsets, else that one.
CloudWish cloudOf(const Subject& emitter, int level, const std::vector<double>& offsets, const Vec3d& eye,
                  double seconds);

/// What of a cloud is met along a ray.
struct CloudHit {
    std::uint32_t subject = 0; ///< that most of it is of
    double opacity = 0;        ///< 0..1, of all that lies along it; 0: nothing is met
    double metres = 0;         ///< to the nearest of it
};
/// direction   of length 1
CloudHit cloudAlong(const ParticleDraw& cloud, const Vec3d& eye, const Vec3d& direction);

} // namespace thicket::app
