#pragma once
// The triangles round an edge as a collapse would leave them, ready to be asked how far points are from them.

#include "reduce/ring.h"

namespace thicket::reduce {

/// What of the triangles does not depend on the point. Numbers of one kind stand side by side, as in `Ring`.
struct Fan {
    Vec3d place; ///< which all have in common
    std::size_t count = 0;
    Ring::Places u; ///< sides from the place
    Ring::Places w;
    Ring::Places n;          ///< u x w
    Ring::Row<double> perUu; ///< 1 / squared lengths of the sides, and of n
    Ring::Row<double> perVv;
    Ring::Row<double> perWw;
    Ring::Row<double> perNn;
    Ring::Row<double> longest; ///< squared length of the longest side
};

/// The ring's triangles that stay, with their ends at `place`.
void makeFan(const Ring& ring, const Vec3d& place, Fan& fan);

/// Squared distance from a point to the nearest of them.
double squaredDistance(const Fan& fan, const Vec3d& point);

} // namespace thicket::reduce
