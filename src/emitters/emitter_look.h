#pragma once
// What an emitter looks like from a distance, and what of that changes where a level gives way to a coarser one.

#include "base/job.h"
#include "emitters/particles.h"

#include <cmath>
#include <span>

namespace thicket {

/// Linear colours, rows from the top.
struct EmitterPicture {
    int width = 0;
    int height = 0;
    std::vector<Vec3f> colour;
    std::vector<float> cover; ///< 0..1, what of the ground is hidden; what glows hides nothing
};

/// Draws particles over a picture, the farthest first: as they are seen along -z, `middle` in its middle.
/// metre     pixels that one metre is
void drawParticles(const std::vector<EmitterPart>& parts, std::vector<Particle> particles, const Vec3d& middle,
                   double metre, EmitterPicture& onto);

/// The mean of a level over a time, on mid grey ground, as large as on screen from so far away; at most 192 pixels a
/// side, smaller where it would be more.
EmitterPicture meanPicture(const std::vector<EmitterPart>& parts, std::uint32_t seed, const Bounds& box, double metre);

/// What an eye sees of a switch that lives out: not a jump, but that the cloud becomes another one. Means over time.
struct EmitterPop {
    int level = 1; ///< the coarser one
    double metres = 0;
    double coverBefore = 0; ///< pixels of the stated screen
    double coverAfter = 0;
    double lightBefore = 0; ///< mean lightness (CIELAB L) where either is to be seen
    double lightAfter = 0;
    double deltaE = 0; ///< CIELAB 1976, over the pixels where either is to be seen
    EmitterPicture before;
    EmitterPicture after;
    double scale = 1; ///< pixels looked at for each of the screen's

    [[nodiscard]] double coverChange() const {
        return coverBefore > 0 ? std::abs(coverAfter / coverBefore - 1) : coverAfter > 0 ? 1 : 0;
    }
    /// The eye takes no notice of some two delta E spread over what drifts anyway.
    [[nodiscard]] bool unseen() const { return deltaE <= 2; }
};

/// The switch to a level, from so many metres away.
/// pixelScale  of the stated view: pixels that a metre is at one metre
/// REQUIRES    a level after the first.
/// COST        moments * live particles; some milliseconds.
EmitterPop emitterPop(const Emitter& emitter, std::size_t level, double metres, double pixelScale);

/// One a level after the first, where it comes in.
/// from     metres, one a level
/// ERRORS   Cancelled.
/// COST     levels * moments * live particles; some milliseconds each.
Result<std::vector<EmitterPop>> emitterPops(const Emitter& emitter, std::span<const double> from, const View& view,
                                            const JobContext& job);

} // namespace thicket
