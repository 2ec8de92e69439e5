#pragma once
// Even rebuild: the same surface in triangles of one size, or mostly in quads, for editing by hand and for shells.

#include "measure/surface_query.h"

#include "base/job.h"
#include "base/result.h"

#include <array>
#include <span>

namespace thicket {

struct RebuildOptions {
    std::uint32_t triangles = 10'000; ///< about as many come out, within a tenth where the shape allows
    double creaseDegrees = 40;        ///< edges that are sharper stay where they are
    int rounds = 8;                   ///< 2..20
};

/// Rebuilds a surface with edges of one length: long ones are split, short ones collapsed, and diagonals flipped
/// towards six edges a point; points then slide along the surface to the middle of their neighbours and onto `source`.
/// Open and material borders, UV seams, hard edges and creases stay lines of edges; their ends and crossings stay where
/// they are. Normals, UVs, colours and what else vertices carry are taken from the source's surface, side by side at
/// seams.
/// start    where it begins: the source itself or a level of it, best with two to three times the triangles wanted.
/// REQUIRES   `query` is of `source`.
/// ERRORS     Cancelled; BadInput when the surface has no area.
/// COST       O(rounds * T) with a closest-point query a point and round. Deterministic; one thread but for the
///            queries.
/// SOURCE     Botsch & Kobbelt 2004 (incremental remeshing); feature lines and attributes by fans are ours.
Result<Mesh> rebuildEven(const Mesh& source, const SurfaceQuery& query, const Mesh& start,
                         const RebuildOptions& options, const JobContext& job);

/// A face of a mesh in triangles and quads: three or four of its vertices; the last is kNoCorner for a triangle.
using Face = std::array<std::uint32_t, 4>;
constexpr std::uint32_t kNoCorner = 0xFFFFFFFFU;

/// The faces of one part, in the order of their first triangle.
struct FacesOfPart {
    std::uint32_t material = 0;
    std::vector<Face> faces;
};

/// Joins triangles two by two into quads, the squarest and flattest first, never across a seam or a material.
/// Together they are all of the mesh's triangles.
std::vector<FacesOfPart> pairIntoQuads(const Mesh& mesh);

} // namespace thicket
