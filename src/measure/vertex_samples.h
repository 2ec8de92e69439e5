#pragma once
// Some vertices of two meshes, each with how far it is from the other one.

#include "measure/surface_query.h"

#include <vector>

namespace thicket {

/// Of one mesh: every so many vertices.
struct SideSamples {
    std::size_t step = 1;
    std::vector<double> distance;       ///< from the other mesh, metres
    std::vector<std::uint32_t> closest; ///< the nearest triangle of that

    [[nodiscard]] std::size_t count() const { return distance.size(); }
    [[nodiscard]] std::size_t vertex(std::size_t i) const { return i * step; }
    [[nodiscard]] Vec3d placeIn(const Mesh& mesh, std::size_t i) const {
        return mesh.positions[vertex(i)].cast<double>();
    }
};
struct VertexSamples {
    SideSamples there; ///< of the reference
    SideSamples back;  ///< of the level
};

/// Measures about `points` vertices a side, all where there are fewer.
/// COST       O(points log T).
/// THREADS    uses all cores; the result does not depend on how many.
VertexSamples sampleVertices(const Mesh& reference, const SurfaceQuery& referenceQuery, const Mesh& level,
                             const SurfaceQuery& levelQuery, std::uint32_t points);

} // namespace thicket
