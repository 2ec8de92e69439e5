#include "switching/selector.h"

#include <algorithm>
#include <cmath>

namespace thicket {

void finishCopies(CopyArrays& copies, const std::vector<ResolvedChain>& chains) {
    copies.centre.resize(copies.size());
    copies.radius.resize(copies.size());
    for (std::size_t i = 0; i < copies.size(); ++i) {
        const ResolvedChain& chain = chains[copies.chain[i]];
        copies.centre[i] = copies.position[i] + copies.rotation[i] * (chain.centre * copies.scale[i]);
        copies.radius[i] = chain.radius * copies.scale[i];
    }
}

double copyDistance(const ResolvedChain& chain, const CopyArrays& copies, std::size_t i, const View& view,
                    MeasureFrom from) {
    if (from == MeasureFrom::Centre)
        return (copies.centre[i] - view.eye).norm();
    if (from == MeasureFrom::Depth)
        return std::max(0.0, (copies.centre[i] - view.eye).dot(view.forward));
    const Vec3d local = copies.rotation[i].conjugate() * (view.eye - copies.position[i]) / copies.scale[i];
    const Vec3d nearest = local.cwiseMax(chain.bounds.low).cwiseMin(chain.bounds.high);
    return (local - nearest).norm() * copies.scale[i];
}

namespace {

int wantedLevel(const ResolvedChain& chain, double distance, double scale, double factor, int now) {
    int level = 0;
    for (std::size_t i = 1; i < chain.levels.size(); ++i) {
        double from = chain.fromMetres[i] * (chain.growsWithScale[i] ? scale : 1.0) / factor;
        // Going coarser waits for the far end of the band; one already that coarse stays until the near end.
        if (static_cast<int>(i) > now && now >= 0)
            from *= 1 + chain.rule.hysteresis;
        if (distance < from)
            break;
        level = static_cast<int>(i);
    }
    return level;
}

Culled cullReason(const ResolvedChain& chain, const CopyArrays& copies, std::size_t i, const View& view,
                  const Frustum& frustum, const SelectOptions& options, const Pick& pick) {
    if (chain.levels.empty())
        return Culled::NoLevels;
    if (options.cullView && !frustum.touches(copies.centre[i], copies.radius[i], chain.rule.marginMetres))
        return Culled::OutOfView;
    if (options.cullReach && chain.rule.reachMetres > 0 && static_cast<double>(pick.distance) > chain.rule.reachMetres)
        return Culled::BeyondReach;
    if (options.cullSmall && static_cast<double>(pick.screenHeight) * view.lines < chain.rule.cullBelowPx)
        return Culled::TooSmall;
    return Culled::No;
}

} // namespace

void select(const std::vector<ResolvedChain>& chains, const CopyArrays& copies, const View& view, double seconds,
            const SelectOptions& options, std::vector<PickMemory>& memory, Selection& out) {
    const Frustum frustum = frustumOf(view);
    memory.resize(copies.size());
    out.picks.resize(copies.size());
    out.triangles = out.vertices = out.draws = 0;
    out.drawn = out.switches = 0;
    out.worstErrorPx = 0;
    std::fill(std::begin(out.culledBy), std::end(out.culledBy), 0U);
    for (std::size_t i = 0; i < copies.size(); ++i) {
        const ResolvedChain& chain = chains[copies.chain[i]];
        PickMemory& before = memory[i];
        Pick pick;
        const double nearest = copyDistance(chain, copies, i, view, MeasureFrom::NearestPoint);
        const double distance = chain.rule.measureFrom == MeasureFrom::NearestPoint
                                    ? nearest
                                    : copyDistance(chain, copies, i, view, chain.rule.measureFrom);
        pick.distance = static_cast<float>(distance);
        pick.screenHeight =
            static_cast<float>(screenHeight(view, copies.radius[i], (copies.centre[i] - view.eye).norm()));
        pick.culled = cullReason(chain, copies, i, view, frustum, options, pick);
        ++out.culledBy[static_cast<int>(pick.culled)];
        if (pick.culled != Culled::No) {
            before = {};
            out.picks[i] = pick;
            continue;
        }
        before.level = static_cast<std::int8_t>(std::min<int>(before.level, static_cast<int>(chain.levels.size()) - 1));
        int level = before.level;
        if (before.level < 0 || !(seconds - before.checked < chain.rule.checkSeconds)) {
            level = wantedLevel(chain, distance, copies.scale[i], options.allowanceFactor, before.level);
            before.checked = seconds;
            // Only coarser waits: finer is a matter of the promise.
            if (before.level >= 0 && level > before.level && seconds - before.switched < chain.rule.dwellSeconds)
                level = before.level;
        }
        if (before.level >= 0 && level != before.level) {
            ++out.switches;
            before.switched = seconds;
            before.fadingFrom = options.fades && chain.rule.fadeSeconds > 0 ? before.level : std::int8_t{-1};
            before.fadeStart = seconds;
        }
        before.level = static_cast<std::int8_t>(level);
        pick.level = before.level;
        if (before.fadingFrom >= 0) {
            const double share = (seconds - before.fadeStart) / chain.rule.fadeSeconds;
            if (share >= 1 || share < 0 || !options.fades ||
                before.fadingFrom >= static_cast<int>(chain.levels.size())) {
                before.fadingFrom = -1;
            } else {
                pick.fadingFrom = before.fadingFrom;
                pick.fade = static_cast<float>(share);
            }
        }
        const auto count = [&out](const LevelCost& cost) {
            out.triangles += cost.triangles;
            out.vertices += cost.vertices;
            out.draws += cost.draws;
        };
        const LevelCost& cost = chain.levels[static_cast<std::size_t>(level)];
        count(cost);
        if (pick.fadingFrom >= 0)
            count(chain.levels[static_cast<std::size_t>(pick.fadingFrom)]);
        pick.errorPx = static_cast<float>(pixelError(view, cost.deviationMetres * copies.scale[i], nearest));
        out.worstErrorPx = std::max(out.worstErrorPx, static_cast<double>(pick.errorPx));
        ++out.drawn;
        out.picks[i] = pick;
    }
}

} // namespace thicket
