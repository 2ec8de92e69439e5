#pragma once
// How low and how high ground lies, square by square: what can be said of it for certain without its heights.

#include "base/shared_rows.h"

#include <algorithm>

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
    [[nodiscard]] float lowest(std::uint32_t level, double x0, double y0, double x1, double y1) const {
        const SharedRows& row = lows[level];
        const double size = static_cast<double>(std::uint64_t{side} << level);
        const auto across = static_cast<std::int32_t>(row.across());
        const auto down = static_cast<std::int32_t>(row.down());
        if (!(x0 >= 0 && y0 >= 0 && x1 <= across * size && y1 <= down * size))
            return kNoGround;
        const double over = 1 / size; // exact: a power of two
        const std::int32_t left = std::min(static_cast<std::int32_t>(x0 * over), across - 1);
        const std::int32_t top = std::min(static_cast<std::int32_t>(y0 * over), down - 1);
        const std::int32_t right = std::min(static_cast<std::int32_t>(x1 * over), across - 1);
        const std::int32_t bottom = std::min(static_cast<std::int32_t>(y1 * over), down - 1);
        float out = 1e30F;
        for (std::int32_t y = top; y <= bottom; ++y) {
            const float* values = row.row(static_cast<std::uint32_t>(y));
            for (std::int32_t x = left; x <= right; ++x)
                out = std::min(out, values[x]);
        }
        return out;
    }
    [[nodiscard]] float highest(double x0, double y0, double x1, double y1) const;
};

} // namespace thicket
