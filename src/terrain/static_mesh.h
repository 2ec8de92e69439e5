#pragma once
// One mesh of a terrain within a vertical error: right-triangulated irregular networks (Evans, Kirkpatrick & Townsend
// 2001). Errors are true: of a triangle the largest vertical distance of all heights in it, not of its midpoint alone.

#include "base/job.h"
#include "mesh/mesh.h"
#include "terrain/heights.h"

#include <functional>

namespace thicket {

/// How far the ground is off where a point of the network is left out; the work that all meshes of a terrain share.
class RightTriangles {
public:
    /// REQUIRES   checked heights.
    /// ERRORS     Cancelled.
    /// COST       O(heights * log(side)), on all cores. Memory: 4 bytes a height, and up to as much again.
    static Result<RightTriangles> measure(std::shared_ptr<const Heights> heights, const JobContext& job);

    /// What a mesh is to keep to.
    struct Bound {
        double error = 0.5; ///< metres; 0: every height
        /// Metres allowed at a place (x, z) of the world instead of `error`, when given; looked up at the points that are
        /// left out, so that it should change little from one to the next.
        std::function<double(double, double)> errorAt;
        bool keepBorder = false; ///< every height along the outer border, so that neighbouring meshes match
    };

    struct Count {
        std::uint64_t triangles = 0;
        std::uint64_t vertices = 0;
    };
    /// How many triangles a mesh will have, without making it.
    [[nodiscard]] Count count(const Bound& bound) const;

    /// The mesh, in world space, with normals of the finest surface; one part.
    /// ERRORS     Cancelled; TooLarge when it has more than `most` triangles.
    [[nodiscard]] Result<Mesh> mesh(const Bound& bound, std::uint64_t most, const JobContext& job) const;

private:
    RightTriangles() = default;
    [[nodiscard]] std::vector<float> needed(const Bound& bound) const;
    template <class Each> void walk(const std::vector<float>& need, const Each& each) const;

    std::shared_ptr<const Heights> m_heights;
    std::uint32_t m_side = 0;   ///< of a root square, a power of two
    std::uint32_t m_across = 0; ///< root squares
    std::uint32_t m_down = 0;
    std::uint32_t m_columns = 0; ///< points a row, m_across * m_side + 1
    std::uint32_t m_rows = 0;
    BigVector<float> m_error; ///< by point; of what is drawn where it is left out
};

} // namespace thicket
