#pragma once
// The last touch on a level: the same triangles, better placed.

#include "measure/surface_query.h"

#include "base/job.h"
#include "base/result.h"

namespace thicket {

struct PolishOptions {
    int rounds = 6;                       ///< 0..20 of moving points one by one
    int spreadRounds = 3;                 ///< 0..20 of spreading the error as a whole before
    std::uint32_t mostTriangles = 20'000; ///< heavier levels are left as they are: their triangles are small already
    double creaseDegrees = 40;            ///< what is sharper stays where it is
};

/// Turns diagonals and moves points of a level that was cut, so that all of its triangles are off by about the same:
/// the largest deviation then comes near that of the best mesh of as many triangles. Borders, seams, hard edges and
/// creases stay; attributes are taken from the source's surface. The best that was found is kept, and the level as it
/// was when nothing is better by a thirtieth: at its farthest place, or in the mean with that no farther.
/// REQUIRES   `query` is of `source`.
/// ERRORS     Cancelled.
/// COST       up to 0.2 ms a triangle where it pays, 0.03 ms where its first rounds bring nothing; nearly all of it
///            closest-point queries.
/// THREADS    uses all cores; the result does not depend on how many.
Result<Mesh> polishLevel(const Mesh& source, const SurfaceQuery& query, Mesh level, const PolishOptions& options,
                         const JobContext& job);

} // namespace thicket
