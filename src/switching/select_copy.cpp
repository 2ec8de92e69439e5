// One copy by itself, exactly: what cells must agree with.

#include "switching/batch_pass.h"

#include <algorithm>

namespace thicket::detail {

Placement BatchPass::grown(std::uint32_t slot) const {
    Placement copy = table.at(slot);
    if (thins)
        copy.scale *= batch.thinning.sizeAt(curveDistance(copy));
    return copy;
}

Culled BatchPass::reasonFor(std::uint32_t slot, const Rates& rates, double& room) const {
    const ResolvedChain& chain = batch.chain;
    const Placement copy = grown(slot);
    const Vec3d centre = centreOf(copy, chain.bounds);
    const double radius = chain.radius * copy.scale;
    const auto beside = [&room](double gap, double rate) { room = std::min(room, std::abs(gap) / rate); };
    if (options.cullView) {
        for (std::size_t k = 0; k < 6; ++k)
            beside(frustum.normal[k].dot(centre) + frustum.offset[k] + radius + chain.rule.marginMetres, rates.place);
        if (!frustum.touches(centre, radius, chain.rule.marginMetres))
            return Culled::OutOfView;
    }
    if (chain.levels.empty())
        return Culled::NoLevels;
    if (reach > 0) {
        const double distance = decidingDistance(chain, copy, view);
        beside(distance - reach, rates.place + chain.rule.reachGrows);
        if (distance > reach)
            return Culled::BeyondReach;
    }
    if (thins) {
        const double end = endOf(batch.thinning.keepAt(curveDistance(table.at(slot))));
        beside(rankOf(slot) - end, 1 / rates.aShare);
        if (rankOf(slot) >= end)
            return Culled::Thinned;
    }
    if (cullBelowPx > 0) {
        const double distance = (centre - view.eye).norm();
        beside(cullBelowPx > pixelScale ? 0 : distance - rates.smallBeyond * radius, rates.small);
        if (screenHeight(pixelScale, view.lines, radius, distance) * view.lines < cullBelowPx)
            return Culled::TooSmall;
    }
    return Culled::No;
}

int BatchPass::wantedLevel(std::uint32_t slot, int at, const Rates& rates, double& room) const {
    const ResolvedChain& chain = batch.chain;
    if (!options.switchLevels)
        return 0;
    const Placement copy = grown(slot);
    const double distance = decidingDistance(chain, copy, view);
    const double factor = copy.importance * context * softFactor(soft, spreadOf(copy.id));
    int level = 0;
    for (std::size_t i = 1; i < chain.levels.size(); ++i) {
        double from = chain.fromMetres[i] * (chain.growsWithScale[i] ? copy.scale : 1.0) * factor;
        // Going coarser waits for the far end of the band; one already that coarse stays until the near end.
        if (static_cast<int>(i) > at && at >= 0)
            from *= 1 + chain.rule.hysteresis;
        room = std::min(room, std::abs(distance - from) / (rates.place + from * rates.grow));
        if (distance < from)
            break;
        level = static_cast<int>(i);
    }
    return level;
}

} // namespace thicket::detail
