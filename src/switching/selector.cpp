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

namespace {

double distanceFrom(const Vec3d& eye, const Vec3d& forward, const ResolvedChain& chain, const CopyArrays& copies,
                    std::size_t i, MeasureFrom from) {
    if (from == MeasureFrom::Centre)
        return (copies.centre[i] - eye).norm();
    if (from == MeasureFrom::Depth)
        return std::max(0.0, (copies.centre[i] - eye).dot(forward));
    const Vec3d local = copies.rotation[i].conjugate() * (eye - copies.position[i]) / copies.scale[i];
    const Vec3d nearest = local.cwiseMax(chain.bounds.low).cwiseMin(chain.bounds.high);
    return (local - nearest).norm() * copies.scale[i];
}

} // namespace

double copyDistance(const ResolvedChain& chain, const CopyArrays& copies, std::size_t i, const View& view,
                    MeasureFrom from) {
    return distanceFrom(view.eye, view.forward, chain, copies, i, from);
}

double decidingDistance(const ResolvedChain& chain, const CopyArrays& copies, std::size_t i, const View& view) {
    return distanceFrom(chain.measuredFrom.value_or(view.eye), view.forward, chain, copies, i, chain.rule.measureFrom);
}

double contextFactor(const CopyArrays& copies, std::size_t i, const SelectOptions& options) {
    const double own = copies.importance.empty() ? 1.0 : copies.importance[i];
    return options.halfSpeed > 0 ? own / (1 + options.speed / options.halfSpeed) : own;
}

OrientedBox boxOf(const ResolvedChain& chain, const CopyArrays& copies, std::size_t i, double wider) {
    const Eigen::Matrix3d turn = copies.rotation[i].toRotationMatrix() * copies.scale[i];
    const Vec3d half = chain.bounds.size() / 2 + Vec3d::Constant(wider);
    return {copies.position[i] + turn * chain.bounds.centre(),
            {turn.col(0) * half.x(), turn.col(1) * half.y(), turn.col(2) * half.z()}};
}

std::array<Vec3d, 8> boxCorners(const ResolvedChain& chain, const CopyArrays& copies, std::size_t i, double wider) {
    const OrientedBox box = boxOf(chain, copies, i, wider);
    std::array<Vec3d, 8> out;
    for (std::size_t k = 0; k < out.size(); ++k) {
        out[k] = box.middle;
        for (std::size_t axis = 0; axis < 3; ++axis)
            out[k] += ((k >> axis) & 1) != 0 ? box.half[axis] : Vec3d(-box.half[axis]);
    }
    return out;
}

namespace {

int wantedLevel(const ResolvedChain& chain, double distance, double scale, double farther, int now) {
    int level = 0;
    for (std::size_t i = 1; i < chain.levels.size(); ++i) {
        double from = chain.fromMetres[i] * (chain.growsWithScale[i] ? scale : 1.0) * farther;
        // Going coarser waits for the far end of the band; one already that coarse stays until the near end.
        if (static_cast<int>(i) > now && now >= 0)
            from *= 1 + chain.rule.hysteresis;
        if (distance < from)
            break;
        level = static_cast<int>(i);
    }
    return level;
}

/// For a copy in view.
Culled cullReason(const ResolvedChain& chain, const View& view, const SelectOptions& options, const Pick& pick) {
    if (options.cullReach && chain.rule.reachMetres > 0 && static_cast<double>(pick.distance) > chain.rule.reachMetres)
        return Culled::BeyondReach;
    if (options.cullSmall && static_cast<double>(pick.screenHeight) * view.lines < chain.rule.cullBelowPx)
        return Culled::TooSmall;
    return Culled::No;
}

void count(const LevelCost& cost, Selection& out) {
    out.triangles += cost.triangles;
    out.vertices += cost.vertices;
    out.draws += cost.draws;
}

void count(const ResolvedChain& chain, const Pick& pick, Selection& out) {
    count(chain.levels[static_cast<std::size_t>(pick.level)], out);
    if (pick.fadingFrom >= 0)
        count(chain.levels[static_cast<std::size_t>(pick.fadingFrom)], out);
    out.worstErrorPx = std::max(out.worstErrorPx, static_cast<double>(pick.errorPx));
    out.switches += pick.switched ? 1U : 0U;
    ++out.drawn;
}

void startCount(Selection& out) {
    out.triangles = out.vertices = out.draws = 0;
    out.drawn = out.switches = 0;
    out.worstErrorPx = 0;
}

/// The copies that may hide most: large on screen, drawn as one solid level, few enough to be drawn twice.
std::vector<std::uint32_t> chooseOccluders(const CopyArrays& copies, const View& view, const Occluders& occluders,
                                           const Selection& selection) {
    constexpr float kTall = 0.06F; // of the screen; smaller ones hide next to nothing
    constexpr std::size_t kMost = 8;
    constexpr std::size_t kMostTriangles = 24'000;
    std::vector<std::uint32_t> found;
    for (std::uint32_t i = 0; i < selection.picks.size(); ++i) {
        const Pick& p = selection.picks[i];
        if (p.culled != Culled::No || p.fadingFrom >= 0 || p.screenHeight < kTall)
            continue;
        const auto& levels = occluders[copies.chain[i]];
        const auto level = static_cast<std::size_t>(p.level);
        const double depth = (copies.centre[i] - view.eye).dot(view.forward);
        if (level < levels.size() && levels[level] && depth + 2 * copies.radius[i] < view.farMetres)
            found.push_back(i);
    }
    std::sort(found.begin(), found.end(), [&](std::uint32_t a, std::uint32_t b) {
        const float ha = selection.picks[a].screenHeight;
        const float hb = selection.picks[b].screenHeight;
        return ha != hb ? ha > hb : a < b;
    });
    std::size_t triangles = 0;
    std::vector<std::uint32_t> out;
    for (const std::uint32_t i : found) {
        const Occluder& o = *occluders[copies.chain[i]][static_cast<std::size_t>(selection.picks[i].level)];
        if (out.size() < kMost && triangles + o.triangleCount() <= kMostTriangles) {
            triangles += o.triangleCount();
            out.push_back(i);
        }
    }
    return out;
}

/// Takes away what is hidden behind others, and counts anew when there was any.
void cullHidden(const std::vector<ResolvedChain>& chains, const CopyArrays& copies, const View& view,
                const Occluders& occluders, std::vector<PickMemory>& memory, Selection& out) {
    constexpr int kRows = 128;
    const auto hiders = chooseOccluders(copies, view, occluders, out);
    out.occluders = static_cast<std::uint32_t>(hiders.size());
    if (hiders.empty() || out.drawn < 2)
        return;
    CoverBuffer buffer;
    buffer.begin(view, kRows);
    for (const std::uint32_t i : hiders)
        buffer.add(*occluders[copies.chain[i]][static_cast<std::size_t>(out.picks[i].level)], copies.position[i],
                   copies.rotation[i], copies.scale[i]);
    bool any = false;
    for (std::size_t i = 0; i < out.picks.size(); ++i) {
        Pick& pick = out.picks[i];
        if (pick.culled != Culled::No)
            continue;
        const ResolvedChain& chain = chains[copies.chain[i]];
        // A coarser level may stand out of the box of the finest by as much as it is off.
        double wider = chain.levels[static_cast<std::size_t>(pick.level)].deviationMetres;
        if (pick.fadingFrom >= 0)
            wider = std::max(wider, chain.levels[static_cast<std::size_t>(pick.fadingFrom)].deviationMetres);
        if (!buffer.hides(boxOf(chain, copies, i, wider)))
            continue;
        pick.culled = Culled::Hidden;
        pick.level = pick.fadingFrom = -1;
        pick.switched = false;
        memory[i] = {};
        any = true;
    }
    if (!any)
        return;
    startCount(out);
    for (std::size_t i = 0; i < out.picks.size(); ++i)
        if (out.picks[i].culled == Culled::No)
            count(chains[copies.chain[i]], out.picks[i], out);
        else if (out.picks[i].culled == Culled::Hidden)
            ++out.culledBy[static_cast<std::size_t>(Culled::Hidden)];
    out.culledBy[static_cast<std::size_t>(Culled::No)] = out.drawn;
}

} // namespace

void select(const std::vector<ResolvedChain>& chains, const CopyArrays& copies, const View& view, double seconds,
            const SelectOptions& options, std::vector<PickMemory>& memory, Selection& out) {
    const Frustum frustum = frustumOf(view);
    memory.resize(copies.size());
    out.picks.resize(copies.size());
    startCount(out);
    out.occluders = 0;
    std::fill(std::begin(out.culledBy), std::end(out.culledBy), 0U);
    const double pixelScale = view.pixelScale();
    for (std::size_t i = 0; i < copies.size(); ++i) {
        const ResolvedChain& chain = chains[copies.chain[i]];
        PickMemory& before = memory[i];
        Pick pick;
        // Most copies of a large scene go here, by what lies together in memory.
        const bool outside =
            options.cullView && !frustum.touches(copies.centre[i], copies.radius[i], chain.rule.marginMetres);
        if (outside || chain.levels.empty()) {
            pick.culled = chain.levels.empty() ? Culled::NoLevels : Culled::OutOfView;
            ++out.culledBy[static_cast<std::size_t>(pick.culled)];
            before = {};
            out.picks[i] = pick;
            continue;
        }
        const double nearest = copyDistance(chain, copies, i, view, MeasureFrom::NearestPoint);
        const bool measured = chain.rule.measureFrom == MeasureFrom::NearestPoint && !chain.measuredFrom;
        const double distance = measured ? nearest : decidingDistance(chain, copies, i, view);
        pick.distance = static_cast<float>(distance);
        pick.screenHeight = static_cast<float>(
            screenHeight(pixelScale, view.lines, copies.radius[i], (copies.centre[i] - view.eye).norm()));
        pick.culled = cullReason(chain, view, options, pick);
        ++out.culledBy[static_cast<int>(pick.culled)];
        if (pick.culled != Culled::No) {
            before = {};
            out.picks[i] = pick;
            continue;
        }
        before.level = static_cast<std::int8_t>(std::min<int>(before.level, static_cast<int>(chain.levels.size()) - 1));
        int level = before.level;
        if (before.level < 0 || !(seconds - before.checked < chain.rule.checkSeconds)) {
            level = wantedLevel(chain, distance, copies.scale[i],
                                contextFactor(copies, i, options) / options.allowanceFactor, before.level);
            before.checked = seconds;
            // Only coarser waits: finer is a matter of the promise.
            if (before.level >= 0 && level > before.level && seconds - before.switched < chain.rule.dwellSeconds)
                level = before.level;
        }
        if (before.level >= 0 && level != before.level) {
            pick.switched = true;
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
        const LevelCost& cost = chain.levels[static_cast<std::size_t>(level)];
        pick.errorPx =
            static_cast<float>(cost.deviationMetres * copies.scale[i] * pixelScale / std::max(nearest, 1e-9));
        count(chain, pick, out);
        out.picks[i] = pick;
    }
    if (options.occluders != nullptr && options.cullHidden)
        cullHidden(chains, copies, view, *options.occluders, memory, out);
}

} // namespace thicket
