#include "scene/smooth.h"

#include "scene/kinds.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>
#include <limits>
#include <set>
#include <utility>

namespace thicket {
namespace {

constexpr double kStep = 1.6;  // between two looks
constexpr double kMost = 16;   // times as far
constexpr int kFiner = 3;      // halvings of the last step
constexpr double kApart = 1.1; // times as far as the switch before, at least, for a level to be worth having

/// The nearest distance found at which a switch is unseen; empty when there is none up to `most`, or when it was
/// cancelled.
std::optional<double> unseenFrom(const Subject& subject, const SwitchPlace& place, double most,
                                 const PopOptions& options, const JobContext& job) {
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
    for (double metres = start; metres <= most * (1 + 1e-9) && !job.cancelled();) {
        if (!unseen(metres)) {
            seen = metres;
            metres = metres < most ? std::min(kStep * metres, most) : 2 * most;
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

/// What is off by nothing, as smoke is, has no pixels to be decided by.
DecideBy unitFor(const Subject& subject, const LevelCost& level) {
    return subject.rule.decideBy == DecideBy::PixelError && level.deviationMetres <= 0 ? DecideBy::Distance
                                                                                       : subject.rule.decideBy;
}

} // namespace

double drawnTo(const Subject& subject, const ResolvedChain& chain, const View& view) {
    const SwitchRule& rule = subject.rule;
    double out = rule.reachMetres > 0 ? rule.reachMetres : std::numeric_limits<double>::infinity();
    if (rule.cullBelowPx > 0)
        out = std::min(out, distanceWhere(rule, chain.radius, rule.cullBelowPx / view.lines, view));
    return out;
}

Subject withSwitchAt(const Scene& scene, const SwitchPlace& place, double metres) {
    Subject out = *scene.find(place.subject);
    const View view = scene.statedView();
    const ResolvedChain chain = chainMoved(scene, out, place, view);
    const auto level = static_cast<std::size_t>(place.level);
    setFixed(out, level,
             fixAt(unitFor(out, chain.levels[level]), metres, chain.levels[level], out.rule, chain.radius, view));
    return out;
}

namespace {

std::string lookingFor(std::size_t level, const Subject& subject) {
    return fmt::format("looking where nobody sees L{} of {}", level, subject.name);
}

/// What a level has to count as off for its switch to be there.
void countAsOff(Level& level, const SwitchRule& rule, const View& view, double metres) {
    level.seen = deviationForPixels(view, rule.allowPx, metres / (rule.importance * view.detail)) * (1 - rule.softBand);
}

/// A mesh's switches in order. A level that follows the allowance and that the one before it was moved beyond comes in
/// after that still. What is fixed by hand is moved only where that is asked.
/// ERRORS     Cancelled.
Result<void> smoothMesh(Subject& subject, const View& view, std::optional<int> onlyLevel, bool fixedToo,
                        const PopOptions& options, const JobContext& job, std::vector<SmoothedSwitch>& out) {
    std::vector<Level>& levels = subject.mesh().levels;
    const auto free = [&](std::size_t i) { return !levels[i].fixed && subject.rule.looks; };
    const ResolvedChain asItWas = chainOf(subject, view);
    std::size_t finer = 0;
    for (std::size_t i = 1; i < levels.size(); ++i) {
        const ResolvedChain chain = chainOf(subject, view);
        const bool overtaken = asItWas.neverShows(i) && !(free(i) && free(i + 1));
        if (overtaken || asItWas.beyondReach(i) || !levels[i].mesh || !levels[finer].mesh)
            continue;
        const std::size_t before = std::exchange(finer, i);
        if ((onlyLevel && static_cast<int>(i) != *onlyLevel) || (!free(i) && !fixedToo))
            continue;
        job.report(static_cast<double>(i) / static_cast<double>(levels.size()), lookingFor(i, subject));
        const double from = asItWas.fromMetres[i];
        double start = chain.fromMetres[i];
        double most = kMost * start;
        if (free(i)) {
            if (before > 0 && start <= chain.fromMetres[before]) // where that comes in it would not be worth having
                start = kApart * chain.fromMetres[before];
            most = std::min(most, drawnTo(subject, chain, view));
        }
        const SwitchPlace place{subject.id,
                                static_cast<int>(before),
                                static_cast<int>(i),
                                {levels[before].mesh, levels[i].mesh, surfacesOf(subject, levels[before]),
                                 surfacesOf(subject, levels[i]), start, view.pixelScale(), judgedBlur(subject, view)}};
        const auto metres = unseenFrom(subject, place, most, options, job.silent());
        if (job.cancelled())
            return cancelledError();
        const double to = metres.value_or(start);
        out.push_back({static_cast<int>(i), from, to, metres.has_value()});
        if (to <= chain.fromMetres[i])
            continue;
        if (free(i))
            countAsOff(levels[i], subject.rule, view, to);
        else
            setFixed(subject, i,
                     fixAt(unitFor(subject, chain.levels[i]), to, chain.levels[i], subject.rule, chain.radius, view));
    }
    return {};
}

} // namespace

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
    if (!work.subjects.empty() && work.subjects.front().isMesh()) {
        out.subject = work.subjects.front();
        auto done = smoothMesh(out.subject, work.statedView(), onlyLevel, true, options, job, out.switches);
        return done ? Result<Smoothing>(std::move(out)) : Result<Smoothing>(done.error());
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
        job.report(static_cast<double>(level) / static_cast<double>(level + 1), lookingFor(level, subject));
        const double from = next->key.metres;
        const auto metres = unseenFrom(subject, *next, kMost * from, options, job.silent());
        if (job.cancelled())
            return cancelledError();
        out.switches.push_back({next->level, from, metres.value_or(from), metres.has_value()});
        if (metres && *metres > from)
            subject = withSwitchAt(work, *next, *metres);
    }
    if (!work.subjects.empty())
        out.subject = work.subjects.front();
    return out;
}

Result<Smoothing> lookAtSwitches(const Subject& mesh, const View& view, std::optional<int> onlyLevel,
                                 const JobContext& job) {
    Smoothing out{mesh, {}};
    auto done =
        mesh.rule.looks ? smoothMesh(out.subject, view, onlyLevel, false, {}, job, out.switches) : Result<void>();
    return done ? Result<Smoothing>(std::move(out)) : Result<Smoothing>(done.error());
}

} // namespace thicket
