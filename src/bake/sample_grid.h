#pragma once
// Which triangle each sample of a picture sees first, by drawing all triangles over a grid (a z-buffer): many times
// sooner than a ray for each.

#include "bake/appearance.h"

#include <functional>
#include <span>
#include <vector>

namespace thicket {

/// A pinhole camera whose samples lie on an even grid.
struct SampleGrid {
    Vec3d eye{0, 0, 0};
    Vec3d right{1, 0, 0};
    Vec3d up{0, 1, 0};
    Vec3d ahead{0, 0, -1};
    double step = 1; ///< between two samples, metres at one metre of depth
    int across = 0;
    int down = 0;

    /// Through the middle of a sample, so long that it goes one metre deep; rows from the top.
    [[nodiscard]] Vec3d towards(int x, int y) const {
        return ahead + right * ((x + 0.5 - across / 2.0) * step) + up * ((down / 2.0 - y - 0.5) * step);
    }
};

constexpr std::uint32_t kNoTriangle = 0xFFFFFFFFU;

/// Calls `each(first row, triangles)` for bands of `rows` rows each but the last: by rows, kNoTriangle where nothing is.
/// Where the alpha of its material leaves a triangle out, what is behind it.
/// COST       O(triangles * bands + samples covered), bands beside each other; 12 bytes a sample of those in work.
/// THREADS    `each` is called on several threads at once; what it is given does not depend on how many.
void drawInBands(const Appearance& what, const SampleGrid& grid, int rows,
                 const std::function<void(int first, std::span<const std::uint32_t> triangles)>& each);

/// The same of the whole grid.
std::vector<std::uint32_t> firstTriangles(const Appearance& what, const SampleGrid& grid);

} // namespace thicket
