#include "scatter/scatter.h"

#include "base/parallel.h"
#include "base/text.h"
#include "scatter/spread_order.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>
#include <numbers>

namespace thicket {
namespace {

constexpr double kRadians = std::numbers::pi / 180;
constexpr std::size_t kScatterChunk = 8192;

// What lots are drawn for: one stream each, so that a change of one leaves the others as they are.
enum Stream : std::uint64_t { CornerA = 1, CornerB, Chance, Rounding, Which, Size, Turn, Lean, LeanWay, Order };

std::uint64_t streamOf(const ScatterRecipe& recipe, Stream stream) {
    return lot(recipe.seed, stream);
}

struct Candidate {
    std::uint32_t triangle = 0;
    std::uint64_t lots = 0; ///< its own number for all streams
};

double distanceToLine(const std::vector<Vec2d>& line, const Vec2d& at) {
    double best = 1e300;
    for (std::size_t i = 0; i + 1 < line.size(); ++i) {
        const Vec2d along = line[i + 1] - line[i];
        const double t = std::clamp((at - line[i]).dot(along) / std::max(along.squaredNorm(), 1e-12), 0.0, 1.0);
        best = std::min(best, (line[i] + t * along - at).norm());
    }
    return line.size() == 1 ? (line[0] - at).norm() : best;
}

class Ground {
public:
    Ground(const ScatterRecipe& recipe, const ScatterGround& ground) : m_recipe(recipe), m_ground(ground) {
        m_low = Vec2d::Constant(1e300);
        m_high = -m_low;
        for (const Vec3d& p : ground.points) {
            m_low = m_low.cwiseMin(Vec2d(p.x(), p.z()));
            m_high = m_high.cwiseMax(Vec2d(p.x(), p.z()));
        }
        if (ground.mask.high.x() > ground.mask.low.x()) {
            m_low = ground.mask.low;
            m_high = ground.mask.high;
        }
        // Ground whose triangles all look down was wound the other way round; of a solid thing only the top counts.
        double up = 0;
        for (std::size_t t = 0; t < ground.triangles.size(); ++t)
            up += across(t).y();
        m_out = up < 0 ? -1 : 1;
    }

    /// Twice the area of a triangle times its normal, out of the surface.
    [[nodiscard]] Vec3d across(std::size_t t) const {
        const auto& [a, b, c] = m_ground.triangles[t];
        return m_out * (m_ground.points[b] - m_ground.points[a]).cross(m_ground.points[c] - m_ground.points[a]);
    }
    [[nodiscard]] double areaOf(std::size_t t) const {
        const Vec3d n = across(t);
        const double area = n.norm() / 2;
        if (!(area > 0))
            return 0;
        return m_ground.drape || slopeFits(n.y() / (2 * area)) ? area : 0;
    }
    /// Moves a place to the ground below or above it; false where there is none or it is too steep or too level.
    [[nodiscard]] bool drape(Vec3d& p) const {
        if (!m_ground.drape)
            return true;
        const auto place = m_ground.drape(p.x(), p.z());
        if (!place || !slopeFits(place->normal.y()))
            return false;
        p.y() = place->height;
        return true;
    }
    [[nodiscard]] Vec3d normalAt(std::size_t t, const Vec3d& p) const {
        if (m_ground.drape)
            if (const auto place = m_ground.drape(p.x(), p.z()))
                return place->normal;
        return across(t).normalized();
    }
    [[nodiscard]] Vec3d at(std::size_t t, double u, double v) const {
        if (u + v > 1) {
            u = 1 - u;
            v = 1 - v;
        }
        const auto& [a, b, c] = m_ground.triangles[t];
        return m_ground.points[a] + u * (m_ground.points[b] - m_ground.points[a]) +
               v * (m_ground.points[c] - m_ground.points[a]);
    }
    /// How much of the full density there is, 0..1.
    [[nodiscard]] double densityAt(const Vec3d& p) const {
        if (p.y() < m_recipe.leastHeight || p.y() > m_recipe.mostHeight)
            return 0;
        const Vec2d map(p.x(), p.z());
        for (const ScatterGround::Outline& outline : m_ground.outlines) {
            double away = distanceToLine(outline.line, map);
            for (const auto& circle : outline.circles)
                away = std::min(away, std::max(0.0, (circle.centre - map).norm() - circle.radius));
            if (away < outline.least || away > outline.most)
                return 0;
        }
        return maskAt(map);
    }

private:
    /// By the upward part of a unit normal.
    [[nodiscard]] bool slopeFits(double up) const {
        const double slope = std::acos(std::clamp(up, -1.0, 1.0)) / kRadians;
        return slope >= m_recipe.leastSlope - 1e-9 && slope <= m_recipe.mostSlope + 1e-9;
    }
    [[nodiscard]] double maskAt(const Vec2d& map) const {
        const ScatterGround::Mask& mask = m_ground.mask;
        if (mask.grey.empty())
            return 1;
        const Vec2d size = (m_high - m_low).cwiseMax(1e-9);
        const double x = std::clamp((map.x() - m_low.x()) / size.x() * mask.width - 0.5, 0.0, mask.width - 1.0);
        const double y = std::clamp((map.y() - m_low.y()) / size.y() * mask.height - 0.5, 0.0, mask.height - 1.0);
        const int x0 = static_cast<int>(x);
        const int y0 = static_cast<int>(y);
        const int x1 = std::min(x0 + 1, mask.width - 1);
        const int y1 = std::min(y0 + 1, mask.height - 1);
        const auto grey = [&mask](int column, int row) {
            return mask.grey[static_cast<std::size_t>(row) * static_cast<std::size_t>(mask.width) +
                             static_cast<std::size_t>(column)] /
                   255.0;
        };
        const double fx = x - x0;
        const double fy = y - y0;
        return (grey(x0, y0) * (1 - fx) + grey(x1, y0) * fx) * (1 - fy) +
               (grey(x0, y1) * (1 - fx) + grey(x1, y1) * fx) * fy;
    }

    const ScatterRecipe& m_recipe;
    const ScatterGround& m_ground;
    Vec2d m_low;
    Vec2d m_high;
    double m_out = 1; ///< -1: triangles are wound the other way round
};

/// How many places are tried for each copy that is wanted: the most even of them are taken.
double triedFor(double copies) {
    constexpr double kFew = 1e6;
    return copies > kFew ? 2 : 3;
}

Placement placementOf(const ScatterRecipe& recipe, const std::vector<double>& upTo, const Vec3d& position,
                      const Vec3d& normal, std::uint64_t lots) {
    Placement out;
    const double which = share(streamOf(recipe, Which), lots) * upTo.back();
    out.asset = static_cast<std::uint32_t>(
        std::min<std::ptrdiff_t>(std::upper_bound(upTo.begin(), upTo.end(), which) - upTo.begin(),
                                 static_cast<std::ptrdiff_t>(upTo.size()) - 1));
    const ScatterAsset& asset = recipe.assets[out.asset];
    out.position = position;
    out.scale = asset.leastSize + (asset.mostSize - asset.leastSize) * share(streamOf(recipe, Size), lots);
    const double turn = asset.turnDegrees * kRadians * (share(streamOf(recipe, Turn), lots) - 0.5);
    const double lean = asset.leanDegrees * kRadians * std::sqrt(share(streamOf(recipe, Lean), lots));
    const double way = 2 * std::numbers::pi * share(streamOf(recipe, LeanWay), lots);
    const Vec3d up = (kUp + asset.follow * (normal - kUp)).normalized();
    out.rotation = Quatd::FromTwoVectors(kUp, up) *
                   Quatd(Eigen::AngleAxisd(lean, Vec3d(std::cos(way), 0, std::sin(way)))) *
                   Quatd(Eigen::AngleAxisd(turn, kUp));
    out.rotation.normalize();
    return out;
}

} // namespace

ScatterGround levelGround(const ScatterRecipe& r) {
    ScatterGround out;
    out.points = {{r.lowX, r.groundHeight, r.lowZ},
                  {r.highX, r.groundHeight, r.lowZ},
                  {r.highX, r.groundHeight, r.highZ},
                  {r.lowX, r.groundHeight, r.highZ}};
    out.triangles = {{0, 2, 1}, {0, 3, 2}};
    return out;
}

std::string problemOf(const ScatterRecipe& r) {
    if (r.assets.empty())
        return "names nothing to scatter";
    if (!(r.density > 0) || !std::isfinite(r.density))
        return "needs a density above 0";
    if (r.surface == 0 && !(r.highX > r.lowX && r.highZ > r.lowZ))
        return "has a rectangle without area";
    double weights = 0;
    for (const ScatterAsset& a : r.assets) {
        if (!(a.leastSize > 0 && a.mostSize >= a.leastSize && a.mostSize <= 1e4))
            return "has sizes that are not above 0 and rising";
        if (!(a.weight >= 0))
            return "has a weight below 0";
        weights += a.weight;
    }
    if (!(weights > 0))
        return "has no weight above 0";
    if (!(r.leastSlope <= r.mostSlope))
        return "has slopes that do not rise";
    if (!(r.leastHeight <= r.mostHeight))
        return "has heights that do not rise";
    return {};
}

double forecast(const ScatterRecipe& recipe, const ScatterGround& of) {
    const Ground ground(recipe, of);
    double area = 0;
    for (std::size_t t = 0; t < of.triangles.size(); ++t)
        area += ground.areaOf(t);
    return area * recipe.density;
}

Result<Placements> scatter(const ScatterRecipe& recipe, const ScatterGround& of, const JobContext& job) {
    if (std::string problem = problemOf(recipe); !problem.empty())
        return Error{ErrorCode::BadInput, "recipe", std::move(problem), "change it and scatter again"};
    const double most = forecast(recipe, of);
    if (!(most <= kMostScattered))
        return Error{ErrorCode::TooLarge, "recipe",
                     fmt::format("would make some {} copies, more than {}",
                                 most < 1e15 ? grouped(static_cast<std::int64_t>(most)) : fmt::format("{:.1e}", most),
                                 grouped(static_cast<std::int64_t>(kMostScattered))),
                     "lower the density or scatter on less ground"};
    const Ground ground(recipe, of);
    const double tried = triedFor(most);
    // Places that are tried: of each triangle as many as its area asks for.
    std::vector<Candidate> candidates;
    candidates.reserve(static_cast<std::size_t>(most * tried * 1.01) + 16);
    for (std::size_t t = 0; t < of.triangles.size(); ++t) {
        const double expected = ground.areaOf(t) * recipe.density * tried;
        const auto count = static_cast<std::uint64_t>(expected + share(streamOf(recipe, Rounding), t));
        for (std::uint64_t k = 0; k < count; ++k)
            candidates.push_back({static_cast<std::uint32_t>(t), lot(t, k)});
    }
    std::vector<Vec3d> places(candidates.size());
    std::vector<float> apart(candidates.size());
    const bool whole = parallelChunks(candidates.size(), kScatterChunk, job, [&](std::size_t from, std::size_t to) {
        for (std::size_t i = from; i < to; ++i) {
            const Candidate& c = candidates[i];
            places[i] = ground.at(c.triangle, share(streamOf(recipe, CornerA), c.lots),
                                  share(streamOf(recipe, CornerB), c.lots));
            const double density = ground.drape(places[i]) ? ground.densityAt(places[i]) : 0;
            const bool taken = share(streamOf(recipe, Chance), c.lots) < density;
            constexpr double kFarthest = 5; // where next to nothing grows, it need not be spread that well
            apart[i] = taken ? static_cast<float>(std::min(kFarthest, 1 / std::sqrt(density))) : 0.0F;
        }
    });
    if (!whole)
        return cancelledError();
    job.report(0.15, "choosing places");
    std::size_t left = 0;
    bool even = true;
    for (std::size_t i = 0; i < candidates.size(); ++i)
        if (apart[i] > 0) {
            candidates[left] = candidates[i];
            places[left] = places[i];
            apart[left++] = apart[i];
            even &= apart[left - 1] == 1.0F;
        }
    candidates.resize(left);
    places.resize(left);
    apart.resize(even ? 0 : left);
    if (left == 0)
        return Error{ErrorCode::BadInput, "recipe", "leaves no place to scatter on",
                     "widen its limits of slope, height, distance, or change the mask"};
    const auto wanted =
        std::max<std::size_t>(1, static_cast<std::size_t>(std::llround(static_cast<double>(left) / tried)));
    auto order = spreadOrder(places, apart, wanted, streamOf(recipe, Order), job.part(0.15, 0.95));
    if (!order)
        return order.error();
    std::vector<double> upTo;
    for (const ScatterAsset& a : recipe.assets)
        upTo.push_back((upTo.empty() ? 0 : upTo.back()) + a.weight);
    Placements out(order->size());
    parallelChunks(out.size(), kScatterChunk, [&](std::size_t from, std::size_t to) {
        for (std::size_t i = from; i < to; ++i) {
            const std::uint32_t c = (*order)[i];
            out[i] = placementOf(recipe, upTo, places[c], ground.normalAt(candidates[c].triangle, places[c]),
                                 candidates[c].lots);
        }
    });
    return out;
}

Result<Placements> inSpreadOrder(const Placements& copies, const JobContext& job) {
    std::vector<Vec3d> places;
    places.reserve(copies.size());
    for (const Placement& copy : copies)
        places.push_back(copy.position);
    auto order = spreadOrder(places, {}, places.size(), 1, job);
    if (!order)
        return order.error();
    Placements out;
    out.reserve(copies.size());
    for (const std::uint32_t i : *order)
        out.push_back(copies[i]);
    return out;
}

} // namespace thicket
