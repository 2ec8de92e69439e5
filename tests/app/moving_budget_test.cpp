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

} // namespace
} // namespace thicket::app
