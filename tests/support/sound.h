#pragma once
// What every level must be, whatever made it.

#include "mesh/mesh.h"

namespace thicket::shapes {

/// Area of one triangle.
double area(const Mesh& mesh, std::uint32_t triangle);
/// Expects a valid mesh without degenerate or doubled triangles and without vertices that no triangle uses.
void expectSound(const Mesh& mesh);

} // namespace thicket::shapes
