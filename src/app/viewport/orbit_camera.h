#pragma once
// A camera that turns about a place.

#include "switching/view.h"

namespace thicket::app {

struct OrbitCamera {
    Vec3d pivot{0, 1, 0};
    double yaw = 0.6;
    double pitch = 0.2;
    double distance = 10; ///< metres, above 0

    /// From the pivot to the eye, of length 1.
    [[nodiscard]] Vec3d back() const;
    [[nodiscard]] Vec3d eye() const { return pivot + back() * distance; }
    [[nodiscard]] View view(const View& like) const { return lookAt(like, eye(), pivot); }
    /// Radians to the left and upwards; never quite over the poles.
    void turn(double left, double up);
    /// Moves with the picture: so many of its `lines` to the right and downwards, of a view like this one.
    void pan(double right, double down, const View& like, int lines);
    /// So many times as far away.
    void dolly(double factor);
    void lookFrom(const Vec3d& from, const Vec3d& target);
};

} // namespace thicket::app
