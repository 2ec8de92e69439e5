#pragma once
// The mesh of few triangles: points are put in where the ground is farthest off, one after the other, into a Delaunay
// triangulation (Garland & Heckbert 1995), until nothing is off by more than is allowed.

#include "base/job.h"
#include "mesh/mesh.h"
#include "terrain/heights.h"

namespace thicket {

/// A mesh in world space no height of which is farther from it, vertically, than `error` metres; one part.
/// most       triangles that it may have
/// ERRORS     BadInput: ground with holes, or more than 16,384 heights a side; TooLarge when it would have more than
///            `most` triangles; Cancelled.
/// COST       O((heights + points^2 area) log points) in the worst case; in practice some passes over the heights.
Result<Mesh> greedyMesh(const Heights& heights, double error, std::uint64_t most, const JobContext& job);

} // namespace thicket
