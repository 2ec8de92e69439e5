#pragma once
// The largest distance of one surface from another, and what no point of it is farther than: branch and bound.

#include "base/job.h"
#include "measure/surface_query.h"

namespace thicket::measure {

/// What is known of A's vertices: how far each is from B, and the triangle of B that is.
struct OfVertices {
    std::vector<double> distance;
    std::vector<std::uint32_t> closest;
};

struct Bracket {
    double found = 0; ///< the largest distance found, metres
    double bound = 0; ///< no point is farther
    Vec3d place{0, 0, 0};
};

struct BracketOptions {
    double tolerance = 0.05;
    double floorMetres = 0; ///< below this the bound is not tightened
};

/// Measures all vertices of A, then tightens the bound until it exceeds what was found by no more than the tolerance, or
/// for so long as it pays. Empty when cancelled.
std::optional<Bracket> bracketDistance(const Mesh& from, const SurfaceQuery& target, const BracketOptions& options,
                                       const JobContext& job, OfVertices& measured);

} // namespace thicket::measure
