#include "app/viewport/orbit_camera.h"

#include <algorithm>
#include <cmath>

namespace thicket::app {

Vec3d OrbitCamera::back() const {
    return {std::sin(yaw) * std::cos(pitch), std::sin(pitch), std::cos(yaw) * std::cos(pitch)};
}

void OrbitCamera::turn(double left, double up) {
    constexpr double kLowest = -1.45;
    constexpr double kHighest = 1.5;
    yaw -= left;
    pitch = std::clamp(pitch + up, kLowest, kHighest);
}

void OrbitCamera::pan(double toRight, double down, const View& like, int lines) {
    const View from = view(like);
    const Vec3d right = from.forward.cross(from.up);
    const double scale = 2 * distance * std::tan(from.fovY / 2) / std::max(1, lines);
    pivot += (-right * toRight + from.up * down) * scale;
}

void OrbitCamera::dolly(double factor) {
    distance = std::clamp(distance * factor, 1e-3, 1e6);
}

void OrbitCamera::lookFrom(const Vec3d& from, const Vec3d& target) {
    const Vec3d way = from - target;
    distance = std::max(way.norm(), 1e-3);
    pivot = target;
    pitch = std::asin(std::clamp(way.y() / distance, -1.0, 1.0));
    yaw = std::atan2(way.x(), way.z());
}

} // namespace thicket::app
