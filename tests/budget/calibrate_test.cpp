// Known figures are found again from simulated times, with noise and without, and what cannot be told is said.

#include "budget/calibrate.h"

#include <algorithm>
#include <gtest/gtest.h>
#include <random>

namespace thicket {
namespace {

std::vector<FrameTime> simulated(const Device& d, std::size_t rows, unsigned seed, double noise) {
    std::mt19937 random(seed);
    std::uniform_real_distribution<double> any(0, 1);
    std::normal_distribution<double> off(0, 1);
    std::vector<FrameTime> out;
    for (std::size_t i = 0; i < rows; ++i) {
        FrameTime r;
        r.triangles = 1e6 * any(random);
        r.vertices = r.triangles * (0.5 + 1.5 * any(random));
        r.draws = std::floor(800 * any(random));
        r.pixels = 8e6 * any(random) * any(random);
        SubjectCost cost;
        cost.triangles = static_cast<std::uint64_t>(r.triangles);
        cost.vertices = static_cast<std::uint64_t>(r.vertices);
        cost.draws = static_cast<std::uint64_t>(r.draws);
        cost.pixels = r.pixels;
        r.ms = frameMs(d, cost) * (1 + noise * off(random));
        out.push_back(r);
    }
    return out;
}

Device machine(double triangle, double vertex, double draw, double pixel, double base) {
    Device d;
    d.nsPerTriangle = triangle;
    d.nsPerVertex = vertex;
    d.usPerDraw = draw;
    d.nsPerPixel = pixel;
    d.overdraw = 1;
    d.baseMs = base;
    return d;
}

bool says(const Calibration& c, const std::string& what) {
    return std::any_of(c.undetermined.begin(), c.undetermined.end(),
                       [&](const std::string& s) { return s.find(what) != std::string::npos; });
}

} // namespace

TEST(Calibrate, figures_come_back_exactly_where_times_are_exact) {
    unsigned seed = 1;
    for (const Device& d : {machine(9, 6, 9, 1.2, 0.8), machine(0.7, 0.4, 1.2, 0.12, 0.5), machine(2, 0, 30, 3, 0),
                            machine(0, 5, 2, 1, 2)}) {
        const auto found = calibrate(simulated(d, 80, seed++, 0));
        ASSERT_TRUE(found);
        EXPECT_NEAR(found->nsPerTriangle, d.nsPerTriangle, 1e-3 * (d.nsPerTriangle + 0.1));
        EXPECT_NEAR(found->nsPerVertex, d.nsPerVertex, 1e-3 * (d.nsPerVertex + 0.1));
        EXPECT_NEAR(found->usPerDraw, d.usPerDraw, 1e-3 * d.usPerDraw);
        EXPECT_NEAR(found->nsPerPixel, d.nsPerPixel, 1e-3 * d.nsPerPixel);
        EXPECT_NEAR(found->baseMs, d.baseMs, 1e-3 * (d.baseMs + 0.1));
        EXPECT_LT(found->worst, 1e-4);
        EXPECT_TRUE(found->undetermined.empty());
    }
}

TEST(Calibrate, noise_moves_figures_no_farther_than_their_errors_say) {
    const Device d = machine(4, 3, 8, 1.1, 0.9);
    int outside = 0;
    int all = 0;
    for (unsigned seed = 10; seed < 22; ++seed) {
        const auto found = calibrate(simulated(d, 200, seed, 0.03));
        ASSERT_TRUE(found);
        const double was[] = {d.nsPerTriangle, d.nsPerVertex, d.usPerDraw, d.nsPerPixel, d.baseMs};
        const double is[] = {found->nsPerTriangle, found->nsPerVertex, found->usPerDraw, found->nsPerPixel,
                             found->baseMs};
        for (std::size_t k = 0; k < 5; ++k, ++all)
            outside += std::abs(is[k] - was[k]) > 3 * found->error[k] ? 1 : 0;
        EXPECT_NEAR(found->usPerDraw, d.usPerDraw, 0.15 * d.usPerDraw);
        EXPECT_NEAR(found->nsPerPixel, d.nsPerPixel, 0.1 * d.nsPerPixel);
    }
    EXPECT_LE(outside, all / 12) << "of " << all;
}

TEST(Calibrate, what_rises_together_cannot_be_told_apart_and_is_said) {
    auto rows = simulated(machine(4, 3, 8, 1.1, 0.9), 60, 3, 0);
    for (FrameTime& r : rows) {
        r.vertices = 2 * r.triangles;
        r.ms = std::max((4 * r.triangles + 3 * r.vertices) * 1e-6, 1.1 * r.pixels * 1e-6) + 8e-3 * r.draws + 0.9;
    }
    const auto together = calibrate(rows);
    ASSERT_TRUE(together);
    EXPECT_TRUE(says(*together, "a triangle and a vertex")) << together->undetermined.size();
    EXPECT_LT(together->worst, 1e-3) << "what they cost together is known";
    for (FrameTime& r : rows)
        r.pixels = 0;
    const auto noPixels = calibrate(rows);
    ASSERT_TRUE(noPixels);
    EXPECT_TRUE(says(*noPixels, "no frame waits for pixels"));
    for (FrameTime& r : rows)
        r.draws = 40;
    EXPECT_TRUE(says(*calibrate(rows), "a draw and every frame"));
}

TEST(Calibrate, nonsense_is_refused) {
    const auto rows = simulated(machine(4, 3, 8, 1.1, 0.9), 20, 3, 0);
    EXPECT_FALSE(calibrate({}));
    EXPECT_FALSE(calibrate({rows.begin(), rows.begin() + 5}));
    auto bad = rows;
    bad[7].draws = -1;
    ASSERT_FALSE(calibrate(bad));
    EXPECT_NE(calibrate(bad).error().what.find("row 8"), std::string::npos);
    bad = rows;
    bad[3].ms = std::nan("");
    EXPECT_FALSE(calibrate(bad));
    bad = rows;
    for (FrameTime& r : bad)
        r.ms = 0;
    EXPECT_FALSE(calibrate(bad));
    Device device;
    device.overdraw = 3;
    calibrate(rows)->into(device);
    EXPECT_EQ(device.overdraw, 1) << "pixels were counted as often as drawn";
}

} // namespace thicket
