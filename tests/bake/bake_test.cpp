#include "bake/bake_view.h"
#include "bake/cards.h"
#include "bake/picture.h"

#include "support/shapes.h"

#include <gtest/gtest.h>
#include <random>

namespace thicket {
namespace {

Surfaces red() {
    Surfaces s;
    s.materials.emplace_back();
    s.materials[0].baseColor = Vec4f(0.8F, 0.1F, 0.05F, 1);
    return s;
}

TEST(Silhouette, distance_map_is_exact) {
    std::mt19937 random(5);
    const int w = 33;
    const int h = 21;
    std::vector<std::uint8_t> covered(static_cast<std::size_t>(w * h), 0);
    for (int k = 0; k < 14; ++k)
        covered[random() % covered.size()] = 1;
    const auto map = distanceMap(covered, w, h);
    for (int y = 0; y < h; ++y)
        for (int x = 0; x < w; ++x) {
            double nearest = 1e9;
            for (int v = 0; v < h; ++v)
                for (int u = 0; u < w; ++u)
                    if (covered[static_cast<std::size_t>(v * w + u)] != 0)
                        nearest = std::min(nearest, std::hypot(x - u, y - v));
            EXPECT_NEAR(map[static_cast<std::size_t>(y * w + x)], nearest, 1e-4);
        }
}

TEST(Silhouette, of_two_balls_differs_by_their_radii) {
    const Mesh small = shapes::sphere(24, 1);
    const Mesh large = shapes::sphere(24, 1.2);
    const Appearance a(small, red());
    const Appearance b(large, red());
    const auto same = silhouetteDifference(a, a, {}, {});
    ASSERT_TRUE(same);
    EXPECT_EQ(same->shift, 0);
    EXPECT_EQ(same->changed, 0);
    const auto d = silhouetteDifference(a, b, {}, {});
    ASSERT_TRUE(d);
    EXPECT_NEAR(d->shift, 0.2, 2 * d->cell);
    EXPECT_NEAR(d->changed, 1.2 * 1.2 - 1, 0.03);
    const auto back = silhouetteDifference(b, a, {}, {});
    EXPECT_NEAR(back->shift, d->shift, 1e-6);
}

TEST(Silhouette, holes_in_the_alpha_are_seen_through) {
    Mesh card;
    card.positions = {{-1, -1, 0}, {1, -1, 0}, {1, 1, 0}, {-1, 1, 0}};
    card.uvs = {{0, 1}, {1, 1}, {1, 0}, {0, 0}};
    card.indices = {0, 1, 2, 0, 2, 3};
    card.parts = {{0, 2, 0}};
    Pixels half{8, 8, {}};
    for (int i = 0; i < 64; ++i)
        half.rgba.insert(half.rgba.end(), {255, 255, 255, static_cast<std::uint8_t>(i % 8 < 4 ? 255 : 0)});
    Surfaces s;
    s.materials.emplace_back();
    s.materials[0].alphaMode = AlphaMode::Mask;
    s.materials[0].baseColorImage = 0;
    s.images.push_back(encodePng(half, "half"));
    const Appearance seen(card, s);
    EXPECT_TRUE(seen.blocks({-0.5, 0, 5}, {0, 0, -1}));
    EXPECT_FALSE(seen.blocks({0.5, 0, 5}, {0, 0, -1}));
    // Behind the hole stands something else.
    Mesh two = card;
    for (const Vec3f& p : card.positions)
        two.positions.push_back(p - Vec3f(1.0F, 0, 3));
    two.uvs.insert(two.uvs.end(), card.uvs.begin(), card.uvs.end());
    two.indices.insert(two.indices.end(), {4, 5, 6, 4, 6, 7});
    two.parts = {{0, 4, 0}};
    const Appearance both(two, s);
    const auto behind = both.look({-0.9, 0, 5}, {0, 0, -1});
    ASSERT_TRUE(behind);
    EXPECT_NEAR(behind->distance, 5, 1e-4);
}

TEST(Cards, have_the_colour_and_cover_of_what_they_stand_for) {
    CardOptions options;
    options.texelsTall = 64;
    const auto cards = bakeCards(shapes::sphere(24), red(), options, {});
    ASSERT_TRUE(cards);
    EXPECT_EQ(cards->mesh.triangleCount(), 4U);
    ASSERT_TRUE(checkMesh(cards->mesh, "cards"));
    ASSERT_EQ(cards->surfaces.images.size(), 2U);
    const auto color = decodeImage(cards->surfaces.images[0]);
    const auto normal = decodeImage(cards->surfaces.images[1]);
    ASSERT_TRUE(color && normal);
    double cover = 0;
    double coloured = 0;
    for (std::size_t i = 0; i < color->rgba.size(); i += 4) {
        cover += color->rgba[i + 3] / 255.0;
        if (color->rgba[i + 3] == 255) {
            EXPECT_NEAR(color->rgba[i], toSrgb(0.8F), 2);
            EXPECT_NEAR(color->rgba[i + 1], toSrgb(0.1F), 2);
            coloured += 1;
        }
    }
    EXPECT_GT(coloured, 1000);
    // Two discs of the subject's full height.
    EXPECT_NEAR(cover, 2 * 3.14159 / 4 * 64 * 64, 0.05 * 2 * 64 * 64);
    // In the middle the ball faces the card; at its right edge it faces right.
    const int width = color->width / 2;
    EXPECT_NEAR(normal->at(4 + 32, 4 + 32)[2], 255, 3);
    EXPECT_GT(normal->at(4 + 60, 4 + 32)[0], 220);
    EXPECT_GT(width, 64);
}

TEST(Cards, of_a_flat_thing_have_its_outline) {
    // A flat cross in the plane of the first card.
    Mesh mesh = shapes::box(2, {2, 0.3, 0.01});
    shapes::append(mesh, shapes::box(2, {0.3, 2, 0.01}), {0, 0, 0});
    CardOptions one;
    one.cards = 1;
    const auto cards = bakeCards(mesh, red(), one, {});
    ASSERT_TRUE(cards);
    EXPECT_LT(cards->difference.shift, 0.1);
    const auto two = bakeCards(shapes::sphere(20), red(), {}, {});
    const auto four = bakeCards(shapes::sphere(20), red(), {4, true, 128, 2}, {});
    ASSERT_TRUE(two && four);
    EXPECT_LT(four->difference.rms, two->difference.rms) << "more cards hold the outline of a round thing better";
}

TEST(Cards, may_be_cancelled) {
    std::stop_source stop;
    stop.request_stop();
    const auto cards = bakeCards(shapes::sphere(10), red(), {}, {stop.get_token(), {}});
    ASSERT_FALSE(cards);
    EXPECT_EQ(cards.error().code, ErrorCode::Cancelled);
}

TEST(Picture, shows_the_shape_and_leaves_the_rest_clear) {
    PictureOptions options;
    options.width = options.height = 64;
    const Pixels picture = renderPicture(shapes::sphere(20), red(), options);
    const auto alpha = [&](int x, int y) {
        return static_cast<int>(picture.rgba[static_cast<std::size_t>(4 * (y * 64 + x) + 3)]);
    };
    EXPECT_EQ(alpha(32, 32), 255);
    EXPECT_EQ(alpha(0, 0), 0);
    EXPECT_GT(picture.at(32, 32)[0], 2 * picture.at(32, 32)[1]) << "in its own colour";
    double covered = 0;
    for (int y = 0; y < 64; ++y)
        for (int x = 0; x < 64; ++x)
            covered += alpha(x, y) / 255.0;
    EXPECT_GT(covered, 64 * 64 * 0.2);
    EXPECT_LT(covered, 64 * 64 * 0.8);
}

TEST(SpreadCover, holds_the_cover_of_every_place_and_never_grows_the_outline) {
    std::mt19937 random(17);
    for (int round = 0; round < 8; ++round) {
        // A ramp of cover with noise in it, in a disc, in a view that is a part of a picture.
        BakedView view;
        view.left = 3;
        view.top = 5;
        view.wide = 64;
        view.tall = 48;
        Pixels color{72, 60, std::vector<std::uint8_t>(std::size_t{4} * 72 * 60, 9)};
        for (int y = 0; y < view.tall; ++y)
            for (int x = 0; x < view.wide; ++x) {
                const bool inside = std::hypot(x - 32, y - 24) < 23;
                const int cover = 4 * x + static_cast<int>(random() % 60) - 30;
                color.at(view.left + x, view.top + y)[3] =
                    static_cast<std::uint8_t>(inside ? std::clamp(cover, 1, 255) : 0);
            }
        const Pixels before = color;
        spreadCover(color, view);
        for (int y = 0; y < color.height; ++y)
            for (int x = 0; x < color.width; ++x) {
                const bool own =
                    x >= view.left && x < view.left + view.wide && y >= view.top && y < view.top + view.tall;
                const std::uint8_t* now = color.at(x, y);
                const std::uint8_t* was = before.at(x, y);
                EXPECT_TRUE(std::equal(now, now + 3, was)) << "colours stay";
                if (!own)
                    EXPECT_EQ(now[3], was[3]) << "what is not the view's stays";
                else
                    EXPECT_TRUE(now[3] == 0 || (now[3] == 255 && was[3] > 0));
            }
        // Within the disc every eight by eight texels are as much covered as they were.
        for (int y = 12; y + 8 <= 36; y += 8)
            for (int x = 16; x + 8 <= 48; x += 8) {
                double change = 0;
                for (int k = 0; k < 64; ++k)
                    change += color.at(view.left + x + k % 8, view.top + y + k / 8)[3] -
                              before.at(view.left + x + k % 8, view.top + y + k / 8)[3];
                EXPECT_LT(std::abs(change) / (64 * 255), 0.08) << x << ' ' << y;
            }
    }
}

TEST(SpreadCover, leaves_what_is_whole_whole_and_what_is_clear_clear) {
    BakedView view;
    view.wide = view.tall = 16;
    Pixels color{16, 16, std::vector<std::uint8_t>(std::size_t{4} * 16 * 16, 0)};
    for (int y = 4; y < 12; ++y)
        for (int x = 4; x < 12; ++x)
            color.at(x, y)[3] = 255;
    const Pixels before = color;
    spreadCover(color, view);
    EXPECT_EQ(color.rgba, before.rgba);
}

} // namespace
} // namespace thicket
