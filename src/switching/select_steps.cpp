// One selection, step by step.

#include "switching/select_steps.h"

#include "base/parallel.h"

#include <algorithm>
#include <chrono>
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
            state.batches[i].costs.resize(copies->cells.size());
            state.batches[i].counted.resize(copies->cells.size());
            state.batches[i].covers.resize(copies->cells.size());
            state.batches[i].deviations.resize(copies->cells.size());
        }
    }
}

/// What was hidden is as it was decided, as if nothing stood before it. `forget`: nor is it looked for again.
void reveal(SelectState& state, bool forget) {
    const auto& places = state.hidden.places;
    for (std::size_t i = 0; i < places.size(); ++i) {
        SelectState::OfBatch& own = state.batches[places[i].batch];
        SelectState::Cell& cell = own.cells[places[i].cell];
        if (cell.mixed)
            own.memories[own.copies->cells[places[i].cell].first + places[i].copy].culled = Culled::No;
        else
            cell.all.culled = Culled::No;
        if (forget)
            own.counted[places[i].cell] = 0;
        if (i + 1 == places.size() || !places[i].inCellOf(places[i + 1]))
            own.collapse(places[i].cell);
    }
    if (forget)
        state.hidden = {};
}

void keepEpochNear(SelectState& state, double seconds) {
    if (!detail::needsNewEpoch(state, seconds))
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

void payForTiles(const SelectInput& input, Selection& out) {
    for (std::size_t i = 0; i < input.grounds.size(); ++i) {
        const GroundBatch& ground = input.grounds[i];
        const TileCut& cut = out.grounds[i];
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
}

/// Where what is hidden is looked for in this selection; notes what is.
detail::LookFor whatIsLookedFor(const SelectInput& input, const detail::Step& step, SelectState& state) {
    constexpr double kEvery = 0.2;   // seconds
    constexpr double kSmooth = 0.06; // seconds at most from one frame to the next
    constexpr double kLeap = 20;     // times as far as the near plane, which tells how large a scene is
    constexpr double kTurn = 0.1;    // radians
    constexpr double kRounding = 1e-6;
    const auto& [view, seconds, options] = step.moment;
    SelectState::HiddenPlaces& hidden = state.hidden;
    std::vector<const Occluder*> occluders;
    for (const Batch& batch : input.batches)
        for (const auto& occluder : batch.occluders)
            occluders.push_back(occluder.get());
    const bool rests = state.stepped == 0 && state.turnedBy == 0;
    const bool atOnce =
        step.changed || occluders != hidden.occluders || !(step.since > 0 && step.since <= kSmooth) || rests;
    /// Or so many times as long after it as after a look that found something.
    const auto isDue = [&](const SelectState::HiddenPlaces::Look& last, double times) {
        return atOnce || seconds - last.seconds >= times * kEvery - kRounding ||
               state.moved - last.moved > times * kLeap * view.nearMetres || state.turned - last.turned > times * kTurn;
    };
    if (!isDue(hidden.everywhere, 1))
        return detail::LookFor::Again;
    hidden.everywhere = {seconds, state.moved, state.turned};
    hidden.occluders = std::move(occluders);
    if (!isDue(hidden.behindCopies, static_cast<double>(1U << hidden.inVain)))
        return detail::LookFor::BehindGround;
    hidden.behindCopies = hidden.everywhere;
    return detail::LookFor::Everywhere;
}

/// Looks along all grounds; those that may hide anything that is asked about.
std::vector<const GroundCover*> groundsToHideBehind(const SelectInput& input, const detail::Step& step,
                                                    detail::LookFor what, SelectState& state, const Selection& out) {
    const auto& [view, seconds, options] = step.moment;
    std::vector<const GroundCover*> grounds;
    if (!options.cullView || input.grounds.empty()) // what is behind the camera too is more than one looks along
        return grounds;
    const std::vector<AskedOfGround> asked = what == detail::LookFor::Again
                                                 ? detail::behindGround(step.passes, state.hidden.places)
                                                 : detail::askedOfGround(step.passes);
    if (asked.empty())
        return grounds;
    state.covers.resize(input.grounds.size());
    for (std::size_t i = 0; i < input.grounds.size(); ++i) {
        state.covers[i].look(view, input.grounds[i].tree, ruleOf(input.grounds[i], view, options), out.grounds[i],
                             &asked);
        if (!state.covers[i].empty())
            grounds.push_back(&state.covers[i]);
    }
    return grounds;
}

constexpr std::size_t kManyCells = 1024; // fewer are decided sooner than threads are woken

std::size_t cellsOf(const std::vector<detail::BatchPass>& passes) {
    std::size_t cells = 0;
    for (const detail::BatchPass& pass : passes)
        cells += pass.table.cells.size();
    return cells;
}

/// What each batch costs.
std::vector<SubjectCost> countAll(const std::vector<detail::BatchPass>& passes) {
    std::vector<SubjectCost> out(passes.size());
    for (std::size_t i = 0; i < passes.size(); ++i)
        out[i] = detail::countBatch(passes[i]);
    return out;
}

} // namespace

namespace detail {

bool needsNewEpoch(const SelectState& state, double seconds) {
    return std::abs(seconds - state.epoch) > kLongest;
}

void begin(const SelectInput& input, SelectState& state, Step& step) {
    const SelectMoment& m = step.moment;
    step.changed = !isSettled(input, state);
    reveal(state, step.changed || !m.options.cullHidden);
    if (step.changed)
        settle(input, state);
    keepEpochNear(state, m.seconds);
    goOn(state, m.view);
    step.passes.reserve(input.batches.size());
    for (std::size_t i = 0; i < input.batches.size(); ++i) {
        step.passes.emplace_back(input.batches[i], state, i, m.view, step.frustum, m.options, m.seconds);
        step.changed |= step.passes.back().anew;
    }
    step.since = m.seconds - state.before;
    state.before = m.seconds;
}

void decideAll(const std::vector<BatchPass>& passes, const std::function<void()>& beside) {
    if (cellsOf(passes) < kManyCells) {
        beside();
        for (const BatchPass& pass : passes)
            pass.decide(0, pass.table.cells.size());
        return;
    }
    constexpr std::size_t kTogether = 128;
    struct Part {
        const BatchPass* pass;
        std::size_t from;
        std::size_t to;
    };
    std::vector<Part> parts;
    for (const BatchPass& pass : passes) {
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

double chooseTiles(const SelectInput& input, const SelectMoment& moment, std::vector<TileState>& states,
                   std::vector<TileCut>& cuts) {
    states.resize(input.grounds.size()); // those that stay keep what they have
    cuts.resize(input.grounds.size());
    const auto start = std::chrono::steady_clock::now();
    for (std::size_t i = 0; i < input.grounds.size(); ++i) {
        states[i].settle(input.grounds[i].tree);
        selectTiles(moment.view, ruleOf(input.grounds[i], moment.view, moment.options), states[i], cuts[i]);
    }
    return std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
}

void finish(const SelectInput& input, Step& step, SelectState& state, Selection& out) {
    const auto& [view, seconds, options] = step.moment;
    for (const BatchPass& pass : step.passes)
        if (pass.anew)
            std::fill(pass.own.counted.begin(), pass.own.counted.end(), std::uint8_t{0});
    out.occluders = 0;
    if (options.cullHidden) {
        constexpr unsigned kMostInVain = 2; // then it is looked a fourth as often
        SelectState::HiddenPlaces& hidden = state.hidden;
        const LookFor what = whatIsLookedFor(input, step, state);
        const auto grounds = groundsToHideBehind(input, step, what, state, out);
        const Hiding hiding = hideCopies(step.passes, view, grounds, what, hidden.places);
        out.occluders = hiding.hiders;
        if (what == LookFor::Everywhere)
            hidden.inVain = hiding.found ? 0 : std::min(hidden.inVain + 1, kMostInVain);
    }
    out.subjects.assign(input.subjects.size(), {});
    out.levels.assign(input.subjects.size(), 0);
    out.runs.clear();
    out.listed.clear();
    payForTiles(input, out);
    const std::vector<SubjectCost> costs = countAll(step.passes);
    for (std::size_t i = 0; i < step.passes.size(); ++i) {
        if (options.listRuns)
            listRuns(step.passes[i], static_cast<std::uint32_t>(i), out);
        out.subjects[input.batches[i].subject] += costs[i];
        out.levels[input.batches[i].asset] |= costs[i].shown;
    }
    out.total = {};
    for (const SubjectCost& cost : out.subjects)
        out.total += cost;
}

} // namespace detail
} // namespace thicket
