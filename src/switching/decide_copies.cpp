// Copies of a cell one by one, by floats where they leave no doubt, and only those whose turn it is.

#include "switching/batch_pass.h"

#include <algorithm>
#include <cmath>

namespace thicket::detail {

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
    const bool depth = batch.chain.rule.measureFrom == MeasureFrom::Depth;
    const auto byWay = [&] { // how far the cell moved in the count that its copies' turns are in
        const auto [went, withTurns] = movedBy(memory);
        return memory.turning ? withTurns : went;
    };
    if (!memory.singly || (bounds.planes & ~memory.planes) != 0 || byWay() >= static_cast<double>(memory.far)) {
        memory.singly = true;
        memory.planes = static_cast<std::uint8_t>(bounds.planes);
        memory.turning = bounds.planes != 0 || depth;
        memory.moved = moved;
        memory.turned = turned;
        memory.far = std::max(static_cast<float>(bounds.farthestCentre * 1.00001), 1e-6F);
        std::fill_n(&own.next[cell.first], cell.count, std::uint8_t{0});
    }
    memory.planes &= static_cast<std::uint8_t>(bounds.planes); // those that all copies were looked at by
    memory.planeRoom = static_cast<float>((movedBy(memory).second + bounds.clear) * 0.99999);
    const double used = byWay();
    if (thins)
        decideEach<true>(index, bounds, looked, used);
    else
        decideEach<false>(index, bounds, looked, used);
    const std::uint8_t* next = &own.next[cell.first];
    memory.room = static_cast<float>(*std::min_element(next, next + cell.count)) *
                  static_cast<float>(static_cast<double>(memory.far) / kMostTurns * 0.99999);
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

template <bool kThins>
void BatchPass::decideEach(std::uint32_t index, const CellBounds& bounds, std::uint32_t looked, double used) const {
    const CellTable::Cell& cell = table.cells[index];
    CopyMemory* memories = expand(index);
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
    struct Plane {
        float x, y, z, at;
    };
    Plane edges[6];
    int edgeCount = 0;
    for (std::size_t k = 0; k < 6; ++k)
        if ((bounds.planes >> k & 1U) != 0) {
            const Vec3d& n = frustum.normal[k];
            edges[edgeCount++] = {static_cast<float>(n.x()), static_cast<float>(n.y()), static_cast<float>(n.z()),
                                  static_cast<float>(n.dot(cell.origin) + frustum.offset[k])};
        }
    // A sphere is too small beyond so many of its radii: sqrt(1 + 1/t^2) where t is half of that height by tangents.
    const Rates rates = ratesOf(cell);
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
    const double ticks = kMostTurns / static_cast<double>(own.cells[index].far); // a metre
    const auto turn = static_cast<std::uint8_t>(std::min(used * ticks, kMostTurns));
    const auto waitFor = [used, ticks](double room) { // a little less, for what rounding may take
        return static_cast<std::uint8_t>(std::clamp((used + room * 0.9999) * ticks, 0.0, kMostTurns));
    };
    const double rate = rates.place;
    const double aMetre = 1 / rate;
    const double reachRate = 1 / (rate + rule.reachGrows);
    const bool always = rule.checkSeconds > 0; // what is decided at intervals only is asked at intervals only
    // However much they grow within the cell.
    const auto most = static_cast<float>(std::max(bounds.grow.second, 1.0) * 1.000001);
    const float mostRadius = most * radius + (most - 1) * (pivot.norm() + pivotSlack);
    const double untilReach = (bounds.reachLeast - bounds.farthest) * reachRate;
    const bool thinsAlone = kThins && bounds.planes == 0 && untilReach >= 0 && !chain.levels.empty();
    bool changed = false;
    if (looked < cell.count) {
        const double end = endOf(bounds.keep.second);
        const CopyMemory gone = notDrawn(Culled::Thinned);
        for (std::uint32_t k = looked; k < cell.count; ++k)
            if (next[k] <= turn) {
                changed |= !(memories[k] == gone);
                memories[k] = gone;
                next[k] = waitFor(
                    std::min({rates.within, untilReach, (thicket::rankOf(places[k], all) - end) * rates.aShare}));
            }
    }
    for (std::uint32_t k = 0; k < looked; ++k) {
        if (next[k] > turn)
            continue;
        const std::uint32_t slot = cell.first + k;
        float x = xs[k];
        float y = ys[k];
        float z = zs[k];
        float scale = scales[k];
        if (edgeCount > 0) { // it is of no account then what the curves say
            float beyond = 0;
            for (int e = 0; e < edgeCount; ++e)
                beyond = std::min(beyond, edges[e].x * x + edges[e].y * y + edges[e].z * z + edges[e].at +
                                              mostRadius * scale + margin);
            if (beyond < -slack) {
                const CopyMemory gone = notDrawn(Culled::OutOfView);
                changed |= !(memories[k] == gone);
                memories[k] = gone;
                next[k] = waitFor(std::min(rates.within, static_cast<double>(-beyond - slack) * aMetre));
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
                next[k] = waitFor(std::min(room, untilReach));
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
        for (int e = 0; e < edgeCount; ++e) {
            const float out = edges[e].x * x + edges[e].y * y + edges[e].z * z + edges[e].at + radius * scale + margin;
            if (out < -doubt) {
                reason = Culled::OutOfView;
                sure = true;
                room = std::min(rates.within, static_cast<double>(-out - doubt) * aMetre);
                break;
            }
            sure &= out > doubt;
            room = std::min(room, static_cast<double>(out - doubt) * aMetre);
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
            next[k] = waitFor(room);
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
        next[k] = always || !settled(memory) ? std::uint8_t{0} : waitFor(room);
    }
    if (changed)
        own.cells[index].cost.known = false;
}

} // namespace thicket::detail
