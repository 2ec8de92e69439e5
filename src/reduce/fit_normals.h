#pragma once
// Normals of a level that shade it as its source is shaded.

#include "measure/surface_query.h"

#include "base/job.h"
#include "base/result.h"

namespace thicket {

/// A normal that was looked up where a vertex stands says nothing of what lies between vertices: where a level is coarse
/// that is most of what is seen. Normals are fitted so that, mixed over its triangles, they are nearest to the source's
/// in the mean over the surface. Vertices in one place whose normals are nearly alike (the sides of a UV seam) get one
/// normal; hard edges stay hard, since each side is fitted to its own.
/// REQUIRES   `query` is of `source`.
/// Returns the level with its normals fitted; as it was where it has none, where they are no nearer so, or where it is so
/// heavy that what lies between its vertices is small.
/// ERRORS     Cancelled.
/// COST       some 24,000 closest-point queries.
/// THREADS    uses all cores; the result does not depend on how many.
/// SOURCE     least squares over samples, solved by Jacobi's method with the rows' sums for a diagonal.
Result<Mesh> fitNormals(const Mesh& source, const SurfaceQuery& query, Mesh level, const JobContext& job);

} // namespace thicket
