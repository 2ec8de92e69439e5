#include "switching/selector.h"

#include "switching/select_steps.h"

#include <algorithm>

namespace thicket {

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

void SelectState::OfBatch::collapse(std::uint32_t cell) {
    if (!cells[cell].mixed)
        return;
    const CopyMemory* const first = &memories[copies->cells[cell].first];
    const CopyMemory* const end = first + copies->cells[cell].count;
    if (std::all_of(first + 1, end, [first](const CopyMemory& m) { return m == *first; })) {
        cells[cell].all = *first;
        cells[cell].mixed = false;
    }
}

std::size_t SelectState::bytes() const {
    std::size_t out = hidden.places.capacity() * sizeof(HiddenPlaces::Place);
    for (const OfBatch& batch : batches)
        out += batch.cells.capacity() * sizeof(Cell) +
               batch.costs.capacity() * (sizeof(CellCost) + sizeof(std::uint8_t)) +
               batch.memories.capacity() * sizeof(CopyMemory) +
               (batch.covers.capacity() + batch.deviations.capacity()) * sizeof(float) +
               batch.showing.capacity() * sizeof(std::uint16_t) + batch.codes.capacity();
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
    detail::Step step({view, seconds, options});
    detail::begin(input, state, step);
    detail::decideAll(step.passes,
                      [&] { out.groundSeconds = detail::chooseTiles(input, step.moment, state.grounds, out.grounds); });
    detail::finish(input, step, state, out);
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
            const double least = ((eye - cell.origin).cwiseAbs() - cell.half()).cwiseMax(0).norm();
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
