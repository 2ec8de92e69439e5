// How near a fit comes to the best that a long random search finds: what the figures mean is said in bench/README.md.
#include "budget/fit.h"
#include "budget/rings.h"

#include <algorithm>
#include <benchmark/benchmark.h>
#include <cmath>
#include <random>

namespace thicket {
namespace {

constexpr double kMostTimes = 8; // as far as a fit goes
constexpr int kCandidates = 6000;

/// The best of so many settings: a third anywhere, the others near the best so far.
double searched(const Scene& scene, const Device& device, unsigned seed) {
    std::mt19937 generator(seed);
    std::uniform_real_distribution<double> any(0, 1);
    std::normal_distribution<double> near(0, 0.25);
    double best = HUGE_VAL;
    Loosened at;
    for (const Subject& s : scene.subjects)
        at[s.id] = kMostTimes;
    for (int i = 0; i < kCandidates; ++i) {
        Loosened times;
        for (const Subject& s : scene.subjects) {
            const double wanted =
                i % 3 == 0 ? std::pow(kMostTimes, any(generator)) : at[s.id] * std::exp(near(generator));
            times[s.id] = std::clamp(wanted, 1.0, kMostTimes);
        }
        const auto seen = test::seenOf(scene, device, times);
        if (seen && *seen < best) {
            best = *seen;
            at = times;
        }
    }
    return best;
}

void fitAgainstRandomSearch(benchmark::State& state) {
    const auto seed = static_cast<unsigned>(state.range(0));
    Scene scene = test::sceneOf(4, seed);
    for (std::size_t s = 0; s < scene.subjects.size(); ++s)
        scene.subjects[s].rule.importance = s % 2 == 0 ? 1 : 1.5;
    const Device device = test::tight(scene, 0.3);
    Loosened fitted;
    for (auto _ : state)
        fitted = fitScene(scene, scene.settings.routes[0], device, {}, {})->fitted;
    const double best = searched(scene, device, seed);
    const auto own = test::seenOf(scene, device, fitted);
    state.counters["holds"] = own ? 1 : 0;
    state.counters["fit_px"] = own.value_or(0);
    state.counters["search_px"] = best;
    state.counters["fit_over_search"] = own.value_or(0) / best;
}

BENCHMARK(fitAgainstRandomSearch)->DenseRange(1, 9)->Unit(benchmark::kMillisecond)->Iterations(1);

} // namespace
} // namespace thicket
