#include "switching/pick_ray.h"

#include <algorithm>
#include <cmath>

namespace thicket {
namespace {

/// Where a ray enters a box of half sizes round the origin, along which unit axes; negative: it does not, or begins in
/// it.
double entry(const Vec3d& from, const Vec3d& along, const Vec3d& half) {
    double enters = -1e300;
    double leaves = 1e300;
    for (int axis = 0; axis < 3; ++axis) {
        if (std::abs(along[axis]) < 1e-12) {
            if (std::abs(from[axis]) > half[axis])
                return -1;
            continue;
        }
        const double a = (-half[axis] - from[axis]) / along[axis];
        const double b = (half[axis] - from[axis]) / along[axis];
        enters = std::max(enters, std::min(a, b));
        leaves = std::min(leaves, std::max(a, b));
    }
    return enters > 0 && enters <= leaves ? enters : -1;
}

} // namespace

std::optional<CopyRef> copyAlong(const SelectInput& input, const SelectState& state, const View& view,
                                 const SelectOptions& options, const Vec3d& origin, const Vec3d& direction,
                                 const std::function<bool(const Batch&)>& takes) {
    std::optional<CopyRef> best;
    double nearest = 1e300;
    for (std::uint32_t b = 0; b < input.batches.size() && b < state.batches.size(); ++b) {
        const Batch& batch = input.batches[b];
        if (state.batches[b].copies != batch.copies || !takes(batch))
            continue;
        const CellTable& table = *batch.copies;
        const double most = hasSizes(batch, options) && !batch.thinning.widths ? Thinning::kMostGrowth : 1;
        for (std::uint32_t c = 0; c < table.cells.size(); ++c) {
            const CellTable::Cell& cell = table.cells[c];
            // How far from the middles of its copies anything of them may be, grown about their pivots.
            const double wide =
                cell.mostScale * most *
                (batch.chain.radius + batch.chain.bounds.diagonal() + batch.chain.bounds.centre().norm());
            const Vec3d to = cell.origin - origin;
            const double along = to.dot(direction);
            if ((to - along * direction).norm() > cell.half().norm() + wide || along < -cell.half().norm() - wide)
                continue;
            for (std::uint32_t k = 0; k < cell.count; ++k) {
                if (state.of(b, c, k).culled != Culled::No)
                    continue;
                Placement p = table.at(cell.first + k);
                if (!batch.thinning.widths)
                    p.scale *= std::max(1e-6, drawnSize(batch, view, options, cell.first + k));
                const Quatd back = p.rotation.conjugate();
                const Vec3d from = back * (origin - p.position) / p.scale - batch.chain.bounds.centre();
                const double at = entry(from, back * direction, batch.chain.bounds.size() / 2) * p.scale;
                if (at > 0 && at < nearest) {
                    nearest = at;
                    best = CopyRef{b, cell.first + k};
                }
            }
        }
    }
    return best;
}

} // namespace thicket
