#pragma once
// The triangles round an edge that may be collapsed, their places side by side.

#include "reduce/quadric.h"

#include <cstdint>

namespace thicket::reduce {

/// Gathered once when an edge's turn comes; what is asked of its surroundings then reads no other memory. Numbers of
/// one kind stand side by side for all triangles, as in `EdgeBatch`.
struct Ring {
    static constexpr std::size_t kMost = 64; ///< triangles, those that go counted twice
    template <class T> using Row = std::array<T, kMost>;
    using Places = std::array<Row<double>, 3>;

    std::size_t count = 0;     ///< triangles that stay: of the first end, then of the second
    std::size_t going = 0;     ///< after them: those that have both ends
    Row<std::uint32_t> corner; ///< at which the end stands
    Places from;               ///< the end's place, and the triangle's others after it
    Places x;
    Places y;
    Places cross; ///< (x - from) x (y - from), once `findCrosses` was called
    Places after; ///< the same with the new place instead of the end's, for those that stay, once `facesHold` was

    /// Writes entry i, which counts only once `count` or `going` says so.
    void set(std::size_t i, std::uint32_t c, const Vec3d& end, const Vec3d& next, const Vec3d& last) {
        corner[i] = c;
        for (std::size_t axis = 0; axis < 3; ++axis) {
            from[axis][i] = end[static_cast<int>(axis)];
            x[axis][i] = next[static_cast<int>(axis)];
            y[axis][i] = last[static_cast<int>(axis)];
        }
    }
    [[nodiscard]] static Vec3d placeIn(const Places& places, std::size_t i) {
        return {places[0][i], places[1][i], places[2][i]};
    }
};

void findCrosses(Ring& ring);

/// How far `place` would move the volume under the ring: the sum of (place - x) . cross, and the crosses' own sum.
/// REQUIRES crosses.
double volumeUnder(const Ring& ring, const Vec3d& place, Vec3d& crosses);

/// Longest over mean of the squared lengths of the edges that `place` would have; 0 without any.
double longestOverMean(Ring& ring, const Vec3d& place);

/// True when no triangle that stays turns over, or by more than 78 degrees, or falls to a sliver.
/// REQUIRES   crosses.
bool facesHold(Ring& ring, const Vec3d& place);

} // namespace thicket::reduce
