#include "scene/thin_unseen.h"

#include "scene/smooth.h"

#include <algorithm>
#include <chrono>
#include <cmath>
#include <optional>

namespace thicket {
namespace {

constexpr double kWorthHaving = 0.7; // of the finer level's triangles: a heavier one is not
constexpr double kLater = 1.15; // times as far as before that the next level may come in where another comes or goes

/// A level that thinning may put in the place of another, or leave out.
bool mayGo(const Level& level) {
    return level.origin == LevelOrigin::Collapsed && !level.locked;
}

/// Whether the switch from a level to a mesh that was cut goes unseen at a distance.
bool unseenAt(const Subject& subject, const Level& finer, const std::shared_ptr<const Mesh>& cut, double metres,
              const View& view, const JobContext& job) {
    const SwitchPlace place{subject.id,
                            0,
                            1,
                            {finer.mesh, cut, surfacesOf(subject, finer), subject.mesh().surfaces, metres,
                             view.pixelScale(), judgedBlur(subject, view)}};
    PopOptions options;
    options.untilSeen = subject.rule.allowPx;
    const auto score = scoreSwitch(subject, place, options, job.silent());
    return score && score->unseen(subject.rule.allowPx);
}

/// The triangles of the lightest cut found that goes unseen where one with `seen` triangles does not; none where all are
/// seen that are light enough to be worth having.
std::optional<std::uint32_t> cutUnseen(const Subject& subject, const Record& record, const Level& finer,
                                       std::uint32_t seen, double metres, const View& view, const JobContext& job) {
    constexpr double kMostTimes = 12; // the seen level's
    constexpr int kTries = 4;
    double low = seen;
    double high = std::min(kWorthHaving * finer.triangles, kMostTimes * seen);
    std::optional<std::uint32_t> out;
    for (int i = 0; i < kTries && high > low && !job.cancelled(); ++i) {
        const auto cut =
            std::make_shared<const Mesh>(cutRecord(record, static_cast<std::uint32_t>(std::sqrt(low * high))));
        const bool unseen = unseenAt(subject, finer, cut, metres, view, job);
        (unseen ? high : low) = cut->triangleCount();
        if (unseen)
            out = cut->triangleCount();
    }
    return out;
}

/// Levels that are never drawn go, and those that are seen to come in wherever they are; one lighter than the source
/// stays. Returns whether any went.
bool dropUseless(Subject& subject, const std::vector<SmoothedSwitch>& switches, const View& view) {
    auto& levels = subject.mesh().levels;
    const std::size_t before = levels.size();
    for (std::size_t i = levels.size(); i-- > 1 && levels.size() > 2;) {
        const ResolvedChain chain = chainOf(subject, view);
        const bool shown = !chain.neverShows(i) && chain.fromMetres[i] < drawnTo(subject, chain, view) * (1 - 1e-9);
        const bool seen = std::any_of(switches.begin(), switches.end(), [i](const SmoothedSwitch& s) {
            return s.level == static_cast<int>(i) && !s.unseen;
        });
        if ((!shown || seen) && mayGo(levels[i]))
            levels.erase(levels.begin() + static_cast<std::ptrdiff_t>(i));
    }
    return levels.size() < before;
}

/// The levels of a subject with heavier ones where its own are seen to come in.
Result<std::vector<Level>> unseenLevels(const Subject& subject, const ThinState& state, const View& view,
                                        const JobContext& job) {
    constexpr double kWorthAnother = 0.5; // of the triangles of the level before, or of what came in its place
    const ResolvedChain chain = chainOf(subject, view);
    const std::vector<Level>& levels = subject.mesh().levels;
    std::vector<Level> out{levels.front()};
    const auto add = [&](double triangles, const JobContext& own) -> Result<void> {
        auto cut = cutLevel(*state.source, *state.query, *state.record, state.curve,
                            {TargetKind::Triangles, std::round(triangles)}, out.back().triangles, own.part(0, 0.8));
        if (!cut) // the record ends before it
            return cut.error().code == ErrorCode::Cancelled ? Result<void>(cut.error()) : Result<void>();
        out.push_back(levelFrom(std::move(*cut)));
        return judgeLevels(subject, state, {&out.back(), 1}, own.part(0.8, 1));
    };
    for (std::size_t i = 1; i < levels.size(); ++i) {
        const auto n = static_cast<double>(levels.size());
        const JobContext own = job.part(static_cast<double>(i - 1) / n, static_cast<double>(i) / n);
        own.report(0, "looking for levels that go unseen");
        const Level& level = levels[i];
        const Level finer = out.back();
        const bool cut = mayGo(level);
        if (cut && level.triangles > kWorthHaving * finer.triangles)
            continue;
        bool stays = true;
        if (cut && !unseenAt(subject, finer, level.mesh, chain.fromMetres[i], view, job)) {
            std::optional<double> instead =
                cutUnseen(subject, *state.record, finer, level.triangles, chain.fromMetres[i], view, job);
            stays = !instead || level.triangles < kWorthAnother * *instead;
            // It has to come in farther away: half-way there another one.
            if (!instead && level.triangles < kWorthAnother * kWorthAnother * finer.triangles)
                instead = std::sqrt(static_cast<double>(level.triangles) * finer.triangles);
            if (instead)
                if (auto added = add(*instead, own); !added)
                    return added.error();
            // Heavier and farther off than the next it is worth nothing.
            if (stays && out.back().triangles != finer.triangles && out.back().visible >= level.visible)
                out.pop_back();
        }
        if (job.cancelled())
            return cancelledError();
        if (stays)
            out.push_back(level);
    }
    return out;
}

/// A wide gap: the level after it, where that comes in much farther away than the one before and is much lighter; the
/// source counts from where it fills the screen. The widest that was not tried; 0: there is none.
std::size_t widestGap(const Subject& subject, const View& view, const std::vector<std::uint32_t>& tried) {
    constexpr double kFarApart = 4; // times as far away
    constexpr double kLighter = 0.5;
    const ResolvedChain chain = chainOf(subject, view);
    const std::vector<Level>& levels = subject.mesh().levels;
    std::size_t out = 0;
    double widest = kFarApart;
    for (std::size_t i = 1; i < levels.size(); ++i) {
        const double before = i > 1 ? chain.fromMetres[i - 1] : fullHeightOf(view, chain.radius);
        const double ratio = chain.fromMetres[i] / before;
        if (mayGo(levels[i]) && ratio > widest && levels[i].triangles < kLighter * levels[i - 1].triangles &&
            std::find(tried.begin(), tried.end(), levels[i].triangles) == tried.end()) {
            widest = ratio;
            out = i;
        }
    }
    return out;
}

/// Looks where nobody sees a level come in, and has it do so there. Metres; none where it is seen everywhere.
std::optional<double> comesIn(Subject& subject, std::size_t level, const View& view, const JobContext& job) {
    auto looked = lookAtSwitches(subject, view, static_cast<int>(level), job);
    if (!looked || looked->switches.empty() || !looked->switches.front().unseen)
        return std::nullopt;
    subject = std::move(looked->subject);
    return chainOf(subject, view).fromMetres[level];
}

/// Levels between two that come in far apart, where one goes unseen at a distance that is worth having it.
/// ERRORS     Cancelled.
Result<void> fillGaps(Subject& subject, const ThinState& state, const View& view, const JobContext& job) {
    constexpr std::size_t kMostTries = 3;
    constexpr double kNearer = 0.6; // of where the next one comes in: there it is worth having
    std::vector<std::uint32_t> tried;
    while (tried.size() < kMostTries && !job.cancelled()) {
        const std::size_t next = widestGap(subject, view, tried);
        if (next == 0)
            break;
        const JobContext own = job.part(static_cast<double>(tried.size()) / kMostTries,
                                        static_cast<double>(tried.size() + 1) / kMostTries);
        const std::vector<Level>& levels = subject.mesh().levels;
        tried.push_back(levels[next].triangles);
        const double from = chainOf(subject, view).fromMetres[next];
        const double triangles = std::sqrt(static_cast<double>(levels[next].triangles) * levels[next - 1].triangles);
        auto cut =
            cutLevel(*state.source, *state.query, *state.record, state.curve,
                     {TargetKind::Triangles, std::round(triangles)}, levels[next - 1].triangles, own.part(0, 0.4));
        if (!cut || cut->mesh.triangleCount() <= levels[next].triangles ||
            cut->deviation.visible >= levels[next].visible)
            continue;
        Subject trial = subject;
        auto between = trial.mesh().levels.insert(trial.mesh().levels.begin() + static_cast<std::ptrdiff_t>(next),
                                                  levelFrom(std::move(*cut)));
        if (auto judged = judgeLevels(trial, state, {&*between, 1}, own.part(0.4, 0.5)); !judged)
            return judged.error();
        const auto here = comesIn(trial, next, view, own.part(0.5, 0.8));
        if (!here || *here > kNearer * from)
            continue;
        if (const auto after = comesIn(trial, next + 1, view, own.part(0.8, 1)); after && *after <= kLater * from)
            subject = std::move(trial);
    }
    return job.cancelled() ? Result<void>(cancelledError()) : Result<void>();
}

/// Levels go after which the next one comes in at once, and hardly later without them.
/// ERRORS     Cancelled.
Result<void> dropCrowded(Subject& subject, const View& view, const JobContext& job) {
    constexpr double kAtOnce = 1.4; // times as far away
    for (std::size_t i = 1; i + 1 < subject.mesh().levels.size() && !job.cancelled();) {
        const std::vector<double> from = chainOf(subject, view).fromMetres;
        const double n = static_cast<double>(from.size());
        if (mayGo(subject.mesh().levels[i]) && from[i + 1] < kAtOnce * from[i]) {
            Subject without = subject;
            without.mesh().levels.erase(without.mesh().levels.begin() + static_cast<std::ptrdiff_t>(i));
            const auto then =
                comesIn(without, i, view, job.part(static_cast<double>(i) / n, static_cast<double>(i + 1) / n));
            if (then && *then <= kLater * from[i + 1]) {
                subject = std::move(without);
                continue;
            }
        }
        ++i;
    }
    return job.cancelled() ? Result<void>(cancelledError()) : Result<void>();
}

} // namespace

Result<Subject> thinUnseen(const Subject& mesh, const ThinState& state, const std::vector<LevelTarget>& targets,
                           const View& view, const JobContext& job, ChainTimings* timings) {
    auto made = thinSubject(mesh, state, targets, job.part(0, 0.4), timings);
    if (!made || !mesh.rule.looks)
        return made;
    const auto start = std::chrono::steady_clock::now();
    const bool spread = std::any_of(targets.begin(), targets.end(),
                                    [](const LevelTarget& t) { return t.kind == TargetKind::VisibleOfRadius; });
    if (spread) {
        auto levels = unseenLevels(*made, state, view, job.part(0.4, 0.7));
        if (!levels)
            return levels.error();
        made->mesh().levels = std::move(*levels);
    }
    auto looked = lookAtSwitches(*made, view, std::nullopt, job.part(0.7, 0.85));
    // What comes after one that went is seen beside another one now.
    double done = 0.85;
    while (looked && spread && dropUseless(looked->subject, looked->switches, view)) {
        const double next = (done + 0.9) / 2;
        looked = lookAtSwitches(looked->subject, view, std::nullopt, job.part(done, next));
        done = next;
    }
    if (looked && spread) {
        auto even = fillGaps(looked->subject, state, view, job.part(0.9, 0.97));
        if (even)
            even = dropCrowded(looked->subject, view, job.part(0.97, 1));
        if (!even)
            return even.error();
    }
    if (timings != nullptr)
        timings->looksMs += std::chrono::duration<double, std::milli>(std::chrono::steady_clock::now() - start).count();
    return looked ? Result<Subject>(std::move(looked->subject)) : Result<Subject>(looked.error());
}

} // namespace thicket
