#pragma once
// From where a place on a mesh can be seen.

#include "measure/surface_rays.h"

#include <vector>

namespace thicket {

/// The direction, of length 1, that one looks at places from: where most of them can be seen from outside, as nearly as
/// may be where their surface faces, and rather from above than from below.
/// outward  of length 1, or 0: not known.
/// about    how large things are there, metres: rays begin next to nothing of that off the places.
/// COST     some fifty rays a place.
Vec3d sightlineTo(const SurfaceRays& rays, const std::vector<Vec3d>& places, const Vec3d& outward, double about);

} // namespace thicket
