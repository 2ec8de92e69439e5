#pragma once
// Where a level is off: its surface, cut fine enough to be coloured, with a distance a vertex.

#include "base/job.h"
#include "base/result.h"
#include "measure/surface_query.h"

namespace thicket {

/// `mesh` has the shape of the level, each of its triangles split into a grid, with normals, UVs and parts as the
/// level.
struct Heat {
    Mesh mesh;
    std::vector<float> metres; ///< one a vertex
};

struct HeatOptions {
    std::uint32_t triangles = 120'000; ///< about as many as the split surface may have, when the level has fewer
};

/// Distances of both directions on the level's surface: a vertex has its own distance to the reference, and that of the
/// farthest reference vertex for which it is the corner nearest to that vertex's closest point. So what a level has
/// lost shows where its surface is nearest to it. No value exceeds the two-sided deviation.
/// ERRORS     Cancelled.
/// COST       (V + split vertices) closest-point queries.
/// THREADS    uses all cores.
Result<Heat> deviationHeat(const Mesh& reference, const SurfaceQuery& referenceQuery, const Mesh& level,
                           const HeatOptions& options, const JobContext& job);

/// The same surface with each triangle split into a grid of n x n, n by its longest edge, so that about `triangles`
/// come out of it. Vertices stay apart where the input's triangles meet.
Mesh splitFine(const Mesh& mesh, std::uint32_t triangles);

} // namespace thicket
