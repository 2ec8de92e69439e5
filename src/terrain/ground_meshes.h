#pragma once
// Meshes of a terrain as levels: one for each of some errors, by right triangles or of as few triangles as may be.

#include "terrain/static_mesh.h"

#include <optional>

namespace thicket {

/// How what is allowed grows with the distance from a place, up to `error` at `range`.
struct MeshFalloff {
    Vec3d from{0, 0, 0};
    double error = 2; ///< metres, at the range and beyond
    double range = 500;
    double power = 1; ///< of the share of the range that it grows with: 2 keeps it low for longer

    bool operator==(const MeshFalloff&) const = default;
};

struct GroundMeshAsk {
    std::vector<double> errors; ///< metres; levels come finest first
    bool keepBorder = false;    ///< every height along the outer border
    bool fewest = false;        ///< of as few triangles as may be: slower; the same error everywhere, no border
    std::optional<MeshFalloff> falloff;
};

/// Bytes that a mesh takes: places and normals, and its triangles.
double bytesOf(const RightTriangles::Count& count);

/// ERRORS     BadInput: no error, one that is below 0, a falloff that is none, or fewest with a border or a falloff.
Result<void> checkAsk(const GroundMeshAsk& ask);

/// How many triangles each of them would have by right triangles, without making it; `fewest` has no more.
/// ERRORS     TooLarge: more heights than can be looked at together; Cancelled.
Result<std::vector<RightTriangles::Count>> forecastMeshes(const std::shared_ptr<const Heights>& heights,
                                                          const GroundMeshAsk& ask, const JobContext& job);

/// ERRORS     as checkAsk; TooLarge when one has more than `most` triangles; BadInput where `fewest` cannot be made;
///            Cancelled.
Result<std::vector<std::shared_ptr<const Mesh>>> makeGroundMeshes(const std::shared_ptr<const Heights>& heights,
                                                                  const GroundMeshAsk& ask, std::uint64_t most,
                                                                  const JobContext& job);

} // namespace thicket
