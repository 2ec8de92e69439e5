#include "budget/compare.h"

#include <gtest/gtest.h>

namespace thicket {
namespace {

/// Three subjects of 2, 1 and 0.02 ms, a little uneven along the route.
Audit flown(const std::vector<double>& times) {
    Audit audit;
    audit.route = "run";
    audit.device = "box";
    for (int f = 0; f < 200; ++f) {
        AuditFrame frame;
        for (std::size_t s = 0; s < times.size(); ++s) {
            const double ms = times[s] * (1 + 0.1 * std::sin(f * 0.1 + static_cast<double>(s)));
            frame.subjectMs.push_back(static_cast<float>(ms));
            frame.ms += ms;
        }
        frame.triangles = static_cast<std::uint64_t>(1e5 * frame.ms);
        frame.draws = 40;
        audit.frames.push_back(frame);
    }
    return audit;
}

Scene named() {
    Scene scene;
    for (const char* name : {"reeds", "bank", "buoy"}) {
        scene.subjects.emplace_back();
        scene.subjects.back().name = name;
    }
    return scene;
}

} // namespace

TEST(Compare, the_same_is_not_worse) {
    const AuditSummary same = summaryOf(flown({2, 1, 0.02}), named());
    const auto worse = worseThan(same, same, 0);
    ASSERT_TRUE(worse);
    EXPECT_TRUE(worse->empty());
}

TEST(Compare, finds_a_planted_loss_and_no_other) {
    const Scene scene = named();
    const AuditSummary before = summaryOf(flown({2, 1, 0.02}), scene);
    // One subject takes five and a half hundredths more: less than two of all.
    const auto worse = worseThan(before, summaryOf(flown({2, 1.055, 0.02}), scene), 0.05);
    ASSERT_TRUE(worse);
    ASSERT_EQ(worse->size(), 1U);
    EXPECT_EQ(worse->front().what, "bank");
    EXPECT_NEAR(worse->front().share(), 0.055, 1e-6);
    // Just below what is let pass, and better elsewhere, is nothing.
    const auto fine = worseThan(before, summaryOf(flown({1.5, 1.045, 0.02}), scene), 0.05);
    ASSERT_TRUE(fine);
    EXPECT_TRUE(fine->empty());
    // What takes next to nothing may double.
    const auto small = worseThan(before, summaryOf(flown({2, 1, 0.025}), scene), 0.05);
    ASSERT_TRUE(small);
    EXPECT_TRUE(small->empty());
}

TEST(Compare, what_is_new_and_frames_that_are_over_count) {
    Scene scene = named();
    const AuditSummary before = summaryOf(flown({2, 1, 0.02}), scene);
    scene.subjects[1].name = "another bank";
    Audit later = flown({2, 1, 0.02});
    later.framesOver = 3;
    const auto worse = worseThan(before, summaryOf(later, scene), 0.05);
    ASSERT_TRUE(worse);
    ASSERT_EQ(worse->size(), 2U);
    EXPECT_EQ((*worse)[0].what, "frames over");
    EXPECT_EQ((*worse)[1].what, "another bank");
}

TEST(Compare, another_route_or_device_is_refused) {
    const Scene scene = named();
    const AuditSummary one = summaryOf(flown({2, 1, 0.02}), scene);
    Audit other = flown({2, 1, 0.02});
    other.device = "desk";
    const auto worse = worseThan(one, summaryOf(other, scene), 0.05);
    ASSERT_FALSE(worse);
    EXPECT_EQ(worse.error().code, ErrorCode::BadInput);
}

} // namespace thicket
