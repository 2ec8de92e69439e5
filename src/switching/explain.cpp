#include "switching/explain.h"

#include "base/text.h"

#include <cmath>
#include <fmt/format.h>

namespace thicket {
namespace {

std::string culledText(const ResolvedChain& chain, const View& view, const Pick& pick) {
    switch (pick.culled) {
    case Culled::OutOfView:
        return chain.rule.marginMetres > 0
                   ? fmt::format("culled, because it is out of view by more than {}", length(chain.rule.marginMetres))
                   : "culled, because it is out of view";
    case Culled::BeyondReach:
        return fmt::format("culled, because {} is beyond its reach of {}", length(static_cast<double>(pick.distance)),
                           length(chain.rule.reachMetres));
    case Culled::TooSmall:
        return fmt::format("culled, because it is {} tall, less than {}",
                           pixels(static_cast<double>(pick.screenHeight) * view.lines), pixels(chain.rule.cullBelowPx));
    case Culled::Hidden:
        return "culled, because it is hidden behind others";
    case Culled::NoLevels:
        return "not drawn, because it has no level";
    case Culled::No:
        break;
    }
    return {};
}

} // namespace

std::string contextText(const ResolvedChain& chain, const CopyArrays& copies, std::size_t copy,
                        const SelectOptions& options) {
    std::string out;
    const auto add = [&out](const char* what, double factor) {
        if (std::abs(factor - 1) > 1e-3)
            out += fmt::format("{}{} × {:.2g}", out.empty() ? "" : " · ", what, factor);
    };
    const double own = copies.importance.empty() ? 1.0 : copies.importance[copy];
    add("detail", chain.detail / chain.rule.importance);
    add("importance", chain.rule.importance * own);
    if (options.halfSpeed > 0)
        add("moving", 1 / (1 + options.speed / options.halfSpeed));
    return out;
}

std::string explainPick(const ResolvedChain& chain, const CopyArrays& copies, std::size_t copy, const View& view,
                        const SelectOptions& options, const Pick& pick, const PickMemory& memory, double seconds) {
    if (pick.culled != Culled::No)
        return culledText(chain, view, pick);
    const auto level = static_cast<std::size_t>(pick.level);
    std::string why;
    if (level + 1 >= chain.levels.size()) {
        why = chain.levels.size() == 1 ? fmt::format("L{}, the only one", level)
                                       : fmt::format("L{}, the coarsest there is", level);
    } else {
        const LevelCost& next = chain.levels[level + 1];
        const double scale = copies.scale[copy];
        const double from = chain.fromMetres[level + 1] * (chain.growsWithScale[level + 1] ? scale : 1.0) *
                            contextFactor(copies, copy, options) / options.allowanceFactor;
        const auto distance = static_cast<double>(pick.distance);
        const double nearest = copyDistance(chain, copies, copy, view, MeasureFrom::NearestPoint);
        const double waited = seconds - memory.switched;
        if (distance >= from * (1 + chain.rule.hysteresis) && waited < chain.rule.dwellSeconds)
            why = fmt::format("L{} still, because it switched {:.1f} s ago and dwells {:.1f} s", level, waited,
                              chain.rule.dwellSeconds);
        else if (distance >= from && distance < from * (1 + chain.rule.hysteresis))
            why = fmt::format("L{} still, because L{} waits until {} (hysteresis {:.0f} %)", level, level + 1,
                              length(from * (1 + chain.rule.hysteresis)), 100 * chain.rule.hysteresis);
        else if (distance >= from)
            why = fmt::format("L{} still, because it is looked at every {:.1f} s", level, chain.rule.checkSeconds);
        else if (next.fixed || chain.measuredFrom || chain.rule.measureFrom != MeasureFrom::NearestPoint)
            why = fmt::format("L{}, because L{} comes in at {}{}", level, level + 1, length(from),
                              next.fixed ? ", as set by hand" : "");
        else
            why = fmt::format("L{}, because L{} would be {} off ({} allowed)", level, level + 1,
                              pixels(pixelError(view, next.deviationMetres * scale, nearest)),
                              pixels(chain.rule.allowPx));
    }
    const std::string moved = contextText(chain, copies, copy, options);
    return moved.empty() ? why : why + " · " + moved;
}

} // namespace thicket
