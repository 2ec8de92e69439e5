#include "switching/batch_pass.h"

#include <algorithm>
#include <cmath>
#include <utility>

namespace thicket::detail {
namespace {

constexpr double kSlack = 1e-9; // relative; what rounding may take from bounds worked out in double precision
constexpr float kFloatSlack = 2e-6F;
constexpr float kFarAway = 1e30F;  // metres; further than anything moves
constexpr double kMostTurns = 255; // that a copy's own count holds

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
      soft(table.spread.empty() ? 0 : of.chain.rule.softBand), moved(state.moved), turned(state.turned) {
    // All copies of a rule are looked at in the same frames, a check interval apart.
    if (const double every = of.chain.rule.checkSeconds; every > 0)
        due = std::floor(seconds / every) > std::floor(state.before / every);
    thread_local std::vector<double> with;
    describe(*this, with);
    if (with != own.decidedWith) {
        own.decidedWith = with;
        for (SelectState::Cell& cell : own.cells) {
            cell.kept = cell.singly = cell.goesOn = false;
            cell.cost.known = false;
        }
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

void BatchPass::collapse(std::uint32_t cell) const {
    const CopyMemory* copies = mixedOf(cell);
    if (copies != nullptr &&
        std::all_of(copies + 1, copies + table.cells[cell].count, [&](const CopyMemory& m) { return m == *copies; })) {
        own.cells[cell].all = *copies;
        own.cells[cell].mixed = false;
    }
}

void BatchPass::setAll(std::uint32_t cell, const CopyMemory& memory) const {
    SelectState::Cell& of = own.cells[cell];
    if (of.mixed || !(of.all == memory))
        of.cost.known = false;
    of.all = memory;
    of.mixed = of.singly = of.kept = false;
}

void BatchPass::hide(std::uint32_t cell, std::uint32_t k) const {
    SelectState::Cell& of = own.cells[cell];
    expand(cell)[k] = notDrawn(Culled::Hidden);
    of.cost.known = of.kept = false;
    if (of.singly)
        own.next[table.cells[cell].first + k] = 0;
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

void BatchPass::prepare() const {
    if (own.memories.empty())
        own.memories.resize(table.size());
    if (own.next.empty())
        own.next.resize(table.size());
}

void BatchPass::decide(std::size_t from, std::size_t to) const {
    for (std::size_t i = from; i < to; ++i)
        decideCell(static_cast<std::uint32_t>(i));
}

/// Where the copies of a cell may be, and what that leaves open, while the eye goes up to some metres.
struct BatchPass::CellBounds {
    bool outOfView = false;  ///< all of them
    unsigned planes = 0;     ///< those that some copies may be on either side of
    double clear = kFarAway; ///< metres until one may come to a plane that none is at
    double nearest = 0;      ///< by what levels are decided by
    double farthest = 0;
    double nearestCentre = 0;
    double farthestCentre = 0;
    double reachLeast = 0;
    double reachMost = 0;
    std::pair<double, double> keep{1, 1};
    std::pair<double, double> grow{1, 1};
};

BatchPass::CellBounds BatchPass::boundsOf(const CellTable::Cell& cell, double room) const {
    const SwitchRule& rule = batch.chain.rule;
    CellBounds out;
    const auto centresFrom = [&](const Vec3d& eye, double about) {
        const Vec3d away = (eye - cell.origin).cwiseAbs();
        return std::pair(std::max(0.0, (away - cell.half).cwiseMax(0).norm() * (1 - kSlack) - about),
                         (away + cell.half).norm() * (1 + kSlack) + about);
    };
    const double roomThere = batch.chain.measuredFrom ? 0 : room;
    if (thins) {
        const auto [from, to] = centresFrom(decidedFrom, roomThere);
        out.keep = batch.thinning.keep.between(from, to);
        out.grow = batch.thinning.sizeBetween(from, to);
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
            const double half = frustum.normal[k].cwiseAbs().dot(cell.half) + room;
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
        const double half = view.forward.cwiseAbs().dot(cell.half) + kSlack * (1 + std::abs(at)) + shift + room;
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

void BatchPass::decideCell(std::uint32_t index) const {
    const CellTable::Cell& cell = table.cells[index];
    SelectState::Cell& memory = own.cells[index];
    const auto [went, withTurns] = movedBy(memory);
    if (memory.kept && (memory.turning ? withTurns : went) < static_cast<double>(memory.room) &&
        withTurns < static_cast<double>(memory.planeRoom))
        return;
    if (!memory.singly && std::exchange(memory.goesOn, true)) {
        // With room for the camera, so that it need not be asked again in the next frame.
        constexpr double kOfDistance = 0.04;
        constexpr double kOfSize = 0.25;
        const double far = (view.eye - cell.origin).norm();
        const double room = kOfDistance * far + kOfSize * cell.half.norm();
        const CellBounds wide = boundsOf(cell, room);
        if (decideWhole(index, wide, room)) {
            memory.moved = moved;
            memory.turned = turned;
            memory.far = static_cast<float>((far + cell.half.norm()) * 1.00001);
            memory.room = static_cast<float>(room * 0.99999);
            memory.turning = wide.outOfView || batch.chain.rule.measureFrom == MeasureFrom::Depth;
            memory.planeRoom = wide.outOfView ? kFarAway : static_cast<float>((wide.clear + room) * 0.99999);
            memory.kept =
                memory.all.culled != Culled::No || (settled(memory.all) && batch.chain.rule.checkSeconds <= 0);
            return;
        }
    }
    const CellBounds bounds = boundsOf(cell, 0);
    if (!decideWhole(index, bounds, 0))
        decideCopies(index, bounds);
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
        memory.cost.known = false;
    memory.singly = memory.kept = false;
    return true;
}

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
    std::uint8_t* const next = &own.next[cell.first];
    const double tick = static_cast<double>(own.cells[index].far) / kMostTurns;
    const auto turn = static_cast<std::uint8_t>(std::min(used / tick, kMostTurns));
    const auto waitFor = [&](double room) { // a little less, for what rounding may take
        return static_cast<std::uint8_t>(std::clamp((used + room * 0.9999) / tick, 0.0, kMostTurns));
    };
    const double rate = rates.place;
    const bool always = rule.checkSeconds > 0; // what is decided at intervals only is asked at intervals only
    const bool planesFirst = edgeCount > 0 && (!kThins || batch.thinning.widths); // nothing moves as it grows
    bool changed = false;
    if (looked < cell.count) {
        const double end = endOf(bounds.keep.second);
        const double untilReach = (bounds.reachLeast - bounds.farthest) / (rate + rule.reachGrows);
        const CopyMemory gone = notDrawn(Culled::Thinned);
        for (std::uint32_t k = looked; k < cell.count; ++k)
            if (next[k] <= turn) {
                changed |= !(memories[k] == gone);
                memories[k] = gone;
                next[k] = waitFor(std::min({rates.within, untilReach, (rankOf(cell.first + k) - end) * rates.aShare}));
            }
    }
    for (std::uint32_t k = 0; k < looked; ++k) {
        if (next[k] > turn)
            continue;
        const std::uint32_t slot = cell.first + k;
        float x = table.x[slot];
        float y = table.y[slot];
        float z = table.z[slot];
        float scale = table.scale[slot];
        if (planesFirst) { // it is of no account then what the curves say
            float beyond = 0;
            for (int e = 0; e < edgeCount; ++e)
                beyond = std::min(beyond, edges[e].x * x + edges[e].y * y + edges[e].z * z + edges[e].at +
                                              radius * scale + margin);
            if (beyond < -slack) {
                const CopyMemory gone = notDrawn(Culled::OutOfView);
                changed |= !(memories[k] == gone);
                memories[k] = gone;
                next[k] = waitFor(std::min(rates.within, static_cast<double>(-beyond - slack) / rate));
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
            const double rank = rankOf(slot);
            thinned = rank >= end;
            const double beside = std::abs(rank - end) - static_cast<double>(keepSlack) * (1 + batch.thinning.band);
            sureOfRank = beside > 0;
            room = std::min(room, beside * rates.aShare);
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
                room = std::min(rates.within, static_cast<double>(-out - doubt) / rate);
                break;
            }
            sure &= out > doubt;
            room = std::min(room, static_cast<double>(out - doubt) / rate);
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
                room = std::min(room, static_cast<double>(std::max(nearest - within, within - farthest)) /
                                          (rate + rule.reachGrows));
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
            room = rates.within;
            reason = reasonFor(slot, rates, room);
        }
        if (reason != Culled::No) {
            memory = notDrawn(reason);
            changed |= !(memory == was);
            next[k] = waitFor(room);
            continue;
        }
        remember(memory, [&] {
            if (!sure)
                return wantedLevel(slot, memory.level, rates, room);
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
                    return wantedLevel(slot, memory.level, rates, room);
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
