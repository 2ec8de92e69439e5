#pragma once
// What an eye sees of a switch: both levels at the size they have on screen there, side by side and pixel by pixel.

#include "bake/appearance.h"

#include "base/job.h"

#include <functional>
#include <optional>

namespace thicket {

struct PopOptions {
    int directions = 4;        ///< round the upright axis
    double elevation = 0.12;   ///< radians above the horizon
    int samplesPerSide = 4;    ///< 4 x 4 rays a pixel at least; up to 12 x 12 where the object is small
    int mostPixels = 600;      ///< along a picture; what is larger on screen is looked at smaller
    int mostFieldPixels = 224; ///< the same of a field, at its soft band
    double lightYaw = 0.6;     ///< the light's side against the camera's, radians
    float changedDeltaE = 5;   ///< CIELAB 1976; a pixel that differs by more counts as changed
    /// Colours are compared as they are seen from where single pixels are not told apart: blurred by so many pixels of the
    /// screen, the standard deviation. 0: each pixel by itself.
    double blurPx = 0;
    int firstDirection = 0; ///< they are looked from in order from this one on, all round
    /// Whoever only asks whether a switch is unseen with this allowance, pixels: the first direction from which it is
    /// seen ends the look, and the score is of no more than what was looked at.
    std::optional<double> untilSeen = {};
};

/// How an eye blurs what it sees where a degree of sight has so many pixels: the standard deviation, pixels.
/// SOURCE  S-CIELAB, Zhang & Wandell 1996: of its filters the main one of lightness, taken for all channels; it is
///         exp(-r^2 / s^2) with s 0.0283 degrees.
constexpr double eyeBlurPx(double pixelsADegree) {
    return 0.0283 / 1.4142135623730951 * pixelsADegree;
}

/// Of the worst direction each; pixels are those of the stated screen.
struct PopScore {
    /// Farthest that a covered place is from the nearest that the other covers, pixels. Compared on cells of half a
    /// pixel looked at; a step of one cell cannot be told from the grid's own and is taken off.
    double outlineShift = 0;
    double changedPixels = 0; ///< share of the object's pixels
    double meanDeltaE = 0;    ///< over the object's pixels
    double pixelsTall = 0;    ///< rows that the finer level covers on the stated screen
    double scale = 1; ///< pixels looked at for each of the screen's; below 1 where it is larger than is looked at
    /// Of what is never still, as smoke: all that is seen is that the mean of its colours becomes another one. Then
    /// changedPixels is by how much its cover changes, and some two delta E spread over it go unseen.
    bool cloud = false;
    static constexpr double kCloudDeltaE = 2;
    /// Of a field: the figures above are those of one copy as near as any switches, the worst of its assets, and these
    /// say whether a line goes across the ground where they do (BandLine), with the soft band and without it.
    bool field = false;
    int direction = 0; ///< of the pictures; of a field: of the last asset that was looked at
    double line = 0;
    double suddenLine = 0;
    static constexpr double kLineDeltaE = 1; ///< what an eye just tells apart where two areas meet
    /// Of the direction in which most pixels change, halved until they are small enough to be shown; alpha is cover. Of a
    /// field: with the soft band, without it, and what the former changes.
    Pixels before;
    Pixels after;
    Pixels difference; ///< grey: how far the colours are apart; white at 20

    /// "Unseen": the outline moves by no more than the allowance, at most a hundredth of the pixels change, and no line
    /// is seen.
    [[nodiscard]] bool unseen(double allowPx) const {
        return cloud ? meanDeltaE <= kCloudDeltaE
                     : outlineShift <= allowPx && changedPixels <= 0.01 && line <= kLineDeltaE;
    }
    /// How many times worse than that; 1 and below is unseen.
    [[nodiscard]] double severity(double allowPx) const;
};

/// What a level looks like from a direction (unit, towards the camera): the same from everywhere but for impostors.
using LookFrom = std::function<const Appearance&(const Vec3d& back)>;

/// Looks at both from `centreDistance` metres away from the middle of `bounds`, in perspective, under the same light.
/// pixelsPerMetre  at one metre of depth: the stated view's pixel scale.
/// ERRORS     Cancelled.
/// COST       directions * pixels * samples^2 rays at each.
/// THREADS    uses all cores; the result does not depend on how many.
Result<PopScore> scorePop(const LookFrom& finer, const LookFrom& coarser, const Bounds& bounds, double centreDistance,
                          double pixelsPerMetre, const PopOptions& options, const JobContext& job);

} // namespace thicket
