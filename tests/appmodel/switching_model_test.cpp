// Switches without a window: whatever is done to them, levels come in in order, what was set by hand stays, and undo leads
// back to the byte.

#include "appmodel/model_fixture.h"
#include "scene/kinds.h"
#include "support/balls.h"

#include <QTest>
#include <cmath>
#include <gtest/gtest.h>
#include <random>

namespace thicket::app {
namespace {

class Switching : public ModelTest {
protected:
    void SetUp() override {
        Subject ball = test::ballOfLevels(0, {0.0, 0.004, 0.02, 0.08, 0.3}, 32);
        Placements placed;
        for (int i = 0; i < 4; ++i)
            placed.push_back({0, 0, {4.0 * i, 0, 0}, Quatd::Identity(), 1, 1});
        ball.mesh().placed = std::make_shared<const Placements>(std::move(placed));
        document().push(addSubjects(scene(), {ball}, "Add"));
        id = scene().subjects.front().id;
        bench.session.selectSubject(id);
    }
    [[nodiscard]] const Subject& ball() const { return *scene().find(id); }
    [[nodiscard]] ResolvedChain chain() const { return chainOf(ball(), scene().statedView()); }
    [[nodiscard]] bool fixedAt(std::size_t level) const { return ball().mesh().levels[level].fixed.has_value(); }

    std::uint32_t id = 0;
};

} // namespace

TEST_F(Switching, whatever_is_done_levels_come_in_in_order_and_undo_leads_back) {
    std::mt19937 random(23);
    const auto any = [&random](double low, double high) {
        return std::uniform_real_distribution<double>(low, high)(random);
    };
    SwitchingModel& model = bench.switching;
    const std::string first = text();
    std::vector<std::string> states{first};
    for (int step = 0; step < 240; ++step) {
        const int steps = document().undo().count();
        const int level = 1 + static_cast<int>(random() % 4);
        SwitchRule rule = ball().rule;
        switch (random() % 13) {
        case 0:
        case 1:
        case 2:
            model.setSwitchDistance(id, level, std::exp(any(-2, 8)));
            break;
        case 3:
            model.clearSwitch(id, level);
            break;
        case 4:
            model.setDecideBy(id, static_cast<DecideBy>(random() % namesOf(DecideBy()).size()));
            break;
        case 5:
            model.setStatedView(any(20, 110), 200 + static_cast<int>(random() % 2000));
            break;
        case 6:
            model.setDetail(std::exp(any(-1, 1)));
            break;
        case 7:
            rule.allowPx = any(0.3, 6);
            model.setRule(id, rule, QStringLiteral("Allow"));
            break;
        case 8:
            rule.reachMetres = random() % 2 == 0 ? 0 : any(50, 5000);
            model.setRule(id, rule, QStringLiteral("Reach"));
            break;
        case 9:
            model.setPlanes(any(0.01, 1), any(0.5, 9000));
            break;
        case 10:
            model.setCopyImportance(ball().mesh().placed->at(random() % 4).id, std::exp(any(-1, 1)));
            break;
        case 11:
            model.setHalfSpeed(any(0, 30));
            break;
        default:
            rule.measureFrom = static_cast<MeasureFrom>(random() % namesOf(MeasureFrom()).size());
            model.setRule(id, rule, QStringLiteral("Measure"));
        }
        // Typing on at the stated view is one step.
        if (document().undo().count() == steps)
            states.back() = text();
        else if (const std::string now = text(); now != states.back())
            states.push_back(now);
        const ResolvedChain now = chain();
        ASSERT_EQ(now.fromMetres.size(), 5U);
        for (std::size_t i = 0; i < now.fromMetres.size(); ++i) {
            ASSERT_TRUE(std::isfinite(now.fromMetres[i])) << "L" << i << " after step " << step;
            ASSERT_GE(now.fromMetres[i], i > 0 ? now.fromMetres[i - 1] : 0) << "L" << i << " after step " << step;
        }
        ASSERT_GT(scene().settings.view.farMetres, scene().settings.view.nearMetres);
        if (step % 40 == 39) {
            ASSERT_TRUE(decodeProject(text(), folder.path(), "switches")) << "what is there can be opened";
        }
    }
    ASSERT_GT(states.size(), 100U);
    for (auto state = states.rbegin() + 1; state != states.rend(); ++state) {
        while (text() != *state && document().undo().canUndo())
            document().undo().undo();
        ASSERT_EQ(text(), *state);
    }
    EXPECT_EQ(text(), first);
}

TEST_F(Switching, a_switch_is_set_where_it_was_asked_for_and_stays_between_its_neighbours) {
    SwitchingModel& model = bench.switching;
    const ResolvedChain before = chain();
    const double between = std::sqrt(before.fromMetres[1] * before.fromMetres[3]);
    model.setSwitchDistance(id, 2, between);
    EXPECT_NEAR(chain().fromMetres[2], between, 1e-6 * between);
    EXPECT_TRUE(fixedAt(2));
    model.setSwitchDistance(id, 2, 1e6);
    EXPECT_LT(chain().fromMetres[2], chain().fromMetres[3]) << "not past the next";
    model.setSwitchDistance(id, 2, 0);
    EXPECT_GT(chain().fromMetres[2], chain().fromMetres[1]) << "nor past the one before";
    model.clearSwitch(id, 2);
    EXPECT_FALSE(fixedAt(2));
    EXPECT_EQ(chain().fromMetres, before.fromMetres);
    // L0 has no switch, and of what is not there nothing is set.
    const int steps = document().undo().count();
    model.setSwitchDistance(id, 0, 5);
    model.setSwitchDistance(id, 9, 5);
    model.setSwitchDistance(id + 1000, 1, 5);
    model.clearSwitch(id, 0);
    EXPECT_EQ(document().undo().count(), steps);
}

TEST_F(Switching, what_is_set_by_hand_stays_where_the_others_follow_the_allowance) {
    SwitchingModel& model = bench.switching;
    const ResolvedChain before = chain();
    model.setDecideBy(id, DecideBy::Distance);
    EXPECT_TRUE(fixedAt(1) && fixedAt(4)) << "every distance is stated now";
    for (std::size_t i = 1; i < 5; ++i)
        EXPECT_NEAR(chain().fromMetres[i], before.fromMetres[i], 1e-6 * before.fromMetres[i]);
    document().undo().undo();
    EXPECT_FALSE(fixedAt(1));
    const double held = 1.02 * before.fromMetres[2];
    model.setSwitchDistance(id, 2, held);
    SwitchRule rule = ball().rule;
    rule.allowPx *= 1.1;
    model.setRule(id, rule, QStringLiteral("Allow"));
    const ResolvedChain after = chain();
    EXPECT_NEAR(after.fromMetres[3], before.fromMetres[3] / 1.1, 0.02 * before.fromMetres[3]);
    EXPECT_EQ(ball().mesh().levels[2].fixed.has_value(), true);
    EXPECT_GT(bench.switching.overAllowance(), -1);
}

TEST_F(Switching, units_change_and_distances_do_not) {
    SwitchingModel& model = bench.switching;
    for (std::size_t i = 1; i < 5; ++i)
        model.setSwitchDistance(id, static_cast<int>(i), 10.0 * std::pow(3.0, static_cast<double>(i)));
    const ResolvedChain before = chain();
    for (const DecideBy unit : {DecideBy::Distance, DecideBy::ScreenHeight, DecideBy::PixelError}) {
        model.setDecideBy(id, unit);
        EXPECT_EQ(ball().rule.decideBy, unit);
        const ResolvedChain now = chain();
        for (std::size_t i = 1; i < 5; ++i)
            EXPECT_NEAR(now.fromMetres[i], before.fromMetres[i], 1e-4 * before.fromMetres[i]) << keyOf(unit) << i;
    }
    const int steps = document().undo().count();
    model.setDecideBy(id, DecideBy::PixelError); // as it is
    EXPECT_EQ(document().undo().count(), steps);
}

TEST_F(Switching, a_drag_is_one_step) {
    SwitchingModel& model = bench.switching;
    const int steps = document().undo().count();
    const ResolvedChain before = chain();
    for (int i = 0; i < 30; ++i)
        model.setSwitchDistance(id, 3, before.fromMetres[3] * (1 + 0.01 * i), QStringLiteral("drag 3"));
    EXPECT_EQ(document().undo().count(), steps + 1);
    for (int i = 0; i < 30; ++i)
        model.setSwitchDistance(id, 2, before.fromMetres[2] * (1 + 0.01 * i), QStringLiteral("drag 2"));
    EXPECT_EQ(document().undo().count(), steps + 2);
    document().undo().undo();
    document().undo().undo();
    EXPECT_EQ(chain().fromMetres, before.fromMetres);
}

TEST_F(Switching, how_pixels_are_told_apart_is_one_step_and_kept_in_the_project) {
    const ResolvedChain before = chain();
    bench.switching.setPixelsADegree(85);
    EXPECT_EQ(scene().settings.view.pixelsADegree, 85);
    EXPECT_EQ(chain().fromMetres, before.fromMetres) << "what was placed stays until it is looked at again";
    const std::string text = encodeProject(scene(), folder.path());
    const auto back = decodeProject(text, folder.path(), "sight");
    ASSERT_TRUE(back);
    EXPECT_EQ(back->settings.view.pixelsADegree, 85);
    document().undo().undo();
    EXPECT_EQ(scene().settings.view.pixelsADegree, 0);
}

TEST_F(Switching, a_screen_of_ones_own_is_kept_by_name_and_dropped_again) {
    SwitchingModel& model = bench.switching;
    model.setStatedView(37, 777);
    model.keepStatedView(QStringLiteral("bridge"));
    model.setStatedView(60, 1080);
    ASSERT_EQ(scene().settings.ownViews.size(), 1U);
    EXPECT_NEAR(scene().settings.ownViews[0].fovDegrees, 37, 1e-9);
    model.setStatedView(40, 800);
    model.keepStatedView(QStringLiteral("bridge")); // the same name is the same screen
    ASSERT_EQ(scene().settings.ownViews.size(), 1U);
    EXPECT_EQ(scene().settings.ownViews[0].lines, 800);
    const int steps = document().undo().count();
    model.dropStatedView(QStringLiteral("another"));
    EXPECT_EQ(document().undo().count(), steps);
    model.dropStatedView(QStringLiteral("bridge"));
    EXPECT_TRUE(scene().settings.ownViews.empty());
    document().undo().undo();
    EXPECT_EQ(scene().settings.ownViews.size(), 1U);
}

TEST_F(Switching, importance_of_a_copy_is_its_own) {
    SwitchingModel& model = bench.switching;
    const std::uint32_t copy = ball().mesh().placed->at(2).id;
    const int steps = document().undo().count();
    model.setCopyImportance(copy, 1); // as it is
    model.setCopyImportance(copy + 5000, 3);
    EXPECT_EQ(document().undo().count(), steps);
    model.setCopyImportance(copy, 3);
    for (const Placement& p : *ball().mesh().placed)
        EXPECT_EQ(p.importance, p.id == copy ? 3 : 1);
    document().undo().undo();
    EXPECT_EQ(ball().mesh().placed->at(2).importance, 1);
}

} // namespace thicket::app
