// The switches of a scene and their scores.

#include "scene/pops.h"
#include "scene/thin_subject.h"
#include "support/shapes.h"

#include <gtest/gtest.h>

namespace thicket {
namespace {

Scene ballScene() {
    Subject s;
    s.id = 7;
    s.name = "ball";
    s.surfaces = std::make_shared<const Surfaces>();
    s.levels.push_back(
        levelFrom(std::make_shared<const Mesh>(shapes::texturedSphere(60, 30)), {}, LevelOrigin::Source));
    refreshSubject(s);
    const auto state = recordSubject(s, {}, {});
    Scene scene;
    scene.subjects = {*thinSubject(s, *state, {{TargetKind::Triangles, 600}, {TargetKind::Triangles, 120}}, {})};
    return scene;
}

TEST(Pops, every_switch_that_can_happen_is_listed_once) {
    Scene scene = ballScene();
    Subject& s = scene.subjects[0];
    auto places = switchesOf(scene);
    ASSERT_EQ(places.size(), 2U);
    EXPECT_EQ(places[0].key.finer, s.levels[0].mesh);
    EXPECT_EQ(places[1].key.coarser, s.levels[2].mesh);
    EXPECT_LT(places[0].key.metres, places[1].key.metres);
    EXPECT_EQ(switchesOf(scene)[0].key, places[0].key);
    // A level whose switch is where the next one's is never shows: the switch is from the one before it.
    s.levels[1].fixed = FixedSwitch{DecideBy::Distance, 40};
    s.levels[2].fixed = FixedSwitch{DecideBy::Distance, 40};
    places = switchesOf(scene);
    ASSERT_EQ(places.size(), 1U);
    EXPECT_EQ(places[0].level, 2);
    EXPECT_EQ(places[0].key.finer, s.levels[0].mesh);
    s.rule.reachMetres = 30;
    EXPECT_TRUE(switchesOf(scene).empty()) << "beyond the reach nothing switches";
}

TEST(Pops, are_seen_less_the_later_the_switch_and_hold_the_outline_of_the_promise) {
    Scene scene = ballScene();
    Subject& s = scene.subjects[0];
    PopOptions options;
    options.samplesPerSide = 3;
    const auto promised = scoreSwitch(s, switchesOf(scene)[1], options, {});
    ASSERT_TRUE(promised);
    EXPECT_LE(promised->outlineShift, s.rule.allowPx + 1) << "a pixel more for the grid of half pixels on both";
    const double at = switchesOf(scene)[1].key.metres;
    s.levels[2].fixed = FixedSwitch{DecideBy::Distance, at / 4};
    s.levels[1].fixed = FixedSwitch{DecideBy::Distance, at / 8};
    const auto early = scoreSwitch(s, switchesOf(scene)[1], options, {});
    EXPECT_GT(early->outlineShift, 1.8 * promised->outlineShift);
    s.levels[2].fixed = FixedSwitch{DecideBy::Distance, at * 4};
    const auto late = scoreSwitch(s, switchesOf(scene)[1], options, {});
    EXPECT_LE(late->outlineShift, promised->outlineShift);
    EXPECT_LT(late->pixelsTall, early->pixelsTall);
    std::stop_source stop;
    stop.request_stop();
    EXPECT_FALSE(scoreSwitch(s, switchesOf(scene)[1], options, {stop.get_token(), {}}));
}

} // namespace
} // namespace thicket
