#include "budget/notes.h"

#include "base/text.h"
#include "scene/kinds.h"

#include <algorithm>
#include <bit>
#include <cmath>
#include <fmt/format.h>
#include <numeric>

namespace thicket {
namespace {

/// Frames that are over and wait for something, and how much of their time that takes in the mean.
struct Waiting {
    std::size_t frames = 0;
    double share = 0;
};

Waiting waitingFor(const Audit& audit, Bound bound) {
    Waiting out;
    for (const AuditFrame& frame : audit.frames)
        if (frame.over && frame.bound == bound) {
            ++out.frames;
            out.share += frame.boundMs / frame.ms;
        }
    if (out.frames > 0)
        out.share /= static_cast<double>(out.frames);
    return out;
}

/// Pictures, and what is a few triangles, are as light as a level gets.
bool canBeLighter(const Level& last) {
    constexpr std::uint32_t kFew = 36;
    return !ofPictures(last.origin) && last.triangles >= kFew;
}

/// Whether levels come in at shares of the reach: without it they would come in elsewhere.
bool switchesByReach(const Subject& subject) {
    const auto byReach = [](const std::optional<FixedSwitch>& fixed) {
        return fixed && fixed->unit == DecideBy::ShareOfReach;
    };
    if (subject.rule.decideBy == DecideBy::ShareOfReach)
        return true;
    if (const InstancesBody* field = subject.instances())
        return std::any_of(field->fixed.begin(), field->fixed.end(), byReach);
    const auto chain = ownChainOf(subject, View());
    return chain && std::any_of(chain->levels.begin(), chain->levels.end(),
                                [&](const LevelCost& level) { return byReach(level.fixed); });
}

/// Switches between levels that both show, each where some copy stands, but that none makes in view: how they look, nobody
/// sees. Where that is so of all of a subject's switches, it need not fade.
void addOffScreen(const Subject& subject, const OwnLevels& own, std::size_t frames, std::vector<BudgetNote>& out) {
    const auto [shown, crossed] = own;
    if (!subject.isMesh() || std::popcount(shown) < 2)
        return;
    std::vector<std::pair<int, int>> unseen;
    int switches = 0;
    int finer = std::countr_zero(shown);
    for (int coarser = finer + 1; coarser < static_cast<int>(subject.mesh().levels.size()); ++coarser) {
        if ((shown >> coarser & 1U) == 0)
            continue;
        const std::uint64_t between = (std::uint64_t{1} << coarser) - (std::uint64_t{1} << finer);
        if ((crossed & between) == 0)
            unseen.emplace_back(finer, coarser);
        ++switches;
        finer = coarser;
    }
    if (unseen.empty())
        return;
    const bool fades = subject.rule.fadeSeconds > 0;
    if (static_cast<int>(unseen.size()) == switches) {
        out.push_back(
            {BudgetNoteKind::OffScreen, subject.id, static_cast<std::size_t>(unseen.front().first), frames, 0,
             fmt::format("{} shows {} levels, but none of its own copies changes between them in view on this "
                         "route{}",
                         subject.name, std::popcount(shown),
                         fades ? ": it fades for nobody" : ": how they switch, nobody sees"),
             true});
        return;
    }
    for (const auto& [from, to] : unseen)
        out.push_back(
            {BudgetNoteKind::OffScreen, subject.id, static_cast<std::size_t>(from), frames, 0,
             fmt::format("L{} and L{} of {} both show, but none of its own copies changes between them in view on this "
                         "route: how they switch, nobody sees",
                         from, to, subject.name)});
}

} // namespace

std::vector<BudgetNote> notesOn(const Audit& audit, const Scene& scene) {
    std::vector<BudgetNote> out;
    if (audit.frames.empty() || audit.shown.size() != scene.subjects.size())
        return out;
    const std::size_t over = audit.framesOver;
    constexpr double kMost = 0.5;
    for (const auto& [bound, kind, advice] :
         {std::tuple(Bound::Draws, BudgetNoteKind::DrawBound,
                     "fewer triangles do not shorten them; merged materials, instancing or larger tiles do"),
          std::tuple(Bound::Pixels, BudgetNoteKind::PixelBound,
                     "fewer triangles do not shorten them; fewer layers or a shorter reach do")}) {
        const Waiting waiting = waitingFor(audit, bound);
        if (over > 0 && static_cast<double>(waiting.frames) > kMost * static_cast<double>(over))
            out.push_back({kind, 0, 0, waiting.frames, waiting.share,
                           fmt::format("{} of {} frames that are over wait for {} ({:.0f} % of their time): {}",
                                       waiting.frames, over, keyOf(bound), 100 * waiting.share, advice)});
    }
    const AuditFrame& worst = audit.frames[audit.worstFrame];
    constexpr double kMuch = 0.1;
    for (std::size_t s = 0; s < scene.subjects.size(); ++s) {
        const Subject& subject = scene.subjects[s];
        const double share = static_cast<double>(worst.subjectMs[s]) / std::max(worst.ms, 1e-9);
        if (worst.over && share >= kMuch && subject.isMesh() && subject.mesh().levels.size() == 1)
            out.push_back({BudgetNoteKind::OneLevel, subject.id, 0, 1, share,
                           fmt::format("{} takes {:.0f} % of the worst frame and has no coarser level", subject.name,
                                       100 * share)});
    }
    for (std::size_t s = 0; s < scene.subjects.size(); ++s) {
        const Subject& subject = scene.subjects[s];
        const std::size_t levels = subject.isMesh() ? subject.mesh().levels.size() : 0;
        const double share = static_cast<double>(worst.subjectMs[s]) / std::max(worst.ms, 1e-9);
        if (worst.over && share >= kMuch && levels > 1 && audit.shownAtWorst[s] == std::uint64_t{1} << (levels - 1) &&
            canBeLighter(subject.mesh().levels.back()))
            out.push_back(
                {BudgetNoteKind::LevelPays, subject.id, levels - 1, 1, share,
                 fmt::format("all that the worst frame draws of {} is L{}, its coarsest, and it takes {:.0f} % "
                             "of the frame: one coarser still would pay",
                             subject.name, levels - 1, 100 * share)});
    }
    for (std::size_t s = 0; s < scene.subjects.size(); ++s)
        addOffScreen(scene.subjects[s], audit.own[s], audit.frames.size(), out);
    const auto culled = [&](std::size_t s, Culled why) { return audit.culled[s][static_cast<std::size_t>(why)]; };
    std::uint64_t hidden = 0;
    for (std::size_t s = 0; s < scene.subjects.size(); ++s)
        hidden += culled(s, Culled::Hidden);
    if (scene.settings.cullHidden && hidden == 0)
        out.push_back({BudgetNoteKind::HidesNothing, 0, 0, audit.frames.size(), 0,
                       "nothing is hidden behind anything in any frame of this route: an engine that does not look "
                       "for it loses nothing"});
    for (std::size_t s = 0; s < scene.subjects.size(); ++s)
        if (const Subject& subject = scene.subjects[s]; audit.shown[s] != 0 && subject.rule.reachMetres > 0 &&
                                                        culled(s, Culled::BeyondReach) == 0 &&
                                                        !switchesByReach(subject))
            out.push_back({BudgetNoteKind::ReachesAll, subject.id, 0, audit.frames.size(), 0,
                           fmt::format("the reach of {}, {}, ends none of it in any frame of this route", subject.name,
                                       length(subject.rule.reachMetres))});
    for (std::size_t s = 0; s < scene.subjects.size(); ++s) {
        const Subject& subject = scene.subjects[s];
        if (const TerrainBody* ground = subject.terrain(); ground != nullptr && audit.shown[s] != 0) {
            const auto finest = static_cast<std::size_t>(std::countr_zero(audit.shown[s]));
            if (finest > 0)
                out.push_back({BudgetNoteKind::NeverShown, subject.id, finest - 1, audit.frames.size(), 0,
                               fmt::format("no frame of this route shows {} finer than L{}: heights {} apart would do",
                                           subject.name, finest,
                                           length(ground->tree->spacing * std::exp2(static_cast<double>(finest))))});
        }
        if (!subject.isMesh() || audit.shown[s] == 0)
            continue; // what never shows at all stands nowhere, or is another matter
        for (std::size_t level = 1; level < subject.mesh().levels.size(); ++level)
            if ((audit.shown[s] >> level & 1U) == 0)
                out.push_back({BudgetNoteKind::NeverShown, subject.id, level, audit.frames.size(), 0,
                               fmt::format("L{} of {} shows in no frame of this route", level, subject.name)});
    }
    return out;
}

std::vector<std::size_t> worstMoments(const Audit& audit, std::size_t most, double secondsApart) {
    std::vector<std::size_t> order(audit.frames.size());
    std::iota(order.begin(), order.end(), std::size_t{0});
    std::stable_sort(order.begin(), order.end(),
                     [&](std::size_t a, std::size_t b) { return audit.frames[a].ms > audit.frames[b].ms; });
    std::vector<std::size_t> out;
    for (const std::size_t f : order) {
        if (out.size() >= most)
            break;
        if (std::none_of(out.begin(), out.end(), [&](std::size_t other) {
                return std::abs(audit.frames[f].seconds - audit.frames[other].seconds) < secondsApart;
            }))
            out.push_back(f);
    }
    return out;
}

} // namespace thicket
