// Terrain as a subject: counted like any other, scattered on, and the same after strokes as if made with them.

#include "scene/grounds.h"

#include "scene/fields.h"
#include "scene/select_input.h"
#include "support/shapes.h"
#include "terrain/build_tree.h"
#include "terrain/ground_ray.h"

#include <cmath>
#include <gtest/gtest.h>
#include <random>

namespace thicket {
namespace {

Subject hillside(std::uint32_t cells = 16) {
    TerrainBody body;
    body.trial = GroundRecipe();
    body.trial->columns = body.trial->rows = 257;
    body.trial->feature = 90;
    body.cells = cells;
    auto made = makeTerrain("Hillside", std::move(body), {});
    EXPECT_TRUE(made);
    return std::move(*made);
}

Scene sceneWith(Subject terrain) {
    Scene scene;
    apply(scene, addSubjects(scene, {std::move(terrain)}, "Add"));
    return scene;
}

} // namespace

TEST(Ground, is_selected_and_counted_as_a_subject_like_any_other) {
    const Scene scene = sceneWith(hillside());
    View view = lookAt(scene.statedView(), {-60, 25, 90}, {0, 0, 0});
    const SelectInput input = selectInput(scene, view);
    ASSERT_EQ(input.grounds.size(), 1U);
    EXPECT_TRUE(input.batches.empty());
    SelectState state;
    Selection selection;
    select(input, view, 0, selectOptions(scene, 0), state, selection);
    const SubjectCost& cost = selection.subjects[0];
    EXPECT_GT(cost.drawn, 4U);
    EXPECT_EQ(cost.drawn, selection.grounds[0].tiles.size());
    EXPECT_EQ(cost.triangles, selection.grounds[0].triangles);
    EXPECT_EQ(cost.draws, cost.drawn);
    EXPECT_GT(cost.culledBy[static_cast<std::size_t>(Culled::OutOfView)], 0U);
    EXPECT_LE(cost.worstErrorPx, scene.subjects[0].rule.allowPx);
    EXPECT_GT(cost.pixels, 0);
    EXPECT_LE(cost.pixels, view.lines * view.lines * view.aspect);
    EXPECT_EQ(selection.total.triangles, cost.triangles);
    const std::uint64_t exact = cost.triangles;
    SelectOptions light = selectOptions(scene, 0);
    light.allowanceFactor = 4;
    select(input, view, 0, light, state, selection);
    EXPECT_LT(selection.total.triangles, exact) << "in motion it may be coarser";
    SelectOptions finest = selectOptions(scene, 0);
    finest.switchLevels = false;
    finest.cullView = finest.cullHidden = false;
    select(input, view, 0, finest, state, selection);
    EXPECT_EQ(selection.total.triangles, 2U * 256 * 256);
}

TEST(Ground, its_reach_and_its_detail_and_switches_by_hand_are_kept_to) {
    Subject terrain = hillside();
    terrain.rule.reachMetres = 60;
    Scene scene = sceneWith(terrain);
    const View view = lookAt(scene.statedView(), {0, 40, 0}, {1, 39, 0});
    SelectState state;
    Selection selection;
    select(selectInput(scene, view), view, 0, selectOptions(scene, 0), state, selection);
    for (const DrawnTile& tile : selection.grounds[0].tiles) {
        const Bounds b = scene.subjects[0].terrain()->tree->reachOf(tile.ref);
        EXPECT_LE((b.low - view.eye).cwiseMax(view.eye - b.high).cwiseMax(0).norm(), 60);
    }
    EXPECT_GT(selection.subjects[0].culledBy[static_cast<std::size_t>(Culled::BeyondReach)], 0U);
    scene.subjects[0].rule.reachMetres = 0;
    scene.subjects[0].rule.allowPx = 8;
    const auto triangles = [&] {
        SelectState fresh;
        select(selectInput(scene, scene.statedView()), lookAt(scene.statedView(), view.eye, {1, 39, 0}), 0,
               selectOptions(scene, 0), fresh, selection);
        return selection.total.triangles;
    };
    const std::uint64_t usual = triangles();
    scene.settings.view.detail = 2;
    EXPECT_GT(triangles(), usual);
    scene.settings.view.detail = 1;
    setFixed(scene.subjects[0], 1, FixedSwitch{DecideBy::Distance, 70});
    triangles();
    for (const DrawnTile& tile : selection.grounds[0].tiles) {
        const Bounds b = scene.subjects[0].terrain()->tree->reachOf(tile.ref);
        const double metres = (b.low - view.eye).cwiseMax(view.eye - b.high).cwiseMax(0).norm();
        if (tile.ref.level == 1) {
            EXPECT_GE(metres, 70) << "it comes in at 70 m, and not before";
        }
    }
    EXPECT_DOUBLE_EQ(ownChainOf(scene.subjects[0], scene.statedView())->fromMetres[1], 70);
}

TEST(Ground, strokes_are_the_same_laid_one_by_one_or_all_at_once) {
    Subject now = hillside();
    std::mt19937 random(6);
    std::uniform_real_distribution<double> place(-120, 120);
    for (int i = 0; i < 8; ++i) {
        GroundStroke stroke;
        stroke.kind = static_cast<BrushKind>(i % 4);
        stroke.radius = 5 + i;
        stroke.strength = stroke.kind == BrushKind::Raise || stroke.kind == BrushKind::Lower ? 3 : 0.7;
        stroke.level = 4;
        const GroundBefore under{now.terrain()->heights, now.terrain()->tree};
        for (int k = 0; k < 5; ++k) {
            stroke.path.push_back({place(random), place(random)});
            const StrokeOutcome laid = layStroke(now, under, stroke, k > 0);
            EXPECT_GT(laid.tiles, 0U);
            now = laid.terrain;
        }
    }
    ASSERT_EQ(now.terrain()->strokes.size(), 8U);
    const auto again = withHeights(now, now.terrain()->source, {});
    ASSERT_TRUE(again);
    const Heights& a = *now.terrain()->heights;
    const Heights& b = *again->terrain()->heights;
    EXPECT_EQ(hashOf(a), hashOf(b));
    EXPECT_NE(hashOf(a), hashOf(*now.terrain()->source)) << "the source is untouched";
    for (std::size_t i = 0; i < now.terrain()->tree->tiles.size(); ++i)
        ASSERT_EQ(now.terrain()->tree->tiles[i].error, again->terrain()->tree->tiles[i].error);
}

TEST(Ground, a_stroke_does_what_its_kind_says_and_nothing_beyond_its_radius) {
    const Subject before = hillside();
    const Heights& was = *before.terrain()->heights;
    const auto after = [&](BrushKind kind, double strength) {
        GroundStroke stroke{kind, 20, strength, 3, {{0, 0}, {10, 0}}};
        return layStroke(before, {before.terrain()->heights, before.terrain()->tree}, stroke, false)
            .terrain.terrain()
            ->heights;
    };
    EXPECT_NEAR(*after(BrushKind::Raise, 5)->heightAt(4, 0), *was.heightAt(4, 0) + 5, 1e-4);
    EXPECT_NEAR(*after(BrushKind::Lower, 5)->heightAt(4, 0), *was.heightAt(4, 0) - 5, 1e-4);
    EXPECT_NEAR(*after(BrushKind::Flatten, 1)->heightAt(4, 0), 3, 1e-4);
    const auto smooth = after(BrushKind::Smooth, 1);
    for (const auto& heights : {after(BrushKind::Raise, 5), smooth}) {
        EXPECT_EQ(heights->heightAt(0, 40), was.heightAt(0, 40));
        EXPECT_EQ(heights->heightAt(-31, 0), was.heightAt(-31, 0));
    }
    const auto rough = [](const Heights& h) {
        double sum = 0;
        for (int x = -5; x < 15; ++x)
            sum += std::abs(*h.heightAt(x - 1, 0) - 2 * *h.heightAt(x, 0) + *h.heightAt(x + 1, 0));
        return sum;
    };
    EXPECT_LT(rough(*smooth), 0.7 * rough(was));
}

TEST(Ground, fields_are_scattered_on_it) {
    Scene scene = sceneWith(hillside());
    ScatterRecipe recipe;
    recipe.surface = scene.subjects[0].id;
    recipe.density = 0.05;
    recipe.mostSlope = 12;
    recipe.assets = {{1, 1, 1, 1, 360, 0, 1}};
    const auto ground = groundOf(scene, recipe, {});
    ASSERT_TRUE(ground);
    const auto copies = scatter(recipe, *ground, {});
    ASSERT_TRUE(copies);
    EXPECT_GT(copies->size(), 600U);
    EXPECT_LT(copies->size(), 0.05 * 256 * 256) << "where it is steep there are none";
    const Heights& heights = *scene.subjects[0].terrain()->heights;
    for (const Placement& p : *copies) {
        ASSERT_NEAR(p.position.y(), *heights.heightAt(p.position.x(), p.position.z()), 1e-9);
        const Vec3d normal = heights.normalAt(p.position.x(), p.position.z());
        EXPECT_GE(normal.y(), std::cos(12.01 * 3.14159265 / 180));
        EXPECT_GT((p.rotation * kUp).dot(normal), 0.9999);
    }
}

TEST(Ground, lines_of_sight_meet_it_where_it_is) {
    const Subject terrain = hillside();
    const Heights& h = *terrain.terrain()->heights;
    std::mt19937 random(3);
    std::uniform_real_distribution<double> unit(-1, 1);
    int met = 0;
    for (int i = 0; i < 300; ++i) {
        const Vec3d from(140 * unit(random), 30 + 40 * std::abs(unit(random)), 140 * unit(random));
        const Vec3d direction = Vec3d(unit(random), -0.8 * std::abs(unit(random)), unit(random)).normalized();
        const auto hit = groundAlong(h, *terrain.terrain()->tree, from, direction, 1000);
        // Small steps say the same.
        std::optional<double> slow;
        for (double t = 0; t < 400 && !slow; t += 0.05)
            if (const auto y = h.heightAt((from + t * direction).x(), (from + t * direction).z());
                y && (from + t * direction).y() < *y)
                slow = t;
        ASSERT_EQ(hit.has_value(), slow.has_value()) << i;
        if (hit) {
            ++met;
            EXPECT_NEAR((*hit - from).norm(), *slow, 0.06);
            EXPECT_NEAR(hit->y(), *h.heightAt(hit->x(), hit->z()), 1e-3);
        }
    }
    EXPECT_GT(met, 100);
}

TEST(Ground, copies_stand_on_the_highest_ground_under_them) {
    Subject high = hillside();
    const auto lower = high.terrain()->heights;
    auto raised = std::make_shared<Heights>(*lower);
    raised->origin += Vec3d(100, 30, 40); // over a part of the other
    std::get<TerrainBody>(high.body).heights = raised;
    Scene scene = sceneWith(hillside());
    apply(scene, addSubjects(scene, {std::move(high)}, "Add"));
    std::mt19937 random(11);
    std::uniform_real_distribution<double> place(-220, 320);
    Placements copies(20'000);
    for (std::size_t i = 0; i < copies.size(); ++i) {
        copies[i].position = {place(random), i % 7 == 0 ? 500.0 : -3.0, place(random)};
        copies[i].scale = 0.5 + static_cast<double>(i % 5);
        copies[i].id = static_cast<std::uint32_t>(i + 1);
    }
    const StoodOnGround stood = standOnGround(scene, copies);
    ASSERT_EQ(stood.copies.size(), copies.size());
    std::size_t without = 0;
    std::size_t onHigher = 0;
    for (std::size_t i = 0; i < copies.size(); ++i) {
        const Vec3d& at = copies[i].position;
        const auto a = lower->heightAt(at.x(), at.z());
        const auto b = raised->heightAt(at.x(), at.z());
        Placement expected = copies[i];
        if (a || b)
            expected.position.y() = std::max(a.value_or(-1e300), b.value_or(-1e300));
        without += a || b ? 0 : 1;
        onHigher += a && b && *b > *a ? 1 : 0;
        EXPECT_EQ(stood.copies[i].position, expected.position);
        EXPECT_EQ(stood.copies[i].scale, expected.scale);
        EXPECT_EQ(stood.copies[i].id, expected.id);
    }
    EXPECT_GT(onHigher, 500U);
    EXPECT_GT(without, 500U);
    EXPECT_EQ(stood.without, without);
    EXPECT_EQ(stood.moved, copies.size() - without);
    const StoodOnGround again = standOnGround(scene, stood.copies);
    EXPECT_EQ(again.moved, 0U);
    EXPECT_EQ(standOnGround(Scene(), copies).without, copies.size());
}

} // namespace thicket
