#include "scene/occluders.h"
#include "support/shapes.h"

#include <gtest/gtest.h>

namespace thicket {
namespace {

Subject subjectOf(std::uint32_t id, Mesh mesh, AlphaMode alpha = AlphaMode::Opaque) {
    Subject s;
    s.id = id;
    Surfaces surfaces;
    surfaces.materials.emplace_back();
    surfaces.materials.back().alphaMode = alpha;
    s.surfaces = std::make_shared<const Surfaces>(std::move(surfaces));
    s.levels.push_back(levelFrom(std::make_shared<const Mesh>(std::move(mesh)), {}, LevelOrigin::Source));
    refreshSubject(s);
    return s;
}

/// Thin rods side by side, with wide gaps.
Mesh lattice() {
    Mesh out;
    for (int i = 0; i < 30; ++i)
        shapes::append(out, shapes::rod(6, 0.01, 2, 6), {0, 0.2 * i, 0});
    shapes::onePart(out);
    return out;
}

Occluders occludersOf(const std::vector<Subject>& subjects) {
    Scene scene;
    scene.subjects = subjects;
    SelectScene s = selectScene(scene, scene.view);
    fillOccluders(scene, s);
    return s.occluders;
}

} // namespace

TEST(Occluders, solid_things_hide_and_lattices_glass_and_heavy_meshes_do_not) {
    const Occluders found = occludersOf({subjectOf(1, shapes::box(4, {3, 2, 1})), subjectOf(2, lattice()),
                                         subjectOf(3, shapes::box(4, {3, 2, 1}), AlphaMode::Mask),
                                         subjectOf(4, shapes::sphere(60)), subjectOf(5, shapes::sphere(20))});
    ASSERT_EQ(found.size(), 5U);
    EXPECT_TRUE(found[0][0]);
    EXPECT_FALSE(found[1][0]) << "it covers nothing whole";
    EXPECT_FALSE(found[2][0]) << "it can be seen through";
    EXPECT_FALSE(found[3][0]) << "72,000 triangles take too long to draw twice";
    EXPECT_TRUE(found[4][0]);
}

TEST(Occluders, are_made_one_by_one_kept_and_follow_their_level) {
    Scene scene;
    scene.subjects = {subjectOf(1, shapes::box(2, {1, 1, 1})), subjectOf(2, shapes::sphere(8))};
    OccluderShelf shelf;
    SelectScene s = selectScene(scene, scene.view);
    shelf.fill(scene, s);
    EXPECT_FALSE(s.occluders[0][0]);
    EXPECT_TRUE(shelf.makeOne(scene));
    EXPECT_TRUE(shelf.makeOne(scene));
    EXPECT_FALSE(shelf.makeOne(scene)) << "both are there";
    shelf.fill(scene, s);
    const auto first = s.occluders[0][0];
    ASSERT_TRUE(first);
    // Another mesh in its place is another occluder; the one beside it stays.
    const auto second = s.occluders[1][0];
    scene.subjects[0].levels[0].mesh = std::make_shared<const Mesh>(shapes::box(3, {1, 1, 1}));
    shelf.fill(scene, s);
    EXPECT_FALSE(s.occluders[0][0]);
    EXPECT_TRUE(shelf.makeOne(scene));
    shelf.fill(scene, s);
    EXPECT_NE(s.occluders[0][0], first);
    EXPECT_EQ(s.occluders[1][0], second);
}

TEST(StatedView, has_the_detail_of_the_scene_and_of_the_device) {
    Scene scene;
    scene.view.detail = 0.5;
    EXPECT_DOUBLE_EQ(scene.statedView().detail, 0.5);
    scene.devices.resize(2);
    scene.devices[1].detail = 3;
    EXPECT_DOUBLE_EQ(scene.statedView().detail, 0.5);
    scene.device = 1;
    EXPECT_DOUBLE_EQ(scene.statedView().detail, 1.5);
    EXPECT_DOUBLE_EQ(scene.statedView(&scene.devices[0]).detail, 0.5);
}

TEST(SelectScene, measures_from_the_middle_of_a_target) {
    Scene scene;
    scene.subjects = {subjectOf(1, shapes::box(2, {2, 4, 2})), subjectOf(2, shapes::sphere(8))};
    scene.placements = {{10, 1, {7, 0, 0}, Quatd::Identity(), 2, 1}, {11, 2, {0, 0, 0}, Quatd::Identity(), 1, 3}};
    scene.subjects[1].rule.target = 10;
    const SelectScene s = selectScene(scene, scene.view);
    EXPECT_FALSE(s.chains[0].measuredFrom);
    ASSERT_TRUE(s.chains[1].measuredFrom);
    EXPECT_LT((*s.chains[1].measuredFrom - (Vec3d(7, 0, 0) + 2 * scene.subjects[0].bounds.centre())).norm(), 1e-9);
    EXPECT_EQ(s.copies.importance, (std::vector<double>{1, 3}));
    EXPECT_EQ(s.placementOf, (std::vector<std::uint32_t>{10, 11}));
    scene.subjects[1].rule.target = 99;
    EXPECT_FALSE(selectScene(scene, scene.view).chains[1].measuredFrom) << "a target that is gone: the camera";
}

} // namespace thicket
