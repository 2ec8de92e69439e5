#include "switching/batch_pass.h"

#include <algorithm>
#include <cmath>

namespace thicket::detail {
namespace {

constexpr double kSlack = 1e-9; // relative; what rounding may take from bounds worked out in double precision
constexpr float kFloatSlack = 2e-6F;

} // namespace

BatchPass::BatchPass(const Batch& of, SelectState::OfBatch& ofState, const View& from, const Frustum& planes,
                     const SelectOptions& how, double before, double seconds, double epoch)
    : batch(of), table(*of.copies), own(ofState), view(from), frustum(planes), options(how),
      now(static_cast<float>(seconds - epoch)), due(true), pixelScale(from.pixelScale()),
      context(contextFactor(1, how) / how.allowanceFactor),
      cullBelowPx(how.cullSmall ? of.chain.rule.cullBelowPx * how.smallFactor : 0),
      boxRadius(of.chain.bounds.diagonal() / 2), innerRadius(of.chain.bounds.size().minCoeff() / 2),
      decidedFrom(of.chain.measuredFrom.value_or(from.eye)), thins(hasSizes(of, how)),
      offPivot(of.chain.bounds.centre().norm()), keepSlope(thins ? of.thinning.keep.steepest() : 0),
      growSlope(thins ? of.thinning.steepestSize() : 0),
      reach(how.cullReach ? reachFrom(of.chain.rule, from.eye, table.lowest) : 0),
      soft(table.spread.empty() ? 0 : of.chain.rule.softBand) {
    // All copies of a rule are looked at in the same frames, a check interval apart.
    if (const double every = of.chain.rule.checkSeconds; every > 0)
        due = std::floor(seconds / every) > std::floor(before / every);
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

void BatchPass::collapse(std::uint32_t cell) const {
    const CopyMemory* copies = mixedOf(cell);
    if (copies != nullptr &&
        std::all_of(copies + 1, copies + table.cells[cell].count, [&](const CopyMemory& m) { return m == *copies; }))
        setAll(cell, *copies);
}

/// The levels that copies at such distances may want: of the copies of a cell, all between these two.
std::pair<int, int> BatchPass::levelsBetween(const CellTable::Cell& cell, double nearest, double farthest,
                                             std::pair<double, double> grow, int at) const {
    const ResolvedChain& chain = batch.chain;
    if (!options.switchLevels)
        return {0, 0};
    const double least = (1 - soft) * (1 - kSlack);
    const double most = (1 + soft) * (1 + kSlack);
    const auto levels = static_cast<int>(chain.levels.size());
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

void BatchPass::decide() const {
    for (std::uint32_t i = 0; i < table.cells.size(); ++i)
        decideCell(i);
}

void BatchPass::decideCell(std::uint32_t index) const {
    const CellTable::Cell& cell = table.cells[index];
    SelectState::Cell& memory = own.cells[index];
    const ResolvedChain& chain = batch.chain;
    const SwitchRule& rule = chain.rule;
    const auto centresFrom = [&cell](const Vec3d& eye) {
        const Vec3d away = (eye - cell.origin).cwiseAbs();
        return std::pair((away - cell.half).cwiseMax(0).norm() * (1 - kSlack),
                         (away + cell.half).norm() * (1 + kSlack));
    };
    std::pair<double, double> keep(1, 1);
    std::pair<double, double> grow(1, 1);
    if (thins) {
        const auto [from, to] = centresFrom(decidedFrom);
        keep = batch.thinning.keep.between(from, to);
        grow = batch.thinning.sizeBetween(from, to);
        grow.first *= 1 - kSlack;
        grow.second *= 1 + kSlack;
    }
    // Copies grow about what they stand on, so their middles move; and by so much at most.
    const double shift = std::max(0.0, grow.second - 1) * cell.mostScale * offPivot;
    const double mostScale = cell.mostScale * grow.second;
    const double leastScale = cell.leastScale * grow.first;
    unsigned planes = 0; // those that some copies may be on either side of
    if (options.cullView)
        for (std::size_t k = 0; k < 6; ++k) {
            const double at = frustum.normal[k].dot(cell.origin) + frustum.offset[k];
            const double half = frustum.normal[k].cwiseAbs().dot(cell.half);
            const double slack = kSlack * (1 + std::abs(at) + half);
            if (at + half < -(chain.radius * mostScale + rule.marginMetres) - slack - shift) {
                setAll(index, notDrawn(Culled::OutOfView));
                return;
            }
            if (at - half < -(chain.radius * leastScale + rule.marginMetres) + slack + shift)
                planes |= 1U << k;
        }
    if (chain.levels.empty() && planes == 0) {
        setAll(index, notDrawn(Culled::NoLevels));
        return;
    }
    auto [nearestCentre, farthestCentre] = centresFrom(view.eye);
    nearestCentre = std::max(0.0, nearestCentre - shift);
    farthestCentre += shift;
    double nearest = 0;
    double farthest = 0;
    if (rule.measureFrom == MeasureFrom::Depth) {
        const double at = view.forward.dot(cell.origin - decidedFrom);
        const double half = view.forward.cwiseAbs().dot(cell.half) + kSlack * (1 + std::abs(at)) + shift;
        nearest = std::max(0.0, at - half);
        farthest = std::max(0.0, at + half);
    } else {
        std::tie(nearest, farthest) = centresFrom(decidedFrom);
        nearest = std::max(0.0, nearest - shift);
        farthest += shift;
        if (rule.measureFrom == MeasureFrom::NearestPoint) {
            nearest = std::max(0.0, nearest - boxRadius * mostScale * (1 + kSlack));
            farthest = std::max(0.0, farthest - innerRadius * leastScale * (1 - kSlack));
        }
    }
    const bool someWithin = reach <= 0 || nearest <= reach;
    const bool someBeyond = reach > 0 && farthest > reach;
    const std::size_t all = table.placements->size();
    const bool someKept = !thins || thicket::rankOf(cell.leastPlace, all) < endOf(keep.second) * (1 + kSlack);
    const bool someThinned = thins && thicket::rankOf(cell.mostPlace, all) >= endOf(keep.first) * (1 - kSlack);
    const auto tall = [&](double scale, double distance) {
        return screenHeight(pixelScale, view.lines, chain.radius * scale, distance) * view.lines;
    };
    const bool smalls = cullBelowPx > 0;
    const bool someSmall = smalls && tall(leastScale, farthestCentre) < cullBelowPx * (1 + kSlack);
    const bool someTall = !smalls || tall(mostScale, nearestCentre) >= cullBelowPx * (1 - kSlack);
    if (planes == 0 && !someWithin) {
        setAll(index, notDrawn(Culled::BeyondReach));
        return;
    }
    if (planes == 0 && !someBeyond && !someKept) {
        setAll(index, notDrawn(Culled::Thinned));
        return;
    }
    if (planes == 0 && !someBeyond && !someThinned && !someTall) {
        setAll(index, notDrawn(Culled::TooSmall));
        return;
    }
    if (planes == 0 && !someBeyond && !someThinned && !someSmall && !memory.mixed) {
        const auto [low, high] = levelsBetween(cell, nearest, farthest, grow, memory.all.level);
        if ((memory.all.level >= 0 && !due) || low == high) {
            remember(memory.all, [level = low] { return level; });
            return;
        }
    }
    // In the order of the field those that go come last: where nothing else can be said of them, they need no look.
    std::uint32_t looked = cell.count;
    if (someThinned && planes == 0 && !someBeyond) {
        const auto first = table.placementOf.begin() + cell.first;
        const double end = endOf(keep.second) * (1 + kSlack);
        looked = static_cast<std::uint32_t>(
            std::partition_point(first, first + cell.count,
                                 [&](std::uint32_t place) { return thicket::rankOf(place, all) < end; }) -
            first);
    }
    decideCopies(index, planes, looked);
}

/// The first `looked` copies of a cell, by floats where they leave no doubt, exactly where they do; the others are
/// thinned away.
void BatchPass::decideCopies(std::uint32_t index, unsigned planes, std::uint32_t looked) const {
    if (thins)
        decideEach<true>(index, planes, looked);
    else
        decideEach<false>(index, planes, looked);
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

template <bool kThins> void BatchPass::decideEach(std::uint32_t index, unsigned planes, std::uint32_t looked) const {
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
    const float growSlack = 2e-6F + static_cast<float>(growSlope) * slack;
    struct Plane {
        float x, y, z, at;
    };
    Plane edges[6];
    int edgeCount = 0;
    for (std::size_t k = 0; k < 6; ++k)
        if ((planes >> k & 1U) != 0) {
            const Vec3d& n = frustum.normal[k];
            edges[edgeCount++] = {static_cast<float>(n.x()), static_cast<float>(n.y()), static_cast<float>(n.z()),
                                  static_cast<float>(n.dot(cell.origin) + frustum.offset[k])};
        }
    // A sphere is too small beyond so many of its radii: sqrt(1 + 1/t^2) where t is half of that height by tangents.
    const double t = cullBelowPx / (2 * pixelScale);
    const bool smalls = cullBelowPx > 0;
    const auto smallBeyond = static_cast<float>(smalls ? std::sqrt(1 + 1 / (t * t)) : 0);
    const bool strangeSize = smalls && t > 0.5; // taller than half the view: only exactly
    const bool reaches = reach > 0;
    const auto within = static_cast<float>(reach);

    const Vec3d away = (decidedFrom - cell.origin).cwiseAbs();
    const CellCurves curves(
        batch.thinning, kThins ? (away - cell.half).cwiseMax(0).norm() * (1 - kSlack) - static_cast<double>(slack) : 0,
        kThins ? (away + cell.half).norm() * (1 + kSlack) + static_cast<double>(slack) : 0);
    std::fill(memories + looked, memories + cell.count, notDrawn(Culled::Thinned));
    for (std::uint32_t k = 0; k < looked; ++k) {
        const std::uint32_t slot = cell.first + k;
        float x = table.x[slot];
        float y = table.y[slot];
        float z = table.z[slot];
        float scale = table.scale[slot];
        float doubt = slack; // metres that what is worked out here may be off
        bool thinned = false;
        bool sureOfRank = true;
        if constexpr (kThins) {
            const float dx = x - decided.x();
            const float dy = y - decided.y();
            const float dz = z - decided.z();
            const auto metres = static_cast<double>(std::sqrt(dx * dx + dy * dy + dz * dz));
            const double kept = curves.keepAt(metres);
            const double end = endOf(kept);
            const double rank = rankOf(slot);
            thinned = rank >= end;
            sureOfRank = std::abs(rank - end) > static_cast<double>(keepSlack) * (1 + batch.thinning.band);
            const auto grow = static_cast<float>(curves.growAt(metres, kept));
            const float more = scale * (grow - 1);
            x += more * pivot.x();
            y += more * pivot.y();
            z += more * pivot.z();
            doubt += std::abs(more) * pivotSlack + scale * growSlack * (radius + box + pivot.norm());
            scale *= grow;
        }
        CopyMemory& memory = memories[k];
        Culled reason = Culled::No;
        bool sure = !chain.levels.empty() && !strangeSize && sureOfRank;
        for (int e = 0; e < edgeCount; ++e) {
            const float out = edges[e].x * x + edges[e].y * y + edges[e].z * z + edges[e].at + radius * scale + margin;
            if (out < -doubt) {
                reason = Culled::OutOfView;
                sure = true;
                break;
            }
            sure &= out > doubt;
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
            if (reaches && nearest > within)
                reason = Culled::BeyondReach;
            else if (reaches && farthest > within)
                sure = false;
            else if (thinned)
                reason = Culled::Thinned;
            else if (smalls) {
                const float limit = smallBeyond * radius * scale;
                if (centre > limit * (1 + kFloatSlack) + doubt + (doubt - slack) * smallBeyond)
                    reason = Culled::TooSmall;
                else
                    sure = centre < limit * (1 - kFloatSlack) - doubt - (doubt - slack) * smallBeyond;
            }
        }
        if (!sure)
            reason = reasonFor(slot);
        if (reason != Culled::No) {
            memory = notDrawn(reason);
            continue;
        }
        remember(memory, [&] {
            if (!sure)
                return wantedLevel(slot, memory.level);
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
                if (static_cast<double>(farthest) < from - rounding)
                    break;
                if (static_cast<double>(nearest) < from + rounding)
                    return wantedLevel(slot, memory.level);
                level = i;
            }
            return level;
        });
    }
    collapse(index);
}

} // namespace thicket::detail
