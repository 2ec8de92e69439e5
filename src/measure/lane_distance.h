#pragma once
// Distances of eight points at once from one triangle, in full precision.

#include "mesh/mesh.h"

#include <array>

namespace thicket {

/// Eight points, coordinates side by side. Those that are not needed may be anything finite.
struct PointLanes {
    static constexpr std::size_t kLanes = 8;
    using Row = std::array<double, kLanes>;
    Row x{}, y{}, z{};

    void set(std::size_t lane, const Vec3d& point) {
        x[lane] = point.x();
        y[lane] = point.y();
        z[lane] = point.z();
    }
};

namespace measure {
/// Distances from a triangle: never less than they are but for the rounding of doubles, and no more, but where the
/// triangle is as good as a line.
void distancesToTriangle(const PointLanes& points, const std::array<Vec3d, 3>& corner, PointLanes::Row& out);
} // namespace measure

} // namespace thicket
