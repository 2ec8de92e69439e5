// Levels that use nothing but the source's own vertices.

#include "measure/deviation.h"
#include "reduce/record.h"
#include "support/shapes.h"
#include "support/sound.h"

#include <gtest/gtest.h>
#include <set>
#include <tuple>

namespace thicket {
namespace {

TEST(Reuse, every_vertex_of_every_level_is_one_of_the_source) {
    Mesh mesh = shapes::texturedSphere(80, 40);
    mesh.extras.morphs.resize(1);
    for (const Vec3f& p : mesh.positions) {
        mesh.colors.emplace_back(0.5F + 0.5F * p.x(), 0.3F, 0.1F, 1);
        mesh.extras.joints.push_back({1, 2, 0, 0});
        mesh.extras.weights.emplace_back(0.25F + 0.2F * p.y(), 0.75F - 0.2F * p.y(), 0, 0);
        mesh.extras.morphs[0].moves.push_back(0.1F * p);
    }
    using Key = std::tuple<float, float, float, float, float, float, float, float, float, float>;
    const auto keyOf = [](const Mesh& m, std::uint32_t v) {
        return Key(m.positions[v].x(), m.positions[v].y(), m.positions[v].z(), m.normals[v].x(), m.normals[v].y(),
                   m.uvs[v].x(), m.uvs[v].y(), m.colors[v].x(), m.extras.weights[v].x(),
                   m.extras.morphs[0].moves[v].z());
    };
    std::set<Key> known;
    for (std::uint32_t v = 0; v < mesh.vertexCount(); ++v)
        known.insert(keyOf(mesh, v));
    ReduceOptions options;
    options.reuseVertices = true;
    auto record = recordCollapses(mesh, options, {});
    ASSERT_TRUE(record);
    addCheckpoints(*record);
    for (const std::uint32_t count : {6000U, 2000U, 300U, 60U}) {
        const Mesh level = cutRecord(*record, count);
        EXPECT_LE(level.triangleCount(), std::max(count, record->fewestTriangles()));
        shapes::expectSound(level);
        EXPECT_TRUE(shapes::isClosed(level));
        std::set<Key> own;
        for (std::uint32_t v = 0; v < level.vertexCount(); ++v) {
            EXPECT_TRUE(known.contains(keyOf(level, v)));
            EXPECT_TRUE(own.insert(keyOf(level, v)).second) << "a vertex stands twice";
        }
    }
    EXPECT_LT(record->fewestTriangles(), 200U);
}

TEST(Reuse, costs_no_more_than_a_few_times_the_deviation) {
    const Mesh mesh = shapes::bumpy(50, 4);
    ReduceOptions options;
    options.reuseVertices = true;
    const auto reused = recordCollapses(mesh, options, {});
    const auto free = recordCollapses(mesh, {}, {});
    const SurfaceQuery query(mesh);
    for (const std::uint32_t count : {10'000U, 1500U}) {
        const double own = measureDeviation(mesh, query, cutRecord(*reused, count), {}, {})->max();
        const double other = measureDeviation(mesh, query, cutRecord(*free, count), {}, {})->max();
        EXPECT_LT(own, 4 * other);
        EXPECT_GT(own, 0);
    }
}

} // namespace
} // namespace thicket
