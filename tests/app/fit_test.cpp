// From over budget to a held one by mouse: fit, look, leave one out, keep, undo, drop, free.

#include "app/budget/budget_panel.h"
#include "app/budget/devices_dialog.h"
#include "app/window_fixture.h"
#include "io/project/device_file.h"
#include "io/project/project.h"
#include "scene/chain_notes.h"
#include "scene/edits.h"

#include <QCheckBox>
#include <QComboBox>
#include <QLabel>
#include <QMenu>
#include <QPushButton>

namespace thicket::app {

class FitTest : public WindowTest {
protected:
    /// A ball on a route, on a device that has room for half of its triangles there.
    void overBudget() {
        thinBall(48);
        Session& session = window->bench().session;
        window->setStage(Stage::Budget);
        window->viewport().standAt(3);
        QTest::keyClick(window.get(), Qt::Key_K);
        window->viewport().standAt(12);
        QTest::keyClick(window.get(), Qt::Key_K);
        budget().runAudit();
        waitForJobs();
        std::uint64_t most = 0;
        for (const AuditFrame& frame : budget().audit()->frames)
            most = std::max(most, frame.triangles);
        Settings settings = session.scene().settings;
        ASSERT_EQ(settings.device, 0U);
        settings.devices[0].triangleBudget = most / 2;
        session.document.push(changeSettings(session.scene(), settings, "Tighten"));
        budget().runAudit();
        waitForJobs();
        ASSERT_FALSE(window->bench().budget.audit()->holds());
    }
    void click(const char* name) {
        auto* button = window->findChild<QPushButton*>(QString::fromLatin1(name));
        ASSERT_NE(button, nullptr) << name;
        ASSERT_TRUE(button->isVisible()) << name;
        QTest::mouseClick(button, Qt::LeftButton);
        waitForJobs();
    }
    [[nodiscard]] BudgetModel& budget() const { return window->bench().budget; }
    [[nodiscard]] const Loosened& fitted() const { return window->bench().session.scene().settings.devices[0].fitted; }
};

TEST_F(FitTest, is_looked_at_kept_and_undone) {
    ASSERT_NO_FATAL_FAILURE(overBudget());
    const std::string before = encodeProject(window->bench().session.scene(), folder.path());
    ASSERT_NO_FATAL_FAILURE(click("fitScene"));
    ASSERT_NE(budget().fit(), nullptr);
    EXPECT_TRUE(budget().fit()->holds());
    EXPECT_EQ(encodeProject(window->bench().session.scene(), folder.path()), before)
        << "nothing changes until it is kept";
    ASSERT_NO_FATAL_FAILURE(click("keepFit"));
    EXPECT_EQ(budget().fit(), nullptr);
    EXPECT_EQ(fitted().size(), 1U);
    ASSERT_NE(budget().audit(), nullptr);
    EXPECT_TRUE(budget().audit()->holds());
    EXPECT_FALSE(budget().auditStale());
    EXPECT_EQ(window->bench().switching.overAllowance(), 0) << "what the fit allows is allowed";
    EXPECT_TRUE(
        chainNotes(*window->bench().session.meshSubject(), window->bench().session.scene().statedView()).empty());
    // Flown again it is what the fit said.
    const std::size_t triangles = budget().audit()->frames[7].triangles;
    budget().runAudit();
    waitForJobs();
    EXPECT_TRUE(budget().audit()->holds());
    EXPECT_EQ(budget().audit()->frames[7].triangles, triangles);
    window->bench().session.document.undo().undo();
    EXPECT_EQ(encodeProject(window->bench().session.scene(), folder.path()), before) << "one step takes it all back";
}

TEST_F(FitTest, what_notes_advise_is_done_by_their_buttons_and_taken_back) {
    ASSERT_NO_FATAL_FAILURE(overBudget());
    Session& session = window->bench().session;
    const auto ball = [&]() -> const Subject& { return session.scene().subjects.front(); };
    const auto change = [&](const std::function<void(SwitchRule&)>& how) {
        SwitchRule rule = ball().rule;
        how(rule);
        window->bench().switching.setRule(ball().id, rule, QStringLiteral("Change"));
        budget().runAudit();
        waitForJobs();
    };
    change([](SwitchRule& r) { r.reachMetres = 900; });
    ASSERT_NO_FATAL_FAILURE(click("mend-reaches-all"));
    EXPECT_EQ(ball().rule.reachMetres, 0);
    EXPECT_TRUE(session.scene().settings.cullHidden);
    budget().runAudit();
    waitForJobs();
    ASSERT_NO_FATAL_FAILURE(click("mend-hides-nothing"));
    EXPECT_FALSE(session.scene().settings.cullHidden);
    session.document.undo().undo();
    EXPECT_TRUE(session.scene().settings.cullHidden) << "one step";
    Settings settings = session.scene().settings;
    settings.devices[0].baseMs = 0;
    settings.devices[0].triangleBudget = 1;
    session.document.push(changeSettings(session.scene(), settings, "Another device"));
    window->bench().thin.removeLevel(ball().id, static_cast<int>(ball().mesh().levels.size()) - 1);
    change([](SwitchRule& r) { r.allowPx = 64; });
    const std::size_t levels = ball().mesh().levels.size();
    const std::uint32_t last = ball().mesh().levels.back().triangles;
    ASSERT_NO_FATAL_FAILURE(click("mend-level-pays"));
    ASSERT_EQ(ball().mesh().levels.size(), levels + 1);
    EXPECT_LT(ball().mesh().levels.back().triangles, last / 2);
}

TEST_F(FitTest, dropped_leaves_nothing_and_a_change_drops_it) {
    ASSERT_NO_FATAL_FAILURE(overBudget());
    const std::string before = encodeProject(window->bench().session.scene(), folder.path());
    ASSERT_NO_FATAL_FAILURE(click("fitScene"));
    ASSERT_NO_FATAL_FAILURE(click("dropFit"));
    EXPECT_EQ(budget().fit(), nullptr);
    EXPECT_EQ(encodeProject(window->bench().session.scene(), folder.path()), before);
    ASSERT_NO_FATAL_FAILURE(click("fitScene"));
    window->bench().thin.setRole(window->bench().session.subjectId(), Role::Horizon);
    EXPECT_EQ(budget().fit(), nullptr) << "it was for the scene as it was";
}

TEST_F(FitTest, what_is_left_out_stays_and_what_was_fitted_is_freed) {
    ASSERT_NO_FATAL_FAILURE(overBudget());
    const std::uint32_t id = window->bench().session.subjectId();
    ASSERT_NO_FATAL_FAILURE(click("fitScene"));
    const auto boxes = window->findChild<QWidget*>(QStringLiteral("fitView"))->findChildren<QCheckBox*>();
    ASSERT_EQ(boxes.size(), 1);
    QTest::mouseClick(boxes.front(), Qt::LeftButton, {}, QPoint(8, boxes.front()->height() / 2));
    waitForJobs();
    ASSERT_NE(budget().fit(), nullptr);
    EXPECT_TRUE(budget().leftOut(id));
    EXPECT_TRUE(budget().fit()->fitted.empty());
    EXPECT_FALSE(budget().fit()->holds()) << "there is nothing else to loosen";
    EXPECT_FALSE(budget().fit()->unheld.empty());
    QTest::mouseClick(boxes.front(), Qt::LeftButton, {}, QPoint(8, boxes.front()->height() / 2));
    waitForJobs();
    EXPECT_TRUE(budget().fit()->holds());
    ASSERT_NO_FATAL_FAILURE(click("keepFit"));
    ASSERT_FALSE(fitted().empty());
    window->setStage(Stage::Switch);
    click("freeHere");
    EXPECT_TRUE(fitted().empty());
    window->bench().session.document.undo().undo();
    EXPECT_FALSE(fitted().empty());
    window->setStage(Stage::Budget);
    ASSERT_NO_FATAL_FAILURE(click(("freeFitted" + std::to_string(id)).c_str()));
    EXPECT_TRUE(fitted().empty());
    window->bench().session.document.undo().undo();
    waitForJobs();
    ASSERT_NO_FATAL_FAILURE(click("freeFitted"));
    EXPECT_TRUE(fitted().empty());
}

TEST_F(FitTest, devices_are_changed_in_one_step_and_taken_to_other_projects) {
    openBall();
    Session& session = window->bench().session;
    const std::vector<Device> before = session.scene().settings.devices;
    const QString file = text(folder.path() / "mine.devices.json");
    ASSERT_TRUE(writeDevices({before[0]}, file.toStdString()));
    DevicesDialog dialog(window->bench());
    dialog.show();
    QTest::mouseClick(dialog.findChild<QPushButton*>(QStringLiteral("copyDevice")), Qt::LeftButton);
    ASSERT_EQ(dialog.devices().size(), before.size() + 1);
    auto* name = dialog.findChild<QLineEdit*>(QStringLiteral("deviceName"));
    name->selectAll();
    QTest::keyClicks(name, QStringLiteral("Slow one"));
    auto* time = dialog.findChildren<NumberBox*>().front();
    time->setFocus();
    time->selectAll();
    QTest::keyClicks(time, QStringLiteral("16"));
    QTest::keyClick(time, Qt::Key_Return);
    dialog.bringIn(text(folder.path() / "absent.devices.json"));
    EXPECT_EQ(dialog.devices().size(), before.size() + 1) << "a file that is not there adds nothing";
    dialog.bringIn(file);
    EXPECT_EQ(dialog.devices().size(), before.size() + 2);
    dialog.accept();
    ASSERT_EQ(session.scene().settings.devices.size(), before.size() + 2);
    EXPECT_EQ(session.scene().settings.devices[before.size()].name, "Slow one");
    EXPECT_EQ(session.scene().settings.devices[before.size()].frameMs, 16);
    EXPECT_EQ(session.scene().settings.device, before.size() + 1) << "the one that is looked at counts";
    session.document.undo().undo();
    EXPECT_EQ(session.scene().settings.devices.size(), before.size());
}

TEST_F(FitTest, a_device_is_fitted_to_times_measured_elsewhere_and_to_this_machine) {
    openBall();
    const fs::path table = folder.path() / "times.csv";
    std::string text = "frame;draws;triangles;vertices;pixels;ms\n";
    for (int i = 0; i < 40; ++i) {
        const double triangles = 20'000.0 * (i * 7 % 40);
        const double vertices = triangles * (0.6 + 0.03 * (i * 11 % 40));
        const double draws = 20.0 * (i * 13 % 40);
        const double pixels = 150'000.0 * (i * 17 % 40);
        const double ms = std::max((5 * triangles + 3 * vertices) * 1e-6, 2 * pixels * 1e-6) + 0.01 * draws + 1;
        text += QStringLiteral("%1;%2;%3;%4;%5;%6\n")
                    .arg(i)
                    .arg(draws)
                    .arg(triangles)
                    .arg(vertices)
                    .arg(pixels)
                    .arg(ms, 0, 'f', 9)
                    .toStdString();
    }
    ASSERT_TRUE(writeTextFile(table, text));
    DevicesDialog dialog(window->bench());
    dialog.show();
    dialog.fitTo(QString::fromStdString(table.string()));
    EXPECT_TRUE(dialog.measuring()) << "beside the window";
    waitForJobs();
    EXPECT_FALSE(dialog.measuring());
    EXPECT_NEAR(dialog.devices()[0].nsPerTriangle, 5, 0.01) << dialog.said().toStdString();
    EXPECT_NEAR(dialog.devices()[0].nsPerPixel, 2, 0.01);
    EXPECT_NEAR(dialog.devices()[0].usPerDraw, 10, 0.01);
    EXPECT_EQ(dialog.devices()[0].source, "measured: 40 frames of times.csv");
    const Device before = dialog.devices()[0];
    ASSERT_TRUE(writeTextFile(table, "triangles,draws,ms\n1,2,much\n"));
    dialog.fitTo(QString::fromStdString(table.string()));
    waitForJobs();
    EXPECT_TRUE(dialog.said().contains("line 2")) << dialog.said().toStdString();
    EXPECT_EQ(dialog.devices()[0].nsPerTriangle, before.nsPerTriangle);

    dialog.measureMachine();
    ASSERT_TRUE(QTest::qWaitFor([&] { return !dialog.measuring(); }, 120000));
    EXPECT_TRUE(QString::fromStdString(dialog.devices()[0].source).startsWith("measured: "))
        << dialog.said().toStdString();
    EXPECT_GT(dialog.devices()[0].nsPerPixel, 0);
    EXPECT_GT(dialog.devices()[0].nsPerTriangle + dialog.devices()[0].nsPerVertex, 0);
    EXPECT_TRUE(dialog.said().contains("software")) << "the display of this test draws in software";
    dialog.accept();
    EXPECT_EQ(window->bench().session.scene().settings.devices[0].source, dialog.devices()[0].source);
}

TEST_F(FitTest, the_worst_moments_have_pictures_and_a_click_goes_there) {
    ASSERT_NO_FATAL_FAILURE(overBudget());
    auto* moments = window->findChild<MomentsView*>(QStringLiteral("moments"));
    ASSERT_NE(moments, nullptr);
    ASSERT_TRUE(moments->isVisible());
    const std::vector<std::size_t>& worst = budget().findings().moments;
    ASSERT_FALSE(worst.empty());
    ASSERT_TRUE(QTest::qWaitFor([&] { return moments->pictures() > 0; }, 60'000));
    // The ball is to be seen in it.
    const QImage shown = moments->grab(moments->place(0)).toImage();
    const QColor middle = shown.pixelColor(shown.width() / 2, shown.height() / 2);
    const QColor corner = shown.pixelColor(2, shown.height() - 4);
    EXPECT_GT(std::abs(middle.red() - corner.red()) + std::abs(middle.green() - corner.green()), 20);
    QTest::mouseClick(moments, Qt::LeftButton, {}, moments->place(0).center());
    const auto standsAt = [&](std::size_t moment) {
        const double seconds = budget().audit()->frames[worst[moment]].seconds;
        const View there = viewOnRoute(*budget().route(), window->bench().session.scene().statedView(), seconds);
        return QTest::qWaitFor([&] { return (window->viewport().shotView().eye - there.eye).norm() < 1e-6; }, 10'000);
    };
    EXPECT_TRUE(standsAt(0));
    // The picture in the window keeps its counts, whatever small pictures are made.
    const auto over = [this] {
        const auto& all = budget().findings().moments;
        return static_cast<std::size_t>(
            std::count_if(all.begin(), all.end(), [this](std::size_t f) { return budget().audit()->frames[f].over; }));
    };
    ASSERT_GT(over(), 1U);
    ASSERT_TRUE(QTest::qWaitFor([&] { return moments->pictures() == over(); }, 60'000));
    rest();
    EXPECT_EQ(window->viewport().submittedTriangles(), window->viewport().exact().total.triangles);
    // By keys too.
    moments->setFocus();
    QTest::keyClick(moments, Qt::Key_Right);
    QTest::keyClick(moments, Qt::Key_Return);
    EXPECT_TRUE(standsAt(1));
    // Pictures stay when something is changed, and are made anew when the route is flown anew.
    const std::size_t pictures = moments->pictures();
    const Subject& ball = *window->bench().session.meshSubject();
    SwitchRule rule = ball.rule;
    rule.allowPx /= 2;
    window->bench().switching.setRule(ball.id, rule, QStringLiteral("Stricter"));
    EXPECT_TRUE(budget().auditStale());
    EXPECT_EQ(moments->pictures(), pictures);
    budget().runAudit();
    waitForJobs();
    ASSERT_FALSE(budget().auditStale());
    ASSERT_TRUE(QTest::qWaitFor([&] { return moments->pictures() == over(); }, 60'000));
}

TEST_F(FitTest, the_ledger_is_sorted_by_what_is_chosen) {
    ASSERT_NO_FATAL_FAILURE(overBudget());
    auto* column = window->findChild<QComboBox*>(QStringLiteral("ledgerColumn"));
    auto* ledger = window->findChild<LedgerView*>();
    ASSERT_TRUE(column != nullptr && ledger != nullptr);
    // Another ball, lighter by far.
    window->open({text(ballFile(folder.path(), "small.glb", 8))});
    waitForJobs();
    Session& session = window->bench().session;
    const std::uint32_t large = session.scene().subjects.front().id;
    const std::uint32_t small = session.scene().subjects.back().id;
    ASSERT_NE(large, small);
    window->setStage(Stage::Budget);
    window->viewport().setShotView({0, 1, 8}, {0, 0, 0});
    rest();
    const auto first = [&] {
        QTest::mouseClick(ledger, Qt::LeftButton, {}, QPoint(20, 40));
        return session.subjectId();
    };
    for (int i = 0; i < column->count(); ++i) {
        column->setCurrentIndex(i);
        const Subject* chosen = session.scene().find(first());
        ASSERT_NE(chosen, nullptr);
        const QString by = column->itemText(i);
        if (by == QStringLiteral("triangles") || by == QStringLiteral("memory")) {
            EXPECT_EQ(chosen->id, large) << by.toStdString();
        }
    }
}

TEST_F(FitTest, an_audit_is_kept_by_name_and_later_ones_are_compared_with_it) {
    ASSERT_NO_FATAL_FAILURE(overBudget());
    Session& session = window->bench().session;
    const auto pick = [this](const QString& text) {
        QMenu* menu = window->findChild<QPushButton*>(QStringLiteral("compare"))->menu();
        emit menu->aboutToShow();
        const auto actions = menu->actions();
        const auto found = std::find_if(actions.begin(), actions.end(), [&](QAction* a) { return a->text() == text; });
        ASSERT_NE(found, actions.end()) << text.toStdString();
        ASSERT_TRUE((*found)->isEnabled()) << text.toStdString();
        (*found)->trigger();
    };
    budget().keepAudit(QStringLiteral("before"));
    waitForJobs();
    EXPECT_TRUE(budget().keptAudits().empty()) << "beside a project that has no file there is no place";
    const auto project = folder.path() / "kept.thicket.json";
    window->bench().files.saveProject(QString::fromStdString(project.string()));
    waitForJobs();
    budget().keepAudit(QStringLiteral("before / 1"));
    ASSERT_TRUE(
        QTest::qWaitFor([&] { return budget().keptAudits() == QStringList(QStringLiteral("before - 1")); }, 60'000));
    const auto kept = readTextFile(folder.path() / "kept.audits" / "before - 1.audit.json");
    ASSERT_TRUE(kept);

    pick(QStringLiteral("Compare with before - 1"));
    ASSERT_TRUE(QTest::qWaitFor([&] { return budget().baseline() != nullptr; }, 60'000));
    ASSERT_TRUE(budget().worse());
    EXPECT_TRUE(budget().worse()->empty()) << "it is the same";
    EXPECT_EQ(budget().baseline()->frames.size(), budget().audit()->frames.size());
    const auto says = [this](const QString& text) {
        const auto labels = window->findChildren<QLabel*>();
        return std::any_of(labels.begin(), labels.end(),
                           [&](QLabel* l) { return l->isVisible() && l->text().contains(text); });
    };
    EXPECT_TRUE(says(QStringLiteral("Nothing got worse")));
    EXPECT_TRUE(says(QStringLiteral(">was&nbsp;")));

    // Twice as strict: more triangles.
    const std::uint32_t ball = session.scene().subjects.front().id;
    SwitchRule rule = session.scene().find(ball)->rule;
    rule.allowPx /= 4;
    window->bench().switching.setRule(ball, rule, QStringLiteral("Stricter"));
    budget().runAudit();
    waitForJobs();
    ASSERT_TRUE(budget().worse());
    EXPECT_FALSE(budget().worse()->empty());
    EXPECT_TRUE(says(QStringLiteral("Worse than before - 1 by more than 5")));

    // A name that is taken is not written over, whatever its case of odd letters.
    budget().keepAudit(QStringLiteral("before : 1"));
    waitForJobs();
    EXPECT_EQ(*readTextFile(folder.path() / "kept.audits" / "before - 1.audit.json"), *kept);
    EXPECT_TRUE(window->messageText().contains(QStringLiteral("is kept already")));

    // Another device: nothing to compare, and that is said.
    Settings settings = session.scene().settings;
    settings.devices[0].name = "Another";
    session.document.push(changeSettings(session.scene(), settings, "Rename"));
    budget().runAudit();
    waitForJobs();
    EXPECT_FALSE(budget().worse());
    EXPECT_EQ(budget().compared(), nullptr) << "no line of another device's frames is drawn";
    EXPECT_TRUE(says(QStringLiteral("is of ")));
    pick(QStringLiteral("Compare with nothing"));
    EXPECT_EQ(budget().baseline(), nullptr);
    budget().removeKept(QStringLiteral("before - 1"));
    ASSERT_TRUE(QTest::qWaitFor([&] { return budget().keptAudits().empty(); }, 60'000));
    EXPECT_FALSE(std::filesystem::exists(folder.path() / "kept.audits" / "before - 1.audit.json"));
}

} // namespace thicket::app
