#pragma once
// Symmetric meshes that stay symmetric: one half is reduced, the other is its mirror image.

#include "measure/surface_query.h"
#include "reduce/record.h"

namespace thicket {

/// The plane through the middle, across X, Z or Y (in this order), in which the surface is its own mirror image: every
/// vertex, mirrored, lies on it to within 1e-4 of the diagonal.
/// COST       at most 3 V closest-point queries.
std::optional<MirrorPlane> findMirror(const Mesh& mesh, const SurfaceQuery& query, const JobContext& job);

/// A record of the half on the plane's far side, doubled: every cut is its own mirror image, exactly but for the last
/// bit of a float. Triangles across the plane are cut along it. UVs, tangents, skin weights and morphs of the mirrored
/// half are those of the input's other half, so texture layouts need not be symmetric.
/// REQUIRES   `query` is of `mesh`.
/// ERRORS     as recordCollapses; BadInput for second UVs, and for vertex colours that are not symmetric, which cannot
///            be kept.
Result<Record> recordMirrored(const Mesh& mesh, const SurfaceQuery& query, const MirrorPlane& plane,
                              const ReduceOptions& options, const JobContext& job);

} // namespace thicket
