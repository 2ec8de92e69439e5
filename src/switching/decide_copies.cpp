// Copies of a cell one by one: all at once in floats, and exactly those that these leave open.

#include "switching/batch_pass.h"

#include <algorithm>
#include <cmath>
#include <cstring>

namespace thicket::detail {

void BatchPass::decideCopies(std::uint32_t index, const CellBounds& bounds) const {
    const CellTable::Cell& cell = table.cells[index];
    SelectState::Cell& memory = own.cells[index];
    if (own.codes.empty())
        own.codes.resize(table.size());
    if (!std::exchange(memory.singly, true))
        std::fill_n(&own.codes[cell.first], cell.count, kNoCode);
    const Rates rates = ratesOf(cell);
    KeptCodes codes;
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
            room = std::min({room, untilReach(bounds, rates),
                             (rankOf(cell.first + looked) - endOf(bounds.keep.second)) * rates.aShare});
    }
    double planeRoom = bounds.clear / rates.place;
    if (looked > 0) {
        const LaneRooms rooms = decideInLanes(index, bounds, rates, looked, codes);
        room = std::min(room, static_cast<double>(rooms.others));
        planeRoom = std::min(planeRoom, static_cast<double>(rooms.planes));
    }
    std::memset(codes.data() + looked, codeOf(Culled::Thinned), cell.count - looked);
    if (!takeOver(index, codes))
        room = 0;
    memory.turning = batch.chain.rule.measureFrom == MeasureFrom::Depth;
    memory.moved = moved;
    memory.turned = turned;
    memory.far = static_cast<float>(std::max(bounds.farthestCentre, turnsAbout(cell)) * 1.00001);
    memory.room = static_cast<float>(room * 0.9999);
    memory.planeRoom = static_cast<float>(planeRoom * 0.9999);
    memory.kept = true;
    if (!memory.mixed && bounds.planes == 0) // then they may be decided together the next time
        memory.singly = false;
}

/// Brings what copies remember up to date where anything was decided about them that is new. Returns whether all of them
/// could be decided: else they are looked at again in the next frame, wherever the eye goes.
bool BatchPass::takeOver(std::uint32_t index, const KeptCodes& codes) const {
    const CellTable::Cell& cell = table.cells[index];
    SelectState::Cell& of = own.cells[index];
    std::uint8_t* const known = &own.codes[cell.first];
    const bool inTime = std::exchange(of.unsettled, false);
    if (!inTime && std::memcmp(codes.data(), known, cell.count) == 0)
        return true;
    const bool wasMixed = of.mixed;
    CopyMemory* const memories = expand(index);
    bool changed = false;
    bool all = true;
    constexpr std::uint32_t kAtOnce = 32; // most are as they were
    for (std::uint32_t k = 0; k < cell.count; ++k) {
        if (!inTime && k % kAtOnce == 0)
            while (k + kAtOnce <= cell.count && std::memcmp(&codes[k], known + k, kAtOnce) == 0)
                k += kAtOnce;
        if (k >= cell.count)
            break;
        const CopyCode code = codes[k];
        CopyMemory& memory = memories[k];
        if (code == known[k] && !(inTime && goesOnInTime(known[k], memory)))
            continue;
        const std::uint32_t slot = cell.first + k;
        const CopyMemory was = memory;
        Culled reason = Culled::No;
        if (code == kLeftOpen)
            reason = reasonFor(slot);
        else if (code < kOfLevels)
            reason = reasonOf(code);
        if (reason != Culled::No)
            memory = notDrawn(reason);
        else
            remember(memory, [&] { return code == kLeftOpen ? wantedLevel(slot, memory.level) : levelOf(code); });
        changed |= !(memory == was);
        known[k] = code == kLeftOpen ? kNoCode : static_cast<std::uint8_t>(code);
        all &= code != kLeftOpen;
        of.unsettled |= goesOnInTime(known[k], memory);
    }
    if (changed)
        of.cost.known = false;
    if (changed || !wasMixed)
        collapse(index);
    return all;
}

/// Goes on with those copies of a cell that time is left for, where nothing else is new about them.
void BatchPass::settleCopies(std::uint32_t index) const {
    const CellTable::Cell& cell = table.cells[index];
    SelectState::Cell& of = own.cells[index];
    CopyMemory* const memories = expand(index);
    bool changed = false;
    of.unsettled = false;
    for (std::uint32_t k = 0; k < cell.count; ++k) {
        const std::uint8_t code = own.codes[cell.first + k];
        if (!goesOnInTime(code, memories[k]))
            continue;
        const CopyMemory was = memories[k];
        remember(memories[k], [code] { return levelOf(code); });
        changed |= !(memories[k] == was);
        of.unsettled |= goesOnInTime(code, memories[k]);
    }
    if (changed)
        of.cost.known = false;
    collapse(index);
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
    const double nearest = (away - cell.half).cwiseMax(0).norm();
    const double farthest = (away + cell.half).norm();
    rates.within = kOfDistance * farthest + cell.half.norm();
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
void BatchPass::thinInLanes(const CellTable::Cell& cell, const Rates& rates, LaneRule& rule) const {
    const Thinning& thinning = batch.thinning;
    const auto slack = static_cast<double>(rule.slack);
    const Vec3d away = (decidedFrom - cell.origin).cwiseAbs();
    const double farthest = (away + cell.half).norm() * (1 + kSlack) + slack;
    const double nearest = (away - cell.half).cwiseMax(0).norm() * (1 - kSlack) - slack;
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

namespace {

/// The half box of a thing, turned about the upright axis and leaning by a sine, between two cylinders.
LaneRule::Upright cylindersOf(const Vec3d& half, double lean) {
    constexpr double kMostLean = 0.5;
    if (lean > kMostLean)
        return {};
    const double most = std::hypot(half.x(), half.z());
    const double least = std::min(half.x(), half.z());
    // A cylinder that leans with the box reaches as far as its radius and what its half height leans out by.
    const double innerHalf = std::max(0.0, half.y() - least * lean);
    const double innerRadius = std::max(0.0, least - innerHalf * lean);
    constexpr double kMore = 1 + 1e-6;
    return {static_cast<float>((most + half.y() * lean) * kMore), static_cast<float>((half.y() + most * lean) * kMore),
            static_cast<float>(innerRadius / kMore), static_cast<float>(innerHalf / kMore)};
}

} // namespace

LaneRooms BatchPass::decideInLanes(std::uint32_t index, const CellBounds& bounds, const Rates& rates,
                                   std::uint32_t looked, KeptCodes& codes) const {
    const CellTable::Cell& cell = table.cells[index];
    const ResolvedChain& chain = batch.chain;
    LaneRule rule;
    for (std::size_t k = 0; k < 6; ++k)
        if ((bounds.planes >> k & 1U) != 0) {
            const Vec3d& n = frustum.normal[k];
            rule.planes[rule.planeCount++] = {static_cast<float>(n.x()), static_cast<float>(n.y()),
                                              static_cast<float>(n.z()),
                                              static_cast<float>(n.dot(cell.origin) + frustum.offset[k])};
        }
    rule.planeSlope = static_cast<float>(1 / rates.place);
    rule.eye = (view.eye - cell.origin).cast<float>();
    rule.decided = (decidedFrom - cell.origin).cast<float>();
    rule.forward = view.forward.cast<float>();
    rule.measureFrom = chain.rule.measureFrom;
    rule.radius = static_cast<float>(chain.radius);
    rule.box = static_cast<float>(boxRadius);
    rule.inner = static_cast<float>(innerRadius);
    if (rule.measureFrom == MeasureFrom::NearestPoint)
        rule.upright = cylindersOf(chain.bounds.size() / 2, cell.lean);
    rule.margin = static_cast<float>(chain.rule.marginMetres);
    // Relative rounding of floats, of the largest things that are added up here.
    rule.slack = kLaneRounding * (rule.eye.norm() + rule.decided.norm() + cell.half.cast<float>().norm() + rule.margin +
                                  (rule.box + rule.radius) * cell.mostScale);
    if (thins)
        thinInLanes(cell, rates, rule);
    // What holds for all of them is asked once; how far it holds bounds the room.
    double room = static_cast<double>(kFarAway);
    rule.noLevels = chain.levels.empty();
    const double inReach = untilReach(bounds, rates);
    if (inReach >= 0) {
        room = std::min(room, inReach);
    } else {
        rule.reach = static_cast<float>(reach);
        rule.reachSlope = static_cast<float>(1 / (rates.place + chain.rule.reachGrows));
    }
    if (cullBelowPx > 0) {
        const double tooFar = rates.smallBeyond * chain.radius * cell.leastScale * bounds.grow.first * (1 - kSlack);
        rule.smallUnknown = cullBelowPx > pixelScale; // taller than half the view
        if (bounds.farthestCentre < tooFar) {
            room = std::min(room, (tooFar - bounds.farthestCentre) / rates.small);
        } else {
            rule.smallRadii = static_cast<float>(rates.smallBeyond);
            rule.smallSlope = static_cast<float>(1 / rates.small);
        }
    }
    std::array<LaneRule::Switch, kMostLevels> switches; // of which few are filled
    rule.switches = switchesIn(cell, bounds, rates, rule, switches, room);
    rule.late = static_cast<float>(1 + chain.rule.hysteresis);
    rule.context = static_cast<float>(context);
    rule.soft = static_cast<float>(soft);
    const std::uint32_t first = cell.first;
    const SelectState::Cell& memory = own.cells[index];
    const LaneInput in{&table.x[first],
                       &table.y[first],
                       &table.z[first],
                       &table.scale[first],
                       table.factor.empty() ? nullptr : &table.factor[first],
                       soft > 0 ? &table.spread[first] : nullptr,
                       &table.placementOf[first],
                       mixedOf(index),
                       &memory.all,
                       looked};
    LaneRooms rooms = decideLanes(in, rule, codes);
    rooms.others = std::min(rooms.others, static_cast<float>(room));
    return rooms;
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
