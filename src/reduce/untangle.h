#pragma once
// Puts triangles of a level back on their own side of what is thin.

#include "measure/surface_query.h"

#include "base/job.h"
#include "base/result.h"

namespace thicket {

/// Where a part is thinner than a level is off, one of its sides can come to lie beyond the other, and then what is
/// nearest to a triangle faces against it. The points of such triangles move towards the surface that faces as they do,
/// a little at a time, where no triangle turns over or falls to a sliver by it and no point comes farther off the source
/// than half of what the level is, unless it was. What touches in the source (sheets back to back) stays as it is when there is no side to tell.
/// REQUIRES   `query` is of `source`.
/// Returns the level with what moved; as it was when nothing had to, or when that would put it farther off.
/// ERRORS     Cancelled.
/// COST       a closest-point query a triangle; of heavy levels an eighth of them tell whether any has to move.
/// THREADS    uses all cores; the result does not depend on how many.
Result<Mesh> untangleLevel(const Mesh& source, const SurfaceQuery& query, Mesh level, const JobContext& job);

/// Triangles of a level whose middle is nearest to a triangle of the source that faces against them; not where one that
/// faces as they do is as near, as where parts touch each other.
std::uint32_t countTurned(const Mesh& source, const SurfaceQuery& query, const Mesh& level);

} // namespace thicket
