// How a field thins out over distance: what goes, what grows, and what is left of the cover.

#include "switching/thinning.h"

#include "switching/copies.h"
#include "switching/curve_lanes.h"

#include <gtest/gtest.h>
#include <random>

namespace thicket {
namespace {
using test::Chosen;

Thinning falling() {
    Thinning t;
    t.keep.points = {{10, 1}, {50, 0.4}, {100, 0.1}, {120, 0}};
    return t;
}

} // namespace

TEST(Thinning, a_curve_is_straight_between_its_points_and_level_beyond) {
    const DistanceCurve curve = falling().keep;
    EXPECT_EQ(curve.at(0), 1);
    EXPECT_DOUBLE_EQ(curve.at(30), 0.7);
    EXPECT_EQ(curve.at(500), 0);
    EXPECT_EQ(DistanceCurve().at(7), 1);
    const auto [least, most] = curve.between(20, 110);
    EXPECT_DOUBLE_EQ(least, 0.05);
    EXPECT_DOUBLE_EQ(most, 0.85);
    EXPECT_DOUBLE_EQ(curve.steepest(), 0.015);
}

TEST(Thinning, what_is_kept_is_whole_and_those_beyond_go_smoothly) {
    const Thinning t = falling();
    for (const double keep : {0.05, 0.4, 0.9, 1.0}) {
        EXPECT_EQ(sizeInBand(t, keep, keep * 0.999), 1);
        EXPECT_NEAR(sizeInBand(t, keep, t.endOf(keep) * 0.9999), 0, 1e-3);
        EXPECT_NEAR(sizeInBand(t, keep, t.endOf(keep)), 0, 1e-20);
        double before = 1;
        for (double rank = 0; rank < 1.2; rank += 0.001) {
            const double size = sizeInBand(t, keep, rank);
            EXPECT_LE(size, before + 1e-12);
            EXPECT_LT(before - size, 0.2) << "no copy blinks out";
            before = size;
        }
    }
}

TEST(Thinning, cover_is_what_the_sizes_of_all_copies_sum_to) {
    const Thinning t = falling();
    constexpr int kCopies = 200'000;
    for (const double keep : {0.03, 0.16, 0.5, 0.93, 1.0}) {
        double area = 0;
        for (std::uint32_t i = 0; i < kCopies; ++i)
            area += std::pow(sizeInBand(t, keep, rankOf(i, kCopies)), 2);
        EXPECT_NEAR(coverOf(t, keep), area / kCopies, 1e-4) << keep;
    }
    EXPECT_EQ(coverOf(t, 0), 0);
}

TEST(Thinning, growth_holds_the_cover_until_its_bound_bites) {
    Thinning t = falling();
    t.growAtMost = 2.5;
    for (double d = 0; d < 90; d += 0.5) {
        EXPECT_LE(t.growAt(d), 2.5);
        if (t.growAt(d) < 2.5) {
            EXPECT_NEAR(coverAt(t, d), 1, 1e-9) << d;
        }
    }
    EXPECT_EQ(t.growAt(110), 2.5);
    EXPECT_LT(coverAt(t, 110), 0.5) << "what the bound costs is told";
    const auto [least, most] = t.sizeBetween(5, 90);
    EXPECT_EQ(least, 1);
    EXPECT_DOUBLE_EQ(most, t.growAt(90));
    t.holdCover = false;
    EXPECT_EQ(t.growAt(90), 1);
}

TEST(Thinning, growth_never_changes_faster_than_it_says) {
    const Thinning t = falling();
    for (double d = 0; d < 130; d += 0.01)
        EXPECT_LE(std::abs(t.growAt(d + 0.01) - t.growAt(d)), t.steepestSize() * 0.01 + 1e-9);
}

TEST(Thinning, who_stays_does_not_depend_on_where_the_camera_is) {
    // The same copies are drawn at a share however it comes about: those of the lowest ranks.
    Placements field;
    for (std::uint32_t i = 0; i < 1000; ++i) {
        field.push_back(test::placed({0, 0, -60.0 - 0.001 * i}));
        field.back().id = i + 1;
    }
    SwitchRule rule;
    rule.cullBelowPx = 0;
    const View base;
    Chosen chosen;
    chosen.addField(resolveChain({{100, 60, 1, 0, {}}}, rule, {{-1, 0, -1}, {1, 2, 1}}, 1.7, base), field, falling());
    std::vector<bool> before(field.size(), true);
    for (double z = 40; z < 140; z += 5) {
        chosen.at(lookAt(base, {0, 1, z - 60}, {0, 1, -100}));
        for (std::uint32_t i = 0; i < field.size(); ++i) {
            const bool drawn = chosen.pick(i).culled == Culled::No;
            EXPECT_TRUE(before[i] || !drawn) << "it came back while the camera went away";
            before[i] = drawn;
        }
    }
    EXPECT_EQ(std::count(before.begin(), before.end(), true), 0);
}

TEST(Thinning, a_soft_band_lets_copies_at_one_distance_switch_at_different_times) {
    Placements field;
    for (std::uint32_t i = 0; i < 2000; ++i) {
        field.push_back(test::placed({0, 0, 0}));
        field.back().id = i + 1;
    }
    SwitchRule rule;
    rule.softBand = 0.2;
    rule.cullBelowPx = 0;
    rule.hysteresis = 0;
    rule.measureFrom = MeasureFrom::Centre;
    const View base;
    LevelCost far{10, 6, 1, 0.01, FixedSwitch{DecideBy::Distance, 50}};
    Chosen chosen;
    chosen.addField(resolveChain({{100, 60, 1, 0, {}}, far}, rule, {{-1, -1, -1}, {1, 1, 1}}, 1.7, base), field, {});
    const auto coarseAt = [&](double z) {
        chosen.forget();
        chosen.at(lookAt(base, {0, 0, z}, {0, 0, 0}));
        std::size_t coarse = 0;
        for (const thicket::Run& run : chosen.out.runs)
            coarse += run.level == 1 ? run.count : 0;
        return static_cast<double>(coarse) / 2000;
    };
    EXPECT_EQ(coarseAt(39.9), 0);
    EXPECT_NEAR(coarseAt(45), 0.25, 0.04);
    EXPECT_NEAR(coarseAt(50), 0.5, 0.04);
    EXPECT_NEAR(coarseAt(55), 0.75, 0.04);
    EXPECT_EQ(coarseAt(60.1), 1);
}

TEST(Thinning, reach_grows_with_the_height_of_the_eye) {
    SwitchRule rule;
    rule.reachMetres = 50;
    rule.reachGrows = 2;
    rule.cullBelowPx = 0;
    rule.measureFrom = MeasureFrom::Centre;
    const View base;
    Chosen chosen;
    chosen.add(resolveChain({{100, 60, 1, 0, {}}}, rule, {{-1, -1, -1}, {1, 1, 1}}, 1.7, base),
               {test::placed({0, 0, -100})});
    chosen.at(lookAt(base, {0, 2, 0}, {0, 0, -100}));
    EXPECT_EQ(chosen.pick().culled, Culled::BeyondReach);
    chosen.at(lookAt(base, {0, 40, 0}, {0, 0, -100}));
    EXPECT_EQ(chosen.pick().culled, Culled::No);
    EXPECT_EQ(chosen.pick().reach, 130);
}

TEST(Thinning, many_distances_at_once_say_what_each_does) {
    std::mt19937 random(20261127);
    const auto between = [&random](double low, double high) {
        return std::uniform_real_distribution<double>(low, high)(random);
    };
    for (int round = 0; round < 300; ++round) {
        Thinning t;
        double at = between(0, 40);
        for (int i = round % 12; i >= 0; --i) {
            t.keep.points.push_back({at, between(0, 1)});
            t.grow.points.push_back({at, between(1, 3)});
            at += between(0.5, 120);
        }
        t.holdCover = round % 3 != 0;
        t.widths = round % 5 == 0;
        t.growAtMost = between(1, 4);
        t.band = round % 4 == 0 ? 0 : between(0, 0.4);
        const double nearest = round % 2 == 0 ? 0 : between(0, 200);
        const double farthest = nearest + between(1, 400);
        std::vector<float> metres(64);
        for (float& m : metres)
            m = static_cast<float>(between(nearest, farthest));
        std::vector<float> kept(metres.size());
        std::vector<float> growths(metres.size());
        const detail::LaneThinning lanes(t, nearest, farthest);
        detail::curveOver(lanes.keep, metres.data(), metres.size(), kept.data());
        detail::growthsOver(lanes, metres.data(), kept.data(), metres.size(), growths.data());
        const double rounding = lanes.keep.rounding(farthest);
        for (std::size_t k = 0; k < metres.size(); ++k) {
            const auto m = static_cast<double>(metres[k]);
            EXPECT_NEAR(static_cast<double>(kept[k]), t.keepAt(m), rounding) << "round " << round << " at " << m;
            // Half the derivative of 1/sqrt, or that of 1/x, where it is steepest.
            const double slope = t.holdCover ? t.growAtMost * t.growAtMost * t.growAtMost : 1;
            EXPECT_NEAR(static_cast<double>(growths[k]), t.growAt(m),
                        slope * (1.2 * rounding + 2e-6) + (t.holdCover ? 0 : lanes.grow.rounding(farthest)))
                << "round " << round << " at " << m;
        }
    }
}

TEST(Thinning, switching_can_be_turned_off_to_compare) {
    SwitchRule rule;
    rule.cullBelowPx = 0;
    const View base;
    Chosen chosen;
    chosen.add(resolveChain({{100, 60, 1, 0, {}}, {10, 6, 1, 0.001, {}}}, rule, {{-1, -1, -1}, {1, 1, 1}}, 1.7, base),
               {test::placed({0, 0, -300})});
    chosen.at(lookAt(base, {0, 0, 0}, {0, 0, -100}));
    EXPECT_EQ(chosen.pick().level, 1);
    chosen.options.switchLevels = false;
    chosen.at(lookAt(base, {0, 0, 0}, {0, 0, -100}), 1);
    EXPECT_EQ(chosen.pick().level, 0);
    EXPECT_EQ(chosen.pick().why, Why::AllFinest);
}

} // namespace thicket
