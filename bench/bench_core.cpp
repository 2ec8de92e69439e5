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

/// Copies on a square kilometre, as a practitioner has them: turned and of many sizes.
struct Crowd {
    SelectInput input;
    View view;
};

Batch batchOf(const ResolvedChain& chain, Placements copies) {
    Batch batch;
    batch.copies =
        makeCells(std::make_shared<const Placements>(std::move(copies)), std::nullopt, chain.bounds, chain.radius);
    batch.chain = chain;
    return batch;
}

Crowd crowdOf(std::size_t count) {
    Crowd c;
    const std::vector<LevelCost> levels{
        {10000, 5000, 2, 0, {}}, {2500, 1300, 2, 0.002, {}}, {600, 320, 1, 0.01, {}}, {100, 60, 1, 0.06, {}}};
    std::mt19937 random(1);
    std::uniform_real_distribution<double> u(-1, 1);
    Placements copies;
    for (std::uint32_t i = 0; i < count; ++i)
        copies.push_back({i + 1,
                          0,
                          {500 * u(random), 0, 500 * u(random)},
                          Quatd(Eigen::AngleAxisd(3 * u(random), kUp)),
                          1 + 0.3 * u(random),
                          1});
    c.input.subjects = {1};
    c.input.batches = {batchOf(resolveChain(levels, {}, {{-1, 0, -1}, {1, 3, 1}}, 2.1, c.view), std::move(copies))};
    return c;
}

/// The camera at frame `i` of a walk with turns, a metre and a half a second at 60 frames.
View walkAt(const View& like, int i) {
    const double t = i / 60.0;
    const Vec3d eye(40 * std::sin(0.3 * t), 3, 1.5 * t - 40);
    return lookAt(like, eye, eye + Vec3d(std::sin(0.8 * t), -0.05, -std::cos(0.8 * t)));
}

/// Selects frame after frame at 60 a second, the camera where `viewAt(frame)` says.
template <class ViewAt>
Selection goAlong(benchmark::State& state, const Crowd& c, SelectState& kept, const ViewAt& viewAt) {
    Selection s;
    int frame = 0;
    for (auto _ : state) {
        select(c.input, viewAt(frame), frame / 60.0, {}, kept, s);
        ++frame;
        benchmark::DoNotOptimize(s.total.triangles);
    }
    return s;
}

void selectCopies(benchmark::State& state) {
    const Crowd c = crowdOf(static_cast<std::size_t>(state.range(0)));
    SelectState kept;
    const Selection s = goAlong(state, c, kept, [&](int frame) { return walkAt(c.view, frame); });
    state.counters["drawn"] = s.total.drawn;
    state.counters["bytes_each"] = static_cast<double>(kept.bytes()) / static_cast<double>(state.range(0));
}

/// The same with nothing kept from the frame before.
void selectCopiesAnew(benchmark::State& state) {
    const Crowd c = crowdOf(static_cast<std::size_t>(state.range(0)));
    Selection s;
    int frame = 0;
    for (auto _ : state) {
        SelectState fresh;
        select(c.input, walkAt(c.view, frame++), 0, {}, fresh, s);
        benchmark::DoNotOptimize(s.total.triangles);
    }
}

void orderCopies(benchmark::State& state) {
    const Crowd c = crowdOf(static_cast<std::size_t>(state.range(0)));
    const CellTable& table = *c.input.batches[0].copies;
    for (auto _ : state)
        benchmark::DoNotOptimize(makeCells(table.placements, std::nullopt, table.bounds, table.radius)->cells.size());
}

/// Copies with eight walls among them, behind which others are looked for.
Crowd walledCrowdOf(std::size_t count) {
    Crowd c = crowdOf(count);
    const Mesh wall = shapes::box(20, {30, 12, 1});
    Placements walls;
    for (int i = 0; i < 8; ++i)
        walls.push_back({0, 0, {-60.0 + 18 * i, 0, -30.0 - 4 * (i % 3)}, Quatd::Identity(), 1, 1});
    c.input.batches.push_back(batchOf(resolveChain({{wall.triangleCount(), wall.vertexCount(), 1, 0, {}}}, {},
                                                   boundsOf(wall), radiusAround(wall, boundsOf(wall).centre()), c.view),
                                      std::move(walls)));
    c.input.batches.back().occluders = {std::make_shared<const Occluder>(occluderOf(wall, {true}))};
    return c;
}

void selectBehindWalls(benchmark::State& state) {
    const Crowd c = walledCrowdOf(static_cast<std::size_t>(state.range(0)));
    const View view = lookAt(c.view, {0, 3, 0}, {0, 2, -50});
    SelectState kept;
    Selection s;
    for (auto _ : state) {
        select(c.input, view, 0, {}, kept, s);
        benchmark::DoNotOptimize(s.total.triangles);
    }
    state.counters["hidden"] = s.total.culledBy[static_cast<std::size_t>(Culled::Hidden)];
}

/// The same with a camera that walks to and fro before the walls, a metre and a half a second.
void walkBehindWalls(benchmark::State& state) {
    const Crowd c = walledCrowdOf(static_cast<std::size_t>(state.range(0)));
    SelectState kept;
    const Selection s = goAlong(state, c, kept, [&](int frame) {
        const double aside = 5 * std::asin(std::sin(0.3 * frame / 60.0));
        return lookAt(c.view, {aside, 3, 0}, {0, 2, -50});
    });
    state.counters["hidden"] = s.total.culledBy[static_cast<std::size_t>(Culled::Hidden)];
}

void distancePass(benchmark::State& state) {
    const Crowd c = crowdOf(static_cast<std::size_t>(state.range(0)));
    std::vector<Vec3d> positions;
    for (const Placement& p : *c.input.batches[0].copies->placements)
        positions.push_back(p.position);
    std::vector<double> out(positions.size());
    for (auto _ : state) {
        for (std::size_t i = 0; i < out.size(); ++i)
            out[i] = (positions[i] - c.view.eye).norm();
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
BENCHMARK(selectCopiesAnew)->Arg(1'000'000)->Unit(benchmark::kMicrosecond);
BENCHMARK(orderCopies)->Arg(1'000'000)->Unit(benchmark::kMillisecond);
BENCHMARK(selectBehindWalls)->Arg(10'000)->Unit(benchmark::kMicrosecond);
BENCHMARK(walkBehindWalls)->Arg(10'000)->Unit(benchmark::kMicrosecond);
BENCHMARK(distancePass)->Arg(10'000)->Arg(1'000'000)->Unit(benchmark::kMicrosecond);

} // namespace
} // namespace thicket
