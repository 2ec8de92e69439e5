// What is hidden behind other copies: the few that may hide most are drawn into a small buffer of depths, then cells,
// then copies, are looked for behind them.

#include "base/parallel.h"
#include "switching/hiders.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <span>

namespace thicket::detail {
namespace {

/// How far a level may stand out of the box of the finest, and one that fades into it: by as much as it is off.
double widerOf(const ResolvedChain& chain, const CopyMemory& copy) {
    double wider = chain.levels[static_cast<std::size_t>(copy.level)].deviationMetres;
    if (copy.fadingFrom >= 0)
        wider = std::max(wider, chain.levels[static_cast<std::size_t>(copy.fadingFrom)].deviationMetres);
    return wider;
}

/// How far from a copy's place anything of it is at most, at its scale 1, whatever level it shows.
double aboutOf(const BatchPass& pass) {
    double wider = 0;
    for (const LevelCost& level : pass.batch.chain.levels)
        wider = std::max(wider, level.deviationMetres);
    const double size = pass.thins ? pass.batch.thinning.sizeBetween(0, 1e300).second : 1;
    return (pass.boxRadius + 1.7321 * wider) * size + (size - 1) * pass.offPivot;
}

/// All that others can hide behind, or that of it which may hide anything of a cell.
struct Cover {
    const CoverBuffer* buffer; ///< null: no copy hides another
    std::span<const GroundCover* const> grounds;

    [[nodiscard]] bool empty() const { return buffer == nullptr && grounds.empty(); }
    /// What may hide anything in a cell, all of which lies within `about` of the middles of its copies, and these within
    /// `shift` of where they are at their own size.
    [[nodiscard]] Cover before(const CellTable::Cell& cell, double about, double shift) const {
        const bool copies =
            buffer != nullptr && buffer->mayHide(cell.origin, cell.half.norm() + cell.mostScale * about);
        const bool ground = std::any_of(grounds.begin(), grounds.end(), [&](const GroundCover* g) {
            return g->mayHide(cell.origin, cell.half + Vec3d::Constant(cell.mostScale * shift));
        });
        return {copies ? buffer : nullptr, ground ? grounds : std::span<const GroundCover* const>()};
    }
    [[nodiscard]] bool hides(const OrientedBox& box) const {
        return (buffer != nullptr && buffer->mayHide(box) && buffer->hides(box)) ||
               std::any_of(grounds.begin(), grounds.end(), [&](const GroundCover* g) { return g->hides(box); });
    }
    /// The same of a box that has its middle there, which need not be worked out where that is in sight.
    template <class Box> [[nodiscard]] bool hides(const Vec3d& middle, const Box& boxOfCopy) const {
        if (buffer != nullptr && buffer->mayHide(middle) && buffer->hides(boxOfCopy()))
            return true;
        return std::any_of(grounds.begin(), grounds.end(),
                           [&](const GroundCover* g) { return g->mayHide(middle) && g->hides(boxOfCopy()); });
    }
};

/// How far growing moves the middle of a copy at most, at its scale 1.
double shiftOf(const BatchPass& pass) {
    return pass.thins ? (pass.batch.thinning.sizeBetween(0, 1e300).second - 1) * pass.offPivot : 0;
}

/// Where the middles of a cell's copies are as they are drawn, but for so much: what is in sight with all of that need
/// not be looked at more closely.
class NearMiddles {
public:
    NearMiddles(const BatchPass& pass, const CellTable::Cell& cell) : m_pass(pass), m_cell(cell) {
        const auto [least, most] = pass.sizesIn(cell);
        m_grown = (least + most) / 2 - 1;
        m_off = (most - least) / 2 * pass.offPivot + std::abs(most - 1) * cell.offSlack;
        m_rounding = 1e-5 * (cell.half.norm() + pass.offPivot);
    }
    [[nodiscard]] bool mayBeHidden(std::uint32_t slot, const CoverBuffer& buffer) const {
        const CellTable& table = m_pass.table;
        const auto scale = static_cast<double>(table.scale[slot]);
        const Vec3d centre(static_cast<double>(table.x[slot]), static_cast<double>(table.y[slot]),
                           static_cast<double>(table.z[slot]));
        return buffer.mayHideAbout(m_cell.origin + centre + scale * m_grown * m_cell.offPivot,
                                   scale * (m_off + m_rounding) + m_rounding);
    }

private:
    const BatchPass& m_pass;
    const CellTable::Cell& m_cell;
    double m_grown = 0;
    double m_off = 0;
    double m_rounding = 0;
};

/// Whether ground is asked about a cell: what is light and everywhere is looked for behind it by cells that are one
/// decision; others would have to be decided anew in every frame that they are hidden.
bool askedOfGround(const BatchPass& pass, std::uint32_t index) {
    const SelectState::Cell& memory = pass.own.cells[index];
    return memory.mixed ? !pass.thins : memory.all.culled == Culled::No;
}

/// `about` and `shift` as aboutOf and shiftOf say; `light`: single copies are not worth a look.
void hideIn(const BatchPass& pass, std::uint32_t index, const Cover& all, double about, double shift, bool light) {
    const CellTable::Cell& cell = pass.table.cells[index];
    const SelectState::Cell& memory = pass.own.cells[index];
    const ResolvedChain& chain = pass.batch.chain;
    const CopyMemory* copies = pass.mixedOf(index);
    if (copies == nullptr ? memory.all.culled != Culled::No : light)
        return;
    Cover lookedAt = all;
    if (!askedOfGround(pass, index))
        lookedAt.grounds = {};
    Cover cover = lookedAt.before(cell, about, shift);
    if (cover.empty())
        return;
    if (cell.count > 1) {
        const OrientedBox box = boxOfCell(pass, cell);
        if (cover.grounds.empty() && !cover.buffer->mayHide(box))
            return;
        if (copies == nullptr && cover.hides(box)) {
            pass.setAll(index, notDrawn(Culled::Hidden));
            return;
        }
    }
    if (pass.thins)
        cover.grounds = {};
    if (light || cover.empty())
        return;
    bool any = false;
    const NearMiddles middles(pass, cell);
    for (std::uint32_t k = 0; k < cell.count; ++k) {
        const CopyMemory copy = copies != nullptr ? copies[k] : memory.all;
        if (copy.culled != Culled::No || (pass.thins && lightAt(pass.batch, static_cast<std::size_t>(copy.level))))
            continue;
        if (cover.grounds.empty() && !middles.mayBeHidden(cell.first + k, *cover.buffer))
            continue;
        const Placement grown = pass.grown(cell.first + k);
        if (!cover.hides(centreOf(grown, chain.bounds), [&] { return boxOf(chain, grown, widerOf(chain, copy)); }))
            continue;
        pass.hide(index, k);
        copies = pass.mixedOf(index);
        any = true;
    }
    if (any)
        pass.collapse(index);
}

} // namespace

std::uint32_t hideCopies(std::vector<BatchPass>& passes, const View& view,
                         const std::vector<const GroundCover*>& grounds) {
    constexpr int kRows = 128;
    const auto chosen = chooseHiders(passes, view);
    const Behind behind = whatIsBehind(chosen, passes, view);
    const auto& hiders = behind.hiders;
    if (hiders.empty() && grounds.empty())
        return static_cast<std::uint32_t>(chosen.size());
    // In two halves beside each other; which half a hider is in, and so the outcome, depends on nothing but the view.
    thread_local std::array<CoverBuffer, 2> buffers; // kept, since a route asks thousands of times
    std::array<CoverBuffer, 2>& halves = buffers;
    std::array<std::vector<std::size_t>, 2> shares;
    std::array<std::size_t, 2> work{};
    const auto solidOf = [&](std::size_t i) -> const Occluder& {
        return *passes[hiders[i].batch].batch.occluders[static_cast<std::size_t>(hiders[i].level)];
    };
    constexpr std::size_t kWorthATask = 8000; // triangles; fewer are drawn sooner than a thread is woken
    std::size_t all = 0;
    for (std::size_t i = 0; i < hiders.size(); ++i)
        all += solidOf(i).triangleCount();
    for (std::size_t i = 0; i < hiders.size(); ++i) {
        const std::size_t half = work[1] < work[0] && all > kWorthATask ? 1 : 0;
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
    if (shares[1].empty())
        drawHalves(0, hiders.empty() ? 0 : 1);
    else
        parallelChunks(halves.size(), 1, drawHalves);
    if (!shares[1].empty())
        halves[0].merge(halves[1]);
    struct Look {
        std::uint32_t batch;
        std::uint32_t cell;
        bool copies; ///< others may hide it
    };
    std::vector<Look> looks;
    if (grounds.empty()) {
        for (const Behind::Cell& at : behind.cells)
            looks.push_back({at.batch, at.cell, true});
    } else {
        std::vector<std::vector<bool>> suspect(passes.size());
        for (const Behind::Cell& at : behind.cells) {
            suspect[at.batch].resize(passes[at.batch].table.cells.size());
            suspect[at.batch][at.cell] = true;
        }
        for (std::uint32_t b = 0; b < passes.size(); ++b)
            for (std::uint32_t c = 0; c < passes[b].table.cells.size(); ++c) {
                const bool copies = !suspect[b].empty() && suspect[b][c];
                if (copies || askedOfGround(passes[b], c))
                    looks.push_back({b, c, copies});
            }
    }
    struct OfBatch {
        double about;
        double shift;
        bool light;
    };
    std::vector<OfBatch> of;
    for (const BatchPass& pass : passes)
        of.push_back({aboutOf(pass), shiftOf(pass), allLight(pass)});
    const auto lookAt = [&](std::size_t from, std::size_t to) {
        for (std::size_t i = from; i < to; ++i) {
            const Look& look = looks[i];
            const Cover cover{look.copies ? halves.data() : nullptr, grounds};
            hideIn(passes[look.batch], look.cell, cover, of[look.batch].about, of[look.batch].shift,
                   of[look.batch].light);
        }
    };
    constexpr std::size_t kManyCopies = 2048; // fewer are gone through sooner than threads are woken
    std::size_t copies = 0;
    for (const Look& look : looks)
        copies += passes[look.batch].table.cells[look.cell].count;
    if (copies < kManyCopies) {
        lookAt(0, looks.size());
    } else {
        for (const BatchPass& pass : passes)
            pass.prepare();
        parallelChunks(looks.size(), 8, lookAt);
    }
    return static_cast<std::uint32_t>(chosen.size());
}

} // namespace thicket::detail
