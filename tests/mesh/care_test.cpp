#include "mesh/care.h"

#include "support/shapes.h"

#include <algorithm>
#include <gtest/gtest.h>

namespace thicket {
namespace {

CareStroke dab(const Vec3f& at, float radius, float strength = 1) {
    CareStroke stroke;
    stroke.path = {at};
    stroke.radius = radius;
    stroke.strength = strength;
    return stroke;
}

TEST(Care, is_full_in_the_middle_of_a_stroke_and_fades_to_its_radius) {
    const Mesh mesh = shapes::sphere(40);
    const std::vector<float> values = careOf(mesh, {dab({0, 1, 0}, 0.5F, 0.8F)});
    ASSERT_EQ(values.size(), mesh.positions.size());
    for (std::size_t v = 0; v < values.size(); ++v) {
        const float away = (mesh.positions[v] - Vec3f(0, 1, 0)).norm();
        if (away >= 0.5F) {
            EXPECT_EQ(values[v], 0);
        } else if (away < 0.05F) {
            EXPECT_GT(values[v], 0.75F);
        }
        EXPECT_LE(values[v], 0.8F);
    }
}

TEST(Care, a_fast_stroke_leaves_no_gaps) {
    const Mesh mesh = shapes::sphere(60);
    CareStroke stroke = dab({1, 0, 0}, 0.1F);
    stroke.path.emplace_back(Vec3f(1, 1, 0).normalized());
    const std::vector<float> values = careOf(mesh, {stroke});
    const Vec3f between = (stroke.path[0] + stroke.path[1]) / 2;
    float most = 0;
    for (std::size_t v = 0; v < values.size(); ++v)
        if ((mesh.positions[v] - between).norm() < 0.1F)
            most = std::max(most, values[v]);
    EXPECT_GT(most, 0.1F);
}

TEST(Care, a_mask_is_laid_by_the_uvs_and_repeats) {
    Mesh mesh = shapes::sphere(4);
    CareMask mask{2, 1, {0, 255}};
    CareStroke stroke;
    stroke.kind = CareStroke::Kind::FromMask;
    stroke.mask = std::make_shared<const CareMask>(mask);
    for (const float value : careOf(mesh, {stroke}))
        EXPECT_EQ(value, 0) << "without UVs there is nothing to lay it by";
    for (std::size_t v = 0; v < mesh.positions.size(); ++v)
        mesh.uvs.emplace_back(v % 2 == 0 ? 0.25F : 3.75F, 0.5F);
    const std::vector<float> values = careOf(mesh, {stroke});
    for (std::size_t v = 0; v < values.size(); ++v)
        EXPECT_NEAR(values[v], v % 2 == 0 ? 0 : 1, 1e-5);
}

TEST(Care, strokes_lie_on_each_other_and_erasing_takes_away) {
    const Mesh mesh = shapes::sphere(30);
    const auto peak = [&](const Care& care) {
        const auto values = careOf(mesh, care);
        return *std::max_element(values.begin(), values.end());
    };
    EXPECT_TRUE(careOf(mesh, {}).empty());
    CareStroke erase = dab({0, 1, 0}, 3, 1);
    erase.kind = CareStroke::Kind::Erase;
    const CareStroke weak = dab({0, 1, 0}, 0.4F, 0.3F);
    const CareStroke strong = dab({0, 1, 0}, 0.4F, 0.9F);
    EXPECT_NEAR(peak({weak, strong}), peak({strong, weak}), 1e-6) << "a weaker stroke takes nothing away";
    EXPECT_LT(peak({strong, erase}), 0.25F);
    const Care twice{strong, strong};
    EXPECT_EQ(careOf(mesh, twice), careOf(mesh, {strong}));
}

TEST(Care, mirrored_strokes_are_symmetric) {
    const Mesh mesh = shapes::sphere(30);
    CareStroke stroke = dab({0.9F, 0.3F, 0.1F}, 0.6F);
    stroke.mirror = true;
    const auto values = careOf(mesh, {stroke});
    for (std::size_t v = 0; v < values.size(); ++v)
        for (std::size_t w = 0; w < values.size(); ++w) {
            const Vec3f other(-mesh.positions[w].x(), mesh.positions[w].y(), mesh.positions[w].z());
            if ((other - mesh.positions[v]).norm() < 1e-5F) {
                EXPECT_NEAR(values[v], values[w], 1e-4);
            }
        }
    EXPECT_GT(*std::max_element(values.begin(), values.end()), 0.9F);
}

TEST(Care, comes_from_a_channel_of_the_vertex_colours) {
    Mesh mesh = shapes::sphere(6);
    for (const Vec3f& p : mesh.positions)
        mesh.colors.emplace_back(0, p.y() > 0 ? 1 : 0, 0, 1);
    CareStroke stroke;
    stroke.kind = CareStroke::Kind::FromColor;
    stroke.channel = 1;
    stroke.strength = 0.5F;
    const auto values = careOf(mesh, {stroke});
    for (std::size_t v = 0; v < values.size(); ++v)
        EXPECT_EQ(values[v], mesh.positions[v].y() > 0 ? 0.5F : 0.0F);
}

} // namespace
} // namespace thicket
