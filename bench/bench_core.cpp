// What the figures mean is said in bench/README.md.
#include "measure/deviation.h"
#include "models.h"
#include "reduce/record.h"
#include "support/shapes.h"
#include "switching/selector.h"

#include <benchmark/benchmark.h>
#include <cmath>
#include <random>

namespace thicket {
namespace {

/// 2 n^2 triangles: a torus, closed, positions only.
Mesh closedMesh(int triangles) {
    const int n = static_cast<int>(std::lround(std::sqrt(triangles / 2.0)));
    return shapes::torus(n, n, 3, 1);
}

void sortHalfEdgeKeys(benchmark::State& state) {
    std::mt19937_64 random(1);
    std::vector<std::uint64_t> keys(static_cast<std::size_t>(3 * state.range(0)));
    for (auto& k : keys)
        k = random();
    for (auto _ : state) {
        auto copy = keys;
        std::sort(copy.begin(), copy.end());
        benchmark::DoNotOptimize(copy.data());
    }
}

void recordPositions(benchmark::State& state) {
    const Mesh mesh = closedMesh(static_cast<int>(state.range(0)));
    for (auto _ : state) {
        const auto record = recordCollapses(mesh, {}, {});
        benchmark::DoNotOptimize(record->alive.back());
        state.counters["ns_per_triangle"] =
            benchmark::Counter(static_cast<double>(mesh.triangleCount()) * 1e-9,
                               benchmark::Counter::kIsIterationInvariantRate | benchmark::Counter::kInvert);
    }
}

void recordAttributes(benchmark::State& state) {
    const int n = static_cast<int>(std::lround(std::sqrt(static_cast<double>(state.range(0)))));
    const Mesh mesh = shapes::texturedSphere(n, n / 2);
    for (auto _ : state) {
        const auto record = recordCollapses(mesh, {}, {});
        benchmark::DoNotOptimize(record->alive.back());
    }
}

const Record& millionRecord() {
    static const Record record = [] {
        Record made = *recordCollapses(closedMesh(1'000'000), {}, {});
        addCheckpoints(made);
        return made;
    }();
    return record;
}

void checkpointsOfMillion(benchmark::State& state) {
    Record record = millionRecord();
    for (auto _ : state)
        addCheckpoints(record);
}

void cutLevelOfMillion(benchmark::State& state) {
    const Record& record = millionRecord();
    for (auto _ : state) {
        const Mesh level = cutRecord(record, static_cast<std::uint32_t>(state.range(0)));
        benchmark::DoNotOptimize(level.indices.data());
    }
}

void copyLevelOfMillion(benchmark::State& state) {
    const Mesh level = cutRecord(millionRecord(), static_cast<std::uint32_t>(state.range(0)));
    for (auto _ : state) {
        const Mesh copy = level;
        benchmark::DoNotOptimize(copy.indices.data());
    }
}

void measureWindpumpLevel(benchmark::State& state) {
    static const Mesh source = demo::windpump().levels.front();
    static const SurfaceQuery query(source);
    static const Mesh level = cutRecord(*recordCollapses(source, {}, {}), source.triangleCount() / 16);
    for (auto _ : state) {
        const auto d = measureDeviation(source, query, level, {}, {});
        benchmark::DoNotOptimize(d->max());
    }
}

struct Crowd {
    std::vector<ResolvedChain> chains;
    CopyArrays copies;
    View view;
};

Crowd crowdOf(std::size_t count) {
    Crowd c;
    const std::vector<LevelCost> levels{
        {10000, 5000, 2, 0, {}}, {2500, 1300, 2, 0.002, {}}, {600, 320, 1, 0.01, {}}, {100, 60, 1, 0.06, {}}};
    c.chains = {resolveChain(levels, {}, {{-1, 0, -1}, {1, 3, 1}}, 2.1, c.view)};
    std::mt19937 random(1);
    std::uniform_real_distribution<double> u(-500, 500);
    for (std::size_t i = 0; i < count; ++i) {
        c.copies.position.emplace_back(u(random), 0, u(random));
        c.copies.rotation.emplace_back(Eigen::AngleAxisd(u(random), kUp));
        c.copies.scale.push_back(1);
        c.copies.chain.push_back(0);
    }
    finishCopies(c.copies, c.chains);
    c.view = lookAt(c.view, {0, 3, 0}, {0, 2, -50});
    return c;
}

void selectCopies(benchmark::State& state) {
    const Crowd c = crowdOf(static_cast<std::size_t>(state.range(0)));
    std::vector<PickMemory> memory;
    Selection s;
    for (auto _ : state) {
        select(c.chains, c.copies, c.view, 0, {}, memory, s);
        benchmark::DoNotOptimize(s.triangles);
    }
}

/// The same with eight walls among the copies, behind which others are looked for.
void selectBehindWalls(benchmark::State& state) {
    Crowd c = crowdOf(static_cast<std::size_t>(state.range(0)));
    const Mesh wall = shapes::box(20, {30, 12, 1});
    c.chains.push_back(resolveChain({{wall.triangleCount(), wall.vertexCount(), 1, 0, {}}}, {}, boundsOf(wall),
                                    radiusAround(wall, boundsOf(wall).centre()), c.view));
    const Occluders occluders{{}, {std::make_shared<const Occluder>(occluderOf(wall, {true}))}};
    for (int i = 0; i < 8; ++i) {
        c.copies.position.emplace_back(-60 + 18 * i, 0, -30 - 4 * (i % 3));
        c.copies.rotation.emplace_back(Quatd::Identity());
        c.copies.scale.push_back(1);
        c.copies.chain.push_back(1);
    }
    finishCopies(c.copies, c.chains);
    SelectOptions options;
    options.occluders = &occluders;
    std::vector<PickMemory> memory;
    Selection s;
    for (auto _ : state) {
        select(c.chains, c.copies, c.view, 0, options, memory, s);
        benchmark::DoNotOptimize(s.triangles);
    }
    state.counters["hidden"] = s.culledBy[static_cast<std::size_t>(Culled::Hidden)];
}

void distancePass(benchmark::State& state) {
    const Crowd c = crowdOf(static_cast<std::size_t>(state.range(0)));
    std::vector<double> out(c.copies.size());
    for (auto _ : state) {
        for (std::size_t i = 0; i < out.size(); ++i)
            out[i] = (c.copies.position[i] - c.view.eye).norm();
        benchmark::DoNotOptimize(out.data());
    }
}

BENCHMARK(sortHalfEdgeKeys)->Arg(1'000'000)->Unit(benchmark::kMillisecond);
BENCHMARK(recordPositions)->Arg(125'000)->Arg(1'000'000)->Arg(4'000'000)->Unit(benchmark::kMillisecond)->Iterations(1);
BENCHMARK(recordAttributes)->Arg(1'000'000)->Unit(benchmark::kMillisecond)->Iterations(1);
BENCHMARK(checkpointsOfMillion)->Unit(benchmark::kMillisecond)->Iterations(3);
BENCHMARK(cutLevelOfMillion)->Arg(500'000)->Arg(50'000)->Arg(5'000)->Unit(benchmark::kMillisecond);
BENCHMARK(copyLevelOfMillion)->Arg(500'000)->Arg(50'000)->Arg(5'000)->Unit(benchmark::kMillisecond);
BENCHMARK(measureWindpumpLevel)->Unit(benchmark::kMillisecond)->Iterations(1);
BENCHMARK(selectCopies)->Arg(10'000)->Arg(1'000'000)->Unit(benchmark::kMicrosecond);
BENCHMARK(selectBehindWalls)->Arg(10'000)->Unit(benchmark::kMicrosecond);
BENCHMARK(distancePass)->Arg(10'000)->Arg(1'000'000)->Unit(benchmark::kMicrosecond);

} // namespace
} // namespace thicket
