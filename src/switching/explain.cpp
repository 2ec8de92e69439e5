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
        return fmt::format("culled, because {} is beyond its reach of {}", length(pick.distance), length(pick.reach));
    case Culled::TooSmall:
        return fmt::format("culled, because it is {} tall, less than {}", pixels(pick.screenHeight * view.lines),
                           pixels(chain.rule.cullBelowPx));
    case Culled::Hidden:
        return "culled, because it is hidden behind others";
    case Culled::Thinned:
        return fmt::format("thinned away, because {:.0f} % are kept here and {:.0f} % stand before it in the order",
                           100 * pick.kept, 100 * pick.rank);
    case Culled::NoLevels:
        return "not drawn, because it has no level";
    case Culled::No:
        break;
    }
    return {};
}

std::string levelText(const ResolvedChain& chain, const Pick& pick) {
    const int level = pick.level;
    const int next = level + 1;
    switch (pick.why) {
    case Why::OnlyLevel:
        return fmt::format("L{}, the only one", level);
    case Why::Coarsest:
        return fmt::format("L{}, the coarsest there is", level);
    case Why::Dwells:
        return fmt::format("L{} still, because it switched {:.1f} s ago and dwells {:.1f} s", level, pick.sinceSwitch,
                           chain.rule.dwellSeconds);
    case Why::Waits:
        return fmt::format("L{} still, because L{} waits until {} (hysteresis {:.0f} %)", level, next,
                           length(pick.nextFrom * (1 + chain.rule.hysteresis)), 100 * chain.rule.hysteresis);
    case Why::NotLooked:
        return fmt::format("L{} still, because it is looked at every {:.1f} s", level, chain.rule.checkSeconds);
    case Why::NextIsFixed:
        return fmt::format("L{}, because L{} comes in at {}, as set by hand", level, next, length(pick.nextFrom));
    case Why::NextIsAt:
        return fmt::format("L{}, because L{} comes in at {}", level, next, length(pick.nextFrom));
    case Why::NextIsOff:
        return fmt::format("L{}, because L{} would be {} off ({} allowed)", level, next, pixels(pick.nextErrorPx),
                           pixels(chain.rule.allowPx));
    case Why::NextIsSeen:
        return fmt::format("L{}, because the switch to L{} would be seen nearer than {}", level, next,
                           length(pick.nextFrom));
    case Why::AllFinest:
        return fmt::format("L{}, because switching is off", level);
    case Why::Culled:
        break;
    }
    return {};
}

} // namespace

std::string culledName(Culled reason) {
    switch (reason) {
    case Culled::OutOfView:
        return "out of view";
    case Culled::BeyondReach:
        return "beyond reach";
    case Culled::TooSmall:
        return "too small";
    case Culled::Hidden:
        return "hidden";
    case Culled::NoLevels:
        return "no level";
    case Culled::Thinned:
        return "thinned away";
    case Culled::No:
        break;
    }
    return {};
}

std::string contextText(const ResolvedChain& chain, const Placement& copy, const SelectOptions& options) {
    std::string out;
    const auto add = [&out](const char* what, double factor) {
        if (std::abs(factor - 1) > 1e-3)
            out += fmt::format("{}{} × {:.2g}", out.empty() ? "" : " · ", what, factor);
    };
    add("detail", chain.detail / chain.rule.importance);
    add("importance", chain.rule.importance * copy.importance);
    if (options.halfSpeed > 0)
        add("moving", 1 / (1 + options.speed / options.halfSpeed));
    return out;
}

std::string explainPick(const ResolvedChain& chain, const Placement& copy, const View& view,
                        const SelectOptions& options, const Pick& pick) {
    if (pick.culled != Culled::No)
        return culledText(chain, view, pick);
    const std::string why = levelText(chain, pick);
    std::string moved = contextText(chain, copy, options);
    if (std::abs(pick.size - 1) > 1e-3)
        moved += fmt::format("{}size × {:.2g}", moved.empty() ? "" : " · ", pick.size);
    return moved.empty() ? why : why + " · " + moved;
}

} // namespace thicket
