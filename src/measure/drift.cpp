#include "measure/drift.h"

#include "base/parallel.h"
#include "measure/stratified.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace thicket {
namespace {

constexpr std::size_t kSampleChunk = 256;
constexpr std::size_t kMostNear = 2048; // triangles that are looked at round one point
constexpr double kFarthest = 0.05;      // of the diagonal
constexpr double kOutside = 1e-3;       // barycentric slack for points on an edge of the texture
constexpr double kFlatTexture = 1e-14;  // twice a UV area; below, a triangle shows one texel only

std::vector<std::uint32_t> materialOfTriangles(const Mesh& mesh) {
    std::vector<std::uint32_t> out(mesh.triangleCount(), 0);
    for (const MeshPart& part : mesh.parts)
        std::fill_n(out.begin() + part.firstTriangle, part.triangleCount, part.material);
    return out;
}

/// One end of the comparison with what is looked up of it for every sample.
struct Side {
    const Mesh& mesh;
    std::vector<std::uint32_t> material = materialOfTriangles(mesh);

    [[nodiscard]] Vec3d corner(std::uint32_t t, std::size_t k) const {
        return mesh.positions[mesh.indices[3 * std::size_t{t} + k]].cast<double>();
    }
    [[nodiscard]] Eigen::Vector2d uv(std::uint32_t t, std::size_t k) const {
        return mesh.uvs[mesh.indices[3 * std::size_t{t} + k]].cast<double>();
    }
    [[nodiscard]] Vec3d normal(std::uint32_t t, const Vec3d& at) const {
        const Vec3d a = corner(t, 0);
        const Vec3d ab = corner(t, 1) - a;
        const Vec3d ac = corner(t, 2) - a;
        const Vec3d cross = ab.cross(ac);
        const double size = cross.squaredNorm();
        const double v = size > 0 ? ab.cross(at - a).dot(cross) / size : 0;
        const double u = size > 0 ? (at - a).cross(ac).dot(cross) / size : 0;
        const std::uint32_t* c = &mesh.indices[3 * std::size_t{t}];
        return (1 - u - v) * mesh.normals[c[0]].cast<double>() + u * mesh.normals[c[1]].cast<double>() +
               v * mesh.normals[c[2]].cast<double>();
    }
    /// Texels of a picture one texel wide that a metre of the triangle spans.
    [[nodiscard]] double uvPerMetre(std::uint32_t t) const {
        const Eigen::Vector2d e = uv(t, 1) - uv(t, 0);
        const Eigen::Vector2d f = uv(t, 2) - uv(t, 0);
        const double area = (corner(t, 1) - corner(t, 0)).cross(corner(t, 2) - corner(t, 0)).norm();
        return area > 0 ? std::sqrt(std::abs(e.x() * f.y() - e.y() * f.x()) / area) : 0;
    }
    /// Where the triangle shows a UV, if it does.
    [[nodiscard]] std::optional<Vec3d> placeOf(std::uint32_t t, const Eigen::Vector2d& wanted,
                                               const Vec3d& near) const {
        const Eigen::Vector2d a = uv(t, 0);
        const Eigen::Vector2d e = uv(t, 1) - a;
        const Eigen::Vector2d f = uv(t, 2) - a;
        const Eigen::Vector2d w = wanted - a;
        const double twice = e.x() * f.y() - e.y() * f.x();
        if (std::abs(twice) < kFlatTexture) {
            if (w.squaredNorm() > 1e-8)
                return std::nullopt;
            return closestPointOnTriangle(near, corner(t, 0), corner(t, 1), corner(t, 2));
        }
        const double u = (w.x() * f.y() - w.y() * f.x()) / twice;
        const double v = (e.x() * w.y() - e.y() * w.x()) / twice;
        if (u < -kOutside || v < -kOutside || u + v > 1 + kOutside)
            return std::nullopt;
        return Vec3d((1 - u - v) * corner(t, 0) + u * corner(t, 1) + v * corner(t, 2));
    }
};

struct Moved {
    double metres = 0;
    double uv = 0; ///< the same as a share of the texture's width
};

/// Searched round the closest point, so that what is off the surface is deviation and only the way along it is drift.
Moved textureDrift(const Side& reference, const SurfaceQuery& query, double diagonal, const Eigen::Vector2d& uv,
                   std::uint32_t material, const ClosestPoint& closest, std::vector<std::uint32_t>& near) {
    const std::uint32_t own = closest.triangle;
    const double size = std::max((reference.corner(own, 1) - reference.corner(own, 0)).norm(),
                                 (reference.corner(own, 2) - reference.corner(own, 0)).norm());
    double reach = std::clamp(size / 2, 1e-6 * diagonal, kFarthest * diagonal);
    while (true) {
        query.within(closest.point, reach, kMostNear, near);
        double best = HUGE_VAL;
        std::uint32_t at = own;
        for (const std::uint32_t t : near) {
            if (reference.material[t] != material)
                continue;
            const auto place = reference.placeOf(t, uv, closest.point);
            if (!place)
                continue;
            const double away = (*place - closest.point).norm();
            if (away < best || (away == best && t < at)) {
                best = away;
                at = t;
            }
        }
        const bool all = near.size() < kMostNear;
        if (best <= reach || (best < HUGE_VAL && !all))
            return {best, best * reference.uvPerMetre(at)};
        if (!all || reach >= kFarthest * diagonal)
            return {reach, reach * reference.uvPerMetre(own)};
        reach = std::min(kFarthest * diagonal, best < HUGE_VAL ? best * 1.000001 : 2 * reach);
    }
}

DriftSpread spreadOf(std::vector<double>& values) {
    DriftSpread out;
    if (values.empty())
        return out;
    double squares = 0;
    for (const double v : values) {
        out.max = std::max(out.max, v);
        squares += v * v;
    }
    out.rms = std::sqrt(squares / static_cast<double>(values.size()));
    const auto rank = values.begin() + static_cast<std::ptrdiff_t>(0.99 * static_cast<double>(values.size() - 1));
    std::nth_element(values.begin(), rank, values.end());
    out.p99 = *rank;
    return out;
}

} // namespace

Result<Drift> measureDrift(const Mesh& referenceMesh, const SurfaceQuery& query, const Mesh& levelMesh,
                           const DriftOptions& options, const JobContext& job) {
    Drift drift;
    const bool textured = !referenceMesh.uvs.empty() && !levelMesh.uvs.empty();
    const bool shaded = !referenceMesh.normals.empty() && !levelMesh.normals.empty();
    // Levels of few triangles need fewer points, several a triangle.
    constexpr std::uint32_t kFewest = 5'000;
    constexpr std::uint32_t kOfTriangle = 4;
    const std::uint32_t samples =
        std::max(1U, std::min(options.samples,
                              std::max(kFewest, kOfTriangle * std::min(levelMesh.triangleCount(), options.samples))));
    const StratifiedPlaces places(levelMesh, samples);
    if (!places.any() || (!textured && !shaded))
        return drift;
    const Side reference{referenceMesh};
    const Side level{levelMesh};
    const double diagonal = boundsOf(referenceMesh).diagonal();
    std::vector<double> metres(textured ? samples : 0);
    std::vector<double> texels(metres.size());
    std::vector<double> degrees(shaded ? samples : 0);
    parallelChunks(samples, kSampleChunk, [&](std::size_t begin, std::size_t end) {
        if (job.cancelled())
            return;
        std::vector<std::uint32_t> near;
        std::uint32_t hint = 0;
        for (std::size_t i = begin; i < end; ++i) {
            const SurfacePlace place = places.place(static_cast<std::uint32_t>(i));
            const Vec3d point = valueAt(levelMesh, levelMesh.positions, place).cast<double>();
            const ClosestPoint closest = query.closest(point, hint);
            hint = closest.triangle;
            if (shaded) {
                const Vec3d own = valueAt(levelMesh, levelMesh.normals, place).cast<double>();
                query.within(closest.point, closest.distance + 1e-6 * diagonal, kMostNear, near);
                double cosine = -1;
                for (const std::uint32_t t : near) {
                    const Vec3d at = closestPointOnTriangle(point, reference.corner(t, 0), reference.corner(t, 1),
                                                            reference.corner(t, 2));
                    const Vec3d other = reference.normal(t, at);
                    if (const double both = own.norm() * other.norm(); both > 0)
                        cosine = std::max(cosine, own.dot(other) / both);
                }
                degrees[i] = std::acos(std::clamp(cosine, -1.0, 1.0)) * 180 / std::numbers::pi;
            }
            if (textured) {
                const std::uint32_t material = level.material[place.triangle];
                const Moved moved =
                    textureDrift(reference, query, diagonal, valueAt(levelMesh, levelMesh.uvs, place).cast<double>(),
                                 material, closest, near);
                metres[i] = moved.metres;
                texels[i] = material < options.texelsAcross.size() ? moved.uv * options.texelsAcross[material] : 0;
            }
        }
    });
    if (job.cancelled())
        return cancelledError();
    if (textured) {
        drift.textureMetres = spreadOf(metres);
        if (std::any_of(options.texelsAcross.begin(), options.texelsAcross.end(), [](int n) { return n > 0; }))
            drift.textureTexels = spreadOf(texels);
    }
    if (shaded)
        drift.normalDegrees = spreadOf(degrees);
    return drift;
}

} // namespace thicket
