// Scores of switches whose answer is known.

#include "bake/pop.h"

#include "image/colour.h"
#include "image/image.h"
#include "support/shapes.h"

#include <gtest/gtest.h>
#include <random>

namespace thicket {
namespace {

Surfaces grey(float value = 0.5F) {
    Surfaces s;
    s.materials.emplace_back();
    s.materials[0].baseColor = Vec4f(value, value, value, 1);
    return s;
}

PopScore score(const Mesh& a, const Surfaces& sa, const Mesh& b, const Surfaces& sb, double distance,
               PopOptions options = {}) {
    const Appearance first(a, sa);
    const Appearance second(b, sb);
    const auto made =
        scorePop([&](const Vec3d&) -> const Appearance& { return first; },
                 [&](const Vec3d&) -> const Appearance& { return second; }, boundsOf(a), distance, 1000, options, {});
    EXPECT_TRUE(made);
    return *made;
}

TEST(Pop, of_a_level_with_itself_is_nothing) {
    const Mesh mesh = shapes::texturedSphere(40, 20);
    const PopScore s = score(mesh, grey(), mesh, grey(), 30);
    EXPECT_EQ(s.outlineShift, 0);
    EXPECT_EQ(s.changedPixels, 0);
    EXPECT_EQ(s.meanDeltaE, 0);
    EXPECT_TRUE(s.unseen(0.1));
    EXPECT_LE(s.severity(1), 1);
}

TEST(Pop, measures_how_far_an_outline_moves_in_pixels) {
    // At 50 m a pixel is 5 cm: a sphere of 1 m grown by 15 cm moves its outline by 3 pixels.
    const Mesh mesh = shapes::texturedSphere(80, 40);
    Mesh grown = mesh;
    for (Vec3f& p : grown.positions)
        p *= 1.15F;
    PopOptions options;
    const PopScore s = score(grown, grey(), mesh, grey(), 50, options);
    EXPECT_NEAR(s.outlineShift, 3 - 0.7, 0.8) << "one cell of half a pixel is taken off, corner to corner";
    EXPECT_EQ(s.scale, 1);
    EXPECT_NEAR(s.pixelsTall, 2.3 * 1000 / 50, 1.5);
    EXPECT_FALSE(s.unseen(1));
    EXPECT_NEAR(s.severity(1), std::max(s.outlineShift, 100 * s.changedPixels), 1e-9);
    // Nearer it is larger on screen than is looked at; the shift is still stated in the screen's pixels.
    options.mostPixels = 224;
    const PopScore near = score(grown, grey(), mesh, grey(), 8, options);
    EXPECT_LT(near.scale, 1);
    EXPECT_NEAR(near.outlineShift, 0.15 * 1000 / 8 - 0.7 / near.scale, 3);
}

TEST(Pop, sees_other_colours_where_the_outline_is_the_same) {
    const Mesh mesh = shapes::texturedSphere(40, 20);
    const PopScore s = score(mesh, grey(0.5F), mesh, grey(0.8F), 30);
    EXPECT_EQ(s.outlineShift, 0);
    EXPECT_GT(s.changedPixels, 0.95);
    EXPECT_GT(s.meanDeltaE, 8);
    const PopScore slight = score(mesh, grey(0.5F), mesh, grey(0.505F), 30);
    EXPECT_EQ(slight.changedPixels, 0);
    EXPECT_GT(slight.meanDeltaE, 0);
    EXPECT_TRUE(slight.unseen(1));
}

/// Squares of four pixels each in two greys, beside their mean: a picture of a quarter of the size shows none of them.
TEST(Pop, which_of_many_leaves_shows_in_a_pixel_is_not_seen_but_their_colour_is) {
    // A wall of cards, each a pixel across at 50 m, light and dark by chance.
    const auto wall = [](unsigned seed, float lighter) {
        Mesh mesh;
        std::mt19937 random(seed);
        std::vector<std::uint32_t> dark;
        for (int y = 0; y < 60; ++y)
            for (int x = 0; x < 60; ++x) {
                const std::uint32_t base = mesh.vertexCount();
                for (const auto& [u, v] : {std::pair(0, 0), std::pair(1, 0), std::pair(1, 1), std::pair(0, 1)})
                    mesh.positions.emplace_back(0.05F * static_cast<float>(x + u), 0.05F * static_cast<float>(y + v),
                                                0);
                auto& to = random() % 2 == 0 ? mesh.indices : dark;
                for (const std::uint32_t k : {0U, 1U, 2U, 0U, 2U, 3U})
                    to.push_back(base + k);
            }
        mesh.parts = {{0, static_cast<std::uint32_t>(mesh.indices.size() / 3), 0}};
        mesh.indices.insert(mesh.indices.end(), dark.begin(), dark.end());
        mesh.parts.push_back({mesh.parts[0].triangleCount, static_cast<std::uint32_t>(dark.size() / 3), 1});
        Surfaces s = grey(0.45F * lighter);
        s.materials.push_back(s.materials[0]);
        s.materials[1].baseColor = Vec4f(0.35F * lighter, 0.35F * lighter, 0.35F * lighter, 1);
        for (Material& m : s.materials)
            m.doubleSided = true;
        return std::pair(mesh, s);
    };
    const auto [one, colours] = wall(1, 1);
    const auto [other, same] = wall(2, 1);
    const auto [third, brighter] = wall(2, 1.6F);
    PopOptions alone;
    PopOptions together;
    together.blurPx = eyeBlurPx(60);
    EXPECT_FALSE(score(one, colours, other, same, 50, alone).unseen(1));
    const PopScore shuffled = score(one, colours, other, same, 50, together);
    EXPECT_TRUE(shuffled.unseen(1)) << shuffled.changedPixels;
    EXPECT_LT(shuffled.meanDeltaE, score(one, colours, other, same, 50, alone).meanDeltaE);
    const PopScore lighter = score(one, colours, third, brighter, 50, together);
    EXPECT_GT(lighter.changedPixels, 0.5) << "what is seen of all together does not hide";
}

TEST(Pop, is_looked_at_as_large_as_it_is_on_screen) {
    Pixels squares{256, 256, {}};
    for (int y = 0; y < 256; ++y)
        for (int x = 0; x < 256; ++x)
            squares.rgba.insert(squares.rgba.end(), {static_cast<std::uint8_t>((x + y) % 2 == 0 ? 50 : 200),
                                                     static_cast<std::uint8_t>((x + y) % 2 == 0 ? 50 : 200),
                                                     static_cast<std::uint8_t>((x + y) % 2 == 0 ? 50 : 200), 255});
    Surfaces pattern = grey(1);
    pattern.images.push_back(encodePng(squares, "squares"));
    pattern.materials[0].baseColorImage = 0;
    const Mesh ball = shapes::texturedSphere(80, 40);
    PopOptions options;
    options.directions = 1;
    const float mean = 0.5F * (toLinear(50) + toLinear(200));
    const PopScore large = score(ball, pattern, ball, grey(mean), 5, options);
    EXPECT_EQ(large.scale, 1);
    EXPECT_GT(large.changedPixels, 0.3);
    EXPECT_LE(large.before.width, 320) << "what is kept to be shown is no larger than it is shown";
    options.mostPixels = 60;
    EXPECT_LT(score(ball, pattern, ball, grey(mean), 5, options).changedPixels, large.changedPixels / 2);
}

TEST(Pop, ends_with_the_first_direction_that_shows_the_switch_where_only_that_is_asked) {
    const Mesh mesh = shapes::texturedSphere(40, 20);
    const Surfaces plain = grey();
    const Surfaces other = grey(0.8F);
    const Appearance a(mesh, plain);
    const Appearance b(mesh, other);
    int looks = 0;
    const auto first = [&](const Vec3d&) -> const Appearance& { return a; };
    const auto fromBehind = [&](const Vec3d& back) -> const Appearance& { // another one from one side of four
        ++looks;
        return back.z() < 0 && back.x() > 0 ? b : a;
    };
    PopOptions options;
    const auto all = scorePop(first, fromBehind, boundsOf(mesh), 30, 1000, options, {});
    ASSERT_TRUE(all);
    EXPECT_EQ(looks, 4);
    EXPECT_FALSE(all->unseen(1));
    options.untilSeen = 1;
    looks = 0;
    const auto some = scorePop(first, fromBehind, boundsOf(mesh), 30, 1000, options, {});
    EXPECT_FALSE(some->unseen(1));
    EXPECT_EQ(some->direction, all->direction);
    EXPECT_EQ(looks, all->direction + 1);
    EXPECT_EQ(some->changedPixels, all->changedPixels) << "the worst is what was stopped at";
    options.firstDirection = all->direction;
    looks = 0;
    EXPECT_FALSE(scorePop(first, fromBehind, boundsOf(mesh), 30, 1000, options, {})->unseen(1));
    EXPECT_EQ(looks, 1);
    looks = 0; // what is not seen has to be looked at from all sides
    const auto counted = [&](const Vec3d&) -> const Appearance& { return ++looks, a; };
    EXPECT_TRUE(scorePop(first, counted, boundsOf(mesh), 30, 1000, options, {})->unseen(1));
    EXPECT_EQ(looks, 4);
}

TEST(Pop, is_judged_by_known_colours) {
    EXPECT_LT((labOf({1, 1, 1}) - Vec3f(100, 0, 0)).norm(), 0.05F);
    EXPECT_LT((labOf({0, 0, 0})).norm(), 0.05F);
    EXPECT_LT((labOf({1, 0, 0}) - Vec3f(53.24F, 80.09F, 67.20F)).norm(), 0.1F);
    EXPECT_LT((labOf({0, 0, 1}) - Vec3f(32.30F, 79.19F, -107.86F)).norm(), 0.1F);
}

TEST(Pop, stops_when_told) {
    const Mesh mesh = shapes::sphere(6);
    const Surfaces surfaces = grey();
    const Appearance a(mesh, surfaces);
    const auto look = [&](const Vec3d&) -> const Appearance& { return a; };
    std::stop_source stop;
    stop.request_stop();
    EXPECT_FALSE(scorePop(look, look, boundsOf(mesh), 10, 1000, {}, {stop.get_token(), {}}));
}

} // namespace
} // namespace thicket
