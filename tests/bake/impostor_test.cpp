// Views on a grid of directions.

#include "bake/impostor.h"
#include "support/shapes.h"

#include <gtest/gtest.h>
#include <set>

namespace thicket {
namespace {

/// A tall box with a short one beside it: looks otherwise from every side.
Mesh twoBoxes() {
    Mesh mesh = shapes::box(2, {0.4, 1.6, 0.4});
    shapes::append(mesh, shapes::box(2, {0.8, 0.4, 0.3}), {0.6, -0.6, 0.1});
    return mesh;
}

TEST(Impostor, every_view_is_the_nearest_one_to_its_own_direction) {
    for (const int across : {2, 5, 8}) {
        const ViewGrid grid{across, {0, 0, 0}, 1, 16};
        for (int view = 0; view < across * across; ++view) {
            const Vec3d d = viewDirection(grid, view);
            EXPECT_NEAR(d.norm(), 1, 1e-12);
            EXPECT_GE(d.y(), -1e-12);
            EXPECT_GT(viewDirection(grid, nearestView(grid, 7.5 * d)).dot(d), 1 - 1e-12) << view;
        }
    }
}

TEST(Impostor, the_nearest_view_is_the_nearest_of_all_or_close_to_it) {
    const ViewGrid grid{8, {0, 0, 0}, 1, 16};
    double worst = 1;
    for (int i = 0; i < 400; ++i) {
        const double yaw = 0.37 * i;
        const double pitch = 1.5 * (i % 40) / 40;
        const Vec3d d(std::sin(yaw) * std::cos(pitch), std::sin(pitch), std::cos(yaw) * std::cos(pitch));
        double best = -1;
        for (int view = 0; view < 64; ++view)
            best = std::max(best, viewDirection(grid, view).dot(d));
        const double own = viewDirection(grid, nearestView(grid, d)).dot(d);
        EXPECT_GT(own, best - 0.02);
        worst = std::min(worst, own);
    }
    EXPECT_GT(worst, std::cos(0.35)) << "no direction is farther than 20 degrees from a view";
    EXPECT_EQ(nearestView(grid, {1, -3, 0.2}), nearestView(grid, {1, 0, 0.2})) << "below the horizon";
}

TEST(Impostor, a_view_covers_what_the_subject_covers_from_there) {
    const Mesh mesh = twoBoxes();
    const auto baked = bakeImpostor(mesh, shapes::white(), {5, 64, 3}, {});
    ASSERT_TRUE(baked);
    EXPECT_EQ(baked->level.mesh.triangleCount(), 2U);
    const Appearance whole(mesh, shapes::white());
    for (const int view : {0, 7, 12, 18}) {
        const Mesh shown = viewRectangle(baked->grid, view);
        const Appearance picture(shown, baked->level.surfaces);
        const Vec3d d = viewDirection(baked->grid, view);
        const Vec3d right = std::abs(d.y()) > 0.999 ? Vec3d(1, 0, 0) : Vec3d(kUp.cross(d).normalized());
        const Vec3d up = d.cross(right);
        int both = 0;
        int one = 0;
        for (int y = -40; y <= 40; ++y)
            for (int x = -40; x <= 40; ++x) {
                const Vec3d from = baked->grid.centre + (right * x + up * y) / 40 * baked->grid.half + 5 * d;
                const bool a = whole.blocks(from, -d);
                const bool b = picture.blocks(from, -d);
                both += a && b ? 1 : 0;
                one += a != b ? 1 : 0;
            }
        EXPECT_GT(both, 200);
        EXPECT_LT(one, both / 5) << "view " << view;
    }
    // From between the views it is off by what the subject's depth makes of the angle, and says so.
    EXPECT_GT(baked->level.difference.shift, 0.01);
    EXPECT_LT(baked->level.difference.shift, 0.5);
}

TEST(Impostor, more_views_are_less_far_off) {
    const Mesh mesh = twoBoxes();
    const auto few = bakeImpostor(mesh, shapes::white(), {4, 48, 2}, {});
    const auto many = bakeImpostor(mesh, shapes::white(), {12, 48, 2}, {});
    ASSERT_TRUE(few && many);
    EXPECT_LT(many->level.difference.rms, few->level.difference.rms);
    EXPECT_LT(many->level.difference.shift, few->level.difference.shift);
}

TEST(Impostor, depth_and_cancel) {
    const Mesh mesh = shapes::sphere(12);
    const auto baked = bakeImpostor(mesh, shapes::white(), {3, 32, 2}, {});
    ASSERT_TRUE(baked);
    const auto normal = decodeImage(baked->level.surfaces.images[1]);
    ASSERT_TRUE(normal);
    const int cell = 32 + 2 * kViewGutter;
    // In the middle of a view the sphere is a radius in front of the rectangle; at its corner there is nothing.
    EXPECT_GT(normal->at(cell + cell / 2, cell / 2)[3], 240);
    EXPECT_EQ(normal->at(kViewGutter, kViewGutter)[3], 128);
    std::stop_source stop;
    stop.request_stop();
    EXPECT_FALSE(bakeImpostor(mesh, shapes::white(), {}, {stop.get_token(), {}}));
}

/// A square of bars that face +Z, `wide` of every `pitch` covered.
Mesh bars(float pitch, float wide) {
    Mesh mesh;
    for (float x = -1; x < 1; x += pitch) {
        const auto base = static_cast<std::uint32_t>(mesh.positions.size());
        mesh.positions.insert(mesh.positions.end(), {{x, -1, 0}, {x + wide, -1, 0}, {x + wide, 1, 0}, {x, 1, 0}});
        mesh.normals.insert(mesh.normals.end(), 4, {0, 0, 1});
        mesh.indices.insert(mesh.indices.end(), {base, base + 1, base + 2, base, base + 2, base + 3});
    }
    mesh.parts = {{0, mesh.triangleCount(), 0}};
    return mesh;
}

/// Of the texels well inside of a square's front view, the share that is solid, and their mean red.
std::pair<double, double> frontOf(const Mesh& mesh) {
    const auto baked = bakeImpostor(mesh, shapes::white(), {3, 32, 8}, {});
    EXPECT_TRUE(baked);
    const auto color = decodeImage(baked->level.surfaces.images[0]);
    EXPECT_TRUE(color);
    const int view = nearestView(baked->grid, {0, 0, 1});
    const int cell = 32 + 2 * kViewGutter;
    double solid = 0;
    double red = 0;
    constexpr int kSide = 16;
    for (int y = 0; y < kSide; ++y)
        for (int x = 0; x < kSide; ++x) {
            const auto* texel = color->at(view % 3 * cell + kViewGutter + 8 + x, view / 3 * cell + kViewGutter + 8 + y);
            EXPECT_TRUE(texel[3] == 0 || texel[3] == 255) << "solid or clear";
            solid += texel[3] > 0 ? 1 : 0;
            red += texel[0];
        }
    return {solid / (kSide * kSide), red / (kSide * kSide)};
}

TEST(Impostor, what_is_woven_finer_than_a_texel_covers_as_much_as_it_did) {
    for (const float share : {0.2F, 0.5F, 0.7F, 0.9F})
        EXPECT_NEAR(frontOf(bars(0.02F, 0.02F * share)).first, share, 0.05) << share;
    EXPECT_EQ(frontOf(bars(0.02F, 0.02F)).first, 1);
}

TEST(Impostor, what_is_rough_gives_back_less_light_than_its_mean_normal_would) {
    EXPECT_NEAR(frontOf(bars(0.02F, 0.02F)).second, 255, 1) << "smooth: as it is";
    // Ridges finer than a texel, of normals 45 degrees to the left and to the right: their mean is 0.71 long.
    Mesh ridges = bars(0.02F, 0.02F);
    for (std::size_t i = 0; i < ridges.normals.size(); ++i)
        ridges.normals[i] = Vec3f(i / 4 % 2 == 0 ? 1 : -1, 0, 1).normalized();
    const double lit = (0.35 + 0.65 * 2 / 3 * std::sqrt(0.5)) / (0.35 + 0.65 * 2 / 3);
    EXPECT_NEAR(frontOf(ridges).second, toSrgb(static_cast<float>(lit)), 4);
}

} // namespace
} // namespace thicket
