#include "bake/lighten.h"

#include "bake/appearance.h"
#include "support/shapes.h"

#include <gtest/gtest.h>

namespace thicket {
namespace {

Image checks(int size, std::uint8_t r, std::uint8_t g, std::uint8_t b) {
    Pixels p{size, size, {}};
    for (int i = 0; i < size * size; ++i) {
        const bool dark = (i % size / (size / 4) + i / size / (size / 4)) % 2 == 0;
        p.rgba.insert(p.rgba.end(),
                      {static_cast<std::uint8_t>(dark ? r / 4 : r), static_cast<std::uint8_t>(dark ? g / 4 : g),
                       static_cast<std::uint8_t>(dark ? b / 4 : b), 255});
    }
    return encodePng(p, "checks");
}

/// A textured ball of two materials; the texture repeats three times.
struct Ball {
    Mesh mesh = shapes::texturedSphere(48, 24);
    Surfaces surfaces;
    Ball() {
        for (Vec2f& uv : mesh.uvs)
            uv = 3 * uv - Vec2f(0.5F, 0.25F);
        const std::uint32_t half = mesh.triangleCount() / 2;
        mesh.parts = {{0, half, 0}, {half, mesh.triangleCount() - half, 1}};
        surfaces.images = {checks(64, 250, 40, 40), checks(64, 40, 60, 250), checks(32, 128, 128, 255)};
        surfaces.materials.resize(2);
        surfaces.materials[0].baseColorImage = 0;
        surfaces.materials[1].baseColorImage = 1;
        surfaces.materials[1].baseColor = Vec4f(0.5F, 0.5F, 0.5F, 1);
        surfaces.materials[1].normalImage = 2;
        surfaces.materials[1].alphaMode = AlphaMode::Mask;
    }
};

TEST(Lighten, nothing_chosen_changes_nothing_but_what_is_unused) {
    const Ball ball;
    const auto same = lightenLevel(ball.mesh, ball.surfaces, {}, {});
    ASSERT_TRUE(same);
    EXPECT_EQ(same->mesh.uvs, ball.mesh.uvs);
    ASSERT_EQ(same->surfaces.images.size(), 3U);
    EXPECT_EQ(same->surfaces.images[0].encoded, ball.surfaces.images[0].encoded);
}

TEST(Lighten, pictures_are_halved_maps_left_out_and_alpha_made_opaque) {
    const Ball ball;
    MaterialChoice choice;
    choice.halvings = 2;
    choice.dropNormals = true;
    choice.opaque = true;
    const auto light = lightenLevel(ball.mesh, ball.surfaces, choice, {});
    ASSERT_TRUE(light);
    ASSERT_EQ(light->surfaces.images.size(), 2U) << "the normal map is gone";
    EXPECT_EQ(imageSize(light->surfaces.images[0])->width, 16);
    EXPECT_EQ(light->surfaces.materials[1].normalImage, -1);
    EXPECT_EQ(light->surfaces.materials[1].alphaMode, AlphaMode::Opaque);
    EXPECT_EQ(light->mesh.indices, ball.mesh.indices);
}

TEST(Lighten, a_swapped_material_draws_all_and_leaves_the_shape) {
    const Ball ball;
    MaterialChoice choice;
    choice.swaps = {{1, 0}};
    EXPECT_TRUE(choice.any());
    const auto made = lightenLevel(ball.mesh, ball.surfaces, choice, {});
    ASSERT_TRUE(made);
    ASSERT_EQ(made->mesh.parts.size(), 1U) << "both parts are one draw now";
    EXPECT_EQ(made->mesh.parts[0].material, 0U);
    EXPECT_EQ(made->mesh.triangleCount(), ball.mesh.triangleCount());
    EXPECT_EQ(made->mesh.positions, ball.mesh.positions);
    EXPECT_TRUE(checkMesh(made->mesh, "swapped"));
    choice.swaps = {{0, 1}, {1, 0}, {7, 9}};
    const auto both = lightenLevel(ball.mesh, ball.surfaces, choice, {});
    ASSERT_TRUE(both);
    ASSERT_EQ(both->mesh.parts.size(), 2U);
    // The first part's first triangle is drawn with the second material and stands in its part.
    EXPECT_EQ(both->mesh.parts[1].material, 1U);
    EXPECT_EQ(both->mesh.indices[3 * both->mesh.parts[1].firstTriangle], ball.mesh.indices[0]);
}

TEST(Lighten, merged_materials_look_as_before_from_anywhere) {
    const Ball ball;
    MaterialChoice choice;
    choice.merge = true;
    const auto merged = lightenLevel(ball.mesh, ball.surfaces, choice, {});
    ASSERT_TRUE(merged);
    ASSERT_TRUE(checkMesh(merged->mesh, "merged"));
    ASSERT_EQ(merged->mesh.parts.size(), 1U);
    ASSERT_EQ(merged->surfaces.materials.size(), 1U);
    EXPECT_GE(merged->surfaces.materials[0].normalImage, 0);
    const auto size = imageSize(merged->surfaces.images[0]);
    EXPECT_LE(std::max(size->width, size->height), 1024);
    for (const std::uint32_t v : merged->mesh.indices) {
        const Vec2f& uv = merged->mesh.uvs[v];
        EXPECT_GE(uv.minCoeff(), 0);
        EXPECT_LE(uv.maxCoeff(), 1);
    }
    const Appearance before(ball.mesh, ball.surfaces);
    const Appearance after(merged->mesh, merged->surfaces);
    int far = 0;
    int looks = 0;
    for (int i = 0; i < 600; ++i) {
        const double y = 1 - 2 * (i + 0.5) / 600;
        const double turn = 2.399963 * i;
        const Vec3d way = -Vec3d(std::sqrt(1 - y * y) * std::cos(turn), y, std::sqrt(1 - y * y) * std::sin(turn));
        const auto a = before.look(-3 * way, way);
        const auto b = after.look(-3 * way, way);
        ASSERT_TRUE(a && b);
        far += (a->color - b->color).norm() > 0.12F ? 1 : 0;
        ++looks;
    }
    EXPECT_LT(far, looks / 12) << "only at the edges between checks may filtering differ";
}

TEST(Lighten, merged_pictures_are_as_small_as_asked) {
    const Ball ball;
    MaterialChoice choice;
    choice.merge = true;
    choice.mergedSide = 128;
    choice.halvings = 1;
    const auto merged = lightenLevel(ball.mesh, ball.surfaces, choice, {});
    ASSERT_TRUE(merged);
    const auto size = imageSize(merged->surfaces.images[0]);
    EXPECT_LE(std::max(size->width, size->height), 64);
}

TEST(Lighten, a_picture_that_cannot_be_read_is_named) {
    Ball ball;
    ball.surfaces.images[1].encoded.resize(30);
    ball.surfaces.images[1].name = "planks";
    MaterialChoice choice;
    choice.halvings = 1;
    const auto refused = lightenLevel(ball.mesh, ball.surfaces, choice, {});
    ASSERT_FALSE(refused);
    EXPECT_EQ(refused.error().where, "planks");
}

} // namespace
} // namespace thicket
