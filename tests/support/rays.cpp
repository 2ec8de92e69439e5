#include "support/rays.h"

#include <cmath>

namespace thicket::shapes {

bool standsBetween(const Mesh& mesh, const Vec3d& from, const Vec3d& to, bool frontOnly) {
    const Vec3d way = to - from;
    for (std::size_t t = 0; t < mesh.indices.size(); t += 3) {
        const Vec3d a = mesh.positions[mesh.indices[t]].cast<double>();
        const Vec3d u = mesh.positions[mesh.indices[t + 1]].cast<double>() - a;
        const Vec3d v = mesh.positions[mesh.indices[t + 2]].cast<double>() - a;
        const Vec3d p = way.cross(v);
        const double det = u.dot(p); // above 0 where the front is seen
        if (frontOnly ? det < 1e-15 : std::abs(det) < 1e-15)
            continue;
        const Vec3d s = from - a;
        const double y = s.dot(p) / det;
        const Vec3d q = s.cross(u);
        const double z = way.dot(q) / det;
        const double along = v.dot(q) / det;
        if (y >= -1e-9 && z >= -1e-9 && y + z <= 1 + 1e-9 && along > 1e-6 && along < 1 - 1e-6)
            return true;
    }
    return false;
}

} // namespace thicket::shapes
