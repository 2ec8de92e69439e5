// One copy by itself, exactly: what cells must agree with.

#include "switching/batch_pass.h"

#include <algorithm>

namespace thicket::detail {

Culled BatchPass::reasonFor(const Placement& copy) const {
    const ResolvedChain& chain = batch.chain;
    const Vec3d centre = centreOf(copy, chain.bounds);
    const double radius = chain.radius * copy.scale;
    if (options.cullView && !frustum.touches(centre, radius, chain.rule.marginMetres))
        return Culled::OutOfView;
    if (chain.levels.empty())
        return Culled::NoLevels;
    if (options.cullReach && chain.rule.reachMetres > 0 && decidingDistance(chain, copy, view) > chain.rule.reachMetres)
        return Culled::BeyondReach;
    if (screenHeight(pixelScale, view.lines, radius, (centre - view.eye).norm()) * view.lines < cullBelowPx)
        return Culled::TooSmall;
    return Culled::No;
}

int BatchPass::wantedLevel(const Placement& copy, int at) const {
    const ResolvedChain& chain = batch.chain;
    const double distance = decidingDistance(chain, copy, view);
    int level = 0;
    for (std::size_t i = 1; i < chain.levels.size(); ++i) {
        double from = chain.fromMetres[i] * (chain.growsWithScale[i] ? copy.scale : 1.0) * (copy.importance * context);
        // Going coarser waits for the far end of the band; one already that coarse stays until the near end.
        if (static_cast<int>(i) > at && at >= 0)
            from *= 1 + chain.rule.hysteresis;
        if (distance < from)
            break;
        level = static_cast<int>(i);
    }
    return level;
}

} // namespace thicket::detail
