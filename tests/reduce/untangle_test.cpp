// Levels of what is thinner than they are off: their triangles stay on their own side.

#include "reduce/untangle.h"

#include "measure/deviation.h"
#include "reduce/record.h"
#include "support/shapes.h"

#include <cmath>
#include <gtest/gtest.h>

namespace thicket {
namespace {

/// A blade with two sides: a closed wavy plate, much thinner than its waves are high.
Mesh blade(double thickness) {
    Mesh out = shapes::box(30, {2, thickness, 1});
    for (Vec3f& p : out.positions)
        p.y() += 0.05F * std::sin(9 * p.x()) * std::cos(7 * p.z()) + 0.02F * std::sin(31 * p.x() + 17 * p.z());
    return out;
}

} // namespace

TEST(Untangle, sides_of_a_thin_blade_stay_in_order) {
    std::uint32_t before = 0;
    std::uint32_t after = 0;
    for (const double thickness : {0.008, 0.012, 0.02}) {
        const Mesh source = blade(thickness);
        const SurfaceQuery query(source);
        const auto record = recordCollapses(source, {}, {});
        ASSERT_TRUE(record);
        for (const double share : {0.3, 0.15, 0.07}) {
            const Mesh cut = cutRecord(*record, static_cast<std::uint32_t>(share * source.triangleCount()));
            const auto made = untangleLevel(source, query, cut, {});
            ASSERT_TRUE(made);
            EXPECT_EQ(made->indices, cut.indices) << "points move, and nothing else";
            before += countTurned(source, query, cut);
            after += countTurned(source, query, *made);
            const auto was = measureDeviation(source, query, cut, {}, {});
            const auto is = measureDeviation(source, query, *made, {}, {});
            // A fifth farther off at most, by places that were looked at.
            EXPECT_LT(is->max(), 1.25 * was->max()) << thickness << " " << share;
            EXPECT_LT(is->rms(), 1.35 * was->rms()) << thickness << " " << share;
            EXPECT_LE(countTurned(source, query, *made), countTurned(source, query, cut));
        }
    }
    EXPECT_GT(before, 500U);
    EXPECT_LT(after, 0.02 * before) << "of " << before;
}

TEST(Untangle, what_lies_beyond_both_sides_of_next_to_nothing_finds_its_own) {
    std::uint32_t before = 0;
    std::uint32_t after = 0;
    for (const double thickness : {0.0003, 0.001}) {
        const Mesh source = blade(thickness);
        const SurfaceQuery query(source);
        const auto record = recordCollapses(source, {}, {});
        ASSERT_TRUE(record);
        const Mesh cut = cutRecord(*record, source.triangleCount() / 2);
        const auto made = untangleLevel(source, query, cut, {});
        ASSERT_TRUE(made);
        before += countTurned(source, query, cut);
        after += countTurned(source, query, *made);
    }
    EXPECT_GT(before, 200U);
    EXPECT_LT(after, before / 5) << "of " << before;
}

TEST(Untangle, blades_close_to_each_other_are_told_apart) {
    Mesh source = blade(0.012);
    const auto corners = static_cast<std::uint32_t>(source.positions.size());
    const std::vector<std::uint32_t> indices = source.indices;
    for (std::uint32_t k = 1; k < 4; ++k) {
        for (std::uint32_t v = 0; v < corners; ++v)
            source.positions.push_back(source.positions[v] + Vec3f(0, 0.03F * static_cast<float>(k), 0));
        for (const std::uint32_t i : indices)
            source.indices.push_back(i + k * corners);
    }
    shapes::onePart(source);
    source.normals.clear();
    const SurfaceQuery query(source);
    const auto record = recordCollapses(source, {}, {});
    ASSERT_TRUE(record);
    for (const double share : {0.15, 0.07}) {
        const Mesh cut = cutRecord(*record, static_cast<std::uint32_t>(share * source.triangleCount()));
        const std::uint32_t before = countTurned(source, query, cut);
        EXPECT_GT(before, cut.triangleCount() / 50) << "else this says nothing";
        const auto made = untangleLevel(source, query, cut, {});
        ASSERT_TRUE(made);
        EXPECT_LE(countTurned(source, query, *made), cut.triangleCount() / 200) << share;
        const auto again = untangleLevel(source, query, cut, {});
        EXPECT_EQ(again->positions, made->positions);
    }
}

TEST(Untangle, stops_when_it_is_told_to) {
    const Mesh source = blade(0.008);
    const SurfaceQuery query(source);
    const auto record = recordCollapses(source, {}, {});
    ASSERT_TRUE(record);
    std::stop_source stop;
    stop.request_stop();
    const auto made =
        untangleLevel(source, query, cutRecord(*record, source.triangleCount() / 10), {stop.get_token(), {}});
    ASSERT_FALSE(made);
    EXPECT_EQ(made.error().code, ErrorCode::Cancelled);
}

TEST(Untangle, what_is_on_its_own_side_is_left_as_it_is) {
    const Mesh source = shapes::bumpy(20, 4);
    const SurfaceQuery query(source);
    const auto record = recordCollapses(source, {}, {});
    ASSERT_TRUE(record);
    const Mesh cut = cutRecord(*record, source.triangleCount() / 5);
    ASSERT_EQ(countTurned(source, query, cut), 0U);
    const auto made = untangleLevel(source, query, cut, {});
    ASSERT_TRUE(made);
    EXPECT_EQ(made->positions, cut.positions);
}

TEST(Untangle, triangles_that_face_the_wrong_way_are_counted) {
    const Mesh source = shapes::sphere(12);
    Mesh turned = source;
    for (std::size_t t = 0; t < 7; ++t)
        std::swap(turned.indices[3 * t], turned.indices[3 * t + 1]);
    const SurfaceQuery query(source);
    EXPECT_EQ(countTurned(source, query, source), 0U);
    EXPECT_EQ(countTurned(source, query, turned), 7U);
}

TEST(Untangle, what_touches_in_the_source_is_not_counted) {
    Mesh source = shapes::sphere(12);
    const std::size_t corners = source.indices.size();
    for (std::size_t c = 0; c < corners; c += 3) // back to back with itself
        source.indices.insert(source.indices.end(), {source.indices[c], source.indices[c + 2], source.indices[c + 1]});
    const SurfaceQuery query(source);
    EXPECT_EQ(countTurned(source, query, source), 0U);
    const Mesh one = shapes::sphere(12);
    Mesh larger = one; // well outside of both: as near to the one side as to the other
    for (Vec3f& p : larger.positions)
        p *= 1.1F;
    EXPECT_EQ(countTurned(source, query, larger), 0U);
    EXPECT_EQ(countTurned(one, SurfaceQuery(one), larger), 0U);
    for (std::size_t c = 0; c < larger.indices.size(); c += 3)
        std::swap(larger.indices[c], larger.indices[c + 1]);
    EXPECT_EQ(countTurned(one, SurfaceQuery(one), larger), larger.triangleCount());
}

} // namespace thicket
