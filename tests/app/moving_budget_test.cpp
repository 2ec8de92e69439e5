#include "app/viewport/moving_budget.h"

#include <cmath>
#include <gtest/gtest.h>

namespace thicket::app {
namespace {

/// A machine that takes so long a triangle and a pixel, and a scene that gets lighter by less than its factor.
struct Machine {
    double nsPerTriangle;
    double nsPerPixel;
    double otherMs;
    double triangles;
    double window = 400'000;

    [[nodiscard]] double drawMs(std::uint64_t t, double pixels) const {
        return (nsPerTriangle * static_cast<double>(t) + nsPerPixel * pixels) * 1e-6;
    }
    [[nodiscard]] std::uint64_t at(double factor) const {
        return static_cast<std::uint64_t>(triangles / std::pow(factor, 0.7));
    }
    /// Draws a frame as the viewport does, and says how long it took.
    double frame(MovingBudget& budget) const {
        while (budget.lighten(at(budget.factor()))) {
        }
        const std::uint64_t t = at(budget.factor());
        const double pixels = window * budget.scale() * budget.scale();
        const double ms = drawMs(t, pixels);
        budget.sceneTook(ms, otherMs, t, pixels, window);
        budget.windowTook(10);
        return ms + otherMs + budget.windowMs();
    }
};

TEST(MovingBudget, a_fast_machine_draws_all_there_is) {
    const Machine fast{2, 1, 3, 3e6};
    MovingBudget budget;
    budget.restTook(20, 3'000'000);
    for (int i = 0; i < 60; ++i)
        fast.frame(budget);
    EXPECT_EQ(budget.factor(), 1);
    EXPECT_EQ(budget.scale(), 1);
    EXPECT_GT(budget.soloTriangles(), 3e6);
}

TEST(MovingBudget, slow_machines_come_within_a_twentieth_of_a_second_in_few_frames_and_stay_there) {
    for (const Machine& slow :
         {Machine{300, 20, 6, 1e6}, Machine{60, 120, 6, 1e6}, Machine{1000, 40, 8, 3e5}, Machine{500, 90, 4, 5e5}}) {
        MovingBudget budget;
        budget.restTook(2 * slow.drawMs(slow.at(1), slow.window), slow.at(1));
        for (int i = 0; i < 10; ++i)
            slow.frame(budget);
        for (int i = 0; i < 80; ++i)
            EXPECT_LE(slow.frame(budget), 52) << slow.nsPerTriangle << " ns, frame " << i;
        // And it does not draw less than it could.
        EXPECT_GE(slow.frame(budget), 28) << slow.nsPerTriangle << " ns";
    }
}

TEST(MovingBudget, the_first_frame_of_a_motion_knows_what_the_picture_at_rest_took) {
    const Machine slow{300, 20, 6, 1e6};
    MovingBudget knows;
    knows.restTook(2 * slow.drawMs(slow.at(1), slow.window), slow.at(1));
    EXPECT_LE(slow.frame(knows), 70);
    MovingBudget guesses;
    EXPECT_GE(slow.frame(guesses), 300);
}

TEST(MovingBudget, pixels_go_only_where_triangles_are_not_what_takes_the_time) {
    const Machine ofTriangles{800, 5, 4, 4e5};
    MovingBudget budget;
    for (int i = 0; i < 60; ++i)
        ofTriangles.frame(budget);
    EXPECT_EQ(budget.scale(), 1);
    EXPECT_GT(budget.factor(), 4);
    const Machine ofPixels{10, 160, 4, 1e5};
    MovingBudget other;
    for (int i = 0; i < 60; ++i)
        ofPixels.frame(other);
    EXPECT_LT(other.scale(), 1);
    EXPECT_LT(other.factor(), 2);
}

TEST(MovingBudget, tiles_of_ground_are_halved_only_when_lightening_is_not_enough_and_steadily) {
    // What is near the eye has the same tiles whatever the factor.
    constexpr std::uint64_t kGround = 150'000;
    const auto run = [](double nsPerTriangle) {
        MovingBudget budget;
        int changes = 0;
        int before = 0;
        for (int i = 0; i < 200; ++i) {
            const int halvings = budget.halvingsOf(kGround);
            changes += i > 60 && halvings != before ? 1 : 0;
            before = halvings;
            const std::uint64_t triangles =
                (kGround >> (2 * halvings)) + static_cast<std::uint64_t>(2e5 / budget.factor());
            budget.sceneTook(1e-6 * nsPerTriangle * static_cast<double>(triangles) + 5, 5, triangles, 1e5, 1e5);
        }
        EXPECT_EQ(changes, 0) << "the ground would flicker";
        return before;
    };
    EXPECT_EQ(run(20), 0);
    EXPECT_EQ(run(2000), 2);
    EXPECT_GE(run(300), 1);
}

TEST(MovingBudget, a_frame_is_quick_only_where_that_is_known) {
    MovingBudget budget;
    EXPECT_FALSE(budget.within(10, 1, 1)) << "nothing was measured yet";
    const Machine machine{100, 10, 5, 3e4};
    for (int i = 0; i < 30; ++i)
        machine.frame(budget);
    EXPECT_TRUE(budget.within(8, 30'000, 400'000));
    EXPECT_FALSE(budget.within(8, 300'000, 400'000));
}

} // namespace
} // namespace thicket::app
