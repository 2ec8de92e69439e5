// A batch in a selection: what it depends on, and deciding about whole cells.

#include "switching/batch_pass.h"

#include <algorithm>
#include <cmath>
#include <utility>

namespace thicket::detail {
namespace {

void append(std::vector<double>& out, const Vec3d& v) {
    out.insert(out.end(), {v.x(), v.y(), v.z()});
}

void append(std::vector<double>& out, const DistanceCurve& curve) {
    out.push_back(static_cast<double>(curve.points.size()));
    for (const CurvePoint& p : curve.points)
        out.insert(out.end(), {p.metres, p.value});
}

/// All that decisions about a batch, and what its copies cost, depend on but for the camera's place and direction.
void describe(const BatchPass& pass, std::vector<double>& out) {
    const ResolvedChain& chain = pass.batch.chain;
    const SwitchRule& rule = chain.rule;
    const SelectOptions& options = pass.options;
    out.assign({pass.context,
                pass.cullBelowPx,
                pass.pixelScale,
                static_cast<double>(pass.view.lines),
                pass.view.aspect,
                pass.view.nearMetres,
                pass.view.farMetres,
                options.keepFactor,
                static_cast<double>(options.fades),
                static_cast<double>(options.cullView),
                static_cast<double>(options.cullReach),
                static_cast<double>(options.thinOut),
                static_cast<double>(options.switchLevels),
                static_cast<double>(rule.measureFrom),
                rule.hysteresis,
                rule.dwellSeconds,
                rule.checkSeconds,
                pass.soft,
                rule.fadeSeconds,
                rule.reachMetres,
                rule.reachGrows,
                rule.marginMetres,
                chain.radius,
                static_cast<double>(chain.measuredFrom.has_value())});
    append(out, chain.measuredFrom.value_or(Vec3d(0, 0, 0)));
    append(out, chain.bounds.low);
    append(out, chain.bounds.high);
    const Thinning& thinning = pass.batch.thinning;
    out.insert(out.end(), {static_cast<double>(thinning.holdCover), thinning.growAtMost, thinning.band,
                           static_cast<double>(thinning.widths)});
    append(out, thinning.keep);
    append(out, thinning.grow);
    for (std::size_t i = 0; i < chain.levels.size(); ++i) {
        const LevelCost& level = chain.levels[i];
        out.insert(out.end(), {static_cast<double>(level.triangles), static_cast<double>(level.vertices),
                               static_cast<double>(level.draws), level.deviationMetres, level.area, chain.fromMetres[i],
                               static_cast<double>(chain.growsWithScale[i])});
    }
    out.push_back(pass.batch.strands ? static_cast<double>(pass.batch.strands->before.size()) : -1);
    out.push_back(static_cast<double>(pass.batch.instanced));
}

} // namespace

BatchPass::BatchPass(const Batch& of, SelectState& state, std::size_t index, const View& from, const Frustum& planes,
                     const SelectOptions& how, double seconds)
    : batch(of), table(*of.copies), own(state.batches[index]), view(from), frustum(planes), options(how),
      now(static_cast<float>(seconds - state.epoch)), due(true), pixelScale(from.pixelScale()),
      context(contextFactor(1, how) / how.allowanceFactor),
      cullBelowPx(how.cullSmall ? of.chain.rule.cullBelowPx * how.smallFactor : 0),
      boxRadius(of.chain.bounds.diagonal() / 2), innerRadius(of.chain.bounds.size().minCoeff() / 2),
      decidedFrom(of.chain.measuredFrom.value_or(from.eye)), thins(hasSizes(of, how)),
      offPivot(of.chain.bounds.centre().norm()), keepSlope(thins ? of.thinning.keep.steepest() : 0),
      growSlope(thins ? of.thinning.steepestSize() : 0),
      reach(how.cullReach ? reachFrom(of.chain.rule, from.eye, table.lowest) : 0),
      soft(table.spread.empty() ? 0 : of.chain.rule.softBand), moved(state.moved), turned(state.turned),
      stepped(state.stepped) {
    // All copies of a rule are looked at in the same frames, a check interval apart.
    if (const double every = of.chain.rule.checkSeconds; every > 0)
        due = std::floor(seconds / every) > std::floor(state.before / every);
    thread_local std::vector<double> with;
    describe(*this, with);
    if (with != own.decidedWith) {
        own.decidedWith = with;
        anew = true;
    }
}

CopyMemory* BatchPass::expand(std::uint32_t cell) const {
    SelectState::Cell& memory = own.cells[cell];
    if (!memory.mixed) {
        if (own.memories.empty())
            own.memories.resize(table.size());
        memory.mixed = true;
        std::fill_n(mixedOf(cell), table.cells[cell].count, memory.all);
    }
    return mixedOf(cell);
}

void BatchPass::setAll(std::uint32_t cell, const CopyMemory& memory) const {
    SelectState::Cell& of = own.cells[cell];
    if (of.mixed || !(of.all == memory))
        own.counted[cell] = 0;
    of.all = memory;
    of.mixed = of.singly = of.kept = of.unsettled = false;
}

void BatchPass::hide(std::uint32_t cell, std::uint32_t k) const {
    expand(cell)[k].culled = Culled::Hidden;
}

/// The levels that copies at such distances may want: of the copies of a cell, all between these two.
std::pair<int, int> BatchPass::levelsBetween(const CellTable::Cell& cell, double nearest, double farthest,
                                             std::pair<double, double> grow, int at) const {
    const ResolvedChain& chain = batch.chain;
    if (!options.switchLevels)
        return {0, 0};
    const double least = (1 - soft) * (1 - kSlack);
    const double most = (1 + soft) * (1 + kSlack);
    const int levels = levelCount();
    int low = -1;
    int i = 1;
    for (; i < levels; ++i) {
        const auto k = static_cast<std::size_t>(i);
        double from = chain.fromMetres[k] * context;
        if (i > at && at >= 0)
            from *= 1 + chain.rule.hysteresis;
        const bool grows = chain.growsWithScale[k];
        if (low < 0 && nearest < from * (grows ? cell.mostProduct * grow.second : cell.mostFactor) * most)
            low = i - 1;
        if (farthest < from * (grows ? cell.leastProduct * grow.first : cell.leastFactor) * least)
            break;
    }
    return {low < 0 ? i - 1 : low, i - 1};
}

void BatchPass::prepare() const {
    if (own.memories.empty())
        own.memories.resize(table.size());
    if (own.codes.empty())
        own.codes.resize(table.size());
}

void BatchPass::startAnew(std::uint32_t index) const {
    SelectState::Cell& cell = own.cells[index];
    cell.kept = cell.singly = cell.goesOn = false;
    own.counted[index] = 0;
}

void BatchPass::decide(std::size_t from, std::size_t to) const {
    for (std::size_t i = from; i < to; ++i) {
        const auto index = static_cast<std::uint32_t>(i);
        if (anew)
            startAnew(index);
        decideCell(index);
    }
}

BatchPass::CellBounds BatchPass::boundsOf(const CellTable::Cell& cell, double room, double planeRoom) const {
    const SwitchRule& rule = batch.chain.rule;
    CellBounds out;
    const auto centresFrom = [&](const Vec3d& eye, double about) {
        const Vec3d away = (eye - cell.origin).cwiseAbs();
        return std::pair(std::max(0.0, (away - cell.half()).cwiseMax(0).norm() * (1 - kSlack) - about),
                         (away + cell.half()).norm() * (1 + kSlack) + about);
    };
    const double roomThere = batch.chain.measuredFrom ? 0 : room;
    if (thins) {
        const auto [from, to] = centresFrom(decidedFrom, roomThere);
        out.keep = batch.thinning.keep.between(from, to);
        out.grow = batch.thinning.sizeWhere(out.keep, from, to);
        out.grow.first *= 1 - kSlack;
        out.grow.second *= 1 + kSlack;
    }
    // Copies grow about what they stand on, so their middles move; and by so much at most.
    const double shift = std::max(0.0, out.grow.second - 1) * cell.mostScale * offPivot;
    const double mostScale = cell.mostScale * out.grow.second;
    const double leastScale = cell.leastScale * out.grow.first;
    if (options.cullView)
        for (std::size_t k = 0; k < 6; ++k) {
            const double at = frustum.normal[k].dot(cell.origin) + frustum.offset[k];
            const double half = frustum.normal[k].cwiseAbs().dot(cell.half()) + planeRoom;
            const double slack = kSlack * (1 + std::abs(at) + half);
            if (at + half < -(batch.chain.radius * mostScale + rule.marginMetres) - slack - shift) {
                out.outOfView = true;
                return out;
            }
            const double clear = at - half + (batch.chain.radius * leastScale + rule.marginMetres) - slack - shift;
            if (clear < 0)
                out.planes |= 1U << k;
            else
                out.clear = std::min(out.clear, clear);
        }
    std::tie(out.nearestCentre, out.farthestCentre) = centresFrom(view.eye, room + shift);
    if (rule.measureFrom == MeasureFrom::Depth) {
        const double at = view.forward.dot(cell.origin - decidedFrom);
        const double half = view.forward.cwiseAbs().dot(cell.half()) + kSlack * (1 + std::abs(at)) + shift + room;
        out.nearest = std::max(0.0, at - half);
        out.farthest = std::max(0.0, at + half);
    } else {
        std::tie(out.nearest, out.farthest) = centresFrom(decidedFrom, roomThere + shift);
        if (rule.measureFrom == MeasureFrom::NearestPoint) {
            out.nearest = std::max(0.0, out.nearest - boxRadius * mostScale * (1 + kSlack));
            out.farthest = std::max(0.0, out.farthest - innerRadius * leastScale * (1 - kSlack));
        }
    }
    out.reachLeast = reach > 0 ? std::max(rule.reachMetres, reach - rule.reachGrows * room) : kFarAway;
    out.reachMost = reach > 0 ? reach + rule.reachGrows * room : kFarAway;
    return out;
}

void BatchPass::decideCell(std::uint32_t index, CellAhead* ahead) const {
    const CellTable::Cell& cell = table.cells[index];
    SelectState::Cell& memory = own.cells[index];
    if (stays(index)) {
        if (memory.unsettled)
            settleCopies(index, ahead);
        return;
    }
    const bool wentOn = memory.goesOn && !memory.singly;
    memory.goesOn = memory.goesOn || !memory.singly;
    if (wentOn) {
        // With room for the camera, so that it need not be asked again in the next frame.
        constexpr double kOfDistance = 0.04;
        constexpr double kOfSize = 0.25;
        const double far = (view.eye - cell.origin).norm();
        const double room = kOfDistance * far + kOfSize * cell.half().norm();
        const bool lasts = stepped < room; // a camera that leaps asks anew all the same
        const CellBounds wide = lasts ? boundsOf(cell, room, room) : CellBounds();
        if (lasts && decideWhole(index, wide, room)) {
            keepWhole(index, wide, room, room);
            return;
        }
    }
    if (ahead != nullptr && decideAhead(index, *ahead))
        return;
    const CellBounds bounds = boundsOf(cell, 0, 0);
    if (!decideWhole(index, bounds, 0))
        decideCopies(index, bounds, ahead, {});
}

void BatchPass::keepWhole(std::uint32_t index, const CellBounds& bounds, double room, double planeRoom) const {
    const CellTable::Cell& cell = table.cells[index];
    SelectState::Cell& memory = own.cells[index];
    memory.moved = moved;
    memory.turned = turned;
    memory.far =
        static_cast<float>(std::max((view.eye - cell.origin).norm() + cell.half().norm(), turnsAbout(cell)) * 1.00001);
    memory.turning = bounds.outOfView || batch.chain.rule.measureFrom == MeasureFrom::Depth;
    memory.room = static_cast<float>((bounds.outOfView ? planeRoom : room) * 0.99999);
    memory.planeRoom = bounds.outOfView ? kFarAway : static_cast<float>((bounds.clear + planeRoom) * 0.99999);
    memory.kept = memory.all.culled != Culled::No || (settled(memory.all) && batch.chain.rule.checkSeconds <= 0);
}

/// Decides with room for all of the moments that follow. Returns whether that was possible.
bool BatchPass::decideAhead(std::uint32_t index, CellAhead& ahead) const {
    const CellTable::Cell& cell = table.cells[index];
    const SwitchRule& rule = batch.chain.rule;
    if (rule.measureFrom == MeasureFrom::Depth || rule.checkSeconds > 0)
        return false;
    const double mostShift = thins ? offPivot * cell.mostScale * Thinning::kMostGrowth : 0;
    const CellAhead::Way way = ahead.wayFrom((view.eye - cell.origin).norm() + cell.half().norm() + mostShift);
    const CellBounds bounds = boundsOf(cell, way.metres, way.withTurns);
    if (decideWhole(index, bounds, way.metres))
        keepWhole(index, bounds, way.metres, way.withTurns);
    else
        decideCopies(index, bounds, &ahead, way);
    return true;
}

/// Decides about all copies of a cell at once where one answer holds for them.
bool BatchPass::decideWhole(std::uint32_t index, const CellBounds& bounds, double room) const {
    const CellTable::Cell& cell = table.cells[index];
    SelectState::Cell& memory = own.cells[index];
    const ResolvedChain& chain = batch.chain;
    if (bounds.outOfView) {
        setAll(index, notDrawn(Culled::OutOfView));
        return true;
    }
    if (bounds.planes != 0)
        return false;
    if (chain.levels.empty()) {
        setAll(index, notDrawn(Culled::NoLevels));
        return true;
    }
    if (bounds.nearest > bounds.reachMost) {
        setAll(index, notDrawn(Culled::BeyondReach));
        return true;
    }
    if (bounds.farthest > bounds.reachLeast)
        return false;
    const std::size_t all = table.placements->size();
    const bool someKept =
        !thins || thicket::rankOf(table.placementOf[cell.first], all) < endOf(bounds.keep.second) * (1 + kSlack);
    const bool someThinned = thins && thicket::rankOf(table.placementOf[cell.first + cell.count - 1], all) >=
                                          endOf(bounds.keep.first) * (1 - kSlack);
    if (!someKept) {
        setAll(index, notDrawn(Culled::Thinned));
        return true;
    }
    if (someThinned)
        return false;
    const auto tall = [&](double scale, double distance) {
        return screenHeight(pixelScale, view.lines, chain.radius * scale, distance) * view.lines;
    };
    if (cullBelowPx > 0) {
        if (tall(cell.mostScale * bounds.grow.second, bounds.nearestCentre) < cullBelowPx * (1 - kSlack)) {
            setAll(index, notDrawn(Culled::TooSmall));
            return true;
        }
        if (tall(cell.leastScale * bounds.grow.first, bounds.farthestCentre) < cullBelowPx * (1 + kSlack))
            return false;
    }
    if (memory.mixed)
        return false;
    const auto [low, high] = levelsBetween(cell, bounds.nearest, bounds.farthest, bounds.grow, memory.all.level);
    const bool waits = memory.all.level >= 0 && !due;
    if (low != high && !(waits && room == 0))
        return false;
    const CopyMemory before = memory.all;
    remember(memory.all, [level = low] { return level; });
    if (!(memory.all == before))
        own.counted[index] = 0;
    memory.singly = memory.kept = memory.unsettled = false;
    return true;
}

} // namespace thicket::detail
