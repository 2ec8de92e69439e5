// How near a fit comes to the best that a long random search finds: what the figures mean is said in bench/README.md.
#include "budget/fit.h"
#include "budget/rings.h"
#include "scene/select_input.h"

#include <algorithm>
#include <benchmark/benchmark.h>
#include <cmath>
#include <optional>
#include <random>

namespace thicket {
namespace {

constexpr double kMostTimes = 8; // as far as a fit goes
constexpr int kCandidates = 6000;

/// What is seen of a setting along the whole route, as a fit weighs it; none where some frame does not hold.
std::optional<double> seenOf(const Scene& scene, Device device, const Loosened& times) {
    device.fitted = times;
    const std::size_t subjects = scene.subjects.size();
    std::vector<double> sum(subjects, 0);
    std::vector<double> frames(subjects, 0);
    double all = 0;
    bool holds = true;
    const SelectInput input = selectInput(scene, scene.statedView(&device));
    const auto flown = flyRoute(scene, input, scene.settings.routes[0], device, 1, {},
                                [&](std::size_t, const View&, const Selection& selection) {
                                    all += 1;
                                    holds = holds && selection.total.triangles <= device.triangleBudget;
                                    for (std::size_t s = 0; s < subjects; ++s)
                                        if (selection.subjects[s].drawn > 0) {
                                            sum[s] += selection.subjects[s].worstErrorPx;
                                            frames[s] += 1;
                                        }
                                });
    if (!flown || !holds)
        return std::nullopt;
    double out = 0;
    for (std::size_t s = 0; s < subjects; ++s)
        out += sum[s] / std::max(frames[s], 1.0) * scene.subjects[s].rule.importance * (0.1 + 0.9 * frames[s] / all);
    return out;
}

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
        const auto seen = seenOf(scene, device, times);
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
    const auto own = seenOf(scene, device, fitted);
    state.counters["holds"] = own ? 1 : 0;
    state.counters["fit_px"] = own.value_or(0);
    state.counters["search_px"] = best;
    state.counters["fit_over_search"] = own.value_or(0) / best;
}

BENCHMARK(fitAgainstRandomSearch)->Arg(1)->Arg(2)->Arg(3)->Unit(benchmark::kMillisecond)->Iterations(1);

} // namespace
} // namespace thicket
