#pragma once
// Extent and area of a loose piece.

#include "mesh/mesh.h"

#include <algorithm>
#include <numbers>

namespace thicket::reduce {

struct PieceShape {
    double area = 0;
    Bounds bounds;
    bool empty = true;

    void add(const Vec3d& p) {
        bounds.low = empty ? p : Vec3d(bounds.low.cwiseMin(p));
        bounds.high = empty ? p : Vec3d(bounds.high.cwiseMax(p));
        empty = false;
    }
    /// At least a ball's diameter, a strand's thickness, a sheet's width; twice that of a round one, since a level's
    /// pieces have corners.
    [[nodiscard]] double width() const {
        const double across = bounds.diagonal();
        return across > 0 ? std::min(across, 2 * area / (std::numbers::pi * across)) : 0;
    }
};

} // namespace thicket::reduce
