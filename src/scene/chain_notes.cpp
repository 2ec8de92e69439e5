#include "scene/chain_notes.h"

#include "base/text.h"

#include <algorithm>
#include <fmt/format.h>

namespace thicket {
namespace {

constexpr double kSlack = 1.01; // what rounding a typed number may cost

Subject freed(const Subject& subject, std::size_t level) {
    Subject out = subject;
    out.mesh().levels[level].fixed.reset();
    return out;
}

Subject without(const Subject& subject, std::size_t level) {
    Subject out = subject;
    out.mesh().levels.erase(out.mesh().levels.begin() + static_cast<std::ptrdiff_t>(level));
    return out;
}

} // namespace

std::vector<ChainNote> chainNotes(const Subject& subject, const View& view) {
    std::vector<ChainNote> out;
    const std::vector<LevelCost> costs = costsOf(subject);
    const ResolvedChain chain = chainOf(subject, view);
    const auto& from = chain.fromMetres;
    const SwitchRule& rule = chain.rule; // as it is in force on the device
    for (std::size_t i = 1; i < costs.size(); ++i) {
        const auto note = [&](ChainNoteKind kind, std::string text, std::string mend, Subject mended) {
            out.push_back({kind, static_cast<int>(i), std::move(text), std::move(mend), std::move(mended)});
        };
        const double own = switchDistance(costs[i], rule, subject.radius, view);
        const bool locked = subject.mesh().levels[i].locked;
        if (costs[i].fixed && own < from[i] * (1 - 1e-9)) {
            note(ChainNoteKind::OutOfOrder,
                 fmt::format("L{} is set to come in at {}, nearer than L{} at {}; it waits for that", i, length(own),
                             i - 1, length(from[i - 1])),
                 "let it follow the allowance", freed(subject, i));
            continue;
        }
        const bool never = chain.neverShows(i);
        if (never && !locked) {
            note(ChainNoteKind::NeverShows,
                 fmt::format("L{} never shows: L{} comes in at {} too", i, i + 1, length(from[i])), "take it out",
                 without(subject, i));
            continue;
        }
        if (chain.beyondReach(i) && !locked) {
            note(ChainNoteKind::BeyondReach,
                 fmt::format("L{} comes in at {}, but nothing is drawn beyond {}", i, length(from[i]),
                             length(rule.reachMetres)),
                 "take it out", without(subject, i));
            continue;
        }
        if (from[i] >= view.farMetres && !locked) {
            note(ChainNoteKind::BeyondFar,
                 fmt::format("L{} comes in at {}, beyond the far plane at {}", i, length(from[i]),
                             length(view.farMetres)),
                 "take it out", without(subject, i));
            continue;
        }
        if (i + 1 < costs.size() && !never && from[i] * (1 + rule.hysteresis) >= from[i + 1] && rule.hysteresis > 0) {
            Subject mended = subject;
            mended.rule.hysteresis = std::max(0.0, 0.5 * (from[i + 1] / from[i] - 1));
            note(ChainNoteKind::BandTooWide,
                 fmt::format("L{} shows from {} to {}, less than its hysteresis of {:.0f} %: going away it is skipped",
                             i, length(from[i]), length(from[i + 1]), 100 * rule.hysteresis),
                 fmt::format("hysteresis {:.1f} %", 100 * mended.rule.hysteresis), std::move(mended));
        }
        const double off = pixelError(view, costs[i].deviationMetres, from[i]);
        if (costs[i].fixed && overAllowance(rule, off * chain.detail, kSlack))
            note(ChainNoteKind::CoarserThanPromise,
                 fmt::format("L{} is set to come in at {}, where it is {} off; {} are allowed", i, length(from[i]),
                             pixels(off), pixels(rule.allowPx)),
                 "let it follow the allowance", freed(subject, i));
    }
    return out;
}

} // namespace thicket
