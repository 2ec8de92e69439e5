#pragma once
// Puts triangles of a level back on their own side of what is thin.

#include "measure/surface_query.h"

#include "base/job.h"
#include "base/result.h"

namespace thicket {

/// Where a part is thinner than a level is off, one of its sides can come to lie beyond the other, and then what is
/// nearest to a triangle faces against it. Points of such triangles are tried in a few places each, one after the other:
/// those that bring a triangle to the surface that faces as it does, and others round about where none of these helps. A
/// point goes where the triangles round it are turned least, where none of them turns over or falls to a sliver and
/// nothing comes farther off the source than two fifths of what the level is, unless it was. Where the source comes farther
/// off the level by that, points go back; but rather than leave more than a two-hundredth of the triangles turned, a level
/// may come a fifth farther off. What touches in the source (sheets back to back) stays as it is when there is no side to
/// tell.
/// REQUIRES   `query` is of `source`.
/// Returns the level with what moved; as it was when nothing had to, or when none are fewer.
/// ERRORS     Cancelled.
/// COST       a closest-point query a triangle; of heavy levels an eighth of them tell whether any has to move. Some
///            hundreds for each point that is looked at, which are 60,000 at most.
/// THREADS    uses all cores; the result does not depend on how many.
Result<Mesh> untangleLevel(const Mesh& source, const SurfaceQuery& query, Mesh level, const JobContext& job);

/// Triangles of a level whose middle is nearest to a triangle of the source that faces against them; not where one that
/// faces as they do is as near, as where parts touch each other.
std::uint32_t countTurned(const Mesh& source, const SurfaceQuery& query, const Mesh& level);

} // namespace thicket
