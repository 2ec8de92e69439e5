#pragma once
// Where a mesh is unsound: the places that findings count and that mends set right.

#include "mesh/mesh.h"

#include <utility>

namespace thicket {

/// Triangles in rising order, of all these.
using TriangleList = std::vector<std::uint32_t>;

/// A side of a triangle between two points; `ahead`: it goes from the lower one to the higher one.
struct MeshSide {
    std::uint32_t low;
    std::uint32_t high;
    std::uint32_t triangle;
    bool ahead;
};
/// Sides of all triangles whose corners are in three places, those of one edge together.
/// THREADS    uses all cores.
std::vector<MeshSide> sidesOf(const Mesh& mesh, const Weld& weld);

/// Triangles with two corners in one place, or all three in one line.
TriangleList trianglesWithoutArea(const Mesh& mesh, const Weld& weld);
/// Those that lie on an earlier one and face the same way. Sheets that are doubled to be seen from both sides are not.
TriangleList duplicateTriangles(const Mesh& mesh, const Weld& weld);
/// Open and crowded edges, by the first side of each.
struct EdgeFindings {
    std::vector<MeshSide> open;    ///< edges of one triangle
    std::vector<MeshSide> crowded; ///< edges of more than two
};
EdgeFindings findEdges(const std::vector<MeshSide>& sides);

/// Triangles that face against the rest of their piece, and those of closed pieces that are inside out, unless such a
/// piece lies within another one: there it is a hollow.
TriangleList flippedTriangles(const Mesh& mesh, const Weld& weld, const std::vector<MeshSide>& sides);
/// Triangles of loose pieces whose box is less than a share of the mesh's across. Never all there are.
TriangleList speckTriangles(const Mesh& mesh, const Weld& weld, double share);
/// Triangles with area that are thinner than a share of their longest side.
TriangleList needleTriangles(const Mesh& mesh, const Weld& weld, double share);
/// Points of open borders that lie closer than `metres` to another such point that is no neighbour: which goes where.
/// Each goes to the first of those that it is near to.
std::vector<std::pair<std::uint32_t, std::uint32_t>> unweldedPoints(const Mesh& mesh, const Weld& weld,
                                                                    const std::vector<MeshSide>& sides, double metres);

/// What counts unless someone says otherwise.
constexpr double kSpeckShare = 0.005;   ///< of the mesh's diagonal
constexpr double kNeedleShare = 0.005;  ///< of a triangle's longest side
constexpr double kUnweldedShare = 1e-5; ///< of the mesh's diagonal

} // namespace thicket
