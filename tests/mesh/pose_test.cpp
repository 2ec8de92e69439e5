// Poses against what the formulas say.

#include "mesh/mend.h"
#include "mesh/pose.h"
#include "mesh/upright.h"
#include "support/shapes.h"

#include <gtest/gtest.h>
#include <numbers>
#include <random>

namespace thicket {
namespace {

constexpr float kHalfPi = static_cast<float>(std::numbers::pi / 2);

/// An arm along X: a joint at 0 and one at 1, the second turning round Z by a right angle in one second.
Rig arm(RigChannel::Between between) {
    Rig rig;
    rig.nodes = {{"upper", -1, {0, 0, 0}, {0, 0, 0, 1}, {1, 1, 1}}, {"lower", 0, {1, 0, 0}, {0, 0, 0, 1}, {1, 1, 1}}};
    rig.joints = {0, 1};
    rig.inverseBind = {{1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1},
                       {1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, -1, 0, 0, 1}};
    const float s = std::sin(kHalfPi / 2);
    RigChannel turn{1, RigChannel::Path::Rotation, between, {0, 1}, {0, 0, 0, 1, 0, 0, s, s}};
    if (between == RigChannel::Between::CubicSpline)
        turn.values = {0, 0, 0, 0, 0, 0, 0, 1, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, s, s, 0, 0, 0, 0};
    rig.animations = {{"bend", {turn}}};
    return rig;
}

Mesh armMesh() {
    Mesh mesh;
    mesh.positions = {{0.5F, 0, 0}, {2, 0, 0}, {1, 0.5F, 0}};
    mesh.normals = {{0, 1, 0}, {0, 1, 0}, {0, 1, 0}};
    mesh.indices = {0, 1, 2};
    shapes::onePart(mesh);
    mesh.extras.joints = {{0, 1, 0, 0}, {0, 1, 0, 0}, {0, 1, 0, 0}};
    mesh.extras.weights = {{1, 0, 0, 0}, {0, 1, 0, 0}, {0.5F, 0.5F, 0, 0}};
    return mesh;
}

TEST(Pose, turns_what_hangs_on_a_joint_and_leaves_the_rest) {
    const Rig rig = arm(RigChannel::Between::Linear);
    EXPECT_DOUBLE_EQ(durationOf(rig.animations[0]), 1);
    const Mesh bent = posed(armMesh(), poseAt(rig, {0, 1}));
    EXPECT_LT((bent.positions[0] - Vec3f(0.5F, 0, 0)).norm(), 1e-6F);
    EXPECT_LT((bent.positions[1] - Vec3f(1, 1, 0)).norm(), 1e-6F);
    EXPECT_LT((bent.normals[1] - Vec3f(-1, 0, 0)).norm(), 1e-6F);
    // Half of each joint: the mean of (1, 0.5) and of (1, 0) + (-0.5, 0).
    EXPECT_LT((bent.positions[2] - Vec3f(0.75F, 0.25F, 0)).norm(), 1e-6F);
    EXPECT_TRUE(bent.extras.joints.empty()) << "what is posed does not move again";
}

TEST(Pose, goes_between_keys_as_the_channel_says) {
    const auto angleAt = [](RigChannel::Between between, double seconds) {
        const Mesh bent = posed(armMesh(), poseAt(arm(between), {0, seconds}));
        return std::atan2(bent.positions[1].y(), bent.positions[1].x() - 1);
    };
    EXPECT_NEAR(angleAt(RigChannel::Between::Linear, 0.25), kHalfPi / 4, 1e-5);
    EXPECT_NEAR(angleAt(RigChannel::Between::Step, 0.99), 0, 1e-6);
    EXPECT_NEAR(angleAt(RigChannel::Between::Step, 1), kHalfPi, 1e-6);
    EXPECT_NEAR(angleAt(RigChannel::Between::CubicSpline, 0.5), kHalfPi / 2, 1e-5);
    EXPECT_LT(angleAt(RigChannel::Between::CubicSpline, 0.25), kHalfPi / 4);
    for (const auto between :
         {RigChannel::Between::Linear, RigChannel::Between::Step, RigChannel::Between::CubicSpline}) {
        EXPECT_NEAR(angleAt(between, -3), 0, 1e-6) << "before the first key";
        EXPECT_NEAR(angleAt(between, 9), kHalfPi, 1e-6) << "after the last";
    }
}

TEST(Pose, adds_morphs_by_their_weights_at_rest_and_in_animations) {
    Mesh mesh = shapes::sphere(3);
    mesh.extras.morphs.resize(2);
    for (const Vec3f& p : mesh.positions) {
        mesh.extras.morphs[0].moves.push_back(p);
        mesh.extras.morphs[1].moves.emplace_back(0, 1, 0);
    }
    Rig rig;
    rig.morphWeights = {0.5F, 0};
    EXPECT_LT((posed(mesh, poseAt(rig, {})).positions[3] - 1.5F * mesh.positions[3]).norm(), 1e-6F);
    rig.animations = {
        {"up", {{-1, RigChannel::Path::MorphWeights, RigChannel::Between::Linear, {0, 2}, {0, 0, 0, 1}}}}};
    const Mesh half = posed(mesh, poseAt(rig, {0, 1}));
    EXPECT_LT((half.positions[3] - mesh.positions[3] - Vec3f(0, 0.5F, 0)).norm(), 1e-6F);
    EXPECT_TRUE(moves(mesh));
    EXPECT_FALSE(moves(half));
}

TEST(Upright, turns_are_quarters_about_x_that_bring_the_axis_up_and_come_back_exactly) {
    const Vec3d any(0.3, -1.7, 2.9);
    const std::pair<Up, Vec3d> axes[] = {
        {Up::Y, {0, 1, 0}}, {Up::Z, {0, 0, 1}}, {Up::MinusY, {0, -1, 0}}, {Up::MinusZ, {0, 0, -1}}};
    for (const auto& [up, axis] : axes) {
        EXPECT_EQ(turnedUp(up, axis), kUp) << keyOf(up);
        EXPECT_LT((turnedUp(up, any) - turnOf(up) * any).norm(), 1e-15) << keyOf(up);
        const Up back = static_cast<Up>((4 - static_cast<int>(up)) % 4);
        EXPECT_EQ(turnedUp(back, turnedUp(up, any)), any) << keyOf(up);
    }
}

TEST(Upright, what_moves_does_as_before_in_every_pose) {
    std::mt19937 random(11);
    std::uniform_real_distribution<float> any(-1, 1);
    const auto turn = [&] { return Vec4f(any(random), any(random), any(random), any(random)).normalized().eval(); };
    for (const auto between :
         {RigChannel::Between::Linear, RigChannel::Between::Step, RigChannel::Between::CubicSpline})
        for (const Named<Up>& up : kUps) {
            if (up.value == Up::Y)
                continue;
            Rig rig = arm(between);
            rig.nodes[0].translation = {0.4F, -0.2F, 0.9F};
            rig.nodes[0].rotation = turn();
            rig.nodes[0].scale = {1, 2, 0.5F};
            for (auto& bind : rig.inverseBind) // any shift will do
                bind[13] += 0.7F;
            const std::size_t keys = between == RigChannel::Between::CubicSpline ? 6 : 2;
            RigChannel swing{0, RigChannel::Path::Rotation, between, {0, 1}, {}};
            RigChannel walk{0, RigChannel::Path::Translation, between, {0, 1}, {}};
            for (std::size_t i = 0; i < keys; ++i) {
                const Vec4f q = turn();
                swing.values.insert(swing.values.end(), {q.x(), q.y(), q.z(), q.w()});
                for (int k = 0; k < 3; ++k)
                    walk.values.push_back(any(random));
            }
            rig.animations[0].channels.push_back(swing);
            rig.animations[0].channels.push_back(walk);
            Mesh mesh = armMesh();
            mesh.extras.tangents.assign(3, Vec4f(0, 0.6F, 0.8F, -1));
            mesh.extras.morphs.push_back({"lean", std::vector<Vec3f>(3, Vec3f(0.1F, 0.2F, 0.3F)), {}});
            rig.morphWeights = {0.5F};
            Mesh turned = mesh;
            ASSERT_TRUE(mendMesh(turned, {MendKind::Upright, static_cast<double>(up.value)}));
            EXPECT_EQ(turned.extras.tangents[0].w(), -1) << "no mirror";
            Rig upright = rig;
            turnUp(upright, up.value);
            for (const double seconds : {0.0, 0.3, 0.8, 1.0}) {
                const Mesh before = posed(mesh, poseAt(rig, {0, seconds}));
                const Mesh after = posed(turned, poseAt(upright, {0, seconds}));
                for (std::size_t v = 0; v < 3; ++v) {
                    EXPECT_LT((after.positions[v] - turnedUp(up.value, before.positions[v])).norm(), 2e-6F)
                        << up.key << ' ' << seconds;
                    EXPECT_LT((after.normals[v] - turnedUp(up.value, before.normals[v])).norm(), 2e-5F);
                }
            }
        }
}

TEST(Pose, moments_are_spread_over_all_animations) {
    Rig rig = arm(RigChannel::Between::Linear);
    rig.animations.push_back(rig.animations[0]);
    rig.animations[1].channels[0].times = {0, 3};
    const auto moments = momentsOf(rig, 12);
    EXPECT_EQ(std::count_if(moments.begin(), moments.end(), [](const Moment& m) { return m.animation == 0; }), 3);
    EXPECT_EQ(std::count_if(moments.begin(), moments.end(), [](const Moment& m) { return m.animation == 1; }), 9);
    for (const Moment& m : moments)
        EXPECT_TRUE(m.seconds > 0 && m.seconds < (m.animation == 0 ? 1 : 3));
    EXPECT_TRUE(momentsOf({}, 12).empty());
}

} // namespace
} // namespace thicket
