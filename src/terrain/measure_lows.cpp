#include "terrain/measure_lows.h"

#include "base/parallel.h"

#include <algorithm>

namespace thicket {
namespace {

/// One of the finest squares.
void measureSquare(const Heights& h, GroundLows& out, std::uint32_t x, std::uint32_t y) {
    const std::uint32_t x0 = x * out.side;
    const std::uint32_t x1 = std::min(x0 + out.side, h.columns - 1);
    const std::uint32_t y1 = std::min((y + 1) * out.side, h.rows - 1);
    float low = 1e30F;
    float high = -1e30F;
    bool hole = false;
    for (std::uint32_t j = y * out.side; j <= y1; ++j) {
        const float* row = h.row(j);
        for (std::uint32_t i = x0; i <= x1; ++i) {
            low = std::min(low, row[i]);
            high = std::max(high, row[i]);
            hole = hole || (h.holes && i < x1 && j < y1 && h.holeAt(i, j));
        }
    }
    out.lows[0].edit(y)[x] = hole ? GroundLows::kNoGround : low;
    out.highs.edit(y)[x] = high;
}

/// One of a coarser level, from those below it.
void joinSquare(GroundLows& out, std::uint32_t level, std::uint32_t x, std::uint32_t y) {
    const SharedRows& below = out.lows[level - 1];
    float low = 1e30F;
    for (std::uint32_t j = 2 * y; j < std::min(2 * y + 2, below.down()); ++j)
        for (std::uint32_t i = 2 * x; i < std::min(2 * x + 2, below.across()); ++i)
            low = std::min(low, below.row(j)[i]);
    out.lows[level].edit(y)[x] = low;
}

} // namespace

GroundLows emptyLows(const Heights& heights) {
    constexpr std::uint64_t kMostSquares = std::uint64_t{1} << 20;
    GroundLows out;
    const auto across = [&] { return (heights.columns - 2) / out.side + 1; };
    const auto down = [&] { return (heights.rows - 2) / out.side + 1; };
    while (std::uint64_t{across()} * down() > kMostSquares)
        out.side *= 2;
    std::uint32_t wide = across();
    std::uint32_t tall = down();
    out.highs = SharedRows(wide, tall);
    for (;;) {
        out.lows.emplace_back(wide, tall);
        if (wide == 1 && tall == 1)
            break;
        wide = (wide + 1) / 2;
        tall = (tall + 1) / 2;
    }
    return out;
}

GroundLows measureLows(const Heights& heights) {
    GroundLows out = emptyLows(heights);
    const std::uint32_t across = out.highs.across();
    parallelChunks(out.highs.down(), SharedRows::kRows, [&](std::size_t from, std::size_t to) {
        for (std::size_t y = from; y < to; ++y)
            for (std::uint32_t x = 0; x < across; ++x)
                measureSquare(heights, out, x, static_cast<std::uint32_t>(y));
    });
    for (std::uint32_t level = 1; level < out.lows.size(); ++level)
        for (std::uint32_t y = 0; y < out.lows[level].down(); ++y)
            for (std::uint32_t x = 0; x < out.lows[level].across(); ++x)
                joinSquare(out, level, x, y);
    return out;
}

void measureLowsAgain(GroundLows& lows, const Heights& heights, const TileTree::Rect& edited) {
    // A height on the border of a square belongs to its neighbour too.
    std::uint32_t x0 = edited.x0 > 0 ? (edited.x0 - 1) / lows.side : 0;
    std::uint32_t y0 = edited.y0 > 0 ? (edited.y0 - 1) / lows.side : 0;
    std::uint32_t x1 = std::min(edited.x1 / lows.side, lows.highs.across() - 1);
    std::uint32_t y1 = std::min(edited.y1 / lows.side, lows.highs.down() - 1);
    for (std::uint32_t y = y0; y <= y1; ++y)
        for (std::uint32_t x = x0; x <= x1; ++x)
            measureSquare(heights, lows, x, y);
    for (std::uint32_t level = 1; level < lows.lows.size(); ++level) {
        x0 /= 2;
        y0 /= 2;
        x1 /= 2;
        y1 /= 2;
        for (std::uint32_t y = y0; y <= y1; ++y)
            for (std::uint32_t x = x0; x <= x1; ++x)
                joinSquare(lows, level, x, y);
    }
}

} // namespace thicket
