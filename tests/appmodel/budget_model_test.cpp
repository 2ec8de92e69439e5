// The budget without a window: audits grow old, fits are kept or dropped, kept audits lie beside the project, and what
// cannot be done is said and changes nothing.

#include "appmodel/model_fixture.h"
#include "base/file.h"
#include "support/balls.h"

#include <QTest>
#include <gtest/gtest.h>

namespace thicket::app {
namespace fs = std::filesystem;
namespace {

class Budgets : public ModelTest {
protected:
    void SetUp() override {
        for (int i = 0; i < 2; ++i) {
            Subject ball = test::ballOfLevels(0, {0.0, 0.01, 0.04, 0.15}, 32);
            ball.name = i == 0 ? "buoy" : "lamp";
            Placements placed;
            for (int k = 0; k < 6; ++k)
                placed.push_back({0, 0, {4.0 * k - 10, 1, 3.0 * i}, Quatd::Identity(), 1, 1});
            ball.mesh().placed = std::make_shared<const Placements>(std::move(placed));
            document().push(addSubjects(scene(), {ball}, "Add"));
        }
    }
    BudgetModel& budget() { return bench.budget; }
    [[nodiscard]] QString path(const char* name) const {
        return QString::fromStdString((folder.path() / name).string());
    }
    void change(const std::function<void(Settings&)>& how) {
        Settings settings = scene().settings;
        how(settings);
        document().push(changeSettings(scene(), settings, "Change"));
    }
    void giveRoute() {
        change([](Settings& s) {
            s.routes = {{"walk", {{0, {0, 2, 14}, {0, 1, 0}}, {1.5, {2, 2, 40}, {0, 1, 0}}}, false}};
            s.route = 0;
        });
    }
    void audited() {
        budget().runAudit();
        settle();
        ASSERT_NE(budget().audit(), nullptr);
    }
    /// Room for so much of what the route needs at most.
    void tighten(double share) {
        ASSERT_NO_FATAL_FAILURE(audited());
        std::uint64_t most = 0;
        for (const AuditFrame& frame : budget().audit()->frames)
            most = std::max(most, frame.triangles);
        change([&](Settings& s) {
            s.devices[s.device].triangleBudget =
                static_cast<std::uint64_t>(std::round(share * static_cast<double>(most)));
        });
    }
    [[nodiscard]] QString caption() const { return bench.budget.state().caption; }
};

} // namespace

TEST_F(Budgets, an_audit_is_of_the_scene_it_flew_and_says_when_that_is_another_one) {
    EXPECT_EQ(caption(), QStringLiteral("no route"));
    budget().runAudit();
    settle();
    EXPECT_EQ(budget().audit(), nullptr);
    ASSERT_FALSE(said.isEmpty());
    EXPECT_TRUE(said.last().contains(QStringLiteral("no route to fly"))) << said.last().toStdString();
    giveRoute();
    EXPECT_EQ(caption(), QStringLiteral("not flown"));
    const std::string before = text();
    ASSERT_NO_FATAL_FAILURE(audited());
    EXPECT_EQ(text(), before) << "flying changes nothing";
    EXPECT_EQ(budget().audit()->frames.size(), 91U);
    EXPECT_EQ(caption(), QStringLiteral("holds"));
    EXPECT_TRUE(budget().state().done);
    ASSERT_NO_FATAL_FAILURE(tighten(0.5));
    EXPECT_EQ(caption(), QStringLiteral("fly again"));
    EXPECT_TRUE(budget().auditStale());
    EXPECT_FALSE(budget().state().done);
    ASSERT_NO_FATAL_FAILURE(audited());
    const std::uint64_t over = budget().audit()->framesOver;
    ASSERT_GT(over, 0U);
    EXPECT_EQ(caption(), QStringLiteral("over in %1 frames").arg(over));
    EXPECT_EQ(budget().findings().moments.empty(), false);
    // Without its route there is nothing that it was of.
    change([](Settings& s) { s.routes.clear(); });
    EXPECT_EQ(budget().audit(), nullptr);
    EXPECT_EQ(caption(), QStringLiteral("no route"));
}

TEST_F(Budgets, what_is_changed_while_it_flies_makes_it_old_and_another_project_takes_it_away) {
    giveRoute();
    budget().runAudit();
    bench.files.renameSubject(scene().subjects[0].id, QStringLiteral("Cork"));
    settle();
    ASSERT_NE(budget().audit(), nullptr);
    bench.files.renameSubject(scene().subjects[0].id, QStringLiteral("Float"));
    EXPECT_TRUE(budget().auditStale());
    budget().runAudit();
    bench.files.newProject();
    settle();
    EXPECT_EQ(budget().audit(), nullptr);
    EXPECT_EQ(budget().fit(), nullptr);
}

TEST_F(Budgets, a_fit_changes_nothing_until_it_is_kept_and_undo_takes_it_back) {
    giveRoute();
    ASSERT_NO_FATAL_FAILURE(tighten(0.55));
    const std::string before = text();
    budget().runFit();
    settle();
    ASSERT_NE(budget().fit(), nullptr);
    EXPECT_TRUE(budget().fit()->holds());
    EXPECT_FALSE(budget().audit()->holds()) << "as it is";
    EXPECT_EQ(text(), before);
    budget().dropFit();
    EXPECT_EQ(budget().fit(), nullptr);
    EXPECT_EQ(text(), before);
    budget().runFit();
    settle();
    ASSERT_NE(budget().fit(), nullptr);
    const int steps = document().undo().count();
    budget().keepFit();
    EXPECT_EQ(document().undo().count(), steps + 1);
    EXPECT_EQ(budget().fit(), nullptr);
    EXPECT_EQ(caption(), QStringLiteral("holds"));
    ASSERT_NO_FATAL_FAILURE(audited());
    EXPECT_TRUE(budget().audit()->holds()) << "flown again";
    const Loosened& fitted = scene().settings.devices[scene().settings.device].fitted;
    ASSERT_FALSE(fitted.empty());
    // Freed it is as it was, and that is a step of its own.
    budget().freeFitted(0);
    EXPECT_TRUE(scene().settings.devices[scene().settings.device].fitted.empty());
    EXPECT_EQ(text(), before);
    document().undo().undo();
    document().undo().undo();
    EXPECT_EQ(text(), before);
    const int nothing = document().undo().index();
    budget().freeFitted(0);
    budget().keepFit();
    EXPECT_EQ(document().undo().index(), nothing) << "there is nothing to free and nothing to keep";
}

TEST_F(Budgets, a_fit_of_another_scene_is_not_offered) {
    giveRoute();
    ASSERT_NO_FATAL_FAILURE(tighten(0.55));
    budget().runFit();
    settle();
    ASSERT_NE(budget().fit(), nullptr);
    bench.files.renameSubject(scene().subjects[0].id, QStringLiteral("Cork"));
    EXPECT_EQ(budget().fit(), nullptr) << "what it was of has changed";
    const std::string before = text();
    budget().runFit();
    bench.session.jobs().cancelAll();
    settle();
    EXPECT_EQ(budget().fit(), nullptr);
    EXPECT_EQ(text(), before);
}

TEST_F(Budgets, what_is_left_out_of_a_fit_stays) {
    giveRoute();
    ASSERT_NO_FATAL_FAILURE(tighten(0.7));
    const std::uint32_t buoy = scene().subjects[0].id;
    const std::uint32_t lamp = scene().subjects[1].id;
    budget().leaveOut(buoy, true);
    EXPECT_EQ(budget().fit(), nullptr) << "nothing was asked for yet";
    budget().runFit();
    settle();
    ASSERT_NE(budget().fit(), nullptr);
    EXPECT_FALSE(budget().fit()->fitted.contains(buoy));
    EXPECT_TRUE(budget().fit()->fitted.contains(lamp));
    budget().leaveOut(buoy, false); // follows by itself
    settle();
    ASSERT_NE(budget().fit(), nullptr);
    EXPECT_TRUE(budget().fit()->fitted.contains(buoy));
    EXPECT_FALSE(budget().leftOut(buoy));
}

TEST_F(Budgets, audits_are_kept_beside_the_project_and_held_against_what_comes) {
    giveRoute();
    ASSERT_NO_FATAL_FAILURE(audited());
    budget().keepAudit(QStringLiteral("monday"));
    settle();
    EXPECT_TRUE(said.last().contains(QStringLiteral("Save the project first"))) << said.last().toStdString();
    bench.files.saveProject(path("bay.thicket.json"));
    settle();
    budget().keepAudit(QStringLiteral("  "));
    budget().keepAudit(QStringLiteral("monday"));
    settle();
    EXPECT_EQ(budget().keptAudits(), QStringList{QStringLiteral("monday")});
    budget().keepAudit(QStringLiteral("monday"));
    settle();
    EXPECT_TRUE(said.last().contains(QStringLiteral("is kept already"))) << said.last().toStdString();
    budget().compareWithKept(QStringLiteral("monday"));
    settle();
    ASSERT_NE(budget().compared(), nullptr);
    EXPECT_EQ(budget().baselineName(), QStringLiteral("monday"));
    EXPECT_TRUE(budget().worse()->empty()) << "it is the same";
    // Twice as many of one: worse, and by whom.
    Subject more = scene().subjects[1];
    Placements placed = *more.mesh().placed;
    for (int k = 0; k < 6; ++k)
        placed.push_back({0, 0, {4.0 * k - 10, 1, 6.0}, Quatd::Identity(), 1, 1});
    more.mesh().placed = std::make_shared<const Placements>(std::move(placed));
    document().push(changeSubject(scene(), more, "Place more"));
    ASSERT_NO_FATAL_FAILURE(audited());
    ASSERT_TRUE(budget().worse());
    EXPECT_FALSE(budget().worse()->empty());
    // Another device: the two cannot be held against each other, which is said in place of figures.
    const Settings usual = scene().settings;
    ASSERT_GT(usual.devices.size(), 1U);
    budget().setDevice(1);
    ASSERT_NO_FATAL_FAILURE(audited());
    EXPECT_FALSE(budget().worse());
    EXPECT_EQ(budget().compared(), nullptr);
    budget().removeKept(QStringLiteral("monday"));
    settle();
    EXPECT_TRUE(budget().keptAudits().isEmpty());
    EXPECT_EQ(budget().baseline(), nullptr);
}

TEST_F(Budgets, names_of_audits_stay_in_their_folder_and_files_that_are_none_change_nothing) {
    giveRoute();
    ASSERT_NO_FATAL_FAILURE(audited());
    const fs::path inner = folder.path() / "inner";
    fs::create_directories(inner);
    bench.files.saveProject(path("inner/bay.thicket.json"));
    settle();
    for (const QString& name :
         {QStringLiteral("../outside"), path("outside"), QStringLiteral("a/b"), QStringLiteral("..")})
        budget().keepAudit(name);
    settle();
    for (const auto& entry : fs::directory_iterator(folder.path()))
        EXPECT_EQ(entry.path().filename(), "inner");
    ASSERT_TRUE(writeTextFile(folder.path() / "poem.json", "{\"audit\": \"is a word\""));
    for (const char* name : {"poem.json", "vanished.json", "inner"}) {
        const auto heard = said.size();
        budget().compareWith(path(name));
        settle();
        EXPECT_EQ(budget().baseline(), nullptr) << name;
        ASSERT_EQ(said.size(), heard + 1) << name;
        EXPECT_TRUE(said.last().contains(QString::fromLatin1(name))) << said.last().toStdString();
    }
}

TEST_F(Budgets, a_sweep_is_of_the_scene_as_it_is_and_written_as_a_table) {
    SweepOptions options;
    options.spacing = 6;
    budget().runSweep(options);
    settle();
    ASSERT_NE(budget().sweep(), nullptr);
    budget().saveSweep(path("map.csv"));
    settle();
    const auto table = readTextFile(folder.path() / "map.csv");
    ASSERT_TRUE(table);
    EXPECT_EQ(*table, sweepTable(*budget().sweep()));
    const auto heard = said.size();
    budget().saveSweep(path("no/such/folder/map.csv"));
    settle();
    EXPECT_EQ(said.size(), heard + 1);
    ASSERT_TRUE(writeTextFile(folder.path() / "file", "x"));
    budget().saveSweep(path("file/map.csv"));
    settle();
    EXPECT_EQ(said.size(), heard + 2);
    EXPECT_EQ(*readTextFile(folder.path() / "file"), "x");
    bench.files.renameSubject(scene().subjects[0].id, QStringLiteral("Cork"));
    EXPECT_EQ(budget().sweep(), nullptr);
    budget().runSweep(options);
    bench.session.jobs().cancelAll();
    settle();
    EXPECT_EQ(budget().sweep(), nullptr);
}

} // namespace thicket::app
