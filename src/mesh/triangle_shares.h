#pragma once
// Where in a triangle a place is.

#include "mesh/mesh.h"

#include <Eigen/Geometry>

namespace thicket {

/// How much of the second and of the third corner a place over a triangle has; the first has the rest. Of a place beside
/// the triangle, some are less than 0 or more than 1. Of a triangle without area: all of the first.
/// SOURCE     Ericson, Real-Time Collision Detection (2005), 3.4, by areas.
inline Vec2d triangleShares(const Mesh& mesh, std::uint32_t triangle, const Vec3d& place) {
    const std::uint32_t* i = &mesh.indices[3 * std::size_t{triangle}];
    const Vec3d a = mesh.positions[i[0]].cast<double>();
    const Vec3d e = mesh.positions[i[1]].cast<double>() - a;
    const Vec3d f = mesh.positions[i[2]].cast<double>() - a;
    const Vec3d n = e.cross(f);
    const double size = n.squaredNorm();
    if (!(size > 0))
        return Vec2d::Zero();
    return {(place - a).cross(f).dot(n) / size, e.cross(place - a).dot(n) / size};
}

} // namespace thicket
