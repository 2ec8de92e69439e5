#include "switching/copies.h"

#include <cmath>
#include <gtest/gtest.h>
#include <numbers>
#include <random>

namespace thicket {
namespace {

ResolvedChain chainWith(const SwitchRule& rule, const View& view) {
    return resolveChain(test::fourLevels(), rule, {{-1, 0, -1}, {1, 3, 1}}, 2.1, view);
}

using test::Chosen;

/// One copy of a chain.
Chosen copyAt(const Vec3d& place, double scale, const ResolvedChain& chain) {
    Chosen chosen;
    chosen.add(chain, {test::placed(place, scale)});
    return chosen;
}

} // namespace

TEST(View, distance_and_pixels_invert_each_other) {
    View view;
    for (const double e : {0.001, 0.02, 1.5})
        for (const double px : {0.25, 1.0, 8.0}) {
            const double d = distanceForPixels(view, e, px);
            EXPECT_NEAR(pixelError(view, e, d), px, 1e-9);
            EXPECT_NEAR(deviationForPixels(view, px, d), e, 1e-12);
        }
    // By hand: 60 degrees, 1080 lines: 935.3 pixels a metre at one metre.
    EXPECT_NEAR(view.pixelScale(), 935.307, 1e-3);
    view.fovY = std::numbers::pi / 2;
    EXPECT_NEAR(view.pixelScale(), 540, 1e-9);
}

TEST(View, screen_height_inverts_and_is_exact_near_the_eye) {
    View view;
    for (const double share : {0.01, 0.2, 0.9})
        EXPECT_NEAR(screenHeight(view, 3, distanceForScreenHeight(view, 3, share)), share, 1e-9);
    EXPECT_EQ(screenHeight(view, 3, 2), 10) << "inside the sphere it fills the view";
}

TEST(Frustum, agrees_with_projection_for_points) {
    View view = lookAt({}, {3, 2, 5}, {0, 1, -4});
    view.farMetres = 60;
    const Frustum frustum = frustumOf(view);
    const Vec3d right = view.forward.cross(view.up);
    std::mt19937 random(5);
    std::uniform_real_distribution<double> u(-80, 80);
    int inside = 0;
    for (int i = 0; i < 20000; ++i) {
        const Vec3d p(u(random), u(random), u(random));
        const Vec3d q = p - view.eye;
        const double depth = q.dot(view.forward);
        const double ty = std::tan(view.fovY / 2);
        const bool seen = depth > view.nearMetres && depth < view.farMetres && std::abs(q.dot(view.up)) < depth * ty &&
                          std::abs(q.dot(right)) < depth * ty * view.aspect;
        inside += seen ? 1 : 0;
        EXPECT_EQ(frustum.touches(p, 0, 0), seen);
        if (seen) {
            EXPECT_TRUE(frustum.touches(p + Vec3d(1, 0, 0), 1.0001, 0)) << "a touching sphere is never dropped";
        }
    }
    EXPECT_GT(inside, 100);
}

TEST(Chain, switches_follow_the_allowance_and_keep_what_is_fixed) {
    View view;
    SwitchRule rule;
    rule.allowPx = 2;
    auto costs = test::fourLevels();
    costs[2].fixed = FixedSwitch{DecideBy::Distance, 30};
    const auto chain = resolveChain(costs, rule, {{-1, 0, -1}, {1, 3, 1}}, 2.1, view);
    EXPECT_EQ(chain.fromMetres[0], 0);
    EXPECT_NEAR(chain.fromMetres[1], 0.002 * view.pixelScale() / 2, 1e-9);
    EXPECT_EQ(chain.fromMetres[2], 30);
    EXPECT_GE(chain.fromMetres[3], 30) << "switches never fall";
    View half = view;
    half.lines = 540;
    const auto smaller = resolveChain(costs, rule, chain.bounds, 2.1, half);
    EXPECT_NEAR(smaller.fromMetres[1], chain.fromMetres[1] / 2, 1e-9) << "derived switches follow the stated view";
    EXPECT_EQ(smaller.fromMetres[2], 30) << "a distance fixed by hand does not";
}

TEST(Chain, fixing_in_any_unit_keeps_the_distance) {
    View view;
    const auto costs = test::fourLevels();
    for (const DecideBy unit : {DecideBy::PixelError, DecideBy::Distance, DecideBy::ScreenHeight}) {
        LevelCost level = costs[2];
        level.fixed = fixAt(unit, 27.5, level, {}, 2.1, view);
        EXPECT_NEAR(switchDistance(level, {}, 2.1, view), 27.5, 1e-6);
    }
}

TEST(Selector, keeps_the_pixel_promise_everywhere) {
    SwitchRule rule;
    rule.fadeSeconds = 0;
    rule.cullBelowPx = 0;
    const View base;
    const ResolvedChain chain = chainWith(rule, base);
    std::mt19937 random(8);
    std::uniform_real_distribution<double> u(-1, 1);
    int drawn = 0;
    for (int i = 0; i < 3000; ++i) {
        const Vec3d place(u(random) * 5, u(random), u(random) * 5);
        const double scale = 0.5 + std::abs(u(random)) * 2;
        Chosen chosen = copyAt(place, scale, chain);
        const double reach = std::pow(10, 1 + 1.5 * u(random));
        const View view = lookAt(base, {u(random) * reach, u(random) * reach, u(random) * reach},
                                 centreOf(test::placed(place, scale), chain.bounds));
        chosen.at(view);
        const Pick pick = chosen.pick();
        if (pick.culled != Culled::No)
            continue;
        ++drawn;
        // Measured here from the corners of the box as it stands, not taken from what the selector says of itself.
        const Vec3d low = place + chain.bounds.low * scale;
        const Vec3d high = place + chain.bounds.high * scale;
        const double nearest = (view.eye - view.eye.cwiseMax(low).cwiseMin(high)).norm();
        const double off = test::fourLevels()[static_cast<std::size_t>(pick.level)].deviationMetres * scale *
                           (view.lines / (2 * std::tan(view.fovY / 2))) / std::max(nearest, 1e-9);
        EXPECT_LE(off, rule.allowPx * 1.0001);
        EXPECT_NEAR(pick.errorPx, off, 1e-6 * (1 + off));
        if (nearest <= 0) {
            EXPECT_EQ(pick.level, 0) << "inside the bounds only the source is safe";
        }
        for (std::size_t k = static_cast<std::size_t>(pick.level) + 1; k < test::fourLevels().size(); ++k)
            EXPECT_GT(test::fourLevels()[k].deviationMetres * scale * view.pixelScale() / std::max(nearest, 1e-9),
                      rule.allowPx * 0.9999)
                << "a coarser one would have done";
    }
    EXPECT_GT(drawn, 1500);
}

TEST(Selector, jitter_round_a_switch_does_not_flip_levels) {
    SwitchRule rule;
    rule.hysteresis = 0.08;
    const View base;
    const ResolvedChain chain = chainWith(rule, base);
    Chosen chosen = copyAt({0, 0, 0}, 1, chain);
    const double d = chain.fromMetres[2];
    std::uint32_t switches = 0;
    for (int frame = 0; frame < 600; ++frame) {
        const double jitter = 1 + 0.03 * std::sin(frame * 1.7);
        chosen.at(lookAt(base, {0, 1.5, 1 + d * jitter}, {0, 1.5, 0}), frame / 60.0);
        switches += chosen.out.total.switches;
    }
    EXPECT_LE(switches, 1U);
}

TEST(Selector, goes_coarser_late_and_finer_on_time) {
    SwitchRule rule;
    rule.hysteresis = 0.1;
    const View base;
    const ResolvedChain chain = chainWith(rule, base);
    Chosen chosen = copyAt({0, 0, 0}, 1, chain);
    const double d = chain.fromMetres[2];
    const auto levelAt = [&](double distance) {
        chosen.at(lookAt(base, {0, 1.5, 1 + distance}, {0, 1.5, 0}), 0);
        return static_cast<int>(chosen.pick().level);
    };
    EXPECT_EQ(levelAt(d * 0.9), 1);
    EXPECT_EQ(levelAt(d * 1.05), 1);
    EXPECT_EQ(levelAt(d * 1.11), 2);
    EXPECT_EQ(levelAt(d * 1.01), 2);
    EXPECT_EQ(levelAt(d * 0.99), 1);
}

TEST(Selector, of_more_levels_than_can_be_told_apart_the_finest_are_drawn) {
    std::vector<LevelCost> levels;
    for (std::uint32_t i = 0; i < 100; ++i)
        levels.push_back({1000 - i, 500, 1, 0.001 * i, {}});
    SwitchRule rule;
    rule.cullBelowPx = 0;
    const View base;
    test::Chosen chosen;
    chosen.add(resolveChain(levels, rule, {{-1, -1, -1}, {1, 1, 1}}, 1.7, base),
               {test::placed({0, 0, 0}), test::placed({2, 0, 0})});
    chosen.at(lookAt(base, {0, 0, 1e4}, {0, 0, 0}));
    EXPECT_EQ(chosen.pick().level, 63);
    EXPECT_EQ(chosen.out.total.triangles, 2U * (1000 - 63));
    EXPECT_EQ(chosen.out.total.shown, std::uint64_t{1} << 63);
}

TEST(Selector, fades_between_levels_and_counts_both) {
    SwitchRule rule;
    rule.fadeSeconds = 0.5;
    rule.hysteresis = 0;
    const View base;
    const ResolvedChain chain = chainWith(rule, base);
    Chosen chosen = copyAt({0, 0, 0}, 1, chain);
    const double d = chain.fromMetres[2];
    const auto at = [&](double distance, double seconds) {
        chosen.at(lookAt(base, {0, 1.5, 1 + distance}, {0, 1.5, 0}), seconds);
    };
    at(d * 0.9, 0);
    EXPECT_EQ(chosen.out.total.triangles, 2500U);
    at(d * 1.1, 1);
    EXPECT_EQ(chosen.out.total.switches, 1U);
    EXPECT_EQ(chosen.out.total.triangles, 3100U);
    at(d * 1.1, 1.25);
    EXPECT_NEAR(chosen.pick().fade, 0.5, 1e-6);
    EXPECT_EQ(chosen.out.total.draws, 3U);
    at(d * 1.1, 1.6);
    EXPECT_EQ(chosen.pick().fadingFrom, -1);
    EXPECT_EQ(chosen.out.total.triangles, 600U);
}

TEST(Selector, culls_for_each_reason_and_says_which) {
    SwitchRule rule;
    rule.reachMetres = 200;
    rule.cullBelowPx = 30;
    const View base;
    const ResolvedChain chain = chainWith(rule, base);
    const auto reason = [&](const Vec3d& place, const SelectOptions& options) {
        Chosen chosen = copyAt(place, 1, chain);
        chosen.options = options;
        chosen.at(lookAt(base, {0, 0, 0}, {0, 0, -1}), 0);
        EXPECT_EQ(chosen.out.total.culledBy[static_cast<int>(chosen.pick().culled)], 1U);
        EXPECT_EQ(chosen.out.total.triangles > 0, chosen.pick().culled == Culled::No);
        return chosen.pick().culled;
    };
    EXPECT_EQ(reason({0, 0, -20}, {}), Culled::No);
    EXPECT_EQ(reason({0, 0, 20}, {}), Culled::OutOfView);
    EXPECT_EQ(reason({0, 0, -230}, {}), Culled::BeyondReach);
    EXPECT_EQ(reason({0, 0, -190}, {}), Culled::TooSmall);
    SelectOptions all;
    all.cullView = all.cullReach = all.cullSmall = false;
    EXPECT_EQ(reason({0, 0, 20}, all), Culled::No);
    EXPECT_EQ(reason({0, 0, -230}, all), Culled::No);
}

TEST(Selector, a_larger_allowance_factor_never_draws_more) {
    const View base;
    const ResolvedChain chain = chainWith({}, base);
    Chosen chosen = copyAt({0, 0, -12}, 1.3, chain);
    std::uint64_t last = ~std::uint64_t{0};
    for (const double factor : {1.0, 1.5, 2.0, 4.0, 16.0, 64.0}) {
        SelectOptions options;
        options.allowanceFactor = factor;
        chosen.forget();
        chosen.options = options;
        chosen.at(lookAt(base, {0, 0, 0}, {0, 0, -1}), 0);
        EXPECT_LE(chosen.out.total.triangles, last);
        last = chosen.out.total.triangles;
    }
    EXPECT_EQ(last, 100U);
}

TEST(Selector, scale_moves_derived_switches) {
    SwitchRule rule;
    rule.cullBelowPx = 0;
    const View base;
    const ResolvedChain chain = chainWith(rule, base);
    for (const double scale : {0.5, 1.0, 3.0}) {
        Chosen chosen = copyAt({0, 0, 0}, scale, chain);
        const double d = chain.fromMetres[3] * scale;
        for (const double part : {0.99, 1.01}) {
            chosen.forget();
            chosen.at(lookAt(base, {0, 1.5 * scale, scale + d * part}, {0, 1.5 * scale, 0}), 0);
            EXPECT_EQ(static_cast<int>(chosen.pick().level), part < 1 ? 2 : 3) << scale;
        }
    }
}

namespace {

/// How often the level changes over ten seconds at 60 frames while the camera trembles about a switch.
struct Trembling {
    std::uint32_t switches = 0;
    double worstErrorPx = 0;
};

Trembling tremble(const SwitchRule& rule, double size) {
    const View base;
    const ResolvedChain chain = chainWith(rule, base);
    Chosen chosen = copyAt({0, 0, 0}, 1, chain);
    const double at = chain.fromMetres[2];
    std::mt19937 random(9);
    std::uniform_real_distribution<double> u(-size, size);
    Trembling out;
    for (int frame = 0; frame < 600; ++frame) {
        const double d = at * (1 + u(random));
        chosen.at(lookAt(base, {0, 1.5, 1 + d}, {0, 1.5, 0}), frame / 60.0);
        out.switches += chosen.out.total.switches;
        out.worstErrorPx = std::max(out.worstErrorPx, chosen.out.total.worstErrorPx);
    }
    return out;
}

} // namespace

TEST(Selector, a_camera_that_trembles_within_the_band_flips_no_level) {
    SwitchRule rule;
    rule.hysteresis = 0;
    EXPECT_GT(tremble(rule, 0.03).switches, 200U) << "without a band it flickers";
    rule.hysteresis = 0.08;
    EXPECT_LE(tremble(rule, 0.03).switches, 1U);
    EXPECT_GT(tremble(rule, 0.15).switches, 60U) << "beyond the band it flickers again";
}

TEST(Selector, dwell_bounds_how_often_levels_change_and_keeps_the_promise) {
    SwitchRule rule;
    const Trembling free = tremble(rule, 0.15);
    rule.dwellSeconds = 1;
    const Trembling calm = tremble(rule, 0.15);
    EXPECT_GT(free.switches, 60U);
    EXPECT_LE(calm.switches, 2 * 10 + 1U) << "one coarser and one finer a second";
    EXPECT_LE(calm.worstErrorPx, rule.allowPx * 1.0001) << "finer never waits";
}

TEST(Selector, a_check_interval_decides_no_more_often) {
    SwitchRule rule;
    rule.checkSeconds = 0.5;
    EXPECT_LE(tremble(rule, 0.15).switches, 21U);
}

} // namespace thicket
