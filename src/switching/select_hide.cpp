// What is hidden behind other copies: the few that may hide most are drawn into a small buffer of depths, then cells,
// then copies, are looked for behind them.

#include "base/parallel.h"
#include "switching/batch_pass.h"

#include <algorithm>
#include <array>

namespace thicket::detail {
namespace {

struct Hider {
    double height = 0; ///< share of the viewport
    std::uint32_t batch = 0;
    std::uint32_t slot = 0;
    std::int8_t level = 0;
};

/// The copies that may hide most: large on screen, drawn as one solid level, few enough to be drawn twice.
std::vector<Hider> chooseHiders(const std::vector<BatchPass>& passes, const View& view) {
    constexpr double kTall = 0.06; // of the screen; smaller ones hide next to nothing
    constexpr std::size_t kMost = 8;
    constexpr std::size_t kMostTriangles = 24'000;
    std::vector<Hider> found;
    for (std::uint32_t b = 0; b < passes.size(); ++b) {
        const BatchPass& pass = passes[b];
        const auto& solid = pass.batch.occluders;
        if (std::none_of(solid.begin(), solid.end(), [](const auto& o) { return o != nullptr; }))
            continue;
        const double radius = pass.batch.chain.radius;
        for (std::uint32_t c = 0; c < pass.table.cells.size(); ++c) {
            const CellTable::Cell& cell = pass.table.cells[c];
            const SelectState::Cell& memory = pass.own.cells[c];
            const CopyMemory* copies = pass.mixedOf(c);
            if (copies == nullptr && memory.all.culled != Culled::No)
                continue;
            const double nearest = ((view.eye - cell.origin).cwiseAbs() - cell.half).cwiseMax(0).norm();
            if (screenHeight(pass.pixelScale, view.lines, radius * cell.mostScale, nearest) < kTall)
                continue;
            for (std::uint32_t k = 0; k < cell.count; ++k) {
                const CopyMemory& copy = copies != nullptr ? copies[k] : memory.all;
                const auto level = static_cast<std::size_t>(copy.level);
                if (copy.culled != Culled::No || copy.fadingFrom >= 0 || level >= solid.size() || !solid[level])
                    continue;
                const Placement& p = pass.table.at(cell.first + k);
                const Vec3d centre = centreOf(p, pass.batch.chain.bounds);
                const double height =
                    screenHeight(pass.pixelScale, view.lines, radius * p.scale, (centre - view.eye).norm());
                if (height >= kTall && (centre - view.eye).dot(view.forward) + 2 * radius * p.scale < view.farMetres)
                    found.push_back({height, b, cell.first + k, copy.level});
            }
        }
    }
    std::sort(found.begin(), found.end(), [&passes](const Hider& a, const Hider& b) {
        if (a.height != b.height)
            return a.height > b.height;
        return a.batch != b.batch
                   ? a.batch < b.batch
                   : passes[a.batch].table.placementOf[a.slot] < passes[b.batch].table.placementOf[b.slot];
    });
    std::size_t triangles = 0;
    std::vector<Hider> out;
    for (const Hider& hider : found) {
        const Occluder& o = *passes[hider.batch].batch.occluders[static_cast<std::size_t>(hider.level)];
        if (out.size() < kMost && triangles + o.triangleCount() <= kMostTriangles) {
            triangles += o.triangleCount();
            out.push_back(hider);
        }
    }
    return out;
}

/// A box that holds all copies of a cell, whatever way they are turned and whatever level they show.
OrientedBox boxOfCell(const BatchPass& pass, const CellTable::Cell& cell) {
    double wider = 0;
    for (const LevelCost& level : pass.batch.chain.levels)
        wider = std::max(wider, level.deviationMetres);
    const Vec3d half = cell.half + Vec3d::Constant((pass.boxRadius + 1.7321 * wider) * cell.mostScale);
    return {cell.origin, {Vec3d(half.x(), 0, 0), Vec3d(0, half.y(), 0), Vec3d(0, 0, half.z())}};
}

/// How far a level may stand out of the box of the finest, and one that fades into it: by as much as it is off.
double widerOf(const ResolvedChain& chain, const CopyMemory& copy) {
    double wider = chain.levels[static_cast<std::size_t>(copy.level)].deviationMetres;
    if (copy.fadingFrom >= 0)
        wider = std::max(wider, chain.levels[static_cast<std::size_t>(copy.fadingFrom)].deviationMetres);
    return wider;
}

void hideIn(const BatchPass& pass, std::uint32_t index, const CoverBuffer& buffer) {
    const CellTable::Cell& cell = pass.table.cells[index];
    const SelectState::Cell& memory = pass.own.cells[index];
    const ResolvedChain& chain = pass.batch.chain;
    const CopyMemory* copies = pass.mixedOf(index);
    if (copies == nullptr && memory.all.culled != Culled::No)
        return;
    if (cell.count > 1) {
        const OrientedBox box = boxOfCell(pass, cell);
        if (!buffer.mayHide(box))
            return;
        if (copies == nullptr && buffer.hides(box)) {
            pass.setAll(index, notDrawn(Culled::Hidden));
            return;
        }
    }
    bool any = false;
    for (std::uint32_t k = 0; k < cell.count; ++k) {
        const CopyMemory copy = copies != nullptr ? copies[k] : memory.all;
        if (copy.culled != Culled::No ||
            !buffer.hides(boxOf(chain, pass.table.at(cell.first + k), widerOf(chain, copy))))
            continue;
        CopyMemory* own = pass.expand(index);
        copies = own;
        own[k] = notDrawn(Culled::Hidden);
        any = true;
    }
    if (any)
        pass.collapse(index);
}

} // namespace

std::uint32_t hideCopies(std::vector<BatchPass>& passes, const View& view) {
    constexpr int kRows = 128;
    const auto hiders = chooseHiders(passes, view);
    if (hiders.empty())
        return 0;
    // In two halves beside each other; which half a hider is in, and so the outcome, depends on nothing but the view.
    thread_local std::array<CoverBuffer, 2> buffers; // kept, since a route asks thousands of times
    std::array<CoverBuffer, 2>& halves = buffers;
    std::array<std::vector<std::size_t>, 2> shares;
    std::array<std::size_t, 2> work{};
    const auto solidOf = [&](std::size_t i) -> const Occluder& {
        return *passes[hiders[i].batch].batch.occluders[static_cast<std::size_t>(hiders[i].level)];
    };
    for (std::size_t i = 0; i < hiders.size(); ++i) {
        const std::size_t half = work[1] < work[0] ? 1 : 0;
        shares[half].push_back(i);
        work[half] += solidOf(i).triangleCount();
    }
    const auto drawHalves = [&](std::size_t from, std::size_t to) {
        for (std::size_t half = from; half < to; ++half) {
            halves[half].begin(view, kRows);
            for (const std::size_t i : shares[half]) {
                const Placement& p = passes[hiders[i].batch].table.at(hiders[i].slot);
                halves[half].add(solidOf(i), p.position, p.rotation, p.scale);
            }
        }
    };
    parallelChunks(halves.size(), 1, drawHalves);
    CoverBuffer& buffer = halves[0];
    if (!shares[1].empty())
        buffer.merge(halves[1]);
    for (const BatchPass& pass : passes)
        for (std::uint32_t c = 0; c < pass.table.cells.size(); ++c)
            hideIn(pass, c, buffer);
    return static_cast<std::uint32_t>(hiders.size());
}

} // namespace thicket::detail
