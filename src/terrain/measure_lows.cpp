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
    const std::uint32_t at = y * out.levels[0].across + x;
    out.lows[at] = hole ? GroundLows::kNoGround : low;
    out.highs[at] = high;
}

/// One of a coarser level, from those below it.
void joinSquare(GroundLows& out, std::uint32_t level, std::uint32_t x, std::uint32_t y) {
    const GroundLows::Level& below = out.levels[level - 1];
    float low = 1e30F;
    for (std::uint32_t j = 2 * y; j < std::min(2 * y + 2, below.down); ++j)
        for (std::uint32_t i = 2 * x; i < std::min(2 * x + 2, below.across); ++i)
            low = std::min(low, out.lows[below.first + j * below.across + i]);
    const GroundLows::Level& own = out.levels[level];
    out.lows[own.first + y * own.across + x] = low;
}

} // namespace

GroundLows emptyLows(const Heights& heights) {
    constexpr std::uint64_t kMostSquares = std::uint64_t{1} << 20;
    GroundLows out;
    const auto across = [&] { return (heights.columns - 2) / out.side + 1; };
    const auto down = [&] { return (heights.rows - 2) / out.side + 1; };
    while (std::uint64_t{across()} * down() > kMostSquares)
        out.side *= 2;
    GroundLows::Level level{across(), down(), 0};
    std::uint32_t squares = 0;
    for (;;) {
        level.first = squares;
        out.levels.push_back(level);
        squares += level.across * level.down;
        if (level.across == 1 && level.down == 1)
            break;
        level.across = (level.across + 1) / 2;
        level.down = (level.down + 1) / 2;
    }
    out.lows.resize(squares);
    out.highs.resize(std::size_t{out.levels[0].across} * out.levels[0].down);
    return out;
}

GroundLows measureLows(const Heights& heights) {
    GroundLows out = emptyLows(heights);
    const std::uint32_t across = out.levels[0].across;
    parallelChunks(out.levels[0].down, 16, [&](std::size_t from, std::size_t to) {
        for (std::size_t y = from; y < to; ++y)
            for (std::uint32_t x = 0; x < across; ++x)
                measureSquare(heights, out, x, static_cast<std::uint32_t>(y));
    });
    for (std::uint32_t level = 1; level < out.levels.size(); ++level)
        for (std::uint32_t y = 0; y < out.levels[level].down; ++y)
            for (std::uint32_t x = 0; x < out.levels[level].across; ++x)
                joinSquare(out, level, x, y);
    return out;
}

void measureLowsAgain(GroundLows& lows, const Heights& heights, const TileTree::Rect& edited) {
    // A height on the border of a square belongs to its neighbour too.
    std::uint32_t x0 = edited.x0 > 0 ? (edited.x0 - 1) / lows.side : 0;
    std::uint32_t y0 = edited.y0 > 0 ? (edited.y0 - 1) / lows.side : 0;
    std::uint32_t x1 = std::min(edited.x1 / lows.side, lows.levels[0].across - 1);
    std::uint32_t y1 = std::min(edited.y1 / lows.side, lows.levels[0].down - 1);
    for (std::uint32_t y = y0; y <= y1; ++y)
        for (std::uint32_t x = x0; x <= x1; ++x)
            measureSquare(heights, lows, x, y);
    for (std::uint32_t level = 1; level < lows.levels.size(); ++level) {
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
