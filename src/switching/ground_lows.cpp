#include "switching/ground_lows.h"

#include <algorithm>

namespace thicket {
namespace {

/// The squares that a rectangle touches.
struct Squares {
    std::uint32_t x0 = 0, y0 = 0, x1 = 0, y1 = 0;
};

Squares squaresOf(const SharedRows& row, double side, double x0, double y0, double x1, double y1) {
    const auto at = [over = 1 / side](double v, std::uint32_t count) { // exact: a power of two
        return static_cast<std::uint32_t>(static_cast<std::int64_t>(
            std::clamp(v * over, 0.0, static_cast<double>(static_cast<std::int64_t>(count) - 1))));
    };
    return {at(x0, row.across()), at(y0, row.down()), at(x1, row.across()), at(y1, row.down())};
}

} // namespace

float GroundLows::highest(double x0, double y0, double x1, double y1) const {
    const Squares s = squaresOf(highs, side, x0, y0, x1, y1);
    float out = -1e30F;
    for (std::uint32_t y = s.y0; y <= s.y1; ++y) {
        const float* values = highs.row(y);
        for (std::uint32_t x = s.x0; x <= s.x1; ++x)
            out = std::max(out, values[x]);
    }
    return out;
}

} // namespace thicket
