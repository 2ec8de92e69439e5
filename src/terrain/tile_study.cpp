#include "terrain/tile_study.h"

#include "base/text.h"
#include "terrain/build_tree.h"
#include "terrain/tile_grid.h"

#include <algorithm>
#include <chrono>
#include <cmath>
#include <fmt/format.h>

namespace thicket {
namespace {

double since(std::chrono::steady_clock::time_point start) {
    return std::chrono::duration<double, std::micro>(std::chrono::steady_clock::now() - start).count();
}

/// What it takes to have the drawn tiles right again after a stroke: the tree, and the points of those it touches.
double editCost(const Heights& heights, const std::shared_ptr<const TileTree>& tree, const TileCut& drawn) {
    std::vector<double> ms;
    for (std::uint32_t k = 0; k < 9; ++k) {
        const std::uint32_t x = (heights.columns - 1) * (1 + k % 3) / 4;
        const std::uint32_t y = (heights.rows - 1) * (1 + k / 3) / 4;
        const HeightRect rect{x > 32 ? x - 32 : 0, y > 32 ? y - 32 : 0, std::min(x + 32, heights.columns - 1),
                              std::min(y + 32, heights.rows - 1)};
        const auto start = std::chrono::steady_clock::now();
        const auto edited = editTileTree(tree, heights, rect);
        std::size_t made = 0;
        for (const DrawnTile& tile : drawn.tiles) {
            const std::uint32_t side = tree->cells << tile.ref.level;
            if (tile.ref.x * side <= rect.x1 && (tile.ref.x + 1) * side >= rect.x0 && tile.ref.y * side <= rect.y1 &&
                (tile.ref.y + 1) * side >= rect.y0)
                made += tilePoints(heights, *edited, tile.ref).heights.size();
        }
        ms.push_back(since(start) / 1000);
        if (made > heights.grid.size() * 4) // never so: it keeps the work from being left out
            ms.back() = 0;
    }
    std::nth_element(ms.begin(), ms.begin() + 4, ms.end());
    return ms[4];
}

} // namespace

std::vector<std::uint32_t> usualTileSizes(const Heights& heights) {
    std::vector<std::uint32_t> out;
    for (const std::uint32_t cells : {16U, 32U, 64U, 128U, 256U})
        if (out.empty() || cells < std::max(heights.columns, heights.rows))
            out.push_back(cells);
    return out;
}

double frameMs(const TileSizeCost& c, const TilePrices& prices) {
    return c.triangles * prices.nsPerTriangle * 1e-6 + (c.tiles * prices.usPerDraw + c.updateUs) * 1e-3;
}

Result<TileStudy> studyTileSizes(const Heights& heights, const TileRule& rule, std::span<const View> views,
                                 std::span<const std::uint32_t> sizes, const TilePrices& prices,
                                 const JobContext& job) {
    TileStudy out;
    for (std::size_t s = 0; s < sizes.size(); ++s) {
        const JobContext own = job.part(static_cast<double>(s) / static_cast<double>(sizes.size()),
                                        static_cast<double>(s + 1) / static_cast<double>(sizes.size()));
        own.report(0, "Trying tile sizes");
        auto tree = buildTileTree(heights, sizes[s], own.part(0, 0.5));
        if (!tree)
            return tree.error();
        TileSizeCost cost;
        cost.cells = sizes[s];
        TileState state;
        state.settle(*tree);
        TileCut cut;
        if (!views.empty())
            selectTiles(views.front(), rule, state, cut); // its storage grows once
        std::uint64_t mostVertices = 0;
        for (const View& view : views) {
            if (job.cancelled())
                return cancelledError();
            const auto start = std::chrono::steady_clock::now();
            selectTiles(view, rule, state, cut);
            const double us = since(start);
            cost.updateUs += us;
            cost.worstUs = std::max(cost.worstUs, us);
            cost.tiles += static_cast<double>(cut.tiles.size());
            cost.triangles += static_cast<double>(cut.triangles);
            mostVertices = std::max(mostVertices, cut.vertices);
        }
        const double count = std::max<double>(1, static_cast<double>(views.size()));
        cost.updateUs /= count;
        cost.tiles /= count;
        cost.triangles /= count;
        cost.memory = static_cast<double>(mostVertices) * 20;
        cost.editMs = editCost(heights, *tree, cut);
        out.sizes.push_back(cost);
    }
    if (out.sizes.empty())
        return out;
    double fewest = 1e300;
    for (std::size_t i = 0; i < out.sizes.size(); ++i) {
        fewest = std::min(fewest, out.sizes[i].triangles);
        if (frameMs(out.sizes[i], prices) < frameMs(out.sizes[out.recommended], prices))
            out.recommended = i;
    }
    const TileSizeCost& c = out.sizes[out.recommended];
    out.why = fmt::format("{} of a frame, the least: {:.1f} × the fewest triangles, {:.0f} draws, an edit costs {} ms",
                          figure(frameMs(c, prices), 2) + " ms", std::max(1.0, c.triangles / std::max(fewest, 1.0)),
                          c.tiles, figure(c.editMs, 2));
    return out;
}

} // namespace thicket
