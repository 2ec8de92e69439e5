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
    s.mesh().surfaces = std::make_shared<const Surfaces>(std::move(surfaces));
    s.mesh().levels.push_back(levelFrom(std::make_shared<const Mesh>(std::move(mesh)), {}, LevelOrigin::Source));
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

SelectInput occludersOf(const std::vector<Subject>& subjects) {
    Scene scene;
    scene.subjects = subjects;
    SelectInput input = selectInput(scene, scene.settings.view);
    fillOccluders(scene, input);
    return input;
}

} // namespace

TEST(Occluders, solid_things_hide_and_lattices_glass_and_heavy_meshes_do_not) {
    const SelectInput input = occludersOf({subjectOf(1, shapes::box(4, {3, 2, 1})), subjectOf(2, lattice()),
                                           subjectOf(3, shapes::box(4, {3, 2, 1}), AlphaMode::Mask),
                                           subjectOf(4, shapes::sphere(60)), subjectOf(5, shapes::sphere(20))});
    ASSERT_EQ(input.batches.size(), 5U);
    const auto found = [&](std::size_t i) { return input.batches[i].occluders[0]; };
    EXPECT_TRUE(found(0));
    EXPECT_FALSE(found(1)) << "it covers nothing whole";
    EXPECT_FALSE(found(2)) << "it can be seen through";
    EXPECT_FALSE(found(3)) << "72,000 triangles take too long to draw twice";
    EXPECT_TRUE(found(4));
}

TEST(Occluders, of_a_lattice_finer_levels_are_not_drawn_to_find_out) {
    const auto lattices = [](Subject chain, int count) {
        for (int i = 0; i < count; ++i)
            chain.mesh().levels.push_back(
                levelFrom(std::make_shared<const Mesh>(lattice()), {}, LevelOrigin::Collapsed));
        return chain;
    };
    const Subject ball = subjectOf(1, shapes::sphere(20)); // would hide something
    EXPECT_TRUE(occludersOf({lattices(ball, 1)}).batches[0].occluders[0]) << "one level tells little";
    EXPECT_FALSE(occludersOf({lattices(ball, 2)}).batches[0].occluders[0]);
    // Whatever was there before: levels that come and go.
    Scene scene;
    OccluderShelf shelf;
    for (const int count : {2, 1, 0, 2}) {
        scene.subjects = {lattices(ball, count)};
        SelectInput input = selectInput(scene, scene.settings.view);
        shelf.makeAll(scene, {});
        shelf.fill(scene, input);
        EXPECT_EQ(input.batches[0].occluders[0] != nullptr, count < 2) << count;
    }
}

TEST(Occluders, are_made_one_by_one_kept_and_follow_their_level) {
    Scene scene;
    scene.subjects = {subjectOf(1, shapes::box(2, {1, 1, 1})), subjectOf(2, shapes::sphere(8))};
    OccluderShelf shelf;
    SelectInput s = selectInput(scene, scene.settings.view);
    shelf.fill(scene, s);
    EXPECT_FALSE(s.batches[0].occluders[0]);
    EXPECT_TRUE(shelf.makeOne(scene));
    EXPECT_TRUE(shelf.makeOne(scene));
    EXPECT_FALSE(shelf.makeOne(scene)) << "both are there";
    shelf.fill(scene, s);
    const auto first = s.batches[0].occluders[0];
    ASSERT_TRUE(first);
    // Another mesh in its place is another occluder; the one beside it stays.
    const auto second = s.batches[1].occluders[0];
    scene.subjects[0].mesh().levels[0].mesh = std::make_shared<const Mesh>(shapes::box(3, {1, 1, 1}));
    shelf.fill(scene, s);
    EXPECT_FALSE(s.batches[0].occluders[0]);
    EXPECT_TRUE(shelf.makeOne(scene));
    shelf.fill(scene, s);
    EXPECT_NE(s.batches[0].occluders[0], first);
    EXPECT_EQ(s.batches[1].occluders[0], second);
}

TEST(StatedView, has_the_detail_of_the_scene_and_of_the_device) {
    Scene scene;
    scene.settings.view.detail = 0.5;
    EXPECT_DOUBLE_EQ(scene.statedView().detail, 0.5);
    scene.settings.devices.resize(2);
    scene.settings.devices[1].detail = 3;
    EXPECT_DOUBLE_EQ(scene.statedView().detail, 0.5);
    scene.settings.device = 1;
    EXPECT_DOUBLE_EQ(scene.statedView().detail, 1.5);
    EXPECT_DOUBLE_EQ(scene.statedView(&scene.settings.devices[0]).detail, 0.5);
}

TEST(SelectInput, measures_from_the_middle_of_a_target) {
    Scene scene;
    scene.subjects = {subjectOf(1, shapes::box(2, {2, 4, 2})), subjectOf(2, shapes::sphere(8))};
    const auto place = [&](std::size_t subject, const Placement& p) {
        scene.subjects[subject].mesh().placed = std::make_shared<const Placements>(Placements{p});
    };
    place(0, {10, 0, {7, 0, 0}, Quatd::Identity(), 2, 1});
    place(1, {11, 0, {0, 0, 0}, Quatd::Identity(), 1, 3});
    scene.subjects[1].rule.target = 10;
    const SelectInput s = selectInput(scene, scene.settings.view);
    EXPECT_FALSE(s.batches[0].chain.measuredFrom);
    ASSERT_TRUE(s.batches[1].chain.measuredFrom);
    EXPECT_LT((*s.batches[1].chain.measuredFrom - (Vec3d(7, 0, 0) + 2 * scene.subjects[0].bounds.centre())).norm(),
              1e-9);
    EXPECT_EQ(s.batches[1].copies->at(0).importance, 3);
    EXPECT_EQ(s.batches[1].copies->at(0).id, 11U);
    scene.subjects[1].rule.target = 99;
    EXPECT_FALSE(selectInput(scene, scene.settings.view).batches[1].chain.measuredFrom)
        << "a target that is gone: the camera";
}

} // namespace thicket
