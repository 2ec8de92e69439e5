// Fields: what the figures mean is said in bench/README.md.
#include "base/file.h"
#include "io/import/placement_table.h"
#include "scatter/scatter.h"
#include "support/temp_folder.h"
#include "switching/selector.h"

#include <algorithm>
#include <benchmark/benchmark.h>
#include <cmath>
#include <cstring>
#include <fmt/format.h>

namespace thicket {
namespace {

ScatterRecipe squareKilometre(double copies) {
    ScatterRecipe r;
    r.lowX = r.lowZ = -500;
    r.highX = r.highZ = 500;
    r.density = copies / 1e6;
    r.assets = {{1, 1, 0.7, 1.3, 360, 5, 0}};
    return r;
}

void scatterLevelGround(benchmark::State& state) {
    const ScatterRecipe recipe = squareKilometre(static_cast<double>(state.range(0)));
    const ScatterGround ground = levelGround(recipe);
    for (auto _ : state)
        benchmark::DoNotOptimize(scatter(recipe, ground, {})->size());
}

/// A million copies that thin out and grow, a soft band, the camera walking; what the frame before left kept.
void selectField(benchmark::State& state) {
    const ScatterRecipe recipe = squareKilometre(static_cast<double>(state.range(0)));
    Placements copies = *scatter(recipe, levelGround(recipe), {});
    for (std::uint32_t i = 0; i < copies.size(); ++i)
        copies[i].id = i + 1;
    SwitchRule rule;
    rule.softBand = 0.18;
    rule.reachMetres = 240;
    rule.cullBelowPx = 2;
    View view;
    const ResolvedChain chain =
        resolveChain({{300, 400, 1, 0, {}}, {110, 130, 1, 0.01, {}}, {30, 40, 1, 0.03, {}}, {4, 8, 1, 0.07, {}}}, rule,
                     {{-0.6, 0, -0.6}, {0.6, 2.3, 0.6}}, 1.4, view);
    SelectInput input;
    input.subjects = {1};
    Batch batch;
    batch.copies = makeCells(std::make_shared<const Placements>(std::move(copies)), 0, chain.bounds, chain.radius);
    batch.chain = chain;
    batch.instanced = true;
    batch.thinning.keep.points = {{14, 1}, {48, 0.62}, {108, 0.3}, {192, 0.16}, {240, 0}};
    input.batches = {batch};
    SelectState kept;
    Selection out;
    int frame = 0;
    for (auto _ : state) {
        const double t = frame / 60.0;
        const Vec3d eye(40 * std::sin(0.3 * t), 2, 1.5 * t - 40);
        select(input, lookAt(view, eye, eye + Vec3d(std::sin(0.8 * t), -0.05, -std::cos(0.8 * t))), t, {}, kept, out);
        ++frame;
        benchmark::DoNotOptimize(out.total.triangles);
    }
    state.counters["drawn"] = out.total.drawn;
    state.counters["thinned"] = out.total.culledBy[static_cast<std::size_t>(Culled::Thinned)];
}

std::string tableOf(std::int64_t rows) {
    std::string text = "asset,x,y,z,qx,qy,qz,qw,scale,id\n";
    for (std::int64_t i = 0; i < rows; ++i)
        text += fmt::format("post,{:.3f},0,{:.3f},0,0.25,0,0.97,1.{},{}\n", 0.37 * static_cast<double>(i % 2711),
                            0.53 * static_cast<double>(i % 1999), i % 10, i + 1);
    return text;
}

void readTable(benchmark::State& state) {
    const TempFolder folder;
    const auto file = folder.path() / "t.csv";
    if (!writeTextFile(file, tableOf(state.range(0))))
        return;
    for (auto _ : state)
        benchmark::DoNotOptimize(readPlacementTable(file, {}, {})->copies.size());
}

/// What a pass that only splits lines takes of the same file.
void splitTable(benchmark::State& state) {
    const TempFolder folder;
    const auto file = folder.path() / "t.csv";
    if (!writeTextFile(file, tableOf(state.range(0))))
        return;
    for (auto _ : state) {
        const std::string text = *readTextFile(file);
        std::size_t lines = 0;
        for (std::size_t at = 0; at < text.size(); ++lines) {
            const std::size_t end = text.find('\n', at);
            at = end == std::string::npos ? text.size() : end + 1;
        }
        benchmark::DoNotOptimize(lines);
    }
}

BENCHMARK(scatterLevelGround)->Arg(250'000)->Unit(benchmark::kMillisecond);
BENCHMARK(selectField)->Arg(1'000'000)->Unit(benchmark::kMicrosecond);
BENCHMARK(readTable)->Arg(1'000'000)->Unit(benchmark::kMillisecond);
BENCHMARK(splitTable)->Arg(1'000'000)->Unit(benchmark::kMillisecond);

} // namespace
} // namespace thicket
