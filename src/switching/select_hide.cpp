// What is hidden behind other copies: the few that may hide most are drawn into a small buffer of depths, then cells,
// then copies, are looked for behind them.

#include "base/parallel.h"
#include "switching/batch_pass.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <span>

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
        if (pass.thins) // those on their way out hide less than their occluders would
            continue;
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

/// What a box covers of the picture at most: -1..1 each way, cut off at its edges; all of it where the box comes before
/// the near plane.
struct Patch {
    double left = -1;
    double right = 1;
    double bottom = -1;
    double top = 1;
    double nearest = 0; ///< depth, metres
    bool before = true; ///< some of it is before the near plane

    [[nodiscard]] bool empty() const { return left >= right || bottom >= top; }
    [[nodiscard]] bool overlaps(const Patch& o) const {
        return left < o.right && o.left < right && bottom < o.top && o.bottom < top;
    }
};

class Projector {
public:
    explicit Projector(const View& view)
        : m_view(view), m_right(view.forward.cross(view.up)), m_tall(std::tan(view.fovY / 2)),
          m_wide(m_tall * view.aspect) {}

    [[nodiscard]] Patch patchOf(const OrientedBox& box) const {
        const Vec3d from = box.middle - m_view.eye;
        Patch out;
        out.nearest = from.dot(m_view.forward);
        for (const Vec3d& half : box.half)
            out.nearest -= std::abs(half.dot(m_view.forward));
        out.before = out.nearest <= m_view.nearMetres;
        if (out.before)
            return out;
        Patch tight{1e9, -1e9, 1e9, -1e9, out.nearest, false};
        for (int k = 0; k < 8; ++k) {
            Vec3d p = from;
            for (int axis = 0; axis < 3; ++axis)
                p += ((k >> axis) & 1) != 0 ? box.half[static_cast<std::size_t>(axis)]
                                            : Vec3d(-box.half[static_cast<std::size_t>(axis)]);
            const double depth = p.dot(m_view.forward);
            const double x = p.dot(m_right) / (depth * m_wide);
            const double y = p.dot(m_view.up) / (depth * m_tall);
            tight = {std::min(tight.left, x),
                     std::max(tight.right, x),
                     std::min(tight.bottom, y),
                     std::max(tight.top, y),
                     tight.nearest,
                     false};
        }
        tight.left = std::max(tight.left, -1.0);
        tight.right = std::min(tight.right, 1.0);
        tight.bottom = std::max(tight.bottom, -1.0);
        tight.top = std::min(tight.top, 1.0);
        return tight;
    }

private:
    const View& m_view;
    Vec3d m_right;
    double m_tall;
    double m_wide;
};

/// Whether patches together leave nothing of another one free: looked at between all of their edges.
bool coversAll(const std::vector<Patch>& patches, const Patch& of) {
    std::vector<double> xs{of.left, of.right};
    std::vector<double> ys{of.bottom, of.top};
    for (const Patch& p : patches) {
        for (const double x : {p.left, p.right})
            if (x > of.left && x < of.right)
                xs.push_back(x);
        for (const double y : {p.bottom, p.top})
            if (y > of.bottom && y < of.top)
                ys.push_back(y);
    }
    std::sort(xs.begin(), xs.end());
    std::sort(ys.begin(), ys.end());
    for (std::size_t i = 1; i < xs.size(); ++i)
        for (std::size_t k = 1; k < ys.size(); ++k) {
            const double x = (xs[i - 1] + xs[i]) / 2;
            const double y = (ys[k - 1] + ys[k]) / 2;
            if (std::none_of(patches.begin(), patches.end(),
                             [&](const Patch& p) { return x > p.left && x < p.right && y > p.bottom && y < p.top; }))
                return false;
        }
    return true;
}

/// A box that holds all copies of a cell, whatever way they are turned and whatever level they show.
OrientedBox boxOfCell(const BatchPass& pass, const CellTable::Cell& cell) {
    double wider = 0;
    for (const LevelCost& level : pass.batch.chain.levels)
        wider = std::max(wider, level.deviationMetres);
    const double size = pass.sizesIn(cell).second;
    const double most = cell.mostScale * size;
    const Vec3d half = cell.half + Vec3d::Constant((pass.boxRadius + 1.7321 * wider) * most +
                                                   std::max(0.0, size - 1) * cell.mostScale * pass.offPivot);
    return {cell.origin, {Vec3d(half.x(), 0, 0), Vec3d(0, half.y(), 0), Vec3d(0, 0, half.z())}};
}

/// Leaves only hiders that something could be hidden behind: what is hidden lies with all of its patch behind the
/// patches of others. Drawing is dear, and mostly nothing stands behind anything.
void keepUseful(std::vector<Hider>& hiders, const std::vector<BatchPass>& passes, const View& view) {
    constexpr double kRounding = 1e-3;
    constexpr std::uint32_t kFew = 32; // copies of a cell that are looked at one by one
    const Projector projector(view);
    std::vector<Patch> patches;
    for (const Hider& hider : hiders) {
        const BatchPass& pass = passes[hider.batch];
        const double wider = pass.batch.chain.levels[static_cast<std::size_t>(hider.level)].deviationMetres;
        Patch patch = projector.patchOf(boxOf(pass.batch.chain, pass.table.at(hider.slot), wider));
        patch.left -= kRounding;
        patch.right += kRounding;
        patch.bottom -= kRounding;
        patch.top += kRounding;
        patches.push_back(patch);
    }
    std::vector<bool> useful(hiders.size(), false);
    std::vector<std::size_t> nearer;
    std::vector<Patch> before;
    // `whole`: all of the target must be hidden for it to make a difference; of a cell any part may. Nothing hides
    // itself.
    const auto look = [&](const Patch& target, bool whole, std::uint32_t batch, std::uint32_t slot) {
        if (target.empty() || (whole && target.before))
            return;
        nearer.clear();
        before.clear();
        for (std::size_t i = 0; i < hiders.size(); ++i) {
            const bool itself = whole && hiders[i].batch == batch && hiders[i].slot == slot;
            if (itself || (whole && patches[i].nearest >= target.nearest) || !patches[i].overlaps(target))
                continue;
            nearer.push_back(i);
            before.push_back(patches[i]);
        }
        if (nearer.empty() || (whole && !coversAll(before, target)))
            return;
        for (const std::size_t i : nearer)
            useful[i] = true;
    };
    for (std::uint32_t b = 0; b < passes.size(); ++b) {
        const BatchPass& pass = passes[b];
        if (pass.thins) // of what is light and everywhere, too little is hidden to draw a buffer for it
            continue;
        for (std::uint32_t c = 0; c < pass.table.cells.size(); ++c) {
            const CellTable::Cell& cell = pass.table.cells[c];
            const SelectState::Cell& memory = pass.own.cells[c];
            if (!memory.mixed && memory.all.culled != Culled::No)
                continue;
            if (cell.count > kFew) {
                look(projector.patchOf(boxOfCell(pass, cell)), false, b, 0);
                continue;
            }
            const CopyMemory* copies = pass.mixedOf(c);
            for (std::uint32_t k = 0; k < cell.count; ++k) // by their boxes at their finest, the least to be covered
                if ((copies != nullptr ? copies[k] : memory.all).culled == Culled::No)
                    look(projector.patchOf(boxOf(pass.batch.chain, pass.grown(cell.first + k), 0)), true, b,
                         cell.first + k);
        }
    }
    std::size_t kept = 0;
    for (std::size_t i = 0; i < hiders.size(); ++i)
        if (useful[i])
            hiders[kept++] = hiders[i];
    hiders.resize(kept);
}

/// How far a level may stand out of the box of the finest, and one that fades into it: by as much as it is off.
double widerOf(const ResolvedChain& chain, const CopyMemory& copy) {
    double wider = chain.levels[static_cast<std::size_t>(copy.level)].deviationMetres;
    if (copy.fadingFrom >= 0)
        wider = std::max(wider, chain.levels[static_cast<std::size_t>(copy.fadingFrom)].deviationMetres);
    return wider;
}

/// So light that looking whether it is hidden costs more than drawing it.
bool lightOf(const LevelCost& level) {
    constexpr std::uint32_t kLight = 64;
    return level.triangles < kLight;
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

/// `about` and `shift` as aboutOf and shiftOf say; `allLight`: single copies are not worth a look.
void hideIn(const BatchPass& pass, std::uint32_t index, const Cover& all, double about, double shift, bool allLight) {
    const CellTable::Cell& cell = pass.table.cells[index];
    const SelectState::Cell& memory = pass.own.cells[index];
    const ResolvedChain& chain = pass.batch.chain;
    const CopyMemory* copies = pass.mixedOf(index);
    if (copies == nullptr ? memory.all.culled != Culled::No : allLight)
        return;
    Cover lookedAt = all;
    // What is light and everywhere is looked for behind ground by cells that are one decision: others would have to be
    // decided anew in every frame that they are hidden.
    if (pass.thins && copies != nullptr)
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
    if (allLight || cover.empty())
        return;
    bool any = false;
    const NearMiddles middles(pass, cell);
    for (std::uint32_t k = 0; k < cell.count; ++k) {
        const CopyMemory copy = copies != nullptr ? copies[k] : memory.all;
        if (copy.culled != Culled::No || (pass.thins && lightOf(chain.levels[static_cast<std::size_t>(copy.level)])))
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
    auto hiders = chooseHiders(passes, view);
    const auto chosen = static_cast<std::uint32_t>(hiders.size());
    keepUseful(hiders, passes, view);
    if (hiders.empty() && grounds.empty())
        return chosen;
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
    const Cover cover{hiders.empty() ? nullptr : halves.data(), grounds};
    struct Part {
        const BatchPass* pass;
        std::uint32_t from;
        std::uint32_t to;
        double about;
        double shift;
        bool allLight;
    };
    constexpr std::uint32_t kTogether = 64;
    constexpr std::size_t kManyCells = 256; // fewer are gone through sooner than threads are woken
    std::vector<Part> parts;
    std::size_t cells = 0;
    for (const BatchPass& pass : passes) {
        const auto& levels = pass.batch.chain.levels;
        const bool allLight = pass.thins && std::all_of(levels.begin(), levels.end(), lightOf);
        const auto count = static_cast<std::uint32_t>(pass.table.cells.size());
        const double about = aboutOf(pass);
        const double shift = shiftOf(pass);
        cells += count;
        for (std::uint32_t from = 0; from < count; from += kTogether)
            parts.push_back({&pass, from, std::min(count, from + kTogether), about, shift, allLight});
    }
    const auto hideParts = [&](std::size_t from, std::size_t to) {
        for (std::size_t i = from; i < to; ++i)
            for (std::uint32_t c = parts[i].from; c < parts[i].to; ++c)
                hideIn(*parts[i].pass, c, cover, parts[i].about, parts[i].shift, parts[i].allLight);
    };
    if (cells < kManyCells) {
        hideParts(0, parts.size());
    } else {
        for (const BatchPass& pass : passes)
            pass.prepare();
        parallelChunks(parts.size(), 1, hideParts);
    }
    return chosen;
}

} // namespace thicket::detail
