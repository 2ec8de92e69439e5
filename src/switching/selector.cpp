#include "switching/selector.h"

#include "base/parallel.h"
#include "switching/batch_pass.h"

#include <algorithm>
#include <chrono>
#include <functional>
#include <numbers>

namespace thicket {
namespace {

constexpr double kLongest = 2048; // seconds from the epoch; beyond, floats would tell moments badly apart

bool isSettled(const SelectInput& input, const SelectState& state) {
    return state.batches.size() == input.batches.size() &&
           std::equal(state.batches.begin(), state.batches.end(), input.batches.begin(),
                      [](const auto& own, const Batch& batch) { return own.copies == batch.copies; });
}

/// Gives every batch of an input its state: what it had, or a fresh one.
void settle(const SelectInput& input, SelectState& state) {
    std::vector<SelectState::OfBatch> before = std::move(state.batches);
    state.batches.assign(input.batches.size(), {});
    for (std::size_t i = 0; i < input.batches.size(); ++i) {
        const auto& copies = input.batches[i].copies;
        const auto known =
            std::find_if(before.begin(), before.end(), [&copies](const auto& own) { return own.copies == copies; });
        if (known != before.end()) {
            state.batches[i] = std::move(*known);
            known->copies.reset();
        } else {
            state.batches[i].copies = copies;
            state.batches[i].cells.resize(copies->cells.size());
        }
    }
}

/// What was hidden is as it was decided, as if nothing stood before it. `forget`: nor is it looked for again.
void reveal(SelectState& state, bool forget) {
    for (const auto& place : state.hidden.places) {
        SelectState::OfBatch& own = state.batches[place.batch];
        SelectState::Cell& cell = own.cells[place.cell];
        if (cell.mixed)
            own.memories[own.copies->cells[place.cell].first + place.copy].culled = Culled::No;
        else
            cell.all.culled = Culled::No;
        cell.cost.known &= !forget;
    }
    if (forget)
        state.hidden = {};
}

void keepEpochNear(SelectState& state, double seconds) {
    if (std::abs(seconds - state.epoch) <= kLongest)
        return;
    const auto by = static_cast<float>(seconds - state.epoch);
    const auto move = [by](CopyMemory& m) { m.switched -= m.switched > CopyMemory().switched ? by : 0.0F; };
    for (auto& batch : state.batches) {
        for (std::size_t i = 0; i < batch.cells.size(); ++i) {
            move(batch.cells[i].all);
            if (!batch.cells[i].mixed)
                continue;
            const auto first = batch.memories.begin() + batch.copies->cells[i].first;
            std::for_each(first, first + batch.copies->cells[i].count, move);
        }
    }
    state.epoch = seconds;
}

/// Adds the way and the turn of the camera since the selection before. No direction moves by more than what the ends of
/// the camera's axes moved by, over the root of two: a turn leaves one direction as it is and moves two alike.
void goOn(SelectState& state, const View& view) {
    if (state.last) {
        const auto sideOf = [](const View& v) { return v.forward.cross(v.up); };
        state.stepped = (view.eye - state.last->eye).norm();
        state.moved += state.stepped;
        state.turnedBy =
            std::sqrt((view.forward - state.last->forward).squaredNorm() + (view.up - state.last->up).squaredNorm() +
                      (sideOf(view) - sideOf(*state.last)).squaredNorm()) *
            (std::numbers::sqrt2 / 2 + 1e-6);
        state.turned += state.turnedBy;
    }
    state.last = view;
}

void selectGrounds(const SelectInput& input, const View& view, const SelectOptions& options, SelectState& state,
                   Selection& out) {
    if (state.grounds.size() != input.grounds.size()) // those that stay keep what they have
        state.grounds.resize(input.grounds.size());
    out.grounds.resize(input.grounds.size());
    const auto start = std::chrono::steady_clock::now();
    for (std::size_t i = 0; i < input.grounds.size(); ++i) {
        const GroundBatch& ground = input.grounds[i];
        state.grounds[i].settle(ground.tree);
        const TileRule rule = ruleOf(ground, view, options);
        TileCut& cut = out.grounds[i];
        selectTiles(view, rule, state.grounds[i], cut);
        SubjectCost& cost = out.subjects[ground.subject];
        cost.triangles += cut.triangles;
        cost.vertices += cut.vertices;
        cost.draws += cut.tiles.size() + cut.fading;
        cost.pixels += cut.pixels;
        cost.drawn += static_cast<std::uint32_t>(cut.tiles.size());
        for (const DrawnTile& tile : cut.tiles)
            out.levels[ground.subject] |= std::uint64_t{1} << tile.ref.level;
        cost.culledBy[static_cast<std::size_t>(Culled::No)] += static_cast<std::uint32_t>(cut.tiles.size());
        cost.culledBy[static_cast<std::size_t>(Culled::OutOfView)] += cut.outOfView;
        cost.culledBy[static_cast<std::size_t>(Culled::BeyondReach)] += cut.beyondReach;
        cost.culledBy[static_cast<std::size_t>(Culled::Hidden)] += cut.hidden;
        cost.worstErrorPx = std::max(cost.worstErrorPx, cut.worstErrorPx);
        cost.switches += cut.merged + cut.split;
    }
    out.groundSeconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
}

/// The grounds that hide anything in a view. `only`: that is asked there and nowhere else; null: everywhere.
std::vector<const GroundCover*> coversOf(const SelectInput& input, const View& view, const SelectOptions& options,
                                         const std::vector<Bounds>* only, SelectState& state, const Selection& out) {
    std::vector<const GroundCover*> covers;
    if (!options.cullHidden || !options.cullView) // what is behind the camera too is more than one looks along
        return covers;
    if (only != nullptr && only->empty())
        return covers;
    state.covers.resize(input.grounds.size());
    for (std::size_t i = 0; i < input.grounds.size(); ++i) {
        state.covers[i].look(view, input.grounds[i].tree, ruleOf(input.grounds[i], view, options), out.grounds[i],
                             only);
        if (!state.covers[i].empty())
            covers.push_back(&state.covers[i]);
    }
    return covers;
}

} // namespace

namespace {

/// Whether what came to be hidden is looked for in this selection; if so, notes that it is. `changed`: anything but the
/// camera did.
bool looksForHidden(const SelectInput& input, const View& view, double seconds, bool changed, SelectState& state) {
    constexpr double kEvery = 0.1;   // seconds
    constexpr double kSmooth = 0.06; // seconds at most from one frame to the next
    constexpr double kLeap = 20;     // times as far as the near plane, which tells how large a scene is
    constexpr double kTurn = 0.1;    // radians
    constexpr double kRounding = 1e-6;
    SelectState::HiddenPlaces& hidden = state.hidden;
    std::vector<const Occluder*> occluders;
    for (const Batch& batch : input.batches)
        for (const auto& occluder : batch.occluders)
            occluders.push_back(occluder.get());
    const double since = seconds - state.before;
    const bool goesOn = !changed && occluders == hidden.occluders && since > 0 && since <= kSmooth &&
                        seconds - hidden.looked < kEvery - kRounding &&
                        state.moved - hidden.moved <= kLeap * view.nearMetres && state.turned - hidden.turned <= kTurn;
    const bool rests = state.stepped == 0 && state.turnedBy == 0;
    if (goesOn && !rests)
        return false;
    hidden.looked = seconds;
    hidden.moved = state.moved;
    hidden.turned = state.turned;
    hidden.occluders = std::move(occluders);
    return true;
}

constexpr std::size_t kManyCells = 1024; // fewer are decided sooner than threads are woken

std::size_t cellsOf(const std::vector<detail::BatchPass>& passes) {
    std::size_t cells = 0;
    for (const detail::BatchPass& pass : passes)
        cells += pass.table.cells.size();
    return cells;
}

/// Decides about all cells, and does something else beside that.
void decideAll(const std::vector<detail::BatchPass>& passes, const std::function<void()>& beside) {
    if (cellsOf(passes) < kManyCells) {
        beside();
        for (const detail::BatchPass& pass : passes)
            pass.decide(0, pass.table.cells.size());
        return;
    }
    constexpr std::size_t kTogether = 128;
    struct Part {
        const detail::BatchPass* pass;
        std::size_t from;
        std::size_t to;
    };
    std::vector<Part> parts;
    for (const detail::BatchPass& pass : passes) {
        pass.prepare();
        const std::size_t cells = pass.table.cells.size();
        for (std::size_t from = 0; from < cells; from += kTogether)
            parts.push_back({&pass, from, std::min(cells, from + kTogether)});
    }
    parallelChunks(parts.size() + 1, 1, [&](std::size_t from, std::size_t to) {
        for (std::size_t i = from; i < to; ++i)
            if (i == 0)
                beside();
            else
                parts[i - 1].pass->decide(parts[i - 1].from, parts[i - 1].to);
    });
}

/// What each batch costs: in parts that depend on nothing but its cells, so that sums are the same on any machine.
std::vector<SubjectCost> countAll(const std::vector<detail::BatchPass>& passes) {
    constexpr std::uint32_t kTogether = 256;
    struct Part {
        std::size_t pass = 0;
        std::uint32_t from = 0;
        std::uint32_t to = 0;
        SubjectCost cost;
    };
    std::vector<Part> parts;
    for (std::size_t i = 0; i < passes.size(); ++i)
        for (std::uint32_t from = 0; from < passes[i].table.cells.size(); from += kTogether)
            parts.push_back(
                {i, from, std::min(from + kTogether, static_cast<std::uint32_t>(passes[i].table.cells.size())), {}});
    const auto count = [&](std::size_t from, std::size_t to) {
        for (std::size_t p = from; p < to; ++p)
            parts[p].cost = detail::countCells(passes[parts[p].pass], parts[p].from, parts[p].to);
    };
    std::vector<SubjectCost> out(passes.size());
    const auto finish = [&](std::size_t from, std::size_t to) {
        for (std::size_t i = from; i < to; ++i) {
            out[i].worstErrorPx = detail::worstErrorOf(passes[i]);
            const Batch& batch = passes[i].batch;
            for (std::size_t level = 0; batch.instanced && level < batch.chain.levels.size(); ++level)
                if ((out[i].shown >> level & 1U) != 0)
                    out[i].draws += batch.chain.levels[level].draws;
        }
    };
    const bool beside = cellsOf(passes) >= kManyCells;
    if (beside)
        parallelChunks(parts.size(), 1, count);
    else
        count(0, parts.size());
    for (const Part& part : parts)
        out[part.pass] += part.cost;
    if (beside)
        parallelChunks(passes.size(), 1, finish);
    else
        finish(0, passes.size());
    return out;
}

} // namespace

TileRule ruleOf(const GroundBatch& ground, const View& view, const SelectOptions& options) {
    TileRule rule = ground.rule;
    rule.factor *= contextFactor(1, options) / options.allowanceFactor;
    rule.reach = options.cullReach ? reachFrom(ground.switching, view.eye,
                                               ground.tree->origin.y() + static_cast<double>(ground.tree->low))
                                   : 0;
    rule.cullView = options.cullView;
    rule.horizon = options.cullHidden;
    // All of a wide terrain at its finest is more than any machine holds.
    constexpr std::size_t kMostFinest = 16384;
    const TileTree::Level& finest = ground.tree->levels.front();
    rule.finest = !options.switchLevels && std::size_t{finest.across} * finest.down <= kMostFinest;
    return rule;
}

std::size_t SelectInput::copies() const {
    std::size_t out = 0;
    for (const Batch& batch : batches)
        out += batch.copies->size();
    return out;
}

std::size_t SelectState::bytes() const {
    std::size_t out = hidden.places.capacity() * sizeof(HiddenPlaces::Place);
    for (const OfBatch& batch : batches)
        out += batch.cells.capacity() * sizeof(Cell) + batch.memories.capacity() * sizeof(CopyMemory) +
               batch.codes.capacity();
    return out;
}

SubjectCost& SubjectCost::operator+=(const SubjectCost& o) {
    triangles += o.triangles;
    vertices += o.vertices;
    draws += o.draws;
    shown |= o.shown;
    crossed |= o.crossed;
    pixels += o.pixels;
    drawn += o.drawn;
    for (std::size_t i = 0; i < kCullReasons; ++i)
        culledBy[i] += o.culledBy[i];
    switches += o.switches;
    fading += o.fading;
    worstErrorPx = std::max(worstErrorPx, o.worstErrorPx);
    return *this;
}

void select(const SelectInput& input, const View& view, double seconds, const SelectOptions& options,
            SelectState& state, Selection& out) {
    bool changed = !isSettled(input, state);
    reveal(state, changed || !options.cullHidden);
    if (changed)
        settle(input, state);
    keepEpochNear(state, seconds);
    goOn(state, view);
    const Frustum frustum = frustumOf(view);
    std::vector<detail::BatchPass> passes;
    passes.reserve(input.batches.size());
    for (std::size_t i = 0; i < input.batches.size(); ++i) {
        passes.emplace_back(input.batches[i], state, i, view, frustum, options, seconds);
        changed |= passes.back().anew;
    }
    const bool everywhere = options.cullHidden && looksForHidden(input, view, seconds, changed, state);
    out.subjects.assign(input.subjects.size(), {});
    out.levels.assign(input.subjects.size(), 0);
    // Ground has nothing to do with copies until these are looked for behind it.
    std::vector<const GroundCover*> covers;
    decideAll(passes, [&] {
        selectGrounds(input, view, options, state, out);
        std::vector<Bounds> hidden;
        if (!everywhere)
            hidden = detail::behindGround(passes, state.hidden.places);
        covers = coversOf(input, view, options, everywhere ? nullptr : &hidden, state, out);
    });
    out.occluders = options.cullHidden ? detail::hideCopies(passes, view, covers, everywhere, state.hidden.places) : 0;
    out.runs.clear();
    out.listed.clear();
    const std::vector<SubjectCost> costs = countAll(passes);
    for (std::size_t i = 0; i < passes.size(); ++i) {
        if (options.listRuns)
            detail::listRuns(passes[i], static_cast<std::uint32_t>(i), out);
        out.subjects[input.batches[i].subject] += costs[i];
        out.levels[input.batches[i].asset] |= costs[i].shown;
    }
    state.before = seconds;
    out.total = {};
    for (const SubjectCost& cost : out.subjects)
        out.total += cost;
}

bool hasSizes(const Batch& batch, const SelectOptions& options) {
    return options.thinOut && (batch.thinning.thins() || (options.keepFactor < 1 && batch.copies->asset.has_value()));
}

double drawnSize(const Batch& batch, const View& view, const SelectOptions& options, std::uint32_t slot) {
    if (!hasSizes(batch, options))
        return 1;
    const CellTable& table = *batch.copies;
    const double metres =
        (centreOf(table.at(slot), batch.chain.bounds) - batch.chain.measuredFrom.value_or(view.eye)).norm();
    return batch.thinning.growAt(metres) * sizeInBand(batch.thinning, batch.thinning.keepAt(metres),
                                                      rankOf(table.placementOf[slot], table.placements->size()));
}

Pick pickOf(const SelectInput& input, const View& view, double seconds, const SelectOptions& options,
            const SelectState& state, CopyRef ref) {
    const Batch& batch = input.batches[ref.batch];
    const CellTable& table = *batch.copies;
    const ResolvedChain& chain = batch.chain;
    const std::uint32_t c = table.cellOf(ref.slot);
    const CopyMemory& memory = state.of(ref.batch, c, ref.slot - table.cells[c].first);
    Placement copy = table.at(ref.slot);
    Pick pick;
    pick.culled = memory.culled;
    pick.reach = reachFrom(chain.rule, view.eye, table.lowest);
    pick.rank = rankOf(table.placementOf[ref.slot], table.placements->size());
    if (hasSizes(batch, options)) {
        const double metres = (centreOf(copy, chain.bounds) - chain.measuredFrom.value_or(view.eye)).norm();
        pick.kept = batch.thinning.keepAt(metres);
        pick.size = drawnSize(batch, view, options, ref.slot);
        copy.scale *= batch.thinning.sizeAt(metres);
    }
    const Vec3d centre = centreOf(copy, chain.bounds);
    pick.distance = decidingDistance(chain, copy, view);
    pick.screenHeight = screenHeight(view, chain.radius * copy.scale, (centre - view.eye).norm());
    if (pick.culled != Culled::No || memory.level < 0)
        return pick;
    pick.level = memory.level;
    pick.fadingFrom = memory.fadingFrom;
    pick.switched = memory.cameFrom >= 0;
    pick.sinceSwitch = seconds - state.epoch - static_cast<double>(memory.switched);
    if (memory.fadingFrom >= 0)
        pick.fade = static_cast<float>(pick.sinceSwitch / chain.rule.fadeSeconds);
    const double nearest = copyDistance(chain, copy, view, MeasureFrom::NearestPoint);
    const auto level = static_cast<std::size_t>(pick.level);
    const auto errorOf = [&](const LevelCost& cost) {
        return cost.deviationMetres * copy.scale * view.pixelScale() / std::max(nearest, 1e-9);
    };
    pick.errorPx = errorOf(chain.levels[level]);
    if (!options.switchLevels && chain.levels.size() > 1) {
        pick.why = Why::AllFinest;
        return pick;
    }
    if (level + 1 >= chain.levels.size()) {
        pick.why = chain.levels.size() == 1 ? Why::OnlyLevel : Why::Coarsest;
        return pick;
    }
    const LevelCost& next = chain.levels[level + 1];
    pick.nextFrom = chain.fromMetres[level + 1] * (chain.growsWithScale[level + 1] ? copy.scale : 1.0) *
                    contextFactor(copy.importance, options) / options.allowanceFactor *
                    (table.spread.empty() ? 1 : softFactor(chain.rule.softBand, table.spread[ref.slot]));
    pick.nextErrorPx = errorOf(next);
    if (pick.distance >= pick.nextFrom * (1 + chain.rule.hysteresis) && pick.sinceSwitch < chain.rule.dwellSeconds)
        pick.why = Why::Dwells;
    else if (pick.distance >= pick.nextFrom && pick.distance < pick.nextFrom * (1 + chain.rule.hysteresis))
        pick.why = Why::Waits;
    else if (pick.distance >= pick.nextFrom)
        pick.why = Why::NotLooked;
    else if (next.fixed)
        pick.why = Why::NextIsFixed;
    else if (chain.measuredFrom || chain.rule.measureFrom != MeasureFrom::NearestPoint)
        pick.why = Why::NextIsAt;
    else if (next.seenMetres > next.deviationMetres)
        pick.why = Why::NextIsSeen;
    else
        pick.why = Why::NextIsOff;
    return pick;
}

std::optional<CopyRef> nearestCopy(const SelectInput& input, const SelectState& state, std::uint32_t subject,
                                   const Vec3d& eye) {
    constexpr double kUnseen = 1e9; // metres farther than what is in view
    std::optional<CopyRef> best;
    double nearest = 1e300;
    std::uint32_t bestId = 0;
    for (std::uint32_t b = 0; b < input.batches.size(); ++b) {
        const Batch& batch = input.batches[b];
        if (batch.subject != subject)
            continue;
        const CellTable& table = *batch.copies;
        const bool known = b < state.batches.size() && state.batches[b].copies == batch.copies;
        for (std::uint32_t c = 0; c < table.cells.size(); ++c) {
            const CellTable::Cell& cell = table.cells[c];
            const double least = ((eye - cell.origin).cwiseAbs() - cell.half).cwiseMax(0).norm();
            const auto unseen = [&](std::uint32_t k) { return known && state.of(b, c, k).culled == Culled::OutOfView; };
            const bool allUnseen = known && !state.batches[b].cells[c].mixed && unseen(0);
            if (least * (1 - 1e-9) + (allUnseen ? kUnseen : 0) > nearest)
                continue;
            for (std::uint32_t k = 0; k < cell.count; ++k) {
                const Placement& copy = table.at(cell.first + k);
                const double distance = (centreOf(copy, batch.chain.bounds) - eye).norm() + (unseen(k) ? kUnseen : 0);
                const std::uint32_t id = table.placementOf[cell.first + k];
                if (distance < nearest || (distance == nearest && best && id < bestId)) {
                    nearest = distance;
                    best = CopyRef{b, cell.first + k};
                    bestId = id;
                }
            }
        }
    }
    return best;
}

} // namespace thicket
