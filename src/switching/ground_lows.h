#pragma once
// How low and how high ground lies, square by square: what can be said of it for certain without its heights.

#include <cstdint>
#include <vector>

namespace thicket {

/// Squares of `side << level` cells of heights a side; square (i, j) of a level answers for the heights at all its
/// corners and between, those it shares with its neighbours included.
struct GroundLows {
    static constexpr float kNoGround = -1e30F; ///< where a hole is
    struct Level {
        std::uint32_t across = 0;
        std::uint32_t down = 0;
        std::uint32_t first = 0; ///< into `lows`, row by row
        bool operator==(const Level&) const = default;
    };
    std::uint32_t side = 2;    ///< cells of the finest squares, a power of two
    std::vector<Level> levels; ///< finest first; the last has one square
    std::vector<float> lows;   ///< metres above the terrain's origin; kNoGround where any of it is a hole
    std::vector<float> highs;  ///< of the finest squares

    /// Lowest and highest between columns x0 .. x1 and rows y0 .. y1, by squares of a level; kNoGround where that leaves
    /// the ground.
    [[nodiscard]] float lowest(std::uint32_t level, double x0, double y0, double x1, double y1) const;
    [[nodiscard]] float highest(double x0, double y0, double x1, double y1) const;
};

} // namespace thicket
