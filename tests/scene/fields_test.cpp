// Fields in a scene: what they stand on, what they refuse, and what becomes of them when other things go.

#include "scene/fields.h"

#include "scene/kinds.h"
#include "scene/select_input.h"
#include "support/shapes.h"

#include <gtest/gtest.h>

namespace thicket {
namespace {

Subject meshOf(std::uint32_t id, const char* name, const Mesh& mesh) {
    Subject s;
    s.id = id;
    s.name = name;
    MeshBody body;
    body.surfaces = std::make_shared<const Surfaces>();
    body.levels.resize(1);
    body.levels[0].origin = LevelOrigin::Source;
    body.levels[0].mesh = std::make_shared<const Mesh>(mesh);
    s.body = std::move(body);
    refreshSubject(s);
    return s;
}

/// A slab that stands twice, a ball to scatter, and a route along the slabs.
Scene shore() {
    Scene scene;
    scene.subjects = {meshOf(1, "Slab", shapes::box(2, {10, 1, 10})), meshOf(2, "Ball", shapes::texturedSphere(12, 6))};
    Placements slabs(2);
    slabs[0].id = 10;
    slabs[1].id = 11;
    slabs[1].position = {100, 5, 0};
    slabs[1].scale = 2;
    scene.subjects[0].mesh().placed = std::make_shared<const Placements>(slabs);
    scene.settings.routes = {{"Walk", {{0, {-50, 3, 0}, {0, 0, 0}}, {5, {50, 3, 0}, {60, 0, 0}}}}};
    scene.nextId = 12;
    return scene;
}

ScatterRecipe onSlabs() {
    ScatterRecipe r;
    r.surface = 1;
    r.density = 4;
    r.assets = {{2, 1, 1, 1, 0, 0, 0}};
    return r;
}

} // namespace

TEST(FieldsInScenes, stand_on_every_copy_of_their_surface) {
    const Scene scene = shore();
    const auto ground = groundOf(scene, onSlabs(), {});
    ASSERT_TRUE(ground);
    const auto copies = scatter(onSlabs(), *ground, {});
    ASSERT_TRUE(copies);
    double near = 0;
    double far = 0;
    for (const Placement& p : *copies)
        (p.position.x() > 50 ? far : near) += 1;
    EXPECT_NEAR(far / near, 4, 0.2) << "one slab is twice as wide and as deep";
}

TEST(FieldsInScenes, keep_their_distance_from_routes_and_subjects) {
    const Scene scene = shore();
    ScatterRecipe r = onSlabs();
    r.near = {{ScatterNear::Of::Route, "Walk", 0, 1, 3}};
    const auto ground = groundOf(scene, r, {});
    ASSERT_TRUE(ground);
    const auto copies = scatter(r, *ground, {});
    ASSERT_TRUE(copies) << copies.error().text();
    for (const Placement& p : *copies) {
        EXPECT_LT(p.position.x(), 60);
        EXPECT_GE(std::abs(p.position.z()), 0.999);
        EXPECT_LE(std::abs(p.position.z()), 3.001);
    }
}

TEST(FieldsInScenes, say_what_is_gone_and_what_is_no_picture) {
    Scene scene = shore();
    ScatterRecipe r = onSlabs();
    r.surface = 7;
    EXPECT_EQ(groundOf(scene, r, {}).error().code, ErrorCode::NotFound);
    r = onSlabs();
    r.near = {{ScatterNear::Of::Route, "Run", 0, 1, 3}};
    EXPECT_NE(groundOf(scene, r, {}).error().what.find("Run"), std::string::npos);
    r.near = {{ScatterNear::Of::Subject, {}, 99, 1, 3}};
    EXPECT_FALSE(groundOf(scene, r, {}));
    r.near.clear();
    EXPECT_EQ(groundOf(scene, r, std::vector<std::byte>(100)).error().code, ErrorCode::BadInput);
}

TEST(FieldsInScenes, thin_out_by_default_as_their_role_lets_them) {
    for (const auto& role : kRoles) {
        const SwitchRule rule = usualFieldRule(role.value, 2);
        const Thinning thinning = usualThinning(role.value, rule.reachMetres);
        const bool cover = role.value == Role::GroundCover || role.value == Role::Dressing;
        EXPECT_EQ(thinning.thins(), cover) << role.key;
        if (!cover)
            continue;
        EXPECT_GT(rule.softBand, 0);
        EXPECT_EQ(thinning.keepAt(rule.reachMetres), 0) << "nothing ends at once";
        double before = 1;
        for (double d = 0; d <= rule.reachMetres; d += 1) {
            EXPECT_LE(thinning.keepAt(d), before);
            before = thinning.keepAt(d);
        }
    }
}

TEST(FieldsInScenes, curves_by_height_follow_what_is_seen_and_curves_by_distance_do_not) {
    Scene scene = shore();
    scene.subjects.push_back(meshOf(3, "Big ball", shapes::sphere(6, 2)));
    Placements copies(2);
    copies[0].id = 20;
    copies[1].id = 21;
    copies[1].asset = 1;
    scene.nextId = 22;
    Subject field = makeField(scene, "Balls", Role::GroundCover, {2, 3}, copies);
    field.id = scene.nextId++;
    const auto index = static_cast<std::uint32_t>(scene.subjects.size());
    scene.subjects.push_back(field);
    const auto kept = [&](const View& view, std::size_t batch, double metres) {
        return batchesOf(scene, index, view, nullptr)[batch].thinning.keepAt(metres);
    };
    View wide;
    wide.fovY = 1.2;
    View narrow = wide;
    narrow.fovY = 0.4;
    const double farther = narrow.pixelScale() / wide.pixelScale();
    for (const double d : {5.0, 17.0, 30.0}) {
        EXPECT_DOUBLE_EQ(kept(wide, 0, d), kept(narrow, 0, d));
        EXPECT_DOUBLE_EQ(kept(wide, 0, d), kept(wide, 1, d));
    }
    const Thinning byDistance = field.instances()->thinning;
    Thinning byHeight = byDistance;
    byHeight.fullHeight = fullHeightOf(scene, field, wide);
    setThinning(scene.subjects.back(), byHeight);
    for (const double d : {5.0, 17.0, 30.0}) {
        EXPECT_NEAR(kept(wide, 1, d), byDistance.keepAt(d), 1e-9) << "the largest is as it was";
        EXPECT_NEAR(kept(narrow, 1, d * farther), byDistance.keepAt(d), 1e-9);
        EXPECT_NEAR(kept(wide, 0, d / 2), byDistance.keepAt(d), 2e-2) << "half as large, half as far";
    }
}

TEST(FieldsInScenes, curves_go_with_the_detail_of_scene_and_device_and_with_what_a_fit_loosened) {
    Scene scene = shore();
    Subject field = makeField(scene, "Balls", Role::GroundCover, {2}, Placements(2));
    field.id = scene.nextId++;
    const auto index = static_cast<std::uint32_t>(scene.subjects.size());
    scene.subjects.push_back(field);
    const Thinning typed = field.instances()->thinning;
    const auto keptAt = [&](double metres) {
        return batchesOf(scene, index, scene.statedView(), nullptr)[0].thinning.keepAt(metres);
    };
    scene.settings.devices.resize(2);
    scene.settings.device = 1;
    for (const double ofScene : {1.0, 0.5, 2.0})
        for (const double ofDevice : {1.0, 0.25}) {
            scene.settings.view.detail = ofScene;
            scene.settings.devices[1].detail = ofDevice;
            scene.settings.devices[0].detail = 7; // another one
            const double times = ofScene * ofDevice;
            EXPECT_NEAR(nearerTimes(scene.statedView(), field.id), 1 / times, 1e-12);
            for (const double d : {4.0, 9.0, 20.0})
                EXPECT_NEAR(keptAt(d * times), typed.keepAt(d), 1e-9) << ofScene << " of the scene, " << ofDevice;
        }
    scene.settings.view.detail = 1;
    scene.settings.devices[1].detail = 0.5;
    scene.settings.devices[1].fitted[field.id] = 3;
    EXPECT_NEAR(nearerTimes(scene.statedView(), field.id), 6, 1e-12);
    EXPECT_NEAR(keptAt(2), typed.keepAt(12), 1e-9);
}

TEST(FieldsInScenes, reach_as_far_as_copies_are_tall_where_they_stand) {
    const Scene scene = shore();
    Placements copies(1);
    copies[0].scale = 0.5; // of a ball two metres across
    const Subject small = makeField(scene, "Small", Role::GroundCover, {2}, copies);
    copies[0].scale = 2;
    const Subject large = makeField(scene, "Large", Role::GroundCover, {2}, copies);
    EXPECT_NEAR(large.rule.reachMetres, 4 * small.rule.reachMetres, 20);
    EXPECT_EQ(small.instances()->thinning.keepAt(small.rule.reachMetres), 0);
}

TEST(FieldsInScenes, ids_of_a_table_are_kept_where_they_are_free) {
    const Scene scene = shore();
    Placements copies(2);
    copies[0].id = 500;
    copies[1].id = 501;
    EXPECT_TRUE(keepFreeIds(scene, copies));
    EXPECT_EQ(copies[1].id, 501U);
    copies[0].id = 11; // a slab's
    EXPECT_FALSE(keepFreeIds(scene, copies));
    EXPECT_EQ(copies[0].id, 0U);
    EXPECT_EQ(copies[1].id, 0U);
}

TEST(FieldsInScenes, a_removed_mesh_leaves_the_recipe_too) {
    Scene scene = shore();
    ScatterRecipe r = onSlabs();
    r.assets.push_back({1, 1, 0.1, 0.1, 0, 0, 0});
    auto copies = scatter(r, *groundOf(scene, r, {}), {});
    Subject field = makeField(scene, "Field", Role::Dressing, {2, 1}, std::move(*copies));
    std::get<InstancesBody>(field.body).recipe = std::make_shared<const ScatterRecipe>(r);
    std::get<InstancesBody>(field.body).thinning.band = 0.4;
    apply(scene, addSubjects(scene, {std::move(field)}, "Field"));
    apply(scene, removeSubject(scene, 2));
    const InstancesBody& left = *scene.subjects.back().instances();
    EXPECT_EQ(left.assets, std::vector<std::uint32_t>{1});
    ASSERT_EQ(left.recipe->assets.size(), 1U);
    EXPECT_EQ(left.recipe->assets[0].subject, 1U);
    EXPECT_EQ(left.thinning.band, 0.4) << "how it thins out is as it was";
}

TEST(FieldsInScenes, draws_are_counted_as_the_engine_issues_them) {
    Scene scene = shore();
    ScatterRecipe r = onSlabs();
    auto copies = scatter(r, *groundOf(scene, r, {}), {});
    apply(scene, addSubjects(scene, {makeField(scene, "Field", Role::WorkingPiece, {2}, std::move(*copies))}, "Field"));
    const auto drawsOf = [&] {
        View view = lookAt(scene.statedView(), {0, 30, 60}, {0, 0, 0});
        const SelectInput input = selectInput(scene, view);
        SelectState state;
        Selection out;
        select(input, view, 0, {}, state, out);
        return std::pair(out.subjects.back().draws, out.subjects.back().drawn);
    };
    const auto [together, drawn] = drawsOf();
    EXPECT_EQ(together, 1U);
    EXPECT_GT(drawn, 10U);
    std::get<InstancesBody>(scene.subjects.back().body).engineInstances = false;
    EXPECT_EQ(drawsOf().first, drawn);
}

} // namespace thicket
