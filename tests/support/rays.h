#pragma once
// Lines of sight against meshes, triangle by triangle: the slow obvious answer that clever ones are compared with.

#include "mesh/mesh.h"

namespace thicket::shapes {

/// Whether a triangle stands between two places; `frontOnly`: one that is turned to the first of them.
/// SOURCE  Möller & Trumbore 1997.
bool standsBetween(const Mesh& mesh, const Vec3d& from, const Vec3d& to, bool frontOnly);

} // namespace thicket::shapes
