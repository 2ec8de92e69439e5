// Even rebuild: edges of one length, on the same surface, with lines and attributes kept.

#include "measure/deviation.h"
#include "reduce/rebuild.h"
#include "support/shapes.h"
#include "support/sound.h"

#include <gtest/gtest.h>

namespace thicket {
namespace {

Mesh rebuilt(const Mesh& mesh, std::uint32_t triangles) {
    const SurfaceQuery query(mesh);
    RebuildOptions options;
    options.triangles = triangles;
    auto made = rebuildEven(mesh, query, mesh, options, {});
    EXPECT_TRUE(made);
    return std::move(*made);
}

struct Shape {
    double least = 1; ///< 1: equilateral
    double mean = 0;
    double longest = 0; ///< edge, metres
    double shortest = 1e9;
};

Shape measuresOf(const Mesh& mesh) {
    Shape out;
    for (std::uint32_t t = 0; t < mesh.triangleCount(); ++t) {
        double sum = 0;
        for (std::size_t k = 0; k < 3; ++k) {
            const double edge = static_cast<double>((mesh.positions[mesh.indices[3 * std::size_t{t} + k]] -
                                                     mesh.positions[mesh.indices[3 * std::size_t{t} + (k + 1) % 3]])
                                                        .norm());
            sum += edge * edge;
            out.longest = std::max(out.longest, edge);
            out.shortest = std::min(out.shortest, edge);
        }
        const double quality = 4 * std::sqrt(3.0) * shapes::area(mesh, t) / sum;
        out.least = std::min(out.least, quality);
        out.mean += quality / mesh.triangleCount();
    }
    return out;
}

TEST(Rebuild, gives_even_triangles_on_the_same_closed_surface) {
    // Long thin triangles of a torus become even ones.
    const Mesh torus = shapes::torus(400, 12, 1, 0.4);
    const Mesh made = rebuilt(torus, 6000);
    shapes::expectSound(made);
    EXPECT_TRUE(shapes::isClosed(made));
    EXPECT_NEAR(made.triangleCount(), 6000, 900);
    const Shape before = measuresOf(torus);
    const Shape after = measuresOf(made);
    EXPECT_LT(before.mean, 0.5);
    EXPECT_GT(after.mean, 0.92);
    EXPECT_GT(after.least, 0.3);
    EXPECT_LT(after.longest, 4 * after.shortest);
    const auto deviation = measureDeviation(torus, made, {}, {});
    EXPECT_LT(deviation->max(), 0.04);
}

TEST(Rebuild, keeps_the_edges_of_a_box_and_the_holes_of_a_plate) {
    const Mesh box = shapes::box(5, {2, 1, 0.5});
    const Mesh made = rebuilt(box, 4000);
    shapes::expectSound(made);
    EXPECT_TRUE(shapes::isClosed(made));
    EXPECT_LT(measureDeviation(box, made, {}, {})->max(), 1e-6);
    EXPECT_GT(measuresOf(made).mean, 0.85);
    const Mesh plate = shapes::plateWithHoles(20);
    const Mesh even = rebuilt(plate, 3000);
    shapes::expectSound(even);
    EXPECT_LT(measureDeviation(plate, even, {}, {})->max(), 1e-5);
}

TEST(Rebuild, takes_uvs_from_both_sides_of_a_seam) {
    const Mesh sphere = shapes::texturedSphere(120, 60);
    const Mesh made = rebuilt(sphere, 5000);
    ASSERT_EQ(made.uvs.size(), made.positions.size());
    shapes::expectSound(made);
    EXPECT_TRUE(shapes::isClosed(made));
    // No triangle spans the texture from one end to the other, as it would where a seam was not kept.
    for (std::uint32_t t = 0; t < made.triangleCount(); ++t) {
        float low = 2;
        float high = -2;
        float y = 0;
        for (std::size_t k = 0; k < 3; ++k) {
            const std::uint32_t v = made.indices[3 * std::size_t{t} + k];
            low = std::min(low, made.uvs[v].x());
            high = std::max(high, made.uvs[v].x());
            y = std::max(y, std::abs(made.positions[v].y()));
        }
        EXPECT_LT(y < 0.9F ? high - low : 0.0F, 0.2F);
    }
    for (std::uint32_t v = 0; v < made.vertexCount(); ++v)
        EXPECT_GT(made.normals[v].dot(made.positions[v].normalized()), 0.9F);
}

TEST(Rebuild, pairs_most_triangles_into_quads_and_loses_none) {
    const Mesh made = rebuilt(shapes::sphere(30), 4000);
    const auto parts = pairIntoQuads(made);
    ASSERT_EQ(parts.size(), made.parts.size());
    std::uint32_t triangles = 0;
    std::uint32_t quads = 0;
    double area = 0;
    const auto part = [&](std::uint32_t a, std::uint32_t b, std::uint32_t c) {
        return 0.5 * static_cast<double>(
                         (made.positions[b] - made.positions[a]).cross(made.positions[c] - made.positions[a]).norm());
    };
    for (const Face& f : parts.front().faces) {
        const bool quad = f[3] != kNoCorner;
        quads += quad ? 1 : 0;
        triangles += quad ? 2 : 1;
        area += quad ? 0.5 * (part(f[0], f[1], f[2]) + part(f[0], f[2], f[3]) + part(f[0], f[1], f[3]) +
                              part(f[1], f[2], f[3]))
                     : part(f[0], f[1], f[2]);
    }
    EXPECT_EQ(triangles, made.triangleCount());
    EXPECT_GT(2 * quads, triangles * 7 / 10);
    double whole = 0;
    for (std::uint32_t t = 0; t < made.triangleCount(); ++t)
        whole += shapes::area(made, t);
    EXPECT_NEAR(area, whole, 0.01 * whole);
}

TEST(Rebuild, stops_when_it_is_told_to) {
    const Mesh mesh = shapes::sphere(40);
    std::stop_source stop;
    stop.request_stop();
    EXPECT_FALSE(rebuildEven(mesh, SurfaceQuery(mesh), mesh, {}, {stop.get_token(), {}}));
}

} // namespace
} // namespace thicket
