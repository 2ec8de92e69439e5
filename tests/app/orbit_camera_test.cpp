// The camera goes where the hand leads it: what is dragged stays under the pointer, and no move turns it over.

#include "app/viewport/orbit_camera.h"

#include <cmath>
#include <gtest/gtest.h>
#include <numbers>
#include <random>

namespace thicket::app {
namespace {

constexpr int kLines = 800;

View stated() {
    View view;
    view.fovY = 0.8;
    view.aspect = 1.6;
    view.lines = kLines;
    return view;
}

/// Where a place is in a picture of so many lines, from its middle to the right and downwards.
std::pair<double, double> pixelOf(const View& view, const Vec3d& place) {
    const Vec3d way = place - view.eye;
    const double depth = way.dot(view.forward);
    const Vec3d right = view.forward.cross(view.up);
    const double scale = kLines / (2 * std::tan(view.fovY / 2)) / depth;
    return {way.dot(right) * scale, -way.dot(view.up) * scale};
}

class Hand {
public:
    explicit Hand(unsigned seed) : m_generator(seed) {}
    double between(double low, double high) { return std::uniform_real_distribution<double>(low, high)(m_generator); }
    OrbitCamera camera() {
        OrbitCamera out;
        out.pivot = {between(-50, 50), between(-5, 20), between(-50, 50)};
        out.yaw = between(-4, 4);
        out.pitch = between(-1.2, 1.3);
        out.distance = std::exp(between(-3, 6));
        return out;
    }

private:
    std::mt19937 m_generator;
};

} // namespace

TEST(OrbitCamera, turning_keeps_what_it_turns_about_in_the_middle_and_as_far) {
    Hand hand(1);
    for (int i = 0; i < 200; ++i) {
        OrbitCamera camera = hand.camera();
        const Vec3d pivot = camera.pivot;
        const double distance = camera.distance;
        for (int k = 0; k < 10; ++k)
            camera.turn(hand.between(-2, 2), hand.between(-2, 2));
        EXPECT_EQ(camera.pivot, pivot);
        EXPECT_NEAR((camera.eye() - pivot).norm(), distance, 1e-9 * distance);
        const View view = camera.view(stated());
        const auto [right, down] = pixelOf(view, pivot);
        EXPECT_NEAR(right, 0, 1e-6);
        EXPECT_NEAR(down, 0, 1e-6);
        EXPECT_GT(view.up.y(), 0) << "never over a pole";
    }
}

TEST(OrbitCamera, what_is_at_the_pivot_goes_with_the_pointer) {
    Hand hand(2);
    for (int i = 0; i < 200; ++i) {
        OrbitCamera camera = hand.camera();
        const Vec3d held = camera.pivot;
        const double right = hand.between(-300, 300);
        const double down = hand.between(-300, 300);
        camera.pan(right, down, stated(), kLines);
        const auto [x, y] = pixelOf(camera.view(stated()), held);
        EXPECT_NEAR(x, right, 1e-6 * std::abs(right) + 1e-6);
        EXPECT_NEAR(y, down, 1e-6 * std::abs(down) + 1e-6);
    }
}

TEST(OrbitCamera, panning_there_and_back_ends_where_it_began) {
    Hand hand(3);
    for (int i = 0; i < 100; ++i) {
        OrbitCamera camera = hand.camera();
        const Vec3d eye = camera.eye();
        const double right = hand.between(-500, 500);
        const double down = hand.between(-500, 500);
        camera.pan(right, down, stated(), kLines);
        EXPECT_GT((camera.eye() - eye).norm(), 0);
        camera.pan(-right, -down, stated(), kLines);
        EXPECT_NEAR((camera.eye() - eye).norm(), 0, 1e-9 * (1 + camera.distance));
    }
}

TEST(OrbitCamera, it_comes_nearer_without_going_through_and_never_so_far_that_it_is_lost) {
    OrbitCamera camera;
    const Vec3d back = camera.back();
    for (int i = 0; i < 400; ++i)
        camera.dolly(0.8);
    EXPECT_GT(camera.distance, 0);
    EXPECT_LT((camera.back() - back).norm(), 1e-12) << "from the same side";
    for (int i = 0; i < 800; ++i)
        camera.dolly(1.3);
    EXPECT_LE(camera.distance, 1e6);
    EXPECT_TRUE(std::isfinite(camera.eye().norm()));
}

TEST(OrbitCamera, it_stands_where_it_was_put_and_looks_where_it_was_told) {
    Hand hand(4);
    for (int i = 0; i < 300; ++i) {
        const Vec3d eye(hand.between(-80, 80), hand.between(-10, 60), hand.between(-80, 80));
        const Vec3d target = eye + Vec3d(hand.between(-30, 30), hand.between(-10, 10), hand.between(-30, 30));
        OrbitCamera camera;
        camera.lookFrom(eye, target);
        EXPECT_NEAR((camera.eye() - eye).norm(), 0, 1e-9 * (1 + (target - eye).norm()));
        EXPECT_EQ(camera.pivot, target);
        const View view = camera.view(stated());
        EXPECT_GT(view.forward.dot((target - eye).normalized()), 1 - 1e-9);
    }
    // Straight down is a view too.
    OrbitCamera above;
    above.lookFrom({3, 40, 5}, {3, 0, 5});
    const View down = above.view(stated());
    EXPECT_LT(down.forward.y(), -0.99);
    EXPECT_TRUE(down.up.allFinite());
    EXPECT_NEAR(down.up.norm(), 1, 1e-9);
}

} // namespace thicket::app
