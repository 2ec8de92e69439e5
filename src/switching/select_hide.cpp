// What is hidden behind other copies or behind ground. Everywhere: the few that may hide most are drawn into a small
// buffer of depths, then cells, then copies, are looked for behind them. In between only what was hidden before is.

#include "base/parallel.h"
#include "switching/hiders.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <iterator>
#include <span>
#include <tuple>

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
    const double wider = widestOf(pass.batch.chain);
    const double size = pass.thins ? pass.batch.thinning.sizeBetween(0, 1e300).second : 1;
    return (pass.boxRadius + 1.7321 * wider) * size + (size - 1) * pass.offPivot;
}

enum class By : std::uint8_t { Nothing, Copies, Ground };

/// All that others can hide behind, or that of it which may hide anything of a cell.
struct Cover {
    const CoverBuffer* buffer; ///< null: no copy hides another
    std::span<const GroundCover* const> grounds;

    [[nodiscard]] bool empty() const { return buffer == nullptr && grounds.empty(); }
    /// What may hide anything in a cell, all of which lies within `about` of the middles of its copies, and these within
    /// `shift` of where they are at their own size.
    [[nodiscard]] Cover before(const CellTable::Cell& cell, double about, double shift) const {
        const bool copies =
            buffer != nullptr && buffer->mayHide(cell.origin, cell.half().norm() + cell.mostScale * about);
        const bool ground = std::any_of(grounds.begin(), grounds.end(), [&](const GroundCover* g) {
            return g->mayHide(cell.origin, cell.half() + Vec3d::Constant(cell.mostScale * shift));
        });
        return {copies ? buffer : nullptr, ground ? grounds : std::span<const GroundCover* const>()};
    }
    [[nodiscard]] By hides(const OrientedBox& box) const {
        if (buffer != nullptr && buffer->mayHide(box) && buffer->hides(box))
            return By::Copies;
        return std::any_of(grounds.begin(), grounds.end(), [&](const GroundCover* g) { return g->hides(box); })
                   ? By::Ground
                   : By::Nothing;
    }
    /// The same of a box that has its middle there, which need not be worked out where that is in sight.
    template <class Box> [[nodiscard]] By hides(const Vec3d& middle, const Box& boxOfCopy) const {
        if (buffer != nullptr && buffer->mayHide(middle) && buffer->hides(boxOfCopy()))
            return By::Copies;
        return std::any_of(grounds.begin(), grounds.end(),
                           [&](const GroundCover* g) { return g->mayHide(middle) && g->hides(boxOfCopy()); })
                   ? By::Ground
                   : By::Nothing;
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
        const LaneRule::Upright upright = pass.uprightIn(cell);
        if (upright.outerRadius > 0) // a level may stand out of the box
            m_radius = (static_cast<double>(upright.outerRadius) + 1.7321 * widestOf(pass.batch.chain)) * most;
        m_tall = static_cast<double>(upright.outerHalf) * most;
        m_rounding = 1e-5 * (cell.half().norm() + pass.offPivot);
    }
    [[nodiscard]] bool mayBeHidden(std::uint32_t slot, const CoverBuffer& buffer) const {
        const CellTable& table = m_pass.table;
        const auto scale = static_cast<double>(table.scale[slot]);
        const Vec3d centre(static_cast<double>(table.x[slot]), static_cast<double>(table.y[slot]),
                           static_cast<double>(table.z[slot]));
        const Vec3d middle = m_cell.origin + centre + scale * m_grown * m_cell.offPivot.cast<double>();
        const double off = scale * (m_off + m_rounding) + m_rounding;
        if (!buffer.mayHideAbout(middle, off))
            return false;
        const Vec3d up(0, scale * m_tall, 0);
        return m_radius <= 0 || buffer.mayShow(middle + up, middle - up, scale * m_radius + off);
    }

private:
    const BatchPass& m_pass;
    const CellTable::Cell& m_cell;
    double m_grown = 0;
    double m_off = 0;
    double m_rounding = 0;
    double m_radius = 0; ///< of an upright cylinder round each, at scale 1; 0: there is none
    double m_tall = 0;   ///< half its height
};

/// Whether ground is asked about a cell: what is light and everywhere is looked for behind it by cells that are one
/// decision; copy by copy that costs more than it saves.
bool isAskedOfGround(const BatchPass& pass, std::uint32_t index) {
    const SelectState::Cell& memory = pass.own.cells[index];
    return memory.mixed ? !pass.thins : memory.all.culled == Culled::No;
}

using Place = SelectState::HiddenPlaces::Place;

/// A cell whose copies are looked for, and what of it is hidden.
struct Look {
    std::uint32_t batch = 0;
    std::uint32_t cell = 0;
    bool copies = false; ///< others may hide them
    bool ground = false;
    std::vector<Place> hidden = {};

    void note(std::uint32_t copy, By by) { hidden.push_back({batch, cell, copy, by == By::Ground}); }
};

/// `about` and `shift` as aboutOf and shiftOf say; `light`: single copies are not worth a look.
void hideIn(const BatchPass& pass, Look& look, const Cover& all, double about, double shift, bool light) {
    const std::uint32_t index = look.cell;
    const CellTable::Cell& cell = pass.table.cells[index];
    const SelectState::Cell& memory = pass.own.cells[index];
    const ResolvedChain& chain = pass.batch.chain;
    const CopyMemory* copies = pass.mixedOf(index);
    if (copies == nullptr ? memory.all.culled != Culled::No : light)
        return;
    Cover cover = all.before(cell, about, shift);
    if (cover.empty())
        return;
    if (cell.count > 1) {
        const OrientedBox box = boxOfCell(pass, cell);
        if (cover.grounds.empty() && !cover.buffer->mayHide(box))
            return;
        const By by = copies == nullptr ? cover.hides(box) : By::Nothing;
        if (by != By::Nothing) {
            look.note(SelectState::HiddenPlaces::kAll, by);
            pass.own.cells[index].all.culled = Culled::Hidden;
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
        const By by =
            cover.hides(centreOf(grown, chain.bounds), [&] { return boxOf(chain, grown, widerOf(chain, copy)); });
        if (by == By::Nothing)
            continue;
        look.note(k, by);
        pass.hide(index, k);
        copies = pass.mixedOf(index);
        any = true;
    }
    if (any)
        pass.collapse(index);
}

/// Draws what others may be hidden behind. In two halves beside each other; which half a hider is in, and so the outcome,
/// depends on nothing but the view. `boxes`: nothing but these is asked about; null: anything may be. Returns the thread's
/// own buffer.
const CoverBuffer& drawHiders(const std::vector<Hider>& hiders, const std::vector<BatchPass>& passes, const View& view,
                              const std::vector<OrientedBox>* boxes) {
    constexpr int kRows = 128;
    constexpr std::size_t kWorthATask = 8000;        // triangles; fewer are drawn sooner than a thread is woken
    thread_local std::array<CoverBuffer, 2> buffers; // kept, since a route asks thousands of times
    std::array<CoverBuffer, 2>& halves = buffers;
    std::array<std::vector<std::size_t>, 2> shares;
    std::array<std::size_t, 2> work{};
    const auto solidOf = [&](std::size_t i) -> const Occluder& {
        return *passes[hiders[i].batch].batch.occluders[static_cast<std::size_t>(hiders[i].level)];
    };
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
            if (boxes != nullptr)
                halves[half].keepTo(*boxes);
            for (const std::size_t i : shares[half]) {
                const Placement& p = passes[hiders[i].batch].table.at(hiders[i].slot);
                halves[half].add(solidOf(i), p.position, p.rotation, p.scale);
            }
        }
    };
    if (shares[1].empty()) {
        drawHalves(0, hiders.empty() ? 0 : 1);
    } else {
        parallelChunks(halves.size(), 1, drawHalves);
        halves[0].merge(halves[1]);
    }
    return halves[0];
}

std::vector<Look> looksEverywhere(const std::vector<BatchPass>& passes, const std::vector<Behind::Cell>& suspects,
                                  bool ground) {
    std::vector<Look> looks;
    if (!ground) {
        for (const Behind::Cell& at : suspects)
            looks.push_back({at.batch, at.cell, true});
        return looks;
    }
    std::vector<std::vector<bool>> suspect(passes.size());
    for (const Behind::Cell& at : suspects) {
        suspect[at.batch].resize(passes[at.batch].table.cells.size());
        suspect[at.batch][at.cell] = true;
    }
    for (std::uint32_t b = 0; b < passes.size(); ++b)
        for (std::uint32_t c = 0; c < passes[b].table.cells.size(); ++c) {
            const bool copies = !suspect[b].empty() && suspect[b][c];
            const bool asked = isAskedOfGround(passes[b], c);
            if (copies || asked)
                looks.push_back({b, c, copies, asked});
        }
    return looks;
}

void lookEverywhere(const std::vector<BatchPass>& passes, const View& view, std::vector<Look>& looks,
                    const std::vector<Hider>& hiders, const std::vector<const GroundCover*>& grounds) {
    const CoverBuffer& buffer = drawHiders(hiders, passes, view, nullptr);
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
            Look& look = looks[i];
            Cover cover{look.copies ? &buffer : nullptr, {}};
            if (look.ground)
                cover.grounds = grounds;
            const OfBatch& own = of[look.batch];
            hideIn(passes[look.batch], look, cover, own.about, own.shift, own.light);
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
}

/// That of what was hidden, however many sizes and levels it may have now.
OrientedBox boxOfPlace(const BatchPass& pass, const Place& place) {
    const CellTable::Cell& cell = pass.table.cells[place.cell];
    return place.copy == SelectState::HiddenPlaces::kAll
               ? boxOfCell(pass, cell)
               : boxOf(pass.batch.chain, pass.grown(cell.first + place.copy), widestOf(pass.batch.chain));
}

/// Hides again what was hidden before, where it still is.
bool hideAgain(const BatchPass& pass, const Place& place, const Cover& cover) {
    SelectState::Cell& memory = pass.own.cells[place.cell];
    const CopyMemory* copies = pass.mixedOf(place.cell);
    const CellTable::Cell& cell = pass.table.cells[place.cell];
    if (place.copy == SelectState::HiddenPlaces::kAll) {
        if (copies != nullptr || memory.all.culled != Culled::No || cover.hides(boxOfCell(pass, cell)) == By::Nothing)
            return false;
        memory.all.culled = Culled::Hidden;
        return true;
    }
    const CopyMemory copy = copies != nullptr ? copies[place.copy] : memory.all;
    if (copy.culled != Culled::No || (pass.thins && lightAt(pass.batch, static_cast<std::size_t>(copy.level))))
        return false;
    const ResolvedChain& chain = pass.batch.chain;
    if (cover.hides(boxOf(chain, pass.grown(cell.first + place.copy), widerOf(chain, copy))) == By::Nothing)
        return false;
    pass.hide(place.cell, place.copy);
    return true;
}

std::vector<Place> lookAgain(const std::vector<BatchPass>& passes, const View& view, const std::vector<Place>& hidden,
                             const std::vector<Hider>& hiders, const std::vector<const GroundCover*>& grounds) {
    std::vector<OrientedBox> boxes;
    for (const Place& place : hidden)
        if (!place.behindGround && !hiders.empty())
            boxes.push_back(boxOfPlace(passes[place.batch], place));
    const CoverBuffer& buffer = drawHiders(hiders, passes, view, &boxes);
    std::vector<std::size_t> begins; // of cells
    for (std::size_t i = 0; i < hidden.size(); ++i)
        if (i == 0 || !hidden[i].inCellOf(hidden[i - 1]))
            begins.push_back(i);
    begins.push_back(hidden.size());
    std::vector<std::uint8_t> still(hidden.size(), 0);
    const auto lookAt = [&](std::size_t from, std::size_t to) {
        for (std::size_t c = from; c < to; ++c) {
            for (std::size_t i = begins[c]; i < begins[c + 1]; ++i) {
                Cover cover{hidden[i].behindGround || hiders.empty() ? nullptr : &buffer, {}};
                if (hidden[i].behindGround)
                    cover.grounds = grounds;
                still[i] =
                    static_cast<std::uint8_t>(!cover.empty() && hideAgain(passes[hidden[i].batch], hidden[i], cover));
            }
            passes[hidden[begins[c]].batch].collapse(hidden[begins[c]].cell);
        }
    };
    constexpr std::size_t kMany = 512; // fewer are gone through sooner than threads are woken
    if (hidden.size() < kMany) {
        lookAt(0, begins.size() - 1);
    } else {
        for (const BatchPass& pass : passes)
            pass.prepare();
        parallelChunks(begins.size() - 1, 8, lookAt);
    }
    std::vector<Place> out;
    for (std::size_t i = 0; i < hidden.size(); ++i)
        if (still[i] != 0)
            out.push_back(hidden[i]);
    return out;
}

bool before(const Place& a, const Place& b) {
    return std::tie(a.batch, a.cell, a.copy) < std::tie(b.batch, b.cell, b.copy);
}

/// Cells in which anything was hidden behind copies, and the hiders that it may be behind still.
Behind whatWasBehind(const std::vector<Place>& hidden, const std::vector<Hider>& chosen,
                     const std::vector<BatchPass>& passes, const View& view) {
    Behind out;
    for (std::size_t i = 0; i < hidden.size() && !chosen.empty(); ++i)
        if (!hidden[i].behindGround &&
            (out.cells.empty() || out.cells.back().batch != hidden[i].batch || out.cells.back().cell != hidden[i].cell))
            out.cells.push_back({hidden[i].batch, hidden[i].cell});
    out.hiders = stillBefore(hidden, chosen, passes, view);
    return out;
}

/// Cells in which other copies are hidden than before are counted anew. Returns whether any came to be behind copies.
bool noteChanges(const std::vector<BatchPass>& passes, const std::vector<Place>& was, const std::vector<Place>& now) {
    std::vector<Place> changed;
    std::set_symmetric_difference(was.begin(), was.end(), now.begin(), now.end(), std::back_inserter(changed), before);
    bool found = false;
    for (std::size_t i = 0; i < changed.size(); ++i) {
        found = found || (!changed[i].behindGround && std::binary_search(now.begin(), now.end(), changed[i], before));
        if (i > 0 && changed[i].inCellOf(changed[i - 1]))
            continue;
        const BatchPass& pass = passes[changed[i].batch];
        pass.own.counted[changed[i].cell] = 0;
        pass.collapse(changed[i].cell);
    }
    return found;
}

} // namespace

Hiding hideCopies(std::vector<BatchPass>& passes, const View& view, const std::vector<const GroundCover*>& grounds,
                  LookFor what, std::vector<Place>& hidden) {
    if (what == LookFor::Again && hidden.empty())
        return {};
    const bool behindCopies =
        what == LookFor::Everywhere ||
        std::any_of(hidden.begin(), hidden.end(), [](const Place& at) { return !at.behindGround; });
    const std::vector<Hider> chosen = behindCopies ? chooseHiders(passes, view) : std::vector<Hider>();
    std::vector<Place> now;
    if (what == LookFor::Again) {
        now = lookAgain(passes, view, hidden, stillBefore(hidden, chosen, passes, view), grounds);
    } else {
        const Behind behind = what == LookFor::Everywhere ? whatIsBehind(chosen, passes, view)
                                                          : whatWasBehind(hidden, chosen, passes, view);
        std::vector<Look> looks = looksEverywhere(passes, behind.cells, !grounds.empty());
        if (!looks.empty())
            lookEverywhere(passes, view, looks, behind.hiders, grounds);
        for (const Look& look : looks)
            now.insert(now.end(), look.hidden.begin(), look.hidden.end());
        std::sort(now.begin(), now.end(), before);
    }
    Hiding out{static_cast<std::uint32_t>(chosen.size()), noteChanges(passes, hidden, now)};
    hidden = std::move(now);
    return out;
}

namespace {

AskedOfGround askedOf(const OrientedBox& box, AskedOfGround::As as) {
    const Vec3d half = box.half[0].cwiseAbs() + box.half[1].cwiseAbs() + box.half[2].cwiseAbs();
    return {{box.middle - half, box.middle + half}, as, box.middle.y() + half.y()};
}

} // namespace

std::vector<AskedOfGround> askedOfGround(const std::vector<BatchPass>& passes) {
    std::vector<AskedOfGround> out;
    using As = AskedOfGround::As;
    constexpr double kWide = 10; // times as far off as it is large
    for (const BatchPass& pass : passes) {
        const double about = aboutOf(pass);
        const double least = pass.batch.chain.bounds.size().minCoeff() / 2; // of its half height, however it leans
        for (std::uint32_t c = 0; c < pass.table.cells.size(); ++c) {
            if (!isAskedOfGround(pass, c))
                continue;
            const CellTable::Cell& cell = pass.table.cells[c];
            const CopyMemory* copies = pass.mixedOf(c);
            // Seen from near by, most directions that a cell lies in hold none of its copies.
            const bool wide = cell.count == 1 || (pass.view.eye - cell.origin).norm() < kWide * cell.half().norm();
            if (!wide || (copies == nullptr && cell.count > 1))
                out.push_back(askedOf(boxOfCell(pass, cell), pass.thins || wide ? As::Whole : As::Any));
            if (!pass.thins && !wide)
                out.back().lowestTop = cell.origin.y() - cell.half().y();
            if (pass.thins || !wide)
                continue;
            for (std::uint32_t k = 0; k < cell.count; ++k) {
                if (copies != nullptr && copies[k].culled != Culled::No)
                    continue;
                const Vec3d middle = pass.table.middleOf(c, cell.first + k);
                const auto scale = static_cast<double>(pass.table.scale[cell.first + k]);
                const Vec3d half = Vec3d::Constant(scale * about);
                if (((pass.view.eye - middle).cwiseAbs() - half).maxCoeff() > 0) // else it is too near to be hidden
                    out.push_back({{middle - half, middle + half}, As::One, middle.y() + scale * least});
            }
        }
    }
    return out;
}

std::vector<AskedOfGround> behindGround(const std::vector<BatchPass>& passes, const std::vector<Place>& hidden) {
    using As = AskedOfGround::As;
    std::vector<AskedOfGround> out;
    for (const Place& place : hidden) {
        if (!place.behindGround)
            continue;
        const BatchPass& pass = passes[place.batch];
        const bool whole = place.copy == SelectState::HiddenPlaces::kAll;
        out.push_back(askedOf(boxOfPlace(pass, place), whole ? As::Whole : As::One));
        if (whole)
            continue;
        // Whatever level it shows by now, it is at least as tall as the finest.
        const Placement copy = pass.grown(pass.table.cells[place.cell].first + place.copy);
        out.back().lowestTop = askedOf(boxOf(pass.batch.chain, copy, 0), As::One).lowestTop;
    }
    return out;
}

} // namespace thicket::detail
