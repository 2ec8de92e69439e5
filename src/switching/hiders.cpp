#include "switching/hiders.h"

#include "switching/copy_distance.h"

#include <algorithm>
#include <cmath>

namespace thicket::detail {

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
            const double nearest = ((view.eye - cell.origin).cwiseAbs() - cell.half()).cwiseMax(0).norm();
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

namespace {

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

    /// Whether a box that has its middle there may lie in patches together: where they are in the picture, they hold it.
    [[nodiscard]] bool mayLieIn(const Vec3d& middle, const std::vector<Patch>& patches) const {
        constexpr double kRounding = 1e-4;
        const Vec3d from = middle - m_view.eye;
        const double depth = from.dot(m_view.forward);
        if (depth <= m_view.nearMetres)
            return true;
        const double x = from.dot(m_right) / (depth * m_wide);
        const double y = from.dot(m_view.up) / (depth * m_tall);
        if (std::max(std::abs(x), std::abs(y)) >= 1 - kRounding)
            return true;
        return std::any_of(patches.begin(), patches.end(), [&](const Patch& p) {
            return x > p.left - kRounding && x < p.right + kRounding && y > p.bottom - kRounding &&
                   y < p.top + kRounding;
        });
    }

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

/// What the hiders cover of the picture, each a little more than it does.
std::vector<Patch> patchesOf(const std::vector<Hider>& hiders, const std::vector<BatchPass>& passes,
                             const Projector& projector) {
    constexpr double kRounding = 1e-3;
    std::vector<Patch> out;
    for (const Hider& hider : hiders) {
        const BatchPass& pass = passes[hider.batch];
        const double wider = pass.batch.chain.levels[static_cast<std::size_t>(hider.level)].deviationMetres;
        Patch patch = projector.patchOf(boxOf(pass.batch.chain, pass.table.at(hider.slot), wider));
        patch.left -= kRounding;
        patch.right += kRounding;
        patch.bottom -= kRounding;
        patch.top += kRounding;
        out.push_back(patch);
    }
    return out;
}

/// Looks for what may be hidden: in batches copy by copy, and in fields by cells where anything else may be.
class Suspects {
public:
    Suspects(const std::vector<Hider>& hiders, const std::vector<BatchPass>& passes, const View& view)
        : m_hiders(hiders), m_passes(passes), m_projector(view), m_patches(patchesOf(hiders, passes, m_projector)) {
        for (const BatchPass& pass : passes)
            m_light.push_back(allLight(pass));
    }

    Behind find() {
        for (std::uint32_t b = 0; b < m_passes.size(); ++b)
            for (std::uint32_t c = 0; worthABuffer(b) && c < m_passes[b].table.cells.size(); ++c)
                lookInCell(b, c);
        if (m_useful == 0)
            return {};
        for (std::uint32_t b = 0; b < m_passes.size(); ++b)
            for (std::uint32_t c = 0; m_passes[b].thins && c < m_passes[b].table.cells.size(); ++c)
                if ((inField(b, c) & m_useful) != 0)
                    m_out.cells.push_back({b, c});
        m_out.hiders = useful();
        return std::move(m_out);
    }

    /// Only of what was hidden before.
    std::vector<Hider> findAgain(const std::vector<SelectState::HiddenPlaces::Place>& hidden) {
        const std::uint32_t all = (1U << m_hiders.size()) - 1;
        for (const auto& at : hidden) {
            if (at.behindGround || m_useful == all)
                continue;
            if (at.copy == SelectState::HiddenPlaces::kAll)
                m_useful |= overlapping(m_passes[at.batch], at.cell);
            else
                lookBehind(at.batch, at.cell, m_passes[at.batch].table.cells[at.cell].first + at.copy);
        }
        return useful();
    }

private:
    [[nodiscard]] std::vector<Hider> useful() const {
        std::vector<Hider> out;
        for (std::size_t i = 0; i < m_hiders.size(); ++i)
            if ((m_useful >> i & 1U) != 0)
                out.push_back(m_hiders[i]);
        return out;
    }

    /// Hiders that overlap all that a cell may cover of the picture, a bit each.
    [[nodiscard]] std::uint32_t overlapping(const BatchPass& pass, std::uint32_t c) const {
        const Patch patch = m_projector.patchOf(boxOfCell(pass, pass.table.cells[c]));
        std::uint32_t out = 0;
        for (std::size_t i = 0; i < m_patches.size() && !patch.empty(); ++i)
            out |= static_cast<std::uint32_t>(m_patches[i].overlaps(patch)) << i;
        return out;
    }

    /// Of what is light and everywhere, too little is hidden to draw a buffer for it.
    [[nodiscard]] static bool worthABuffer(const BatchPass& pass, std::int8_t level) {
        constexpr std::uint64_t kHeavy = 512; // triangles
        return !pass.thins || trianglesAt(pass.batch, static_cast<std::size_t>(level)) >= kHeavy;
    }

    [[nodiscard]] bool worthABuffer(std::uint32_t b) const {
        return !m_passes[b].batch.chain.levels.empty() && worthABuffer(m_passes[b], 0);
    }

    void lookInCell(std::uint32_t b, std::uint32_t c) {
        const BatchPass& pass = m_passes[b];
        const SelectState::Cell& memory = pass.own.cells[c];
        if (!memory.mixed && memory.all.culled != Culled::No)
            return;
        const std::uint32_t near = overlapping(pass, c);
        const CopyMemory* copies = pass.mixedOf(c);
        // Where all that may hide something is drawn anyway, there is no more to find out.
        const auto known = [&] { return (near & ~m_useful) == 0; };
        bool suspect = near != 0 && known();
        for (std::uint32_t k = 0; k < pass.table.cells[c].count && !(near == 0 || (suspect && known())); ++k) {
            const CopyMemory& copy = copies != nullptr ? copies[k] : memory.all;
            if (copy.culled == Culled::No && worthABuffer(pass, copy.level))
                suspect = lookBehind(b, c, pass.table.cells[c].first + k) || suspect;
        }
        if (suspect && !pass.thins) // fields are gone through once it is known what is drawn
            m_out.cells.push_back({b, c});
    }

    /// Whether a copy may be hidden: by its box at its finest, the least to be covered.
    bool lookBehind(std::uint32_t b, std::uint32_t c, std::uint32_t slot) {
        const BatchPass& pass = m_passes[b];
        if (!pass.thins && !m_projector.mayLieIn(pass.table.middleOf(c, slot), m_patches))
            return false;
        const Placement copy = pass.grown(slot);
        if (pass.thins && !m_projector.mayLieIn(centreOf(copy, pass.batch.chain.bounds), m_patches))
            return false;
        const Patch target = m_projector.patchOf(boxOf(pass.batch.chain, copy, 0));
        if (target.empty() || target.before)
            return false;
        m_nearer.clear();
        std::uint32_t nearer = 0;
        for (std::size_t i = 0; i < m_hiders.size(); ++i) {
            const bool itself = m_hiders[i].batch == b && m_hiders[i].slot == slot; // nothing hides itself
            if (itself || m_patches[i].nearest >= target.nearest || !m_patches[i].overlaps(target))
                continue;
            nearer |= 1U << i;
            m_nearer.push_back(m_patches[i]);
        }
        if (nearer == 0 || !coversAll(m_nearer, target))
            return false;
        m_useful |= nearer;
        return true;
    }

    /// Hiders that what is looked for in a cell of a field may be behind, a bit each.
    [[nodiscard]] std::uint32_t inField(std::uint32_t b, std::uint32_t c) const {
        const BatchPass& pass = m_passes[b];
        const SelectState::Cell& memory = pass.own.cells[c];
        const bool looked = memory.mixed ? !m_light[b] : memory.all.culled == Culled::No;
        return looked ? overlapping(pass, c) : 0;
    }

    const std::vector<Hider>& m_hiders;
    const std::vector<BatchPass>& m_passes;
    Projector m_projector;
    std::vector<Patch> m_patches;
    std::vector<bool> m_light;  ///< a batch: allLight()
    std::uint32_t m_useful = 0; ///< hiders that something may be hidden behind, a bit each
    std::vector<Patch> m_nearer;
    Behind m_out;
};

} // namespace

Behind whatIsBehind(const std::vector<Hider>& chosen, const std::vector<BatchPass>& passes, const View& view) {
    return chosen.empty() ? Behind() : Suspects(chosen, passes, view).find();
}

std::vector<Hider> stillBefore(const std::vector<SelectState::HiddenPlaces::Place>& hidden,
                               const std::vector<Hider>& chosen, const std::vector<BatchPass>& passes,
                               const View& view) {
    return chosen.empty() ? std::vector<Hider>() : Suspects(chosen, passes, view).findAgain(hidden);
}

OrientedBox boxOfCell(const BatchPass& pass, const CellTable::Cell& cell) {
    const double wider = widestOf(pass.batch.chain);
    const double size = pass.sizesIn(cell).second;
    const double most = cell.mostScale * size;
    const Vec3d half = cell.half() + Vec3d::Constant((pass.boxRadius + 1.7321 * wider) * most +
                                                     std::max(0.0, size - 1) * cell.mostScale * pass.offPivot);
    return {cell.origin, {Vec3d(half.x(), 0, 0), Vec3d(0, half.y(), 0), Vec3d(0, 0, half.z())}};
}

double widestOf(const ResolvedChain& chain) {
    double wider = 0;
    for (const LevelCost& level : chain.levels)
        wider = std::max(wider, level.deviationMetres);
    return wider;
}

std::uint64_t trianglesAt(const Batch& batch, std::size_t level) {
    const std::uint64_t of = batch.strands ? std::max<std::size_t>(batch.copies->size(), 1) : 1;
    return batch.chain.levels[level].triangles / of;
}

bool lightAt(const Batch& batch, std::size_t level) {
    constexpr std::uint64_t kLight = 64; // triangles
    return trianglesAt(batch, level) < kLight;
}

bool allLight(const BatchPass& pass) {
    if (!pass.thins)
        return false;
    for (std::size_t level = 0; level < pass.batch.chain.levels.size(); ++level)
        if (!lightAt(pass.batch, level))
            return false;
    return true;
}

} // namespace thicket::detail
