#include "measure/heat.h"

#include "base/parallel.h"

#include <algorithm>
#include <cmath>

namespace thicket {
namespace {

constexpr std::size_t kHeatChunk = 4096;

double longestEdge(const Mesh& mesh, std::uint32_t triangle) {
    const std::uint32_t* c = &mesh.indices[3 * std::size_t{triangle}];
    double longest = 0;
    for (int k = 0; k < 3; ++k)
        longest =
            std::max(longest, static_cast<double>((mesh.positions[c[k]] - mesh.positions[c[(k + 1) % 3]]).norm()));
    return longest;
}

/// Triangles that come of splitting edges to at most `edge`.
double splitCount(const std::vector<double>& longest, double edge) {
    double count = 0;
    for (const double l : longest) {
        const double n = std::max(1.0, std::ceil(l / edge));
        count += n * n;
    }
    return count;
}

} // namespace

Mesh splitFine(const Mesh& mesh, std::uint32_t triangles) {
    std::vector<double> longest(mesh.triangleCount());
    for (std::uint32_t t = 0; t < mesh.triangleCount(); ++t)
        longest[t] = longestEdge(mesh, t);
    double low = 1e-12;
    double high = std::max(*std::max_element(longest.begin(), longest.end()), 1e-9);
    for (int step = 0; step < 40; ++step) {
        const double middle = std::sqrt(low * high);
        double& end = splitCount(longest, middle) > triangles ? low : high;
        end = middle;
    }
    Mesh out;
    const auto mixed = [](const auto& values, const std::uint32_t* c, float u, float v) {
        return ((1 - u - v) * values[c[0]] + u * values[c[1]] + v * values[c[2]]).eval();
    };
    for (const MeshPart& part : mesh.parts) {
        MeshPart fine{out.triangleCount(), 0, part.material};
        for (std::uint32_t t = part.firstTriangle; t < part.firstTriangle + part.triangleCount; ++t) {
            const std::uint32_t* c = &mesh.indices[3 * std::size_t{t}];
            const auto n = static_cast<std::uint32_t>(std::clamp(std::ceil(longest[t] / high), 1.0, 400.0));
            const std::uint32_t base = out.vertexCount();
            for (std::uint32_t i = 0; i <= n; ++i)
                for (std::uint32_t j = 0; j <= n - i; ++j) {
                    const float u = static_cast<float>(j) / static_cast<float>(n);
                    const float v = static_cast<float>(i) / static_cast<float>(n);
                    out.positions.push_back(mixed(mesh.positions, c, u, v));
                    if (!mesh.normals.empty())
                        out.normals.push_back(mixed(mesh.normals, c, u, v).normalized());
                    if (!mesh.uvs.empty())
                        out.uvs.push_back(mixed(mesh.uvs, c, u, v));
                }
            std::uint32_t row = base; // row i has n - i + 1 vertices
            for (std::uint32_t i = 0; i < n; ++i) {
                const std::uint32_t next = row + n - i + 1;
                for (std::uint32_t j = 0; j < n - i; ++j) {
                    out.indices.insert(out.indices.end(), {row + j, row + j + 1, next + j});
                    if (j + 1 < n - i)
                        out.indices.insert(out.indices.end(), {row + j + 1, next + j + 1, next + j});
                }
                row = next;
            }
        }
        fine.triangleCount = out.triangleCount() - fine.firstTriangle;
        out.parts.push_back(fine);
    }
    return out;
}

Result<Heat> deviationHeat(const Mesh& reference, const SurfaceQuery& referenceQuery, const Mesh& level,
                           const HeatOptions& options, const JobContext& job) {
    job.report(0, "colouring by deviation");
    Heat heat{splitFine(level, std::max(options.triangles, level.triangleCount())), {}};
    const Mesh& mesh = heat.mesh;
    // Vertices of neighbouring triangles are apart but share their place, and with it their value.
    const Weld weld = weldPositions(mesh, job);
    if (job.cancelled())
        return cancelledError();
    std::vector<float> value(weld.pointCount, 0);
    std::vector<float> own(mesh.positions.size());
    parallelChunks(own.size(), kHeatChunk, [&](std::size_t begin, std::size_t end) {
        std::uint32_t near = 0;
        for (std::size_t v = begin; v < end && !job.cancelled(); ++v) {
            const ClosestPoint c = referenceQuery.closest(mesh.positions[v].cast<double>(), near);
            near = c.triangle;
            own[v] = static_cast<float>(c.distance);
        }
    });
    for (std::size_t v = 0; v < own.size(); ++v)
        value[weld.pointOf[v]] = std::max(value[weld.pointOf[v]], own[v]);
    job.report(0.5, "colouring by deviation");

    const SurfaceQuery fine(mesh);
    struct Landed {
        std::uint32_t point = 0;
        float distance = 0;
    };
    std::vector<Landed> landed(reference.positions.size());
    parallelChunks(landed.size(), kHeatChunk, [&](std::size_t begin, std::size_t end) {
        std::uint32_t near = 0;
        for (std::size_t v = begin; v < end && !job.cancelled(); ++v) {
            const ClosestPoint c = fine.closest(reference.positions[v].cast<double>(), near);
            near = c.triangle;
            std::uint32_t nearest = 0;
            double best = HUGE_VAL;
            for (std::size_t k = 0; k < 3; ++k) {
                const std::uint32_t corner = mesh.indices[3 * std::size_t{c.triangle} + k];
                const double d = (mesh.positions[corner].cast<double>() - c.point).squaredNorm();
                if (d < best) {
                    best = d;
                    nearest = weld.pointOf[corner];
                }
            }
            landed[v] = {nearest, static_cast<float>(c.distance)};
        }
    });
    if (job.cancelled())
        return cancelledError();
    for (const Landed& l : landed)
        value[l.point] = std::max(value[l.point], l.distance);
    heat.metres.resize(mesh.positions.size());
    for (std::size_t v = 0; v < heat.metres.size(); ++v)
        heat.metres[v] = value[weld.pointOf[v]];
    return heat;
}

} // namespace thicket
