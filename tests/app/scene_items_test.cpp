// What is drawn is what was selected: every copy that is in view once, at its level, in its size, and no other.

#include "app/viewport/scene_items.h"

#include "bake/impostor.h"
#include "scene/fields.h"
#include "scene/scene.h"
#include "scene/select_input.h"
#include "support/balls.h"

#include <gtest/gtest.h>
#include <map>
#include <random>

namespace thicket::app {
namespace {

Subject ballOf(std::uint32_t id, bool endsAsViews) {
    Subject out = test::ballOfLevels(id, {0.0, 0.01, 0.05, 0.2}, 16);
    out.rule.cullBelowPx = 2;
    if (endsAsViews) {
        Level& last = out.mesh().levels.back();
        last.views = {8, {0, 0, 0}, 1.1, 64};
        last.mesh = std::make_shared<const Mesh>(viewRectangle(last.views, 0));
        last.triangles = 2;
    }
    refreshSubject(out);
    return out;
}

/// Two kinds of balls by themselves, and a field of both that thins out.
Scene sceneOf(std::mt19937& random) {
    const auto any = [&random](double low, double high) {
        return std::uniform_real_distribution<double>(low, high)(random);
    };
    Scene scene;
    scene.settings.cullHidden = false;
    std::uint32_t id = 10;
    for (const bool views : {false, true}) {
        Subject ball = ballOf(views ? 2 : 1, views);
        Placements own;
        for (int i = 0; i < 60; ++i)
            own.push_back({id++,
                           0,
                           {any(-60, 60), any(0, 3), any(-300, 20)},
                           Quatd(Eigen::AngleAxisd(any(0, 6), Vec3d(0.2, 1, 0.1).normalized())),
                           any(0.5, 2),
                           1});
        ball.mesh().placed = std::make_shared<const Placements>(std::move(own));
        scene.subjects.push_back(std::move(ball));
    }
    Subject field;
    field.id = 3;
    field.name = "field";
    Placements copies;
    for (int i = 0; i < 1500; ++i)
        copies.push_back({id++,
                          static_cast<std::uint32_t>(i % 2),
                          {any(-90, 90), 0, any(-250, 30)},
                          Quatd::Identity(),
                          any(0.4, 1.2),
                          1});
    InstancesBody body;
    body.assets = {1, 2};
    body.copies = std::make_shared<const Placements>(std::move(copies));
    body.thinning.keep.points = {{20, 1}, {200, 0.2}};
    body.thinning.holdCover = true;
    field.body = std::move(body);
    field.rule.reachMetres = 230;
    scene.subjects.push_back(std::move(field));
    scene.nextId = id;
    return scene;
}

View lookingAlong(std::mt19937& random) {
    std::uniform_real_distribution<double> any(-1, 1);
    View view;
    view.aspect = 1.6;
    return lookAt(view, {20 * any(random), 2 + any(random), 20 * any(random)},
                  {30 * any(random), 0, -80 + 30 * any(random)});
}

struct ShownCopy {
    int level = -1;
    float size = 1;
    std::shared_ptr<const Mesh> mesh;
};

} // namespace

TEST(SceneItems, every_copy_that_is_in_view_is_drawn_once_at_its_level) {
    std::mt19937 random(17);
    for (int round = 0; round < 6; ++round) {
        const Scene scene = sceneOf(random);
        const View view = lookingAlong(random);
        const SelectInput input = selectInput(scene, view);
        SelectOptions options = selectOptions(scene, 0);
        options.fades = false;
        SelectState state;
        Selection selection;
        select(input, view, 0, options, state, selection);
        ImpostorViews views;
        const std::vector<DrawItem> items = itemsOf(scene, input, selection, view, options, views);
        std::map<std::pair<const CellTable*, std::uint32_t>, ShownCopy> drawn;
        std::uint64_t times = 0;
        for (const DrawItem& item : items) {
            ASSERT_TRUE(item.copies);
            ASSERT_TRUE(item.mesh);
            EXPECT_EQ(item.fade, 1);
            times += item.times();
            for (std::uint32_t i = 0; i < item.times(); ++i) {
                const std::uint32_t slot = item.listed.empty() ? item.first + i : item.listed[i];
                const float size = item.sizes.empty() ? 1 : item.sizes[i];
                const auto [at, first] =
                    drawn.try_emplace({item.copies.get(), slot}, ShownCopy{item.level, size, item.mesh});
                EXPECT_TRUE(first) << "drawn twice";
            }
        }
        EXPECT_EQ(times, selection.total.drawn);
        std::size_t ofViews = 0;
        std::size_t thinned = 0;
        for (std::uint32_t b = 0; b < input.batches.size(); ++b) {
            const Batch& batch = input.batches[b];
            const Subject& asset = scene.subjects[batch.asset];
            for (std::uint32_t slot = 0; slot < batch.copies->size(); ++slot) {
                const Pick pick = pickOf(input, view, 0, options, state, {b, slot});
                const auto at = drawn.find({batch.copies.get(), slot});
                ASSERT_EQ(at != drawn.end(), pick.culled == Culled::No);
                if (pick.culled == Culled::Thinned)
                    ++thinned;
                if (at == drawn.end())
                    continue;
                EXPECT_EQ(at->second.level, pick.level);
                EXPECT_NEAR(at->second.size, pick.size, 1e-5);
                const Level& level = asset.mesh().levels[static_cast<std::size_t>(pick.level)];
                if (level.views.across == 0) {
                    EXPECT_EQ(at->second.mesh, level.mesh);
                    continue;
                }
                ++ofViews;
                const Placement& p = batch.copies->at(slot);
                const Vec3d towards = p.rotation.conjugate() * (view.eye - p.position) / p.scale;
                EXPECT_EQ(at->second.mesh->positions,
                          viewRectangle(level.views, nearestView(level.views, towards)).positions);
            }
        }
        EXPECT_GT(ofViews, 10U) << "pictures are among them";
        EXPECT_GT(thinned, 10U);
    }
}

TEST(SceneItems, what_fades_is_drawn_as_both_levels_in_shares_that_are_whole_together) {
    std::mt19937 random(5);
    const Scene scene = sceneOf(random);
    SelectOptions options = selectOptions(scene, 0);
    options.fades = true;
    const SelectInput input = selectInput(scene, scene.statedView());
    SelectState state;
    Selection selection;
    std::size_t fading = 0;
    // Backwards, so fast that much switches in a few frames.
    for (int frame = 0; frame < 30; ++frame) {
        View view;
        view.aspect = 1.6;
        view = lookAt(view, {0, 2, 4.0 * frame}, {0, 0, -100});
        const double seconds = 0.05 * frame;
        select(input, view, seconds, options, state, selection);
        ImpostorViews views;
        std::map<std::pair<const CellTable*, std::uint32_t>, std::vector<std::pair<int, float>>> drawn;
        for (const DrawItem& item : itemsOf(scene, input, selection, view, options, views))
            for (std::uint32_t i = 0; i < item.times(); ++i)
                drawn[{item.copies.get(), item.listed.empty() ? item.first + i : item.listed[i]}].emplace_back(
                    item.level, item.fade);
        for (std::uint32_t b = 0; b < input.batches.size(); ++b)
            for (std::uint32_t slot = 0; slot < input.batches[b].copies->size(); ++slot) {
                const Pick pick = pickOf(input, view, seconds, options, state, {b, slot});
                const auto at = drawn.find({input.batches[b].copies.get(), slot});
                if (pick.culled != Culled::No) {
                    EXPECT_EQ(at, drawn.end());
                    continue;
                }
                ASSERT_NE(at, drawn.end());
                if (pick.fadingFrom < 0) {
                    ASSERT_EQ(at->second.size(), 1U);
                    EXPECT_EQ(at->second[0].second, 1);
                    continue;
                }
                ++fading;
                ASSERT_EQ(at->second.size(), 2U) << "the level that comes and the one that goes";
                for (const auto& [level, share] : at->second) {
                    EXPECT_TRUE(level == pick.level || level == pick.fadingFrom);
                    if (level == pick.level) {
                        EXPECT_GT(share, 0);
                        EXPECT_NEAR(share, pick.fade, 0.002);
                    } else {
                        EXPECT_LE(share, 0) << "what the other leaves";
                        EXPECT_NEAR(-share, pick.fade, 0.002);
                    }
                }
            }
    }
    EXPECT_GT(fading, 50U);
}

TEST(SceneItems, a_level_that_is_not_cut_again_yet_is_stood_in_for) {
    Subject ball = ballOf(1, false);
    const auto source = ball.mesh().levels[0].mesh;
    ball.mesh().levels[2].mesh.reset();
    EXPECT_EQ(itemOf(ball, 2).mesh, source);
    EXPECT_EQ(itemOf(ball, 2).level, 2);
    EXPECT_EQ(itemOf(ball, 1).mesh, ball.mesh().levels[1].mesh);
}

TEST(SceneItems, the_views_of_an_impostor_are_kept_while_it_is_there) {
    Subject ball = ballOf(1, true);
    Level& last = ball.mesh().levels.back();
    ImpostorViews views;
    const auto once = views.seenFrom(last, {3, 1, 9});
    EXPECT_EQ(views.seenFrom(last, {3, 1, 9}), once);
    EXPECT_EQ(views.seenFrom(last, {6, 2, 18}), once) << "from farther off in the same direction";
    EXPECT_NE(views.seenFrom(last, {-9, 1, 2}), once);
    // Baked anew it has other ones.
    last.views.half = 2;
    last.mesh = std::make_shared<const Mesh>(viewRectangle(last.views, 0));
    EXPECT_NE(views.seenFrom(last, {3, 1, 9})->positions, once->positions);
    EXPECT_EQ(views.seenFrom(ball.mesh().levels[1], {3, 1, 9}), ball.mesh().levels[1].mesh);
}

} // namespace thicket::app
