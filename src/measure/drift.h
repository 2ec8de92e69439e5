#pragma once
// How far a level's attributes have moved from the reference: texture along the surface, normals by angle.

#include "base/job.h"
#include "base/result.h"
#include "measure/surface_query.h"

#include <optional>
#include <span>

namespace thicket {

struct DriftSpread {
    double max = 0;
    double p99 = 0;
    double rms = 0;
};

/// Of the level's surface against the reference's.
struct Drift {
    std::optional<DriftSpread> textureMetres; ///< from a point to the reference's point with the same UV
    std::optional<DriftSpread> textureTexels; ///< the same in texels of the material's largest picture
    std::optional<DriftSpread> normalDegrees; ///< between the normals at closest points
};

struct DriftOptions {
    std::uint32_t samples =
        20'000; ///< stratified points on the level at most; on light ones four a triangle, 5 k at least
    std::span<const int> texelsAcross; ///< of each material's largest picture; 0 or missing: it has none
};

/// Points with equal UV are searched round the closest point, ever farther until one is found or a twentieth of the
/// diagonal is reached; a point of which the texture holds nothing there counts with the farthest reach that was
/// searched. Where surfaces meet at a seam or a hard edge, the side that agrees best counts: what lies on an edge has
/// not drifted.
/// ERRORS     Cancelled.
/// THREADS    uses all cores; the result does not depend on how many.
/// SOURCE     Cohen, Olano, Manocha 1998 (texture deviation: distance between points of equal UV).
Result<Drift> measureDrift(const Mesh& reference, const SurfaceQuery& referenceQuery, const Mesh& level,
                           const DriftOptions& options, const JobContext& job);

} // namespace thicket
