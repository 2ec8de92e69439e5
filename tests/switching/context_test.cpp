#include "switching/copies.h"
#include "switching/explain.h"

#include <gtest/gtest.h>

namespace thicket {
namespace {

/// One copy of a chain, looked at from so far along Z.
struct One {
    View view;
    SwitchRule rule;
    std::vector<LevelCost> costs = test::fourLevels();
    ResolvedChain chain;
    Placement copy;
    test::Chosen chosen;

    One() { chosen.options.fades = false; }
    void resolve() {
        chain = resolveChain(costs, rule, {{-1, 0, -1}, {1, 3, 1}}, 2.1, view);
        place();
    }
    /// After the chain or the copy was changed by hand.
    void place() {
        const SelectOptions options = chosen.options;
        const SelectState state = chosen.state;
        chosen = {};
        chosen.options = options;
        chosen.add(chain, {copy});
        chosen.state = state;
    }
    Pick at(double metres, double seconds = 0) {
        view = lookAt(view, {0, 1.5, 1 + metres}, {0, 1.5, 0});
        chosen.at(view, seconds);
        return chosen.pick();
    }
    [[nodiscard]] std::string why() const { return explainPick(chain, copy, view, chosen.options, chosen.pick()); }
};

} // namespace

TEST(Context, importance_and_detail_move_every_switch_alike) {
    One plain;
    plain.costs[2].fixed = FixedSwitch{DecideBy::Distance, 20};
    plain.resolve();
    One moved = plain;
    moved.rule.importance = 2;
    moved.view.detail = 0.25;
    moved.resolve();
    for (std::size_t i = 1; i < 4; ++i)
        EXPECT_NEAR(moved.chain.fromMetres[i], plain.chain.fromMetres[i] / 2, 1e-9);
    EXPECT_DOUBLE_EQ(moved.chain.detail, 0.5);
}

TEST(Context, a_switch_comes_no_nearer_than_where_it_goes_unseen_and_says_so) {
    One one;
    one.rule.hysteresis = 0;
    one.resolve();
    const double before = one.chain.fromMetres[2];
    EXPECT_NE(one.at(0.99 * before).why, Why::NextIsSeen);
    one.costs[2].seenMetres = 0.5 * one.costs[2].deviationMetres;
    one.resolve();
    EXPECT_EQ(one.chain.fromMetres[2], before) << "its surface is off by more";
    one.costs[2].seenMetres = 1.5 * one.costs[2].deviationMetres;
    one.resolve();
    EXPECT_NEAR(one.chain.fromMetres[2], 1.5 * before, 1e-9);
    const Pick pick = one.at(1.2 * before);
    EXPECT_EQ(pick.level, 1);
    EXPECT_EQ(pick.why, Why::NextIsSeen);
    EXPECT_LT(pick.nextErrorPx, one.rule.allowPx) << "what its surface is off by is told as it is";
    EXPECT_NE(one.why().find("would be seen nearer than"), std::string::npos) << one.why();
    one.costs[2].fixed = FixedSwitch{DecideBy::PixelError, one.rule.allowPx};
    one.resolve();
    EXPECT_NEAR(one.chain.fromMetres[2], before, 1e-9) << "by hand it is where the hand set it";
}

TEST(Context, what_is_fixed_where_it_is_seen_stays_there_in_every_unit) {
    SwitchRule rule;
    rule.importance = 3;
    rule.reachMetres = 400;
    View view;
    view.detail = 0.4;
    LevelCost level{600, 320, 1, 0.01, {}};
    for (const DecideBy unit :
         {DecideBy::PixelError, DecideBy::Distance, DecideBy::ScreenHeight, DecideBy::ShareOfReach}) {
        level.fixed = fixAt(unit, 31, level, rule, 2.1, view);
        EXPECT_EQ(level.fixed->unit, unit);
        EXPECT_NEAR(switchDistance(level, rule, 2.1, view), 31, 1e-9);
    }
}

TEST(Context, a_share_is_of_the_reach_or_of_the_far_plane) {
    View view;
    view.farMetres = 1000;
    SwitchRule rule;
    const LevelCost level{600, 320, 1, 0.01, FixedSwitch{DecideBy::ShareOfReach, 0.1}};
    EXPECT_DOUBLE_EQ(switchDistance(level, rule, 2.1, view), 100);
    rule.reachMetres = 300;
    EXPECT_DOUBLE_EQ(switchDistance(level, rule, 2.1, view), 30);
    const auto chain = resolveChain({LevelCost{}, level}, rule, {}, 2.1, view);
    EXPECT_FALSE(chain.growsWithScale[1]) << "a share of a distance is a distance";
}

TEST(Context, a_copy_of_more_importance_keeps_its_levels_longer) {
    One one;
    one.resolve();
    const double from = one.chain.fromMetres[1];
    EXPECT_EQ(one.at(from * 1.5).level, 1);
    one.chosen.forget();
    one.copy.importance = 2;
    one.place();
    EXPECT_EQ(one.at(from * 1.5).level, 0);
    one.chosen.forget();
    EXPECT_EQ(one.at(from * 2.01).level, 1);
}

TEST(Context, moving_at_the_stated_speed_halves_where_switches_are) {
    One one;
    one.resolve();
    one.chosen.options.halfSpeed = 10;
    const double from = one.chain.fromMetres[1];
    EXPECT_EQ(one.at(from * 0.6).level, 0);
    one.chosen.forget();
    one.chosen.options.speed = 10;
    EXPECT_EQ(one.at(from * 0.6).level, 1);
    EXPECT_EQ(one.at(from * 0.49).level, 0);
    one.chosen.options.speed = 0;
    EXPECT_EQ(one.at(from * 0.9).level, 0) << "at rest it is as exact as ever";
}

TEST(Context, a_target_decides_in_place_of_the_camera) {
    One one;
    one.resolve();
    const double from = one.chain.fromMetres[3];
    one.chain.measuredFrom = Vec3d(0, 1.5, 2);
    one.place();
    EXPECT_EQ(one.at(from * 3).level, 0) << "the target stands a metre off";
    EXPECT_NEAR(one.chosen.pick().distance, 1, 1e-5);
    EXPECT_GT(one.chosen.pick().screenHeight, 0);
    one.chosen.forget();
    one.chain.measuredFrom = Vec3d(0, 1.5, from * 3);
    one.place();
    EXPECT_EQ(one.at(5).level, 3);
    EXPECT_GT(one.chosen.pick().errorPx, one.rule.allowPx) << "what is seen is said as it is";
}

TEST(Why, names_the_next_level_and_what_it_would_be_off) {
    One one;
    one.resolve();
    const double from = one.chain.fromMetres[2];
    one.at(from * 0.5);
    EXPECT_EQ(one.why(), "L1, because L2 would be 2.00 px off (1.00 px allowed)");
    one.at(1000);
    EXPECT_EQ(one.why(), "L3, the coarsest there is");
    one.costs.resize(1);
    one.resolve();
    one.chosen.forget();
    one.at(4);
    EXPECT_EQ(one.why(), "L0, the only one");
}

TEST(Why, speaks_of_the_band_the_dwell_and_the_hand) {
    One one;
    one.costs[1].fixed = FixedSwitch{DecideBy::Distance, 5};
    one.rule.hysteresis = 0.1;
    one.rule.dwellSeconds = 2;
    one.resolve();
    one.at(3);
    EXPECT_EQ(one.why(), "L0, because L1 comes in at 5.00 m, as set by hand");
    one.at(5.25, 5);
    EXPECT_EQ(one.why(), "L0 still, because L1 waits until 5.50 m (hysteresis 10 %)");
    one.at(7, 6);
    ASSERT_EQ(one.chosen.pick().level, 1);
    one.at(one.chain.fromMetres[2] * 1.5, 6.5);
    ASSERT_EQ(one.chosen.pick().level, 1);
    EXPECT_EQ(one.why(), "L1 still, because it switched 0.5 s ago and dwells 2.0 s");
}

TEST(Why, says_why_it_is_culled) {
    One one;
    one.rule.reachMetres = 50;
    one.rule.cullBelowPx = 300;
    one.resolve();
    one.at(60);
    EXPECT_EQ(one.why(), "culled, because 60.0 m is beyond its reach of 50.0 m");
    one.at(20);
    EXPECT_NE(one.why().find("tall, less than 300"), std::string::npos) << one.why();
    one.view = lookAt(one.view, {0, 1.5, 10}, {0, 1.5, 20});
    one.chosen.at(one.view);
    EXPECT_EQ(one.why(), "culled, because it is out of view by more than 500 mm");
}

TEST(Why, adds_what_moves_its_switches) {
    One one;
    one.rule.importance = 2;
    one.view.detail = 0.5;
    one.resolve();
    one.copy.importance = 3;
    one.place();
    one.chosen.options.halfSpeed = 4;
    one.chosen.options.speed = 4;
    one.at(2);
    EXPECT_EQ(contextText(one.chain, one.copy, one.chosen.options), "detail × 0.5 · importance × 6 · moving × 0.5");
    EXPECT_NE(one.why().find("allowed) · detail × 0.5"), std::string::npos) << one.why();
    one.chosen.options.speed = 0;
    one.copy.importance = 1;
    one.rule.importance = one.view.detail = 1;
    one.resolve();
    EXPECT_EQ(contextText(one.chain, one.copy, one.chosen.options), "");
}

} // namespace thicket
