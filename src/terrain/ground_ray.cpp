#include "terrain/ground_ray.h"

#include <algorithm>
#include <cmath>

namespace thicket {
namespace {

/// Where a ray is within a box, in metres along it; empty: nowhere.
std::optional<std::pair<double, double>> within(const Bounds& b, const Vec3d& from, const Vec3d& direction,
                                                double most) {
    double enter = 0;
    double leave = most;
    for (int axis = 0; axis < 3; ++axis) {
        if (std::abs(direction[axis]) < 1e-12) {
            if (from[axis] < b.low[axis] || from[axis] > b.high[axis])
                return std::nullopt;
            continue;
        }
        const double a = (b.low[axis] - from[axis]) / direction[axis];
        const double c = (b.high[axis] - from[axis]) / direction[axis];
        enter = std::max(enter, std::min(a, c));
        leave = std::min(leave, std::max(a, c));
    }
    return enter <= leave ? std::optional(std::pair(enter, leave)) : std::nullopt;
}

/// Steps of half a cell along a stretch, then halving.
std::optional<double> stepAlong(const Heights& h, const Vec3d& from, const Vec3d& direction, double enter,
                                double leave) {
    const auto above = [&](double t) -> std::optional<double> {
        const Vec3d p = from + t * direction;
        const auto height = h.heightAt(p.x(), p.z());
        return height ? std::optional(p.y() - *height) : std::nullopt;
    };
    const double flat = std::hypot(direction.x(), direction.z());
    const double step = std::max(1e-6, std::min(0.5 * h.spacing / std::max(flat, 1e-9), (leave - enter) / 2 + 1e-6));
    double last = enter;
    auto was = above(enter);
    for (double t = enter; last < leave;) {
        t = std::min(t + step, leave);
        const auto is = above(t);
        if (was && is && *was >= 0 && *is < 0) {
            double low = last;
            double high = t;
            for (int k = 0; k < 40; ++k) {
                const double middle = (low + high) / 2;
                const auto m = above(middle);
                (m && *m >= 0 ? low : high) = middle;
            }
            return high;
        }
        was = is;
        last = t;
    }
    return std::nullopt;
}

struct Search {
    const Heights& heights;
    const TileTree& tree;
    const Vec3d& from;
    const Vec3d& direction;
    double best;
    bool found = false;

    void visit(TileTree::Ref r) {
        Bounds box = tree.boundsOf(r);
        box.low.y() -= 1e-6;
        box.high.y() += 1e-6;
        const auto in = within(box, from, direction, best);
        if (!in)
            return;
        if (r.level == 0) {
            if (const auto t = stepAlong(heights, from, direction, in->first, in->second); t && *t < best) {
                best = *t;
                found = true;
            }
            return;
        }
        const TileTree::Level& below = tree.levels[r.level - 1];
        const unsigned east = direction.x() < 0 ? 1 : 0;
        const unsigned south = direction.z() < 0 ? 1 : 0;
        for (unsigned k = 0; k < 4; ++k) { // nearer quarters first
            const TileTree::Ref child{r.level - 1, 2 * r.x + (east ^ (k & 1U)), 2 * r.y + (south ^ (k >> 1U))};
            if (child.x < below.across && child.y < below.down)
                visit(child);
        }
    }
};

} // namespace

std::optional<Vec3d> groundAlong(const Heights& heights, const TileTree& tree, const Vec3d& from,
                                 const Vec3d& direction, double most) {
    Search search{heights, tree, from, direction, most};
    search.visit({static_cast<std::uint32_t>(tree.levels.size() - 1), 0, 0});
    return search.found ? std::optional<Vec3d>(from + search.best * direction) : std::nullopt;
}

} // namespace thicket
