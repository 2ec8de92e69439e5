// The last touch on levels: never worse, and nothing that has its place is moved.

#include "measure/deviation.h"
#include "reduce/chain.h"
#include "reduce/polish.h"
#include "support/shapes.h"
#include "support/sound.h"

#include <algorithm>
#include <gtest/gtest.h>

namespace thicket {
namespace {

Mesh cut(const Mesh& mesh, std::uint32_t count) {
    return cutRecord(*recordCollapses(mesh, {}, {}), count);
}

TEST(Polish, makes_rough_things_a_good_deal_nearer_and_never_farther) {
    double gain = 0;
    for (unsigned seed = 1; seed <= 4; ++seed) {
        const Mesh mesh = shapes::bumpy(28, seed);
        const SurfaceQuery query(mesh);
        for (const std::uint32_t count : {1500U, 250U}) {
            const Mesh before = cut(mesh, count);
            const auto after = polishLevel(mesh, query, before, {}, {});
            ASSERT_TRUE(after);
            shapes::expectSound(*after);
            EXPECT_TRUE(shapes::isClosed(*after));
            EXPECT_EQ(after->triangleCount(), before.triangleCount());
            const double was = measureDeviation(mesh, query, before, {}, {})->max();
            const double is = measureDeviation(mesh, query, *after, {}, {})->max();
            EXPECT_LE(is, 1.02 * was) << seed << " at " << count; // it is judged by vertices, this by whole triangles
            gain += is / was / 8;
        }
    }
    EXPECT_LT(gain, 0.93) << "of all eight, the mean";
}

/// A sphere without its poles: what its two rims are off stays, however its points are moved.
TEST(Polish, brings_all_else_nearer_where_one_place_has_to_stay) {
    Mesh mesh = shapes::texturedSphere(80, 40);
    mesh.uvs.clear();
    mesh.normals.clear();
    std::vector<std::uint32_t> kept;
    for (std::size_t t = 0; t < mesh.triangleCount(); ++t) {
        const std::uint32_t* c = &mesh.indices[3 * t];
        if (std::all_of(c, c + 3, [&](std::uint32_t v) { return std::abs(mesh.positions[v].y()) < 0.998F; }))
            kept.insert(kept.end(), c, c + 3);
    }
    mesh.indices = kept;
    mesh.parts = {{0, static_cast<std::uint32_t>(kept.size() / 3), 0}};
    const SurfaceQuery query(mesh);
    const Mesh before = cut(mesh, 256);
    const auto after = polishLevel(mesh, query, before, {}, {});
    ASSERT_TRUE(after);
    EXPECT_EQ(after->triangleCount(), before.triangleCount());
    const auto was = measureDeviation(mesh, query, before, {}, {});
    const auto is = measureDeviation(mesh, query, *after, {}, {});
    EXPECT_LE(is->max(), 1.02 * was->max());
    EXPECT_LT(is->rms(), 0.95 * was->rms());
}

TEST(Polish, leaves_hard_edges_and_exact_levels_where_they_are) {
    const Mesh box = shapes::box(16, {1, 2, 3});
    const Mesh level = cut(box, 12);
    const auto same = polishLevel(box, SurfaceQuery(box), level, {}, {});
    ASSERT_TRUE(same);
    EXPECT_EQ(same->positions, level.positions);
    const Mesh plate = shapes::plateWithHoles(16);
    const auto flat = polishLevel(plate, SurfaceQuery(plate), cut(plate, 120), {}, {});
    EXPECT_LT(measureDeviation(plate, *flat, {}, {})->max(), 1e-5);
}

TEST(Polish, keeps_seams_and_takes_attributes_from_their_own_side) {
    const Mesh mesh = shapes::texturedSphere(120, 60);
    const SurfaceQuery query(mesh);
    const auto level = polishLevel(mesh, query, cut(mesh, 800), {}, {});
    ASSERT_TRUE(level);
    shapes::expectSound(*level);
    EXPECT_TRUE(shapes::isClosed(*level));
    for (std::uint32_t v = 0; v < level->vertexCount(); ++v)
        EXPECT_GT(level->normals[v].dot(level->positions[v].normalized()), 0.95F);
}

TEST(Polish, gives_the_same_bytes_every_time_and_stops_when_told) {
    const Mesh mesh = shapes::bumpy(30, 7);
    const SurfaceQuery query(mesh);
    const Mesh level = cut(mesh, 500);
    const auto a = polishLevel(mesh, query, level, {}, {});
    const auto b = polishLevel(mesh, query, level, {}, {});
    EXPECT_EQ(contentOf(*a), contentOf(*b));
    std::stop_source stop;
    stop.request_stop();
    EXPECT_FALSE(polishLevel(mesh, query, level, {}, {stop.get_token(), {}}));
}

} // namespace
} // namespace thicket
