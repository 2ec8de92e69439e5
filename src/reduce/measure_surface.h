#pragma once
// The quadrics that a surface starts with.

#include "reduce/corner_lists.h"
#include "reduce/surface.h"

namespace thicket::reduce {

/// Fills the quadrics of all points, and of all wedges where they have attributes; finds borders and irregular places;
/// marks points without triangles as gone. `care`: one a point, or empty.
/// REQUIRES   scales set, flags 0 but for the mirror's, quadrics of the right size. When the job is cancelled, of no
///            use.
void measureSurface(Surface& surface, const CornerLists& lists, const BigVector<std::uint32_t>& materialOfWedge,
                    const std::vector<float>& care, const ReduceOptions& options, const JobContext& job);

/// Of one triangle, working units.
double areaOf(const Surface& surface, std::uint32_t triangle);

} // namespace thicket::reduce
