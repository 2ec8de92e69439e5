// What is played is what the animation says at that moment, for every level alike.

#include "app/viewport/pose_player.h"

#include "models.h"
#include "support/balls.h"

#include <cmath>
#include <gtest/gtest.h>

namespace thicket::app {
namespace {

Subject heronOf(std::uint32_t id) {
    static demo::Model model = demo::heron();
    static const auto mesh = std::make_shared<const Mesh>(model.levels.front());
    Subject out;
    out.id = id;
    out.mesh().rig = std::make_shared<const Rig>(model.rig);
    out.mesh().levels.push_back(levelFrom(mesh, {}, LevelOrigin::Source));
    return out;
}

} // namespace

TEST(PosePlayer, plays_what_has_an_animation_and_nothing_else) {
    const Subject heron = heronOf(3);
    const Subject ball = test::ballOfLevels(4, {0}, 4);
    EXPECT_TRUE(PosePlayer::canPlay(&heron));
    EXPECT_FALSE(PosePlayer::canPlay(&ball));
    EXPECT_FALSE(PosePlayer::canPlay(nullptr));
    PosePlayer player;
    EXPECT_FALSE(player.inMotion(&heron));
    player.start(heron);
    EXPECT_TRUE(player.inMotion(&heron));
    EXPECT_FALSE(player.inMotion(&ball));
    player.toRest();
    EXPECT_FALSE(player.inMotion(&heron));
    EXPECT_EQ(player.moment().seconds, 0);
}

TEST(PosePlayer, goes_round_and_begins_anew_with_another) {
    const Subject heron = heronOf(3);
    PosePlayer player;
    player.start(heron);
    const double whole = player.length(heron);
    ASSERT_GT(whole, 0.5);
    player.advance(heron, 0.4 * whole);
    player.advance(heron, 0.4 * whole);
    EXPECT_NEAR(player.moment().seconds, 0.8 * whole, 1e-9);
    player.advance(heron, 0.4 * whole);
    EXPECT_NEAR(player.moment().seconds, 0.2 * whole, 1e-9);
    player.start(heron); // goes on from there
    EXPECT_NEAR(player.moment().seconds, 0.2 * whole, 1e-9);
    const Subject other = heronOf(8);
    player.start(other);
    EXPECT_EQ(player.moment().seconds, 0);
    EXPECT_FALSE(player.inMotion(&heron));
    player.setMoment(other, 1, 0.3);
    EXPECT_EQ(player.moment().animation, 1U);
    EXPECT_NEAR(player.length(other), durationOf(other.mesh().rig->animations[1]), 1e-12);
}

TEST(PosePlayer, a_mesh_is_posed_once_for_each_moment) {
    const Subject heron = heronOf(3);
    const auto mesh = heron.mesh().levels.front().mesh;
    PosePlayer player;
    player.setMoment(heron, 0, 0.5 * durationOf(heron.mesh().rig->animations[0]));
    const auto shown = player.posedMesh(heron, mesh);
    ASSERT_TRUE(shown);
    EXPECT_EQ(shown->positions, posed(*mesh, poseAt(*heron.mesh().rig, player.moment())).positions);
    EXPECT_NE(shown->positions, mesh->positions);
    EXPECT_EQ(player.posedMesh(heron, mesh), shown);
    player.advance(heron, 0.1);
    const auto later = player.posedMesh(heron, mesh);
    EXPECT_NE(later, shown);
    EXPECT_NE(later->positions, shown->positions);
    // Another mesh in the same place in memory is another mesh.
    for (int i = 0; i < 8; ++i) {
        Mesh other = *mesh;
        for (Vec3f& p : other.positions)
            p *= 1 + 0.1F * static_cast<float>(i);
        const auto own = std::make_shared<const Mesh>(std::move(other));
        EXPECT_EQ(player.posedMesh(heron, own)->positions,
                  posed(*own, poseAt(*heron.mesh().rig, player.moment())).positions);
    }
}

TEST(PosePlayer, what_does_not_move_is_left_as_it_is) {
    const Subject heron = heronOf(3);
    PosePlayer player;
    player.setMoment(heron, 0, 0.2);
    const auto still = std::make_shared<const Mesh>(shapes::sphere(3));
    EXPECT_EQ(player.posedMesh(heron, still), still);
}

} // namespace thicket::app
