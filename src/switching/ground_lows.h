#pragma once
// How low and how high ground lies, square by square: what can be said of it for certain without its heights.

#include "base/shared_rows.h"

namespace thicket {

/// Squares of `side << level` cells of heights a side; square (i, j) of a level answers for the heights at all its
/// corners and between, those it shares with its neighbours included.
struct GroundLows {
    static constexpr float kNoGround = -1e30F; ///< where a hole is
    std::uint32_t side = 2;                    ///< cells of the finest squares, a power of two
    std::vector<SharedRows>
        lows;         ///< by level, finest first, the last of one square: metres above the terrain's origin;
                      ///< kNoGround where any of it is a hole
    SharedRows highs; ///< of the finest squares

    /// Lowest and highest between columns x0 .. x1 and rows y0 .. y1, by squares of a level; kNoGround where that leaves
    /// the ground.
    [[nodiscard]] float lowest(std::uint32_t level, double x0, double y0, double x1, double y1) const;
    [[nodiscard]] float highest(double x0, double y0, double x1, double y1) const;
};

} // namespace thicket
