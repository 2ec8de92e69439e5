#pragma once
// A camera's view and what it makes of metres. Everything visible is measured in pixels of error for a stated view.

#include "mesh/mesh.h"

#include <array>
#include <map>
#include <memory>

namespace thicket {

/// Subjects that may be off by more on a device, as a fit found: id to how many times their allowance. They thin out so
/// many times nearer too.
using Loosened = std::map<std::uint32_t, double>;

constexpr double kMostPixelsADegree = 1000;

/// Right-handed, metres, radians. `forward` and `up` are unit length and at a right angle.
struct View {
    Vec3d eye{0, 2, 8};
    Vec3d forward{0, 0, -1};
    Vec3d up{0, 1, 0};
    double fovY = 1.0471975511965976; ///< 60 degrees
    int lines = 1080;                 ///< viewport height, pixels
    double aspect = 16.0 / 9.0;
    double nearMetres = 0.1;
    double farMetres = 20000;
    double detail = 1; ///< 0.1..10; every switch comes in so many times as far: of the scene, of a device's tier
    int tier = 0;      ///< 0..7; the level of what goes by the device instead of by distance
    /// Of the screen, as one sits before it: a desk has some 40, a handheld 85. Says how switches are judged. 0: as if
    /// each pixel were told apart.
    double pixelsADegree = 0;

    std::shared_ptr<const Loosened> loosened; ///< of a device; null: nothing is
    /// How many times a subject's allowance is in force; 1 where nothing was loosened.
    [[nodiscard]] double looser(std::uint32_t subject) const;

    /// Pixels that one metre covers at one metre of depth: lines / (2 tan(fov/2)).
    [[nodiscard]] double pixelScale() const;
};

/// A view from `eye` at `target`, level with the horizon.
View lookAt(const View& like, const Vec3d& eye, const Vec3d& target);

/// Pixels of error of a deviation at a distance: scale * deviation * pixelScale / distance.
double pixelError(const View& view, double deviationMetres, double distanceMetres);
/// The distance at which a deviation equals an allowance; 0 for no deviation.
double distanceForPixels(const View& view, double deviationMetres, double allowPx);
/// The deviation that covers `px` at a distance.
double deviationForPixels(const View& view, double px, double distanceMetres);
/// Height on screen of a sphere as a share of the viewport, exact near the eye: the tangent cone, at most 10.
double screenHeight(const View& view, double radiusMetres, double centreDistanceMetres);
/// The same where the view's pixel scale is known already.
double screenHeight(double pixelScale, int lines, double radiusMetres, double centreDistanceMetres);
/// The inverse of the far form of screenHeight: the distance at which a sphere is `share` of the viewport tall.
double distanceForScreenHeight(const View& view, double radiusMetres, double share);
/// Where a sphere would fill the picture's height if its height fell with distance there as it does far away: so many
/// metres away it is as tall as that over its distance, as a share of the picture.
inline double fullHeightOf(const View& view, double radiusMetres) {
    return 2 * radiusMetres * view.pixelScale() / view.lines;
}

/// Six planes, normals inwards: n.p + d >= 0 is inside.
/// SOURCE     Gribb & Hartmann 2001.
struct Frustum {
    std::array<Vec3d, 6> normal;
    std::array<double, 6> offset{};
    /// False only when the sphere is outside of one plane by more than `margin` metres: never drops a touching sphere.
    [[nodiscard]] bool touches(const Vec3d& centre, double radius, double margin) const;
};
Frustum frustumOf(const View& view);

} // namespace thicket
