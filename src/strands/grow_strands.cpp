#include "strands/grow_strands.h"

#include "base/parallel.h"
#include "base/text.h"
#include "scatter/spread_order.h"

#include <cmath>
#include <fmt/format.h>
#include <numbers>

namespace thicket {
namespace {

constexpr double kDegrees = std::numbers::pi / 180;

/// The scattering of roots: upright but for what follows the surface; leaning is the strand's own.
ScatterRecipe rootsOf(const StrandRecipe& recipe) {
    ScatterRecipe out = recipe.where;
    ScatterAsset root;
    root.leastSize = root.mostSize = 1;
    root.leanDegrees = 0;
    root.follow = recipe.follow;
    out.assets = {root};
    return out;
}

/// The middle of the clump that a place belongs to: one lies in each square of a grid, somewhere in it.
Vec2d clumpOf(const Vec2d& at, double apart, std::uint64_t seed) {
    const auto x = static_cast<std::int64_t>(std::floor(at.x() / apart));
    const auto z = static_cast<std::int64_t>(std::floor(at.y() / apart));
    Vec2d best = at;
    double nearest = 1e300;
    for (std::int64_t i = x - 1; i <= x + 1; ++i)
        for (std::int64_t k = z - 1; k <= z + 1; ++k) {
            const std::uint64_t which = lot(seed, static_cast<std::uint64_t>(i) * 0x10001ULL) ^
                                        lot(seed + 1, static_cast<std::uint64_t>(k) * 0x20003ULL);
            const Vec2d middle((static_cast<double>(i) + share(which, 1)) * apart,
                               (static_cast<double>(k) + share(which, 2)) * apart);
            if (const double d = (middle - at).squaredNorm(); d < nearest) {
                nearest = d;
                best = middle;
            }
        }
    return best;
}

void growOne(const StrandRecipe& recipe, const Placement& root, const Vec3d& origin, std::uint64_t which, Vec3f* points,
             float* widths) {
    const auto draw = [&](std::uint64_t what) { return share(recipe.where.seed * 0x9E37ULL + what, which); };
    const auto count = static_cast<int>(recipe.points);
    const double length = recipe.length * (1 + recipe.lengthVary * (2 * draw(11) - 1));
    const double step = length / (count - 1);
    const Vec3d up = root.rotation * Vec3d(0, 1, 0);
    const Vec3d side = root.rotation * Vec3d(1, 0, 0);
    const Vec3d across = root.rotation * Vec3d(0, 0, 1);
    const double lean = recipe.leanDegrees * kDegrees * draw(12);
    const double bend = recipe.bendDegrees * kDegrees * (0.5 + draw(13));
    const double turned = 2 * std::numbers::pi * draw(14);
    const Vec2d flat(root.position.x(), root.position.z());
    Vec3d pull(0, 0, 0);
    if (recipe.clump > 0) {
        const Vec2d to = clumpOf(flat, recipe.clumpMetres, recipe.where.seed) - flat;
        pull = recipe.clump * Vec3d(to.x(), 0, to.y());
    }
    Vec3d at(0, 0, 0);
    for (int i = 0; i < count; ++i) {
        const double t = static_cast<double>(i) / (count - 1);
        const double around = turned + 2 * std::numbers::pi * recipe.curl * t;
        const Vec3d curl = recipe.curl > 0
                               ? Vec3d(recipe.curlMetres * t * (std::cos(around) * side + std::sin(around) * across))
                               : Vec3d(0, 0, 0);
        points[i] = (root.position - origin + at + curl + t * t * pull).cast<float>();
        widths[i] = static_cast<float>(recipe.width * (1 - (1 - recipe.tip) * t));
        const double angle = lean + bend * (t + 0.5 / (count - 1));
        at += step * (std::cos(angle) * up + std::sin(angle) * side);
    }
}

} // namespace

std::string problemOf(const StrandRecipe& r) {
    const auto within = [](double v, double low, double high) { return v >= low && v <= high; }; // false for no number
    if (!within(r.length, 1e-4, 1e3))
        return "a length is not between 0.1 mm and 1 km";
    if (!within(r.width, 1e-6, 10))
        return "a width is not between 0.001 mm and 10 m";
    if (!within(r.lengthVary, 0, 0.95) || !within(r.tip, 0, 1) || !within(r.follow, 0, 1) || !within(r.clump, 0, 1))
        return "a share is not between 0 and 1";
    if (!within(r.leanDegrees, 0, 90) || !within(r.bendDegrees, 0, 180))
        return "an angle is out of range";
    if (!within(r.curl, 0, 50) || !within(r.curlMetres, 0, 100) || !within(r.clumpMetres, 1e-3, 1e3))
        return "curl or clumps are out of range";
    if (r.points < 2 || r.points > 64)
        return "a strand has 2 to 64 points";
    return problemOf(rootsOf(r));
}

Result<StrandSet> growStrands(const StrandRecipe& recipe, const ScatterGround& ground, const JobContext& job) {
    if (const std::string problem = problemOf(recipe); !problem.empty())
        return Error{ErrorCode::BadInput, "recipe", problem, "set another value"};
    const ScatterRecipe where = rootsOf(recipe);
    if (const double most = forecast(where, ground);
        most > static_cast<double>(kMostStrands) || most * recipe.points > static_cast<double>(kMostStrandPoints))
        return Error{ErrorCode::TooLarge, "recipe",
                     fmt::format("would grow some {} strands of {} points", shortCount(most), recipe.points),
                     fmt::format("lower the density; at most {} strands and {} points can be grown",
                                 shortCount(static_cast<double>(kMostStrands)),
                                 shortCount(static_cast<double>(kMostStrandPoints)))};
    auto roots = scatter(where, ground, job.part(0, 0.8));
    if (!roots)
        return roots.error();
    StrandSet out;
    Vec3d low = Vec3d::Constant(1e300);
    Vec3d high = -low;
    for (const Placement& root : *roots) {
        low = low.cwiseMin(root.position);
        high = high.cwiseMax(root.position);
    }
    out.origin = ((low + high) / 2).array().round();
    out.first.resize(roots->size() + 1);
    for (std::size_t s = 0; s <= roots->size(); ++s)
        out.first[s] = static_cast<std::uint32_t>(s * recipe.points);
    out.points.resize(roots->size() * recipe.points);
    out.widths.resize(out.points.size());
    constexpr std::size_t kChunk = 4096;
    const bool whole = parallelChunks(roots->size(), kChunk, job.part(0.8, 1), [&](std::size_t begin, std::size_t end) {
        for (std::size_t s = begin; s < end; ++s)
            growOne(recipe, (*roots)[s], out.origin, s, &out.points[out.first[s]], &out.widths[out.first[s]]);
    });
    if (!whole)
        return cancelledError();
    return out;
}

} // namespace thicket
