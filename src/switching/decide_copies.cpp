// Copies of a cell one by one, by floats where they leave no doubt, and only those whose turn it is.

#include "switching/batch_pass.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace thicket::detail {

namespace {

/// When copies of a cell are looked at again: a byte, in 255ths of the way that is counted.
struct Turns {
    double used;      ///< metres gone since they were counted from
    double ticks;     ///< a metre
    std::uint8_t now; ///< those up to here are looked at now
    Turns(double gone, float span)
        : used(gone), ticks(kMostTurns / static_cast<double>(span)),
          now(static_cast<std::uint8_t>(std::min(gone * ticks, kMostTurns))) {}
    /// A little less than `room` metres from now, for what rounding may take.
    [[nodiscard]] std::uint8_t in(double room) const {
        return static_cast<std::uint8_t>(std::clamp((used + room * 0.9999) * ticks, 0.0, kMostTurns));
    }
};

/// The planes of the view that a cell lies across, in floats from its middle.
class Edges {
public:
    Edges(const Frustum& frustum, unsigned planes, const Vec3d& origin) {
        for (std::size_t k = 0; k < 6; ++k)
            if ((planes >> k & 1U) != 0) {
                const Vec3d& n = frustum.normal[k];
                m_edges[m_count++] = {static_cast<float>(n.x()), static_cast<float>(n.y()), static_cast<float>(n.z()),
                                      static_cast<float>(n.dot(origin) + frustum.offset[k])};
            }
    }
    [[nodiscard]] bool none() const { return m_count == 0; }
    /// How far inside of the nearest of them a place is, metres; less than 0: it is outside.
    [[nodiscard]] float inside(float x, float y, float z) const {
        float out = kFarAway;
        for (std::size_t e = 0; e < m_count; ++e)
            out = std::min(out, m_edges[e].x * x + m_edges[e].y * y + m_edges[e].z * z + m_edges[e].at);
        return out;
    }

private:
    struct Plane {
        float x, y, z, at;
    };
    std::array<Plane, 6> m_edges;
    std::size_t m_count = 0;
};

} // namespace

/// The copies of a cell whose turn it is, by floats where they leave no doubt, exactly where they do.
void BatchPass::decideCopies(std::uint32_t index, const CellBounds& bounds) const {
    const CellTable::Cell& cell = table.cells[index];
    SelectState::Cell& memory = own.cells[index];
    // In the order of the field those that go come last: where nothing else can be said of them, they need no look.
    std::uint32_t looked = cell.count;
    if (thins && bounds.planes == 0 && bounds.farthest <= bounds.reachLeast) {
        const std::size_t all = table.placements->size();
        const auto first = table.placementOf.begin() + cell.first;
        const double end = endOf(bounds.keep.second) * (1 + kSlack);
        looked = static_cast<std::uint32_t>(
            std::partition_point(first, first + cell.count,
                                 [&](std::uint32_t place) { return thicket::rankOf(place, all) < end; }) -
            first);
    }
    if (own.next.empty())
        own.next.resize(table.size());
    const Rates rates = ratesOf(cell);
    const bool depth = batch.chain.rule.measureFrom == MeasureFrom::Depth;
    const auto byWay = [&] { // how far the cell moved in the count that its copies' turns are in
        const auto [went, withTurns] = movedBy(memory);
        return memory.turning ? withTurns : went;
    };
    if (!memory.singly || (bounds.planes & ~memory.planes) != 0 || byWay() >= static_cast<double>(memory.span)) {
        memory.singly = true;
        memory.planes = static_cast<std::uint8_t>(bounds.planes);
        memory.turning = bounds.planes != 0 || depth;
        memory.moved = moved;
        memory.turned = turned;
        memory.far = std::max(static_cast<float>(std::max(bounds.farthestCentre, turnsAbout(cell)) * 1.00001), 1e-6F);
        memory.span = std::min(memory.far, static_cast<float>(rates.within));
        std::fill_n(&own.next[cell.first], cell.count, std::uint8_t{0});
    }
    memory.planes &= static_cast<std::uint8_t>(bounds.planes); // those that all copies were looked at by
    memory.planeRoom = static_cast<float>((movedBy(memory).second + bounds.clear) * 0.99999);
    const double used = byWay();
    expand(index);
    std::uint8_t soonest = dropLast(index, bounds, looked, used, rates);
    if (!thins)
        decideEach<false>(index, bounds, looked, used, rates);
    else if (!decideByOrder(index, bounds, looked, used, rates))
        decideEach<true>(index, bounds, looked, used, rates);
    const std::uint8_t* next = &own.next[cell.first];
    for (std::uint32_t k = 0; k < looked; ++k)
        soonest = std::min(soonest, next[k]);
    memory.room =
        static_cast<float>(soonest) * static_cast<float>(static_cast<double>(memory.span) / kMostTurns * 0.99999);
    memory.kept = true;
    collapse(index);
}

/// What the field's curves are over one cell, where they are straight there: most cells lie between two points.
struct BatchPass::CellCurves {
    struct Line {
        bool whole = false;
        double start = 0; ///< at 0 m
        double gain = 0;  ///< a metre
        explicit Line(const std::optional<std::pair<double, double>>& line)
            : whole(line.has_value()), start(line ? line->first : 0), gain(line ? line->second : 0) {}
        [[nodiscard]] double at(double metres) const { return start + gain * metres; }
    };
    const Thinning& thinning;
    Line keep;
    Line grow;        ///< of a curve drawn by hand
    double cover = 0; ///< of a held one: of the kept share, as long as none of the band lies beyond the last rank

    CellCurves(const Thinning& of, double nearest, double farthest)
        : thinning(of), keep(of.keep.lineWithin(nearest, farthest)),
          grow(of.holdCover ? std::nullopt : of.grow.lineWithin(nearest, farthest)) {
        constexpr double kShare = 0.5; // any at which the whole band has ranks: there the cover is in proportion
        if (of.holdCover && keep.whole && of.endOf(of.keep.between(nearest, farthest).second) <= 1)
            cover = coverOf(of, kShare) / kShare;
    }
    [[nodiscard]] double keepAt(double metres) const { return keep.whole ? keep.at(metres) : thinning.keepAt(metres); }
    [[nodiscard]] double growAt(double metres, double kept) const {
        if (thinning.widths)
            return 1;
        if (cover > 0)
            return kept * cover * thinning.growAtMost * thinning.growAtMost <= 1 ? thinning.growAtMost
                                                                                 : 1 / std::sqrt(kept * cover);
        return grow.whole ? grow.at(metres) : thinning.growAt(metres);
    }
};

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

BatchPass::Alike BatchPass::alikeIn(const CellTable::Cell& cell, const CellBounds& bounds, const Rates& rates) const {
    const ResolvedChain& chain = batch.chain;
    constexpr Alike kNotKnown;
    Alike out{0, std::min(rates.within, untilReach(bounds, rates))};
    if (chain.levels.empty() || !(out.room >= 0))
        return kNotKnown;
    if (cullBelowPx > 0) {
        const double tooFar = rates.smallBeyond * chain.radius * cell.leastScale * bounds.grow.first * (1 - kSlack);
        if (cullBelowPx > pixelScale || bounds.farthestCentre >= tooFar)
            return kNotKnown;
        out.room = std::min(out.room, (tooFar - bounds.farthestCentre) / rates.small);
    }
    const std::size_t levels = options.switchLevels ? chain.levels.size() : 1;
    for (std::size_t i = 1; i < levels; ++i) {
        const double at = chain.fromMetres[i] * context;
        const bool grows = chain.growsWithScale[i];
        const double least =
            at * (grows ? cell.leastProduct * bounds.grow.first : cell.leastFactor) * (1 - soft) * (1 - kSlack);
        const double most = at * (grows ? cell.mostProduct * bounds.grow.second : cell.mostFactor) * (1 + soft) *
                            (1 + chain.rule.hysteresis) * (1 + kSlack);
        const double gap = bounds.farthest < least ? least - bounds.farthest : bounds.nearest - most;
        if (!(gap >= 0))
            return kNotKnown;
        out.room = std::min(out.room, gap / (rates.place + most * rates.grow));
        if (bounds.farthest < least)
            break;
        out.level = static_cast<int>(i);
    }
    // Where that holds for next to no way, each copy by itself can say of more: unless the camera goes farther at once.
    constexpr double kWorthwhile = 0.2;
    const double least = kWorthwhile * rates.within;
    return out.room >= least || stepped > least ? out : kNotKnown;
}

std::uint8_t BatchPass::dropLast(std::uint32_t index, const CellBounds& bounds, std::uint32_t looked, double used,
                                 const Rates& rates) const {
    const CellTable::Cell& cell = table.cells[index];
    SelectState::Cell& memory = own.cells[index];
    CopyMemory* memories = mixedOf(index);
    const std::uint32_t known = cell.count - memory.dropped; // from there on they are gone already
    const CopyMemory gone = notDrawn(Culled::Thinned);
    for (std::uint32_t k = looked; k < known; ++k) {
        if (!(memories[k] == gone))
            memory.cost.known = false;
        memories[k] = gone;
    }
    for (std::uint32_t k = known; k < looked; ++k)
        own.next[cell.first + k] = 0;
    memory.dropped = static_cast<std::uint16_t>(cell.count - looked);
    if (looked == cell.count)
        return static_cast<std::uint8_t>(kMostTurns);
    const double untilKept = (rankOf(cell.first + looked) - endOf(bounds.keep.second)) * rates.aShare;
    return Turns(used, memory.span).in(std::min({rates.within, untilReach(bounds, rates), untilKept}));
}

bool BatchPass::decideByOrder(std::uint32_t index, const CellBounds& bounds, std::uint32_t looked, double used,
                              const Rates& rates) const {
    const CellTable::Cell& cell = table.cells[index];
    const Alike alike = alikeIn(cell, bounds, rates);
    if (alike.level < 0)
        return false;
    const Vec3f decided = (decidedFrom - cell.origin).cast<float>();
    const SwitchRule& rule = batch.chain.rule;
    const auto radius = static_cast<float>(batch.chain.radius);
    const auto margin = static_cast<float>(rule.marginMetres);
    // Relative rounding of floats, of the largest things that are added up here.
    const float slack =
        kFloatSlack * ((view.eye - cell.origin).cast<float>().norm() + decided.norm() + cell.half.cast<float>().norm() +
                       margin + radius * static_cast<float>(cell.mostScale));
    const Vec3d away = (decidedFrom - cell.origin).cwiseAbs();
    const double farthest = (away + cell.half).norm() * (1 + kSlack) + static_cast<double>(slack);
    const auto keep = batch.thinning.keep.lineWithin(
        (away - cell.half).cwiseMax(0).norm() * (1 - kSlack) - static_cast<double>(slack), farthest);
    if (!keep)
        return false;
    // A copy's rank beyond the end of those that are drawn, as a line over its distance, in floats.
    const auto start = static_cast<float>(endOf(keep->first));
    const auto gain = static_cast<float>(endOf(keep->second));
    const float aPlace = 1 / static_cast<float>(table.placements->size());
    const float doubt =
        2e-6F * (std::abs(start) + std::abs(gain) * static_cast<float>(farthest) + 1) + std::abs(gain) * slack;
    const float* const xs = &table.x[cell.first];
    const float* const ys = &table.y[cell.first];
    const float* const zs = &table.z[cell.first];
    const std::uint32_t* const places = &table.placementOf[cell.first];
    const auto beyondEnd = [&](std::uint32_t k) {
        const float dx = xs[k] - decided.x();
        const float dy = ys[k] - decided.y();
        const float dz = zs[k] - decided.z();
        const float metres = std::sqrt(dx * dx + dy * dy + dz * dz);
        return (static_cast<float>(static_cast<std::int32_t>(places[k])) + 0.5F) * aPlace - (start + gain * metres);
    };
    CopyMemory* memories = mixedOf(index);
    const Turns turns(used, own.cells[index].span);
    std::uint8_t* const next = &own.next[cell.first];
    bool changed = false;
    // What of a copy is inside of the view's edges at least and at most, beside its place and at scale 1: as large as it
    // may have grown in here.
    const Edges edges(frustum, bounds.planes, cell.origin);
    const auto most = static_cast<float>(std::max(bounds.grow.second, 1.0) * 1.000001);
    const float shift = (most - 1) * static_cast<float>(cell.offPivot.norm() + cell.offSlack);
    const float mostInside = most * radius + shift;
    const float leastInside = static_cast<float>(bounds.grow.first * 0.999999) * radius - shift;
    const double aMetre = 1 / rates.place;
    std::array<float, kMostInCell> beyond; // of all at once, where all are looked at
    if (turns.now == 0)
        for (std::uint32_t k = 0; k < looked; ++k)
            beyond[k] = beyondEnd(k);
    const bool always = rule.checkSeconds > 0;
    const double whileThinned = std::min(rates.within, untilReach(bounds, rates));
    for (std::uint32_t k = 0; k < looked; ++k) {
        if (next[k] > turns.now)
            continue;
        CopyMemory& memory = memories[k];
        double untilSeen = static_cast<double>(kFarAway); // or until it no longer is
        Culled reason = Culled::No;
        if (!edges.none()) {
            const float middle = edges.inside(xs[k], ys[k], zs[k]) + margin;
            const float scale = table.scale[cell.first + k];
            const float outside = -(middle + mostInside * scale) - slack;
            if (outside > 0)
                reason = Culled::OutOfView;
            untilSeen = static_cast<double>(outside > 0 ? outside : middle + leastInside * scale - slack) * aMetre;
        }
        double room = untilSeen;
        if (reason == Culled::No) {
            const float by = turns.now == 0 ? beyond[k] : beyondEnd(k);
            reason = by > 0 ? Culled::Thinned : Culled::No;
            room = std::min(room, (static_cast<double>(std::abs(by)) - static_cast<double>(doubt)) * rates.aShare);
        }
        if (room <= 0) {
            room = rates.within;
            reason = reasonFor(cell.first + k, rates, room);
        }
        if (reason != Culled::No) {
            const CopyMemory gone = notDrawn(reason);
            changed |= !(memory == gone);
            memory = gone;
            next[k] = turns.in(std::min(room, whileThinned));
            continue;
        }
        if (memory.culled != Culled::No || memory.level != alike.level || !settled(memory)) {
            const CopyMemory was = memory;
            remember(memory, [&alike] { return alike.level; });
            changed |= !(memory == was);
        }
        next[k] = always || !settled(memory) ? std::uint8_t{0} : turns.in(std::min(room, alike.room));
    }
    if (changed)
        own.cells[index].cost.known = false;
    return true;
}

template <bool kThins>
void BatchPass::decideEach(std::uint32_t index, const CellBounds& bounds, std::uint32_t looked, double used,
                           const Rates& rates) const {
    const CellTable::Cell& cell = table.cells[index];
    CopyMemory* memories = mixedOf(index);
    const ResolvedChain& chain = batch.chain;
    const SwitchRule& rule = chain.rule;
    const int levels = options.switchLevels ? static_cast<int>(chain.levels.size()) : 1;
    const Vec3f eye = (view.eye - cell.origin).cast<float>();
    const Vec3f decided = (decidedFrom - cell.origin).cast<float>();
    const Vec3f forward = view.forward.cast<float>();
    const auto radius = static_cast<float>(chain.radius);
    const auto box = static_cast<float>(boxRadius);
    const auto inner = static_cast<float>(innerRadius);
    const auto margin = static_cast<float>(rule.marginMetres);
    // Relative rounding of floats, of the largest things that are added up here.
    const float slack = kFloatSlack * (eye.norm() + decided.norm() + cell.half.cast<float>().norm() + margin +
                                       (box + radius) * static_cast<float>(cell.mostScale));
    const Vec3f pivot = cell.offPivot.cast<float>();
    const auto pivotSlack = static_cast<float>(cell.offSlack) + 2e-6F * pivot.norm();
    const float keepSlack = 2e-6F + static_cast<float>(keepSlope) * slack;
    const double rankSlack = static_cast<double>(keepSlack) * (1 + batch.thinning.band);
    const float growSlack = 2e-6F + static_cast<float>(growSlope) * slack;
    const Edges edges(frustum, bounds.planes, cell.origin);
    // A sphere is too small beyond so many of its radii: sqrt(1 + 1/t^2) where t is half of that height by tangents.
    const bool smalls = cullBelowPx > 0;
    const auto smallBeyond = static_cast<float>(rates.smallBeyond);
    const bool strangeSize = smalls && cullBelowPx > pixelScale; // taller than half the view: only exactly
    const bool reaches = reach > 0;
    const auto within = static_cast<float>(reach);

    const Vec3d away = (decidedFrom - cell.origin).cwiseAbs();
    const CellCurves curves(
        batch.thinning, kThins ? (away - cell.half).cwiseMax(0).norm() * (1 - kSlack) - static_cast<double>(slack) : 0,
        kThins ? (away + cell.half).norm() * (1 + kSlack) + static_cast<double>(slack) : 0);
    // What is looked up for each copy by itself: bytes are written in between, which may be any of what is pointed to.
    std::uint8_t* const next = &own.next[cell.first];
    const float* const xs = &table.x[cell.first];
    const float* const ys = &table.y[cell.first];
    const float* const zs = &table.z[cell.first];
    const float* const scales = &table.scale[cell.first];
    const std::uint32_t* const places = &table.placementOf[cell.first];
    const std::size_t all = table.placements->size();
    const Turns turns(used, own.cells[index].span);
    const double rate = rates.place;
    const double aMetre = 1 / rate;
    const double reachRate = 1 / (rate + rule.reachGrows);
    const bool always = rule.checkSeconds > 0; // what is decided at intervals only is asked at intervals only
    // However much they grow within the cell.
    const auto most = static_cast<float>(std::max(bounds.grow.second, 1.0) * 1.000001);
    const float mostRadius = most * radius + (most - 1) * (pivot.norm() + pivotSlack);
    const double inReach = untilReach(bounds, rates);
    const bool thinsAlone = kThins && bounds.planes == 0 && inReach >= 0 && !chain.levels.empty();
    bool changed = false;
    for (std::uint32_t k = 0; k < looked; ++k) {
        if (next[k] > turns.now)
            continue;
        const std::uint32_t slot = cell.first + k;
        float x = xs[k];
        float y = ys[k];
        float z = zs[k];
        float scale = scales[k];
        if (!edges.none()) { // it is of no account then what the curves say
            const float beyond = edges.inside(x, y, z) + mostRadius * scale + margin;
            if (beyond < -slack) {
                const CopyMemory gone = notDrawn(Culled::OutOfView);
                changed |= !(memories[k] == gone);
                memories[k] = gone;
                next[k] = turns.in(std::min(rates.within, static_cast<double>(-beyond - slack) * aMetre));
                continue;
            }
        }
        float doubt = slack; // metres that what is worked out here may be off
        bool thinned = false;
        bool sureOfRank = true;
        double room = rates.within; // metres until what is decided here may be another
        if constexpr (kThins) {
            const float dx = x - decided.x();
            const float dy = y - decided.y();
            const float dz = z - decided.z();
            const auto metres = static_cast<double>(std::sqrt(dx * dx + dy * dy + dz * dz));
            const double kept = curves.keepAt(metres);
            const double end = endOf(kept);
            const double rank = thicket::rankOf(places[k], all);
            thinned = rank >= end;
            const double beside = std::abs(rank - end) - rankSlack;
            sureOfRank = beside > 0;
            room = std::min(room, beside * rates.aShare);
            if (thinsAlone && thinned && sureOfRank) {
                const CopyMemory gone = notDrawn(Culled::Thinned);
                changed |= !(memories[k] == gone);
                memories[k] = gone;
                next[k] = turns.in(std::min(room, inReach));
                continue;
            }
            const auto grow = static_cast<float>(curves.growAt(metres, kept));
            const float more = scale * (grow - 1);
            x += more * pivot.x();
            y += more * pivot.y();
            z += more * pivot.z();
            doubt += std::abs(more) * pivotSlack + scale * growSlack * (radius + box + pivot.norm());
            scale *= grow;
        }
        CopyMemory& memory = memories[k];
        const CopyMemory was = memory;
        Culled reason = Culled::No;
        bool sure = !chain.levels.empty() && !strangeSize && sureOfRank;
        if (!edges.none()) {
            const float inside = edges.inside(x, y, z) + radius * scale + margin;
            sure &= inside > doubt;
            if (inside < -doubt) {
                reason = Culled::OutOfView;
                sure = true;
                room = rates.within;
            }
            room = std::min(room, static_cast<double>(std::abs(inside) - doubt) * aMetre);
        }
        float nearest = 0;
        float farthest = 0;
        if (reason == Culled::No && sure) {
            const float ex = x - eye.x();
            const float ey = y - eye.y();
            const float ez = z - eye.z();
            const float centre = std::sqrt(ex * ex + ey * ey + ez * ez);
            if (rule.measureFrom == MeasureFrom::Depth) {
                nearest =
                    forward.x() * (x - decided.x()) + forward.y() * (y - decided.y()) + forward.z() * (z - decided.z());
                farthest = nearest;
            } else if (chain.measuredFrom) {
                const float dx = x - decided.x();
                const float dy = y - decided.y();
                const float dz = z - decided.z();
                nearest = farthest = std::sqrt(dx * dx + dy * dy + dz * dz);
            } else {
                nearest = farthest = centre;
            }
            if (rule.measureFrom == MeasureFrom::NearestPoint) {
                nearest -= box * scale;
                farthest -= inner * scale;
            }
            nearest = std::max(0.0F, nearest - doubt);
            farthest = std::max(0.0F, farthest + doubt);
            if (reaches)
                room = std::min(room, static_cast<double>(std::max(nearest - within, within - farthest)) * reachRate);
            if (reaches && nearest > within)
                reason = Culled::BeyondReach;
            else if (reaches && farthest > within)
                sure = false;
            else if (thinned)
                reason = Culled::Thinned;
            else if (smalls) {
                const float limit = smallBeyond * radius * scale;
                const float off =
                    std::abs(centre - limit) - kFloatSlack * limit - doubt - (doubt - slack) * smallBeyond;
                sure = off > 0;
                if (sure && centre > limit)
                    reason = Culled::TooSmall;
                room = std::min(room, static_cast<double>(off) / rates.small);
            }
        }
        if (!sure) {
            double exact = rates.within; // what others write to is kept in memory
            reason = reasonFor(slot, rates, exact);
            room = exact;
        }
        if (reason != Culled::No) {
            memory = notDrawn(reason);
            changed |= !(memory == was);
            next[k] = turns.in(room);
            continue;
        }
        remember(memory, [&] {
            const auto exactly = [&] {
                double exact = room;
                const int level = wantedLevel(slot, memory.level, rates, exact);
                room = exact;
                return level;
            };
            if (!sure)
                return exactly();
            double factor = context * static_cast<double>(table.factor.empty() ? 1.0F : table.factor[slot]);
            if (soft > 0)
                factor *= softFactor(soft, table.spread[slot]);
            int level = 0;
            for (int i = 1; i < levels; ++i) {
                const auto at = static_cast<std::size_t>(i);
                double from =
                    chain.fromMetres[at] * factor * (chain.growsWithScale[at] ? static_cast<double>(scale) : 1);
                if (i > memory.level && memory.level >= 0)
                    from *= 1 + rule.hysteresis;
                const double rounding = from * static_cast<double>(kFloatSlack + growSlack * static_cast<float>(thins));
                const double before = from - rounding - static_cast<double>(farthest);
                const double beyond = static_cast<double>(nearest) - from - rounding;
                if (before <= 0 && beyond < 0)
                    return exactly();
                room = std::min(room, std::max(before, beyond) / (rate + from * rates.grow));
                if (before > 0)
                    break;
                level = i;
            }
            return level;
        });
        changed |= !(memory == was);
        next[k] = always || !settled(memory) ? std::uint8_t{0} : turns.in(room);
    }
    if (changed)
        own.cells[index].cost.known = false;
}

} // namespace thicket::detail
