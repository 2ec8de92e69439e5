// Terrain: what the figures mean is said in bench/README.md.
#include "switching/select_tiles.h"
#include "terrain/build_tree.h"
#include "terrain/make_heights.h"
#include "terrain/static_mesh.h"

#include <algorithm>
#include <benchmark/benchmark.h>
#include <chrono>
#include <cmath>

namespace thicket {
namespace {

const Heights& groundOf(std::uint32_t side) {
    static std::map<std::uint32_t, Heights> made;
    auto& h = made[side];
    if (h.rows == 0) {
        GroundRecipe recipe;
        recipe.columns = recipe.rows = side;
        recipe.octaves = side > 5000 ? 6 : 9;
        h = makeHeights(recipe);
    }
    return h;
}

/// The yardstick: one pass of min and max over all heights.
void minAndMax(benchmark::State& state) {
    const Heights& h = groundOf(static_cast<std::uint32_t>(state.range(0)));
    for (auto _ : state) {
        float low = 1e30F;
        float high = -1e30F;
        for (std::uint32_t y = 0; y < h.rows; ++y)
            for (const float* v = h.row(y); v < h.row(y) + h.columns; ++v) {
                low = std::min(low, *v);
                high = std::max(high, *v);
            }
        benchmark::DoNotOptimize(low);
        benchmark::DoNotOptimize(high);
    }
}

void tileTree(benchmark::State& state) {
    const Heights& h = groundOf(static_cast<std::uint32_t>(state.range(0)));
    for (auto _ : state)
        benchmark::DoNotOptimize((*buildTileTree(h, 64, {}))->tiles.size());
}

void rightTriangles(benchmark::State& state) {
    const auto h = std::make_shared<const Heights>(groundOf(static_cast<std::uint32_t>(state.range(0))));
    for (auto _ : state)
        benchmark::DoNotOptimize(
            RightTriangles::measure(h, {})->mesh({0.5, {}, false}, 100'000'000, {})->triangleCount());
}

/// A brush of 64 m, heights and tree.
void editTree(benchmark::State& state) {
    Heights h = groundOf(2049);
    auto tree = *buildTileTree(h, 64, {});
    std::uint32_t at = 0;
    for (auto _ : state) {
        at = (at + 117) % 1900;
        for (std::uint32_t y = at; y <= at + 64; ++y)
            for (std::uint32_t x = at; x <= at + 64; ++x)
                h.grid.edit(y)[x] += 0.01F;
        tree = editTileTree(tree, h, {at, at, at + 64, at + 64});
        benchmark::DoNotOptimize(tree->tiles.size());
    }
}

/// The tree of a terrain of 40 km, 1 m between heights, without its heights: those of a square kilometre repeated.
std::shared_ptr<const TileTree> wideTree() {
    static const auto made = [] {
        const auto part = *buildTileTree(groundOf(4097), 64, {});
        auto tree = std::make_shared<TileTree>();
        tree->columns = tree->rows = 40001;
        tree->origin = {-20000, 0, -20000};
        std::uint32_t first = 0;
        for (std::uint32_t across = (40001 - 2) / 64 + 1;; across = (across + 1) / 2) {
            tree->levels.push_back({across, across, first, 0});
            first += across * across;
            if (across == 1)
                break;
        }
        tree->tiles.resize(first);
        for (std::uint32_t i = 0; i < first; ++i) {
            const TileTree::Ref r = tree->refOf(i);
            const auto level = std::min(r.level, static_cast<std::uint32_t>(part->levels.size() - 1));
            const TileTree::Level& row = part->levels[level];
            tree->tiles[i] = part->tiles[row.first + (r.y % row.down) * row.across + r.x % row.across];
            tree->tiles[i].triangles = 2 * tree->cellsAcross(r) * tree->cellsDown(r);
            for (std::uint32_t above = level; above < r.level; ++above)
                tree->tiles[i].error *= 1.3F;
        }
        tree->low = part->low;
        tree->high = part->high;
        return std::shared_ptr<const TileTree>(std::move(tree));
    }();
    return made;
}

/// 60 frames a second at 50 m/s with turns and climbs.
void selectTerrain(benchmark::State& state) {
    TileState kept;
    kept.settle(wideTree());
    TileRule rule;
    rule.allowPx = static_cast<double>(state.range(0));
    TileCut cut;
    View view;
    view.farMetres = 60000;
    double seconds = 0;
    double worst = 0;
    double sum = 0;
    double tiles = 0;
    std::int64_t frames = 0;
    Vec3d eye(-15000, 60, 3000);
    for (auto _ : state) {
        const double heading = 0.6 * std::sin(0.23 * seconds) + 0.5 * std::sin(1.1 * seconds);
        const Vec3d towards(std::cos(heading), 0, std::sin(heading));
        eye += towards * (50.0 / 60);
        eye.x() = eye.x() > 18000 ? -15000 : eye.x();
        eye.y() = 60 + 200 * (1 + std::sin(0.3 * seconds));
        view = lookAt(view, eye, eye + towards - Vec3d(0, 0.15, 0));
        const auto from = std::chrono::steady_clock::now();
        selectTiles(view, rule, kept, cut);
        const double us = std::chrono::duration<double, std::micro>(std::chrono::steady_clock::now() - from).count();
        if (frames > 10)
            worst = std::max(worst, us);
        sum += us;
        tiles += static_cast<double>(cut.tiles.size());
        ++frames;
        seconds += 1.0 / 60;
    }
    state.counters["mean_us"] = sum / static_cast<double>(frames);
    state.counters["worst_us"] = worst;
    state.counters["tiles"] = tiles / static_cast<double>(frames);
}

BENCHMARK(minAndMax)->Arg(8193)->Unit(benchmark::kMillisecond);
BENCHMARK(tileTree)->Arg(2049)->Arg(8193)->Unit(benchmark::kMillisecond);
BENCHMARK(rightTriangles)->Arg(2049)->Unit(benchmark::kMillisecond);
BENCHMARK(editTree)->Unit(benchmark::kMicrosecond);
BENCHMARK(selectTerrain)->Arg(1)->Arg(2)->Iterations(6000)->Unit(benchmark::kMicrosecond);

} // namespace
} // namespace thicket
