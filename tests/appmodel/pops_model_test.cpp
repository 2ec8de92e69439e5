// Pops without a window: what is looked at, what is said of it, and what smoothing takes when something else was changed
// meanwhile.

#include "appmodel/model_fixture.h"
#include "support/balls.h"

#include <QTest>
#include <gtest/gtest.h>
#include <random>

namespace thicket::app {
namespace {

class Popping : public ModelTest {
protected:
    void SetUp() override {
        // Their levels are said to be off by less than they are, so that they come in where that is seen.
        std::vector<Subject> balls;
        for (int i = 0; i < 2; ++i) {
            balls.push_back(test::ballOfLevels(0, {0.0, 0.0006, 0.012}, 16));
            balls.back().name = i == 0 ? "near" : "far";
            balls.back().mesh().placed =
                std::make_shared<const Placements>(Placements{{0, 0, {4.0 * i, 0, 0}, Quatd::Identity(), 1, 1}});
        }
        document().push(addSubjects(scene(), std::move(balls), "Add"));
        near = scene().subjects[0].id;
        far = scene().subjects[1].id;
    }
    [[nodiscard]] double comesIn(std::uint32_t id, std::size_t level) const {
        return chainOf(*scene().find(id), scene().statedView()).fromMetres[level];
    }
    void look() {
        bench.pops.look();
        ASSERT_TRUE(QTest::qWaitFor([&] { return bench.pops.waiting() == 0; }, 60'000));
    }
    [[nodiscard]] std::shared_ptr<const PopScore> scoreOf(std::uint32_t id, int level) const {
        for (const PopsModel::Pop& pop : bench.pops.pops())
            if (pop.place.subject == id && pop.place.level == level)
                return pop.score;
        return nullptr;
    }
    void rename(std::uint32_t id, const char* name) {
        Subject after = *scene().find(id);
        after.name = name;
        document().push(changeSubject(scene(), after, "Rename"));
    }

    std::uint32_t near = 0;
    std::uint32_t far = 0;
};

} // namespace

TEST_F(Popping, the_caption_counts_only_what_was_looked_at_and_says_when_that_is_all) {
    EXPECT_TRUE(bench.pops.pops().empty());
    EXPECT_EQ(bench.pops.state().caption, QStringLiteral("within the allowance")) << "nobody has asked yet";
    QStringList captions;
    QObject::connect(&bench.pops, &PopsModel::popsChanged, [&] { captions << bench.pops.state().caption; });
    look();
    const auto pops = bench.pops.pops();
    ASSERT_EQ(pops.size(), 4U);
    for (std::size_t i = 1; i < pops.size(); ++i)
        EXPECT_GE(pops[i - 1].severity, pops[i].severity) << "worst first";
    const auto seen = std::count_if(pops.begin(), pops.end(), [](const PopsModel::Pop& p) { return p.severity > 1; });
    ASSERT_GT(seen, 1);
    EXPECT_EQ(bench.pops.state().caption, QStringLiteral("%1 pops left").arg(seen));
    EXPECT_FALSE(bench.pops.state().done);
    ASSERT_GE(captions.size(), 4);
    for (qsizetype i = 0; i + 1 < captions.size(); ++i)
        EXPECT_FALSE(captions[i].endsWith(QStringLiteral("left"))) << captions[i].toStdString();
    EXPECT_TRUE(captions.contains(QStringLiteral("1 pop so far")));
}

TEST_F(Popping, a_change_has_only_its_own_switches_looked_at_again) {
    ASSERT_NO_FATAL_FAILURE(look());
    const auto kept = scoreOf(far, 1);
    const auto moved = scoreOf(near, 2);
    const auto before = scoreOf(near, 1);
    ASSERT_TRUE(kept && moved && before);
    bench.switching.setSwitchDistance(near, 2, 3 * comesIn(near, 2));
    EXPECT_EQ(scoreOf(near, 2), nullptr) << "what was said of another distance is said no more";
    ASSERT_TRUE(QTest::qWaitFor([&] { return scoreOf(near, 2) != nullptr; }, 60'000)) << "changes are followed";
    EXPECT_NE(scoreOf(near, 2), moved);
    EXPECT_EQ(scoreOf(far, 1), kept);
    EXPECT_EQ(scoreOf(near, 1), before);
    // With a subject its pops go, and they come back with it.
    document().push(removeSubject(scene(), far));
    EXPECT_EQ(scoreOf(far, 1), nullptr);
    document().undo().undo();
    EXPECT_TRUE(QTest::qWaitFor([&] { return scoreOf(far, 1) && scoreOf(far, 2); }, 60'000));
}

TEST_F(Popping, smoothing_is_one_step_and_leaves_nobody_anything_to_see) {
    const std::string before = text();
    const double was = comesIn(near, 2);
    bench.pops.smoothUnseen({near, far}, std::nullopt);
    settle();
    EXPECT_GT(comesIn(near, 2), was);
    ASSERT_NO_FATAL_FAILURE(look());
    for (const PopsModel::Pop& pop : bench.pops.pops())
        EXPECT_LE(pop.severity, 1) << "L" << pop.place.level;
    EXPECT_EQ(bench.pops.state().caption, QStringLiteral("within the allowance"));
    EXPECT_TRUE(bench.pops.state().done);
    const std::string smooth = text();
    document().undo().undo();
    EXPECT_EQ(text(), before);
    document().undo().redo();
    EXPECT_EQ(text(), smooth);
    // Once more there is nothing to move, and so no step.
    const int steps = document().undo().count();
    bench.pops.smoothUnseen({near, far}, std::nullopt);
    settle();
    EXPECT_EQ(document().undo().count(), steps);
    EXPECT_TRUE(said.last().startsWith(QStringLiteral("No switch was moved"))) << said.last().toStdString();
}

TEST_F(Popping, what_is_changed_while_it_is_smoothed_stays) {
    bench.pops.smoothUnseen({near, far}, std::nullopt);
    rename(near, "buoy");
    document().push(removeSubject(scene(), far));
    settle();
    ASSERT_EQ(scene().subjects.size(), 1U);
    EXPECT_EQ(scene().subjects[0].name, "buoy");
    EXPECT_GT(scene().subjects[0].mesh().levels[2].seen, 0);
    // A level that went meanwhile takes nothing of another one.
    document().undo().setIndex(1);
    const std::string first = text();
    bench.pops.smoothUnseen({near}, 2);
    Subject fewer = *scene().find(near);
    fewer.mesh().levels.erase(fewer.mesh().levels.begin() + 1);
    document().push(changeSubject(scene(), fewer, "Remove a level"));
    settle();
    ASSERT_EQ(scene().find(near)->mesh().levels.size(), 2U);
    EXPECT_EQ(scene().find(near)->mesh().levels[1].seen, 0);
    while (document().undo().index() > 1)
        document().undo().undo();
    EXPECT_EQ(text(), first);
}

TEST_F(Popping, cancel_and_another_project_leave_nothing_behind) {
    const std::string before = text();
    bench.pops.smoothUnseen({near, far}, std::nullopt);
    bench.session.jobs().cancelAll();
    settle();
    EXPECT_EQ(text(), before);
    bench.pops.smoothUnseen({near, far}, std::nullopt);
    bench.files.newProject();
    settle();
    EXPECT_TRUE(scene().subjects.empty());
    EXPECT_EQ(document().undo().count(), 0);
    ASSERT_NO_FATAL_FAILURE(look());
    EXPECT_TRUE(bench.pops.pops().empty());
    // Nothing there to smooth is nothing done.
    bench.pops.smoothLater(99, 1, 2);
    bench.pops.smoothByFade(99, 1);
    bench.pops.smoothByBand(99, 0.2);
    bench.pops.smoothByLevel(99, 0, 1);
    bench.pops.smoothByMaterials(99, 0, 1);
    EXPECT_EQ(document().undo().count(), 0);
}

TEST_F(Popping, every_way_to_smooth_is_one_step_that_undo_takes_back) {
    const std::string before = text();
    const std::vector<std::function<void()>> ways{
        [&] { bench.pops.smoothLater(near, 1, 1.5); }, [&] { bench.pops.smoothByFade(near, 1.25); },
        [&] { bench.pops.smoothByBand(near, 0.3); }, [&] { bench.pops.smoothUnseen({near}, 1); }};
    std::mt19937 random(4);
    std::vector<std::string> states{before};
    for (int i = 0; i < 6; ++i) {
        const int steps = document().undo().count();
        ways[random() % ways.size()]();
        settle();
        ASSERT_LE(document().undo().count(), steps + 1);
        if (document().undo().count() > steps)
            states.push_back(text());
    }
    ASSERT_GT(states.size(), 3U);
    for (std::size_t i = states.size() - 1; i-- > 0;) {
        document().undo().undo();
        EXPECT_EQ(text(), states[i]);
    }
    const double was = comesIn(near, 1);
    bench.pops.smoothLater(near, 1, 1.5);
    EXPECT_NEAR(comesIn(near, 1), 1.5 * was, 1e-9);
}

} // namespace thicket::app
