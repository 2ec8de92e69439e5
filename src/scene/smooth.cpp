#include "scene/smooth.h"

#include "scene/kinds.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>
#include <set>

namespace thicket {
namespace {

constexpr double kStep = 1.3; // between two looks
constexpr double kMost = 8;   // times as far
constexpr int kFiner = 3;     // halvings of the last step

/// The nearest distance found at which a switch is unseen; empty when there is none, or when it was cancelled.
std::optional<double> unseenFrom(const Subject& subject, const SwitchPlace& place, const PopOptions& options,
                                 const JobContext& job) {
    const double start = place.key.metres;
    SwitchLooks looks(subject, place);
    PopOptions asked = options;
    asked.untilSeen = subject.rule.allowPx;
    const auto unseen = [&](double metres) {
        const auto score = looks.score(metres, asked, job);
        if (!score || score->unseen(subject.rule.allowPx))
            return score.has_value();
        asked.firstDirection = score->direction; // where it was seen it is the likeliest to be seen again
        return false;
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

/// The chain that a switch is one of; of a field that of the asset that switches first.
ResolvedChain chainMoved(const Scene& scene, const Subject& subject, const SwitchPlace& place, const View& view) {
    if (place.key.band.none())
        return *ownChainOf(subject, view);
    const auto& assets = place.key.band.assets;
    const auto first = std::min_element(assets.begin(), assets.end(),
                                        [](const BandAsset& a, const BandAsset& b) { return a.metres < b.metres; });
    return chainIn(subject, *scene.findMesh(subject.instances()->assets[first->place]), view);
}

} // namespace

Subject withSwitchAt(const Scene& scene, const SwitchPlace& place, double metres) {
    Subject out = *scene.find(place.subject);
    const View view = scene.statedView();
    const ResolvedChain chain = chainMoved(scene, out, place, view);
    const auto level = static_cast<std::size_t>(place.level);
    // What is off by nothing, as smoke is, has no pixels to be decided by.
    const DecideBy unit = out.rule.decideBy == DecideBy::PixelError && chain.levels[level].deviationMetres <= 0
                              ? DecideBy::Distance
                              : out.rule.decideBy;
    setFixed(out, level, fixAt(unit, metres, chain.levels[level], out.rule, chain.radius, view));
    return out;
}

Result<Smoothing> smoothLater(const Scene& scene, std::uint32_t id, std::optional<int> onlyLevel,
                              const PopOptions& options, const JobContext& job) {
    Scene work = scene;
    const Subject* asked = scene.find(id);
    std::set<std::uint32_t> kept{id};
    if (asked != nullptr && asked->instances() != nullptr)
        kept.insert(asked->instances()->assets.begin(), asked->instances()->assets.end());
    std::erase_if(work.subjects, [&kept](const Subject& s) { return !kept.contains(s.id); });
    // What it is made of comes after it, and is not asked for its switches.
    std::stable_partition(work.subjects.begin(), work.subjects.end(), [id](const Subject& s) { return s.id == id; });
    Smoothing out;
    if (!work.subjects.empty() && work.subjects.front().terrain() != nullptr) {
        for (const SwitchPlace& place : switchesOf(work))
            out.switches.push_back({place.level, place.key.metres, place.key.metres, true});
        out.subject = work.subjects.front();
        std::get<TerrainBody>(out.subject.body).between = Passing::Morph;
        return out;
    }
    std::set<int> looked;
    while (true) {
        const auto places = switchesOf(work);
        const auto next = std::find_if(places.begin(), places.end(), [&](const SwitchPlace& p) {
            return p.subject == id && !looked.contains(p.level) && (!onlyLevel || p.level == *onlyLevel);
        });
        if (next == places.end())
            break;
        looked.insert(next->level);
        Subject& subject = work.subjects.front();
        const auto level = static_cast<std::size_t>(next->level);
        job.report(static_cast<double>(level) / static_cast<double>(level + 1),
                   fmt::format("looking where nobody sees L{} of {}", level, subject.name));
        const auto metres = unseenFrom(subject, *next, options, job);
        if (job.cancelled())
            return cancelledError();
        const double from = next->key.metres;
        out.switches.push_back({next->level, from, metres.value_or(from), metres.has_value()});
        if (metres && *metres > from)
            subject = withSwitchAt(work, *next, *metres);
    }
    if (!work.subjects.empty())
        out.subject = work.subjects.front();
    return out;
}

} // namespace thicket
