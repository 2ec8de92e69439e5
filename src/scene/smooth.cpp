#include "scene/smooth.h"

#include <cmath>
#include <fmt/format.h>
#include <set>

namespace thicket {
namespace {

constexpr double kStep = 1.3; // between two looks
constexpr double kMost = 8;   // times as far
constexpr int kFiner = 3;     // halvings of the last step

/// The nearest distance found at which a switch is unseen; empty when there is none, or when it was cancelled.
std::optional<double> unseenFrom(const Subject& subject, SwitchPlace place, const PopOptions& options,
                                 const JobContext& job) {
    const double start = place.key.metres;
    const auto unseen = [&](double metres) {
        place.key.metres = metres;
        const auto score = scoreSwitch(subject, place, options, job);
        return score && score->unseen(subject.rule.allowPx);
    };
    double seen = start;
    for (double metres = start; metres <= kMost * start && !job.cancelled(); metres *= kStep) {
        if (!unseen(metres)) {
            seen = metres;
            continue;
        }
        for (int i = 0; i < kFiner && metres > start; ++i) {
            const double middle = std::sqrt(seen * metres);
            double& end = unseen(middle) ? metres : seen;
            end = middle;
        }
        return metres;
    }
    return std::nullopt;
}

} // namespace

Result<Smoothing> smoothLater(const Scene& scene, std::uint32_t id, std::optional<int> onlyLevel,
                              const PopOptions& options, const JobContext& job) {
    Scene work = scene;
    std::erase_if(work.subjects, [id](const Subject& s) { return s.id != id; });
    Smoothing out;
    if (!work.subjects.empty() && work.subjects.front().terrain() != nullptr) {
        for (const SwitchPlace& place : switchesOf(work))
            out.switches.push_back({place.level, place.key.metres, place.key.metres, true});
        out.subject = work.subjects.front();
        std::get<TerrainBody>(out.subject.body).between = Passing::Morph;
        return out;
    }
    std::set<int> looked;
    const View view = scene.statedView();
    while (true) {
        const auto places = switchesOf(work);
        const auto next = std::find_if(places.begin(), places.end(), [&](const SwitchPlace& p) {
            return !looked.contains(p.level) && (!onlyLevel || p.level == *onlyLevel);
        });
        if (next == places.end())
            break;
        looked.insert(next->level);
        Subject& subject = work.subjects.front();
        const auto level = static_cast<std::size_t>(next->level);
        const ResolvedChain chain = *ownChainOf(subject, view);
        job.report(static_cast<double>(level) / static_cast<double>(chain.levels.size()),
                   fmt::format("looking where nobody sees L{} of {}", level, subject.name));
        const auto metres = unseenFrom(subject, *next, options, job);
        if (job.cancelled())
            return cancelledError();
        const double from = next->key.metres;
        out.switches.push_back({next->level, from, metres.value_or(from), metres.has_value()});
        if (metres && *metres > from)
            setFixed(subject, level,
                     fixAt(subject.isMesh() ? subject.rule.decideBy : DecideBy::Distance, *metres, chain.levels[level],
                           subject.rule, subject.radius, view));
    }
    if (!work.subjects.empty())
        out.subject = work.subjects.front();
    return out;
}

} // namespace thicket
