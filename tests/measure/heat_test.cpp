#include "measure/heat.h"

#include "measure/deviation.h"
#include "support/shapes.h"

#include <algorithm>
#include <gtest/gtest.h>
#include <numeric>

namespace thicket {
namespace {

double areaOf(const Mesh& mesh) {
    double area = 0;
    for (std::size_t c = 0; c < mesh.indices.size(); c += 3) {
        const Vec3d a = mesh.positions[mesh.indices[c]].cast<double>();
        const Vec3d b = mesh.positions[mesh.indices[c + 1]].cast<double>();
        const Vec3d d = mesh.positions[mesh.indices[c + 2]].cast<double>();
        area += (b - a).cross(d - a).norm() / 2;
    }
    return area;
}

TEST(Heat, split_surface_is_the_same_surface) {
    const Mesh mesh = shapes::texturedSphere(24, 12);
    const Mesh fine = splitFine(mesh, 20'000);
    EXPECT_GT(fine.triangleCount(), 10'000U);
    EXPECT_LE(fine.triangleCount(), 20'000U);
    EXPECT_NEAR(areaOf(fine), areaOf(mesh), 1e-4 * areaOf(mesh));
    ASSERT_TRUE(checkMesh(fine, "split"));
    EXPECT_EQ(fine.normals.size(), fine.positions.size());
    EXPECT_EQ(fine.uvs.size(), fine.positions.size());
    const auto apart = measureDeviation(mesh, fine, {}, {});
    ASSERT_TRUE(apart);
    EXPECT_LT(apart->max(), 1e-6);
}

TEST(Heat, is_hottest_where_the_measure_finds_the_most_and_nowhere_hotter) {
    const Mesh source = shapes::bumpy(40, 7);
    const Mesh level = shapes::sphere(6);
    const auto deviation = measureDeviation(source, level, {}, {});
    ASSERT_TRUE(deviation);
    const SurfaceQuery query(source);
    const auto heat = deviationHeat(source, query, level, {}, {});
    ASSERT_TRUE(heat);
    const float hottest = *std::max_element(heat->metres.begin(), heat->metres.end());
    EXPECT_LE(hottest, deviation->bound() * 1.0001);
    EXPECT_GT(hottest, 0.9 * deviation->max());
    const auto mean =
        std::accumulate(heat->metres.begin(), heat->metres.end(), 0.0) / static_cast<double>(heat->metres.size());
    EXPECT_LT(mean, 0.5 * static_cast<double>(hottest)) << "the rest of the surface is cooler";
}

TEST(Heat, what_a_level_has_lost_shows_where_its_surface_is_nearest) {
    // A plate with a small box hovering over one corner: the level is the plate alone.
    Mesh source = shapes::box(10, {2, 0.1, 2});
    const Mesh plate = source;
    shapes::append(source, shapes::box(2, {0.2, 0.2, 0.2}), {0.8, 0.3, 0.8});
    const SurfaceQuery query(source);
    const auto heat = deviationHeat(source, query, plate, {}, {});
    ASSERT_TRUE(heat);
    for (std::size_t v = 0; v < heat->metres.size(); ++v) {
        const Vec3f& p = heat->mesh.positions[v];
        if (heat->metres[v] > 1e-4F) {
            EXPECT_GT(p.x(), 0.6F);
            EXPECT_GT(p.z(), 0.6F);
        }
    }
    EXPECT_NEAR(static_cast<double>(*std::max_element(heat->metres.begin(), heat->metres.end())), 0.35, 0.01);
}

TEST(Heat, may_be_cancelled) {
    const Mesh mesh = shapes::sphere(30);
    const SurfaceQuery query(mesh);
    std::stop_source stop;
    stop.request_stop();
    const auto heat = deviationHeat(mesh, query, mesh, {}, {stop.get_token(), {}});
    ASSERT_FALSE(heat);
    EXPECT_EQ(heat.error().code, ErrorCode::Cancelled);
}

} // namespace
} // namespace thicket
