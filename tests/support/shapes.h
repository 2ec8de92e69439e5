#pragma once
// Shapes with known answers, for tests and benchmarks.

#include "mesh/mesh.h"

namespace thicket::shapes {

/// Icosahedron split `splits` times a side (20 * splits^2 triangles), vertices on the unit sphere times `radius`.
Mesh sphere(int splits, double radius = 1);
/// Torus round +Y; major and minor radius; closed.
Mesh torus(int around, int across, double major, double minor);
/// Axis-parallel box, each side `splits` by `splits` squares, welded.
Mesh box(int splits, const Vec3d& size);
/// Flat plate in XZ of `squares` x `squares` unit squares with every eighth square of the inside left out.
Mesh plateWithHoles(int squares);
/// UV sphere with normals, UVs and a seam: closed in position, split in UV.
Mesh texturedSphere(int columns, int rows);
/// A sphere with random bumps, seeded.
Mesh bumpy(int splits, unsigned seed);
/// Round closed rod along X, centred, with flat ends.
Mesh rod(double length, double radius, int along, int round);
/// Adds another mesh's surface, moved; attributes are dropped.
void append(Mesh& to, const Mesh& what, const Vec3d& offset);
/// One material, white.
Surfaces white();
/// Moves `count` triangles into one part with material 0.
void onePart(Mesh& mesh);
/// True when every edge of the positions' surface has exactly two triangles, run in opposite directions.
bool isClosed(const Mesh& mesh);

} // namespace thicket::shapes
