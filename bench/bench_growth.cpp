// Strands and emitters: what the figures mean is said in bench/README.md.
#include "emitters/particles.h"
#include "strands/grow_strands.h"
#include "strands/strand_cover.h"

#include <benchmark/benchmark.h>

namespace thicket {
namespace {

StrandRecipe meadow(double strands) {
    StrandRecipe r;
    r.where.lowX = r.where.lowZ = -50;
    r.where.highX = r.where.highZ = 50;
    r.where.density = strands / 10'000;
    return r;
}

const StrandSet& meadowOf(double strands) {
    static std::map<double, StrandSet> made;
    StrandSet& set = made[strands];
    if (set.size() == 0)
        set = *growStrands(meadow(strands), levelGround(meadow(strands).where), {});
    return set;
}

void growMeadow(benchmark::State& state) {
    const StrandRecipe recipe = meadow(static_cast<double>(state.range(0)));
    const ScatterGround ground = levelGround(recipe.where);
    for (auto _ : state)
        benchmark::DoNotOptimize(growStrands(recipe, ground, {})->points.size());
}

/// The yardstick: one pass over all points.
void lengthOfStrands(benchmark::State& state) {
    const StrandSet& set = meadowOf(static_cast<double>(state.range(0)));
    for (auto _ : state) {
        float sum = 0;
        for (std::size_t i = 1; i < set.points.size(); ++i)
            sum += (set.points[i] - set.points[i - 1]).norm();
        benchmark::DoNotOptimize(sum);
    }
}

void weighStrands(benchmark::State& state) {
    const StrandSet& set = meadowOf(static_cast<double>(state.range(0)));
    for (auto _ : state)
        benchmark::DoNotOptimize(weighPoints(set, {})->size());
}

/// A camera that walks through a meadow of five levels which thins out over 260 m.
void selectStrands(benchmark::State& state) {
    const StrandSet& set = meadowOf(static_cast<double>(state.range(0)));
    const auto worth = *weighPoints(set, {});
    const auto levels = usualLevels(set, worth, 5);
    const StrandPlaces places = placesOf(set);
    const StrandLayout layout = layOut(set, worth, places, levels, nullptr);
    const View view;
    std::vector<LevelCost> costs;
    for (const StrandLevel& level : levels)
        costs.push_back({0, 0, 1, level.deviation, {}});
    SwitchRule rule;
    rule.cullBelowPx = 0;
    rule.reachMetres = 260;
    Batch batch;
    batch.chain = resolveChain(costs, rule, places.bounds, places.radius, view);
    batch.copies = layout.cells;
    batch.instanced = true;
    batch.thinning = Thinning::ofWidths();
    batch.thinning.keep.points = {{10, 1}, {31, 0.5}, {78, 0.22}, {156, 0.14}, {234, 0.125}, {260, 0}};
    batch.strands = layout.costs;
    SelectInput input;
    input.subjects = {1};
    input.batches = {batch};
    SelectState own;
    Selection out;
    double t = 0;
    for (auto _ : state) {
        t += 1.0 / 60;
        const Vec3d eye(-40 + 1.4 * t, 1.7, 8 * std::sin(t / 5));
        select(input, lookAt(view, eye, eye + Vec3d(10, 0, 4 * std::sin(t))), t, {}, own, out);
        benchmark::DoNotOptimize(out.total.triangles);
    }
    state.counters["drawn"] = out.total.drawn;
}

void coverAtNineDistances(benchmark::State& state) {
    const StrandSet& set = meadowOf(static_cast<double>(state.range(0)));
    const auto worth = *weighPoints(set, {});
    ResolvedChain chain;
    chain.levels.resize(1);
    chain.fromMetres = {0};
    Thinning thinning = Thinning::ofWidths();
    thinning.keep.points = {{10, 1}, {60, 0.3}};
    const std::vector<double> distances = {3, 6, 12, 20, 30, 45, 60, 80, 100};
    for (auto _ : state)
        benchmark::DoNotOptimize(measureCover(set, worth, chain, thinning, {}, View(), distances, {})->size());
}

void aliveParticles(benchmark::State& state) {
    std::vector<EmitterPart> parts(1);
    parts[0].rate = static_cast<double>(state.range(0)) / parts[0].lifetime.mean();
    std::vector<Particle> out;
    double t = 10;
    for (auto _ : state) {
        particlesAt(parts, 1, t += kParticleStep, -1e9, 1e9, out);
        benchmark::DoNotOptimize(out.size());
    }
}

BENCHMARK(growMeadow)->Arg(240'000)->Unit(benchmark::kMillisecond);
BENCHMARK(lengthOfStrands)->Arg(240'000)->Unit(benchmark::kMillisecond);
BENCHMARK(weighStrands)->Arg(240'000)->Unit(benchmark::kMillisecond);
BENCHMARK(selectStrands)->Arg(240'000)->Unit(benchmark::kMicrosecond);
BENCHMARK(coverAtNineDistances)->Arg(240'000)->Unit(benchmark::kMillisecond);
BENCHMARK(aliveParticles)->Arg(10'000)->Unit(benchmark::kMicrosecond);

} // namespace
} // namespace thicket
