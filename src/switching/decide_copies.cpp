// Copies of a cell one by one: all at once in floats, and exactly those that these leave open.

#include "switching/copy_news.h"

#include <algorithm>
#include <cmath>
#include <cstring>

namespace thicket::detail {

void BatchPass::decideCopies(std::uint32_t index, const CellBounds& bounds, CellAhead* ahead,
                             const std::optional<CellAhead::Way>& lasts) const {
    const CellAhead::Way way = lasts.value_or(CellAhead::Way());
    const CellTable::Cell& cell = table.cells[index];
    SelectState::Cell& memory = own.cells[index];
    if (own.codes.empty())
        own.codes.resize(table.size());
    if (!memory.singly)
        std::fill_n(&own.codes[cell.first], cell.count, kNoCode);
    memory.singly = true;
    const Rates rates = ratesOf(cell);
    std::optional<LaneLook> here;
    LaneLook& look = (ahead != nullptr ? ahead->m_look : here).emplace();
    LaneAnswers found;
    found.leastPlanes = found.leastOthers = kFarAway;
    // In the order of the field those that go come last: where nothing else can be said of them, they need no look.
    std::uint32_t looked = cell.count;
    double room = rates.within;
    if (thins && bounds.planes == 0 && bounds.farthest <= bounds.reachLeast) {
        const std::size_t all = table.placements->size();
        const auto first = table.placementOf.begin() + cell.first;
        const double end = endOf(bounds.keep.second) * (1 + kSlack);
        looked = static_cast<std::uint32_t>(
            std::partition_point(first, first + cell.count,
                                 [&](std::uint32_t place) { return thicket::rankOf(place, all) < end; }) -
            first);
        if (looked < cell.count)
            room = std::min(
                room, way.metres + std::min(untilReach(bounds, rates),
                                            (rankOf(cell.first + looked) - endOf(bounds.keep.second)) * rates.aShare));
    }
    if (looked > 0) {
        fill(cell, bounds, rates, way.metres, look);
        aim(cell, look);
        room = std::min(room, way.metres + look.room);
        const std::uint32_t first = cell.first;
        decideLanes({&table.x[first], &table.y[first], &table.z[first], &table.scale[first],
                     table.factor.empty() ? nullptr : &table.factor[first], soft > 0 ? &table.spread[first] : nullptr,
                     &table.placementOf[first], mixedOf(index), &memory.all, looked},
                    look.rule, found);
    }
    std::memset(found.codes.data() + looked, codeOf(Culled::Thinned), cell.count - looked);
    const bool all = takeOver(index, found.codes, ahead);
    room = std::min(room, static_cast<double>(found.leastOthers));
    const double planeRoom =
        std::min(way.withTurns + bounds.clear / rates.place, static_cast<double>(found.leastPlanes));
    memory.turning = batch.chain.rule.measureFrom == MeasureFrom::Depth;
    memory.moved = moved;
    memory.turned = turned;
    memory.far = static_cast<float>(std::max(bounds.farthestCentre, turnsAbout(cell)) * 1.00001);
    memory.room = all ? static_cast<float>(room * 0.9999) : 0;
    memory.planeRoom = static_cast<float>(planeRoom * 0.9999);
    memory.kept = true;
    if (!lasts && !memory.mixed && bounds.planes == 0) // then they may be decided together the next time
        memory.singly = false;
    if (lasts && way.metres < rates.within)
        ahead->take(*this, index, way, looked, found, rates.grow);
}

/// Goes through all copies of a cell; most are as they were.
bool BatchPass::takeOver(std::uint32_t index, const KeptCodes& codes, CellAhead* ahead) const {
    const std::uint32_t count = table.cells[index].count;
    const std::uint8_t* const known = &own.codes[table.cells[index].first];
    if (!own.cells[index].unsettled && std::memcmp(codes.data(), known, count) == 0)
        return true;
    News news(*this, index, ahead);
    constexpr std::uint32_t kAtOnce = 32;
    for (std::uint32_t k = 0; k < count; ++k) {
        if (!news.inTime() && k % kAtOnce == 0)
            while (k + kAtOnce <= count && std::memcmp(&codes[k], known + k, kAtOnce) == 0)
                k += kAtOnce;
        if (k < count)
            news.take(k, codes[k]);
    }
    return news.finish();
}

/// Goes on with those copies of a cell that time is left for, where nothing else is new about them.
void BatchPass::settleCopies(std::uint32_t index, CellAhead* ahead) const {
    News news(*this, index, ahead);
    for (std::uint32_t k = 0; k < table.cells[index].count; ++k)
        news.settle(k);
    news.finish();
}

Rates BatchPass::ratesOf(const CellTable::Cell& cell) const {
    Rates rates;
    const double t = cullBelowPx / (2 * pixelScale);
    rates.smallBeyond = cullBelowPx > 0 ? std::sqrt(1 + 1 / (t * t)) : 0;
    rates.aShare = static_cast<double>(kFarAway);
    if (!thins) {
        rates.within = static_cast<double>(kFarAway);
        return rates;
    }
    constexpr double kOfDistance = 0.15;
    const Vec3d away = (decidedFrom - cell.origin).cwiseAbs();
    const double nearest = (away - cell.half()).cwiseMax(0).norm();
    const double farthest = (away + cell.half()).norm();
    rates.within = kOfDistance * farthest + cell.half().norm();
    const double from = std::max(0.0, nearest * (1 - kSlack) - rates.within);
    const double to = farthest * (1 + kSlack) + rates.within;
    rates.aShare =
        1 / std::max(batch.thinning.keep.steepest(from, to) * (1 + batch.thinning.band) * options.keepFactor, 1e-12);
    rates.grow = batch.thinning.steepestSize(from, to);
    rates.place = 1 + rates.grow * cell.mostScale * (batch.chain.radius + boxRadius + offPivot);
    rates.small = rates.place + rates.grow * cell.mostScale * batch.chain.radius * rates.smallBeyond;
    return rates;
}

/// The curves of the field in a cell, as lanes ask for them.
void BatchPass::thinInLanes(const CellTable::Cell& cell, const Rates& rates, double metres, LaneRule& rule) const {
    const Thinning& thinning = batch.thinning;
    const auto slack = static_cast<double>(rule.slack);
    const Vec3d away = (decidedFrom - cell.origin).cwiseAbs();
    const double farthest = (away + cell.half()).norm() * (1 + kSlack) + slack + metres;
    const double nearest = (away - cell.half()).cwiseMax(0).norm() * (1 - kSlack) - slack - metres;
    rule.thins = true;
    rule.thinning = LaneThinning(thinning, nearest, farthest);
    const double ofKeep = rule.thinning.keep.rounding(farthest) + thinning.keep.steepest(nearest, farthest) * slack;
    rule.ends = static_cast<float>(endOf(1));
    rule.aPlace = 1 / static_cast<float>(table.placements->size());
    constexpr double kRankRounding = 5e-7;
    rule.rankDoubt = static_cast<float>(ofKeep * endOf(1) + kRankRounding);
    rule.rankSlope = static_cast<float>(rates.aShare);
    rule.grows = !thinning.widths;
    double ofGrowth = 0;
    if (!thinning.holdCover) {
        ofGrowth = rule.thinning.grow.rounding(farthest);
    } else {
        // The derivative of 1/sqrt, where that is steepest; the cover changes (1 + band) times as fast as the share.
        constexpr double kCoverRounding = 1e-6;
        ofGrowth = 0.5 * std::pow(thinning.growAtMost, 3) * ((1 + thinning.band) * ofKeep + kCoverRounding);
    }
    rule.growDoubt = static_cast<float>(2e-6 + growSlope * slack + ofGrowth);
    rule.pivot = cell.offPivot;
    rule.pivotSlack = cell.offSlack + 2e-6F * rule.pivot.norm();
}

LaneRule::Upright BatchPass::uprightIn(const CellTable::Cell& cell) const {
    constexpr double kMostLean = 0.5;
    const auto lean = static_cast<double>(cell.lean);
    if (lean > kMostLean)
        return {};
    const Vec3d half = batch.chain.bounds.size() / 2;
    const double most = std::hypot(half.x(), half.z());
    const double least = std::min(half.x(), half.z());
    // A cylinder that leans with the box reaches as far as its radius and what its half height leans out by.
    const double inHalf = std::max(0.0, half.y() - least * lean);
    const double inRadius = std::max(0.0, least - inHalf * lean);
    constexpr double kMore = 1 + 1e-6;
    return {static_cast<float>((most + half.y() * lean) * kMore), static_cast<float>((half.y() + most * lean) * kMore),
            static_cast<float>(inRadius / kMore), static_cast<float>(inHalf / kMore)};
}

void BatchPass::fill(const CellTable::Cell& cell, const CellBounds& bounds, const Rates& rates, double metres,
                     LaneLook& look) const {
    const ResolvedChain& chain = batch.chain;
    LaneRule& rule = look.rule;
    for (std::uint8_t k = 0; k < 6; ++k)
        if ((bounds.planes >> k & 1U) != 0)
            look.planes[rule.planeCount++] = k;
    rule.planeSlope = static_cast<float>(1 / rates.place);
    rule.measureFrom = chain.rule.measureFrom;
    rule.radius = static_cast<float>(chain.radius);
    rule.box = static_cast<float>(boxRadius);
    rule.inner = static_cast<float>(innerRadius);
    if (rule.measureFrom == MeasureFrom::NearestPoint)
        rule.upright = uprightIn(cell);
    rule.margin = static_cast<float>(chain.rule.marginMetres);
    // Relative rounding of floats, of the largest things that are added up here.
    rule.slack =
        kLaneRounding * static_cast<float>((view.eye - cell.origin).norm() + (decidedFrom - cell.origin).norm() +
                                           2 * metres + cell.half().norm() + chain.rule.marginMetres +
                                           (boxRadius + chain.radius) * static_cast<double>(cell.mostScale));
    if (thins)
        thinInLanes(cell, rates, metres, rule);
    // What holds for all of them is asked once; how far it holds bounds the room.
    look.room = static_cast<double>(kFarAway);
    rule.noLevels = chain.levels.empty();
    const double inReach = untilReach(bounds, rates);
    if (inReach >= 0) {
        look.room = std::min(look.room, inReach);
    } else {
        rule.reach = static_cast<float>(reach);
        rule.reachSlope = static_cast<float>(1 / (rates.place + chain.rule.reachGrows));
    }
    if (cullBelowPx > 0) {
        const double tooFar = rates.smallBeyond * chain.radius * cell.leastScale * bounds.grow.first * (1 - kSlack);
        rule.smallUnknown = cullBelowPx > pixelScale; // taller than half the view
        if (bounds.farthestCentre < tooFar) {
            look.room = std::min(look.room, (tooFar - bounds.farthestCentre) / rates.small);
        } else {
            rule.smallRadii = static_cast<float>(rates.smallBeyond);
            rule.smallSlope = static_cast<float>(1 / rates.small);
        }
    }
    rule.switches = switchesIn(cell, bounds, rates, rule, look.switches, look.room);
    rule.late = static_cast<float>(1 + chain.rule.hysteresis);
    rule.context = static_cast<float>(context);
    rule.soft = static_cast<float>(soft);
}

void BatchPass::aim(const CellTable::Cell& cell, LaneLook& look) const {
    LaneRule& rule = look.rule;
    for (std::size_t i = 0; i < rule.planeCount; ++i)
        rule.planes[i] = planeFrom(cell, look.planes[i]);
    rule.eye = (view.eye - cell.origin).cast<float>();
    rule.decided = (decidedFrom - cell.origin).cast<float>();
    rule.forward = view.forward.cast<float>();
    if (rule.reach > 0)
        rule.reach = static_cast<float>(reach);
}

/// The switches that are open in a cell; says how many levels have come in for all copies, and bounds the room by where
/// that may be otherwise.
std::span<const LaneRule::Switch> BatchPass::switchesIn(const CellTable::Cell& cell, const CellBounds& bounds,
                                                        const Rates& rates, LaneRule& rule,
                                                        std::array<LaneRule::Switch, kMostLevels>& out,
                                                        double& room) const {
    const ResolvedChain& chain = batch.chain;
    std::size_t count = 0;
    const auto levels = static_cast<std::size_t>(levelCount());
    for (std::size_t i = 1; i < levels; ++i) {
        const double at = chain.fromMetres[i] * context;
        const bool grows = chain.growsWithScale[i];
        const double least =
            at * (grows ? cell.leastProduct * bounds.grow.first : cell.leastFactor) * (1 - soft) * (1 - kSlack);
        const double most = at * (grows ? cell.mostProduct * bounds.grow.second : cell.mostFactor) * (1 + soft) *
                            (1 + chain.rule.hysteresis) * (1 + kSlack);
        const double rate = rates.place + most * rates.grow;
        if (bounds.farthest < least) {
            room = std::min(room, (least - bounds.farthest) / rate);
            break;
        }
        if (count == 0 && bounds.nearest > most) {
            room = std::min(room, (bounds.nearest - most) / rate);
            rule.levels = static_cast<int>(i);
            continue;
        }
        out[count++] = {static_cast<float>(chain.fromMetres[i]), static_cast<int>(i),
                        2 * kLaneRounding + rule.growDoubt, static_cast<float>(1 / rate), grows};
    }
    return std::span(out).first(count);
}

} // namespace thicket::detail
