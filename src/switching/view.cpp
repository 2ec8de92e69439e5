#include "switching/view.h"

#include <algorithm>
#include <cmath>

namespace thicket {

double View::looser(std::uint32_t subject) const {
    if (!loosened)
        return 1;
    const auto found = loosened->find(subject);
    return found == loosened->end() ? 1 : found->second;
}

double View::pixelScale() const {
    return lines / (2 * std::tan(fovY / 2));
}

View lookAt(const View& like, const Vec3d& eye, const Vec3d& target) {
    View view = like;
    view.eye = eye;
    const Vec3d way = target - eye;
    view.forward = way.norm() > 1e-9 ? Vec3d(way.normalized()) : Vec3d(0, 0, -1);
    Vec3d right = view.forward.cross(kUp);
    if (right.norm() < 1e-6)
        right = Vec3d::UnitX();
    view.up = right.normalized().cross(view.forward);
    return view;
}

double pixelError(const View& view, double deviationMetres, double distanceMetres) {
    if (deviationMetres <= 0)
        return 0;
    return deviationMetres * view.pixelScale() / std::max(distanceMetres, 1e-9);
}

double distanceForPixels(const View& view, double deviationMetres, double allowPx) {
    return deviationMetres * view.pixelScale() / std::max(allowPx, 1e-9);
}

double deviationForPixels(const View& view, double px, double distanceMetres) {
    return px * distanceMetres / view.pixelScale();
}

double screenHeight(double pixelScale, int lines, double radius, double distance) {
    if (distance <= radius * 1.0001)
        return 10;
    const double tangent = radius / std::sqrt(distance * distance - radius * radius);
    return std::min(10.0, tangent * 2 * pixelScale / lines);
}

double screenHeight(const View& view, double radius, double distance) {
    return screenHeight(view.pixelScale(), view.lines, radius, distance);
}

double distanceForScreenHeight(const View& view, double radius, double share) {
    const double tangent = share * std::tan(view.fovY / 2);
    return radius * std::sqrt(1 + 1 / (tangent * tangent));
}

Frustum frustumOf(const View& view) {
    const double ty = std::tan(view.fovY / 2);
    const double tx = ty * view.aspect;
    const Vec3d right = view.forward.cross(view.up);
    Frustum f;
    f.normal = {view.forward,
                -view.forward,
                (view.forward * tx + right).normalized(),
                (view.forward * tx - right).normalized(),
                (view.forward * ty + view.up).normalized(),
                (view.forward * ty - view.up).normalized()};
    for (std::size_t i = 0; i < 6; ++i)
        f.offset[i] = -f.normal[i].dot(view.eye);
    f.offset[0] -= view.nearMetres;
    f.offset[1] += view.farMetres;
    return f;
}

bool Frustum::touches(const Vec3d& centre, double radius, double margin) const {
    for (std::size_t i = 0; i < 6; ++i)
        if (normal[i].dot(centre) + offset[i] < -(radius + margin))
            return false;
    return true;
}

} // namespace thicket
