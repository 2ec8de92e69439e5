// One copy by itself, exactly: what cells must agree with.

#include "switching/batch_pass.h"

namespace thicket::detail {

Placement BatchPass::grown(std::uint32_t slot) const {
    Placement copy = table.at(slot);
    if (thins)
        copy.scale *= batch.thinning.sizeAt(curveDistance(copy));
    return copy;
}

Culled BatchPass::reasonFor(std::uint32_t slot) const {
    const ResolvedChain& chain = batch.chain;
    const Placement copy = grown(slot);
    const Vec3d centre = centreOf(copy, chain.bounds);
    const double radius = chain.radius * copy.scale;
    if (options.cullView && !frustum.touches(centre, radius, chain.rule.marginMetres))
        return Culled::OutOfView;
    if (chain.levels.empty())
        return Culled::NoLevels;
    if (reach > 0 && decidingDistance(chain, copy, view) > reach)
        return Culled::BeyondReach;
    if (thins && rankOf(slot) >= endOf(batch.thinning.keepAt(curveDistance(table.at(slot)))))
        return Culled::Thinned;
    const double tall = screenHeight(pixelScale, view.lines, radius, (centre - view.eye).norm()) * view.lines;
    return cullBelowPx > 0 && tall < cullBelowPx ? Culled::TooSmall : Culled::No;
}

int BatchPass::wantedLevel(std::uint32_t slot, int at) const {
    const ResolvedChain& chain = batch.chain;
    if (!options.switchLevels)
        return 0;
    const Placement copy = grown(slot);
    const double distance = decidingDistance(chain, copy, view);
    const double factor = copy.importance * context * softFactor(soft, spreadOf(copy.id));
    int level = 0;
    for (std::size_t i = 1; i < static_cast<std::size_t>(levelCount()); ++i) {
        double from = chain.fromMetres[i] * (chain.growsWithScale[i] ? copy.scale : 1.0) * factor;
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
