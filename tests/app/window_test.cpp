#include "app/budget/budget_panel.h"
#include "app/budget/route_chart.h"
#include "app/gather/gather_page.h"
#include "app/ship/ship_page.h"
#include "app/switching/pop_list.h"
#include "app/switching/switch_chart.h"
#include "app/thin/care_bar.h"
#include "app/thin/play_bar.h"
#include "app/thin/roles_dialog.h"
#include "app/thin/thin_chart.h"
#include "app/thin/thin_panel.h"
#include "budget/devices.h"
#include "io/ship/ship.h"
#include "io/ship/write_glb.h"
#include "models.h"
#include "saltmere.h"
#include "window_fixture.h"

#include <QAbstractItemModelTester>
#include <QListView>
#include <QMenu>
#include <QMimeData>
#include <QPushButton>
#include <QScrollArea>
#include <QSignalSpy>
#include <QSplitter>
#include <QTest>
#include <gtest/gtest.h>

namespace thicket::app {

TEST_F(WindowTest, a_project_is_looked_at_from_where_it_was_when_it_was_saved) {
    openBall();
    window->setStage(Stage::Switch);
    window->viewport().setShotView({3, 4, 12}, {0.5, 1, 0});
    const View before = window->viewport().shotView();
    const QString file = text(folder.path() / "seen.thicket.json");
    window->bench().files.saveProject(file); // so that it has a place
    waitForJobs();
    QTest::keyClick(window.get(), Qt::Key_S, Qt::ControlModifier);
    waitForJobs();
    window->viewport().setShotView({40, 2, 2}, {0, 0, 0});
    EXPECT_FALSE(window->bench().session.document.modified()) << "looking about is no change";
    window->open({file});
    waitForJobs();
    const View after = window->viewport().shotView();
    EXPECT_LT((after.eye - before.eye).norm(), 1e-6);
    EXPECT_LT((after.forward - before.forward).norm(), 1e-6);
}

TEST_F(WindowTest, starts_empty_and_every_stage_can_be_reached_by_mouse_and_key) {
    EXPECT_TRUE(window->bench().session.scene().subjects.empty());
    for (int i = 4; i >= 0; --i) {
        const auto stage = static_cast<Stage>(i);
        QTest::mouseClick(&window->path(), Qt::LeftButton, {}, window->path().stopRect(stage).center());
        EXPECT_EQ(window->stage(), stage);
        QTest::qWait(30);
    }
    QTest::keyClick(window.get(), Qt::Key_3, Qt::ControlModifier);
    EXPECT_EQ(window->stage(), Stage::Switch);
}

TEST_F(WindowTest, dropped_files_become_subjects_and_undo_takes_them_back) {
    QMimeData mime;
    mime.setUrls({QUrl::fromLocalFile(text(ballFile(folder.path(), "ball.glb", 20))),
                  QUrl::fromLocalFile(text(ballFile(folder.path(), "other.glb", 12)))});
    QDragEnterEvent enter(QPoint(600, 300), Qt::CopyAction, &mime, Qt::LeftButton, Qt::NoModifier);
    QApplication::sendEvent(window.get(), &enter);
    EXPECT_TRUE(enter.isAccepted());
    QDropEvent drop(QPointF(600, 300), Qt::CopyAction, &mime, Qt::LeftButton, Qt::NoModifier);
    QApplication::sendEvent(window.get(), &drop);
    waitForJobs();
    EXPECT_EQ(window->bench().session.scene().subjects.size(), 2U);
    EXPECT_EQ(window->subjectList().model()->rowCount(), 2);
    QTest::keyClick(window.get(), Qt::Key_Z, Qt::ControlModifier);
    EXPECT_EQ(window->bench().session.scene().subjects.size(), 0U);
    QTest::keyClick(window.get(), Qt::Key_Z, Qt::ControlModifier | Qt::ShiftModifier);
    EXPECT_EQ(window->bench().session.scene().subjects.size(), 2U);
}

TEST_F(WindowTest, a_bad_file_is_said_and_changes_nothing) {
    openBall(12);
    ASSERT_TRUE(writeTextFile(folder.path() / "bad.glb", "not a mesh"));
    window->open({text(folder.path() / "bad.glb")});
    waitForJobs();
    EXPECT_EQ(window->bench().session.scene().subjects.size(), 1U);
    EXPECT_TRUE(window->messageText().contains("bad.glb"));
    // A note that comes after it does not cover it, and goes by itself.
    window->bench().session.say("all is well");
    EXPECT_TRUE(window->messageText().contains("bad.glb"));
    EXPECT_TRUE(window->messageText().contains("all is well"));
    ASSERT_TRUE(QTest::qWaitFor([&] { return !window->messageText().contains("all is well"); }, 60'000));
    EXPECT_TRUE(window->messageText().contains("bad.glb"));
    QTest::keyClick(window.get(), Qt::Key_Escape);
    EXPECT_TRUE(window->messageText().isEmpty());
}

TEST_F(WindowTest, many_errors_leave_room_for_the_button_that_dismisses_them) {
    QStringList files;
    for (int i = 0; i < 60; ++i) {
        const fs::path file = folder.path() / ("bad" + std::to_string(i) + ".glb");
        ASSERT_TRUE(writeTextFile(file, "not a mesh"));
        files << text(file);
    }
    window->open(files);
    waitForJobs();
    EXPECT_TRUE(window->messageText().contains("bad0.glb"));
    EXPECT_TRUE(window->messageText().contains("more"));
    auto* message = window->findChild<QFrame*>(QStringLiteral("message"));
    ASSERT_NE(message, nullptr);
    // Where the view is as low as it gets, too.
    window->findChild<QSplitter*>()->setSizes({1, 800});
    for (const int high : {800, 700}) {
        window->resize(1100, high);
        EXPECT_TRUE(
            QTest::qWaitFor([&] { return message->geometry().bottom() < message->parentWidget()->height(); }, 5000))
            << high << ": " << message->geometry().bottom() << " of " << message->parentWidget()->height();
        EXPECT_TRUE(window->messageText().contains("bad0.glb"));
        EXPECT_TRUE(window->messageText().contains("more"));
    }
    for (QPushButton* button : message->findChildren<QPushButton*>())
        QTest::mouseClick(button, Qt::LeftButton);
    EXPECT_FALSE(message->isVisible());
}

TEST_F(WindowTest, a_table_is_placed_with_the_meshes_that_are_dropped_with_it) {
    const fs::path table = folder.path() / "places.csv";
    ASSERT_TRUE(writeTextFile(table, "asset,x,y,z\nball,1,0,2\nball,5,0,-3\nball,8,0,1\n"));
    window->open({text(table), text(ballFile(folder.path(), "ball.glb", 12))});
    waitForJobs();
    EXPECT_TRUE(window->messageText().isEmpty()) << window->messageText().toStdString();
    const auto& subjects = window->bench().session.scene().subjects;
    ASSERT_EQ(subjects.size(), 2U);
    ASSERT_NE(subjects[1].instances(), nullptr);
    EXPECT_EQ(subjects[1].instances()->copies->size(), 3U);
}

TEST_F(WindowTest, a_finding_is_mended_by_one_click_and_comes_back_by_undo) {
    Mesh mesh = shapes::sphere(10);
    for (std::uint32_t t = 0; t < mesh.triangleCount(); t += 4)
        std::swap(mesh.indices[3 * t + 1], mesh.indices[3 * t + 2]);
    window->open({text(meshFile(folder.path(), "ball.glb", mesh))});
    waitForJobs();
    window->setStage(Stage::Gather);
    auto* list = window->findChild<FindingsView*>()->list();
    const auto buttonOf = [&](const QString& label) -> QPushButton* {
        for (QPushButton* button : list->findChildren<QPushButton*>())
            if (button->text() == label && button->isVisible())
                return button;
        return nullptr;
    };
    const auto findings = [&] { return window->bench().session.meshSubject()->findings.size(); };
    const std::size_t before = findings();
    ASSERT_TRUE(QTest::qWaitFor([&] { return buttonOf("Turn round") != nullptr; }, 60'000));
    QPushButton* turn = buttonOf("Turn round");
    QTest::mouseClick(turn, Qt::LeftButton);
    waitForJobs();
    EXPECT_EQ(findings(), before - 1);
    ASSERT_EQ(window->bench().session.meshSubject()->mesh().mends.size(), 1U);
    EXPECT_TRUE(QTest::qWaitFor([&] { return buttonOf("Turn round") == nullptr; }, 60'000));
    QPushButton* normals = buttonOf("Smooth normals");
    ASSERT_NE(normals, nullptr);
    QTest::mouseClick(normals, Qt::LeftButton);
    waitForJobs();
    EXPECT_FALSE(window->bench().session.meshSubject()->mesh().source().mesh->normals.empty());
    QTest::keyClick(window.get(), Qt::Key_Z, Qt::ControlModifier);
    QTest::keyClick(window.get(), Qt::Key_Z, Qt::ControlModifier);
    EXPECT_EQ(findings(), before);
    EXPECT_TRUE(window->bench().session.meshSubject()->mesh().mends.empty());
    EXPECT_TRUE(window->bench().session.document.modified()) << "it was brought in, and stands";
}

TEST_F(WindowTest, meshes_that_are_chosen_together_are_stood_upright_as_one_step) {
    Mesh slab = shapes::sphere(10);
    for (Vec3f& p : slab.positions)
        p.z() *= 0.2F; // it would lie if Z were up
    window->open({text(meshFile(folder.path(), "one.glb", slab)), text(meshFile(folder.path(), "two.glb", slab))});
    waitForJobs();
    window->setStage(Stage::Gather);
    const auto high = [&](std::size_t i) { return window->bench().session.scene().subjects[i].bounds.size().y(); };
    ASSERT_EQ(window->bench().session.scene().subjects.size(), 2U);
    const double before = high(0);
    QListView& list = window->subjectList();
    list.selectAll();
    auto* mends = window->findChild<FindingsView*>()->findChild<QPushButton*>(QStringLiteral("mendMenu"));
    ASSERT_NE(mends, nullptr);
    emit mends->menu()->aboutToShow();
    QAction* upright = nullptr;
    for (QAction* action : mends->menu()->actions())
        if (action->text() == "Turn upright")
            upright = action->menu()->actions().front();
    ASSERT_NE(upright, nullptr);
    EXPECT_TRUE(mends->menu()->actions().front()->text().contains("2"));
    EXPECT_TRUE(upright->text().startsWith("Z points up")) << upright->text().toStdString();
    upright->trigger();
    waitForJobs();
    for (const std::size_t i : {0U, 1U})
        EXPECT_NEAR(high(i), 0.2 * before, 0.01 * before);
    QTest::keyClick(window.get(), Qt::Key_Z, Qt::ControlModifier);
    for (const std::size_t i : {0U, 1U})
        EXPECT_EQ(high(i), before);
}

TEST_F(WindowTest, a_file_of_several_things_is_taken_apart_by_one_click) {
    const std::string crate = "v 0 0 0\nv 1 0 0\nv 0 2 0\nv 0 0 3\nf 1 3 2\nf 1 2 4\nf 1 4 3\nf 2 3 4\n";
    const std::string keg = "v 5 0 0\nv 7 0 0\nv 5 2 0\nv 5 0 3\nf 5 7 6\nf 5 6 8\nf 5 8 7\nf 6 7 8\n";
    ASSERT_TRUE(writeTextFile(folder.path() / "two.obj", "o crate\n" + crate + "o keg\n" + keg));
    window->open({text(folder.path() / "two.obj")});
    waitForJobs();
    window->setStage(Stage::Gather);
    auto* list = window->findChild<FindingsView*>()->list();
    QPushButton* apart = nullptr;
    ASSERT_TRUE(QTest::qWaitFor(
        [&] {
            for (QPushButton* button : list->findChildren<QPushButton*>())
                if (button->text() == "Take apart" && button->isVisible())
                    apart = button;
            return apart != nullptr;
        },
        60'000));
    for (int row = 0; row < list->model()->rowCount(); ++row)
        EXPECT_GE(list->visualRect(list->model()->index(row, 0)).height(), apart->height()) << "no mend is cut off";
    QTest::mouseClick(apart, Qt::LeftButton);
    waitForJobs();
    ASSERT_EQ(window->bench().session.scene().subjects.size(), 2U);
    QTest::keyClick(window.get(), Qt::Key_Z, Qt::ControlModifier);
    EXPECT_EQ(window->bench().session.scene().subjects.size(), 1U);
}

TEST_F(WindowTest, a_click_marks_where_a_finding_lies_and_the_next_one_goes_on) {
    Mesh mesh = shapes::sphere(10);
    for (const std::uint32_t t : {3U, 700U})
        std::swap(mesh.indices[3 * t + 1], mesh.indices[3 * t + 2]);
    window->open({text(meshFile(folder.path(), "ball.glb", mesh))});
    waitForJobs();
    window->setStage(Stage::Gather);
    auto* list = window->findChild<FindingsView*>()->list();
    const QModelIndex row = [&] {
        for (int i = 0; i < list->model()->rowCount(); ++i)
            if (list->model()->index(i, 0).data().toString().contains("face the wrong way"))
                return list->model()->index(i, 0);
        return QModelIndex();
    }();
    ASSERT_TRUE(row.isValid());
    Viewport& view = window->viewport();
    auto* overlay = view.findChild<ViewportOverlay*>();
    const auto marked = [&] { // pixels of the mark's colour near the middle of the picture
        const QImage over = overlay->grab().toImage();
        const QColor mark = Look::now().caution;
        int count = 0;
        for (int y = over.height() / 4; y < over.height() * 3 / 4; ++y)
            for (int x = over.width() / 4; x < over.width() * 3 / 4; ++x) {
                const QColor c = over.pixelColor(x, y);
                count += std::abs(c.red() - mark.red()) + std::abs(c.green() - mark.green()) +
                                     std::abs(c.blue() - mark.blue()) <
                                 24
                             ? 1
                             : 0;
            }
        return count;
    };
    const PlacesModel& places = window->bench().places;
    const auto click = [&] { QTest::mouseClick(list->viewport(), Qt::LeftButton, {}, list->visualRect(row).center()); };
    ASSERT_TRUE(QTest::qWaitFor([&] { return view.settled(); }, 60'000));
    EXPECT_EQ(marked(), 0);
    click();
    ASSERT_TRUE(QTest::qWaitFor([&] { return places.pointed() != nullptr && view.settled(); }, 60'000));
    EXPECT_GT(marked(), 40);
    const auto shows = [&](const QString& words) {
        for (const QLabel* label : window->findChild<FindingsView*>()->findChildren<QLabel*>())
            if (label->text().contains(words))
                return true;
        return false;
    };
    EXPECT_TRUE(shows("place 1 of 2"));
    const QImage first = view.grabFramebuffer();
    click();
    ASSERT_TRUE(QTest::qWaitFor([&] { return places.pointed()->spot == 1 && view.settled(); }, 60'000));
    EXPECT_TRUE(shows("place 2 of 2"));
    EXPECT_GT(marked(), 40);
    EXPECT_NE(view.grabFramebuffer(), first) << "the other place is looked at";
    QTest::mouseClick(list->viewport(), Qt::LeftButton, Qt::ShiftModifier, list->visualRect(row).center());
    EXPECT_EQ(places.pointed()->spot, 0U);
    QTest::keyClick(window.get(), Qt::Key_Escape);
    EXPECT_EQ(places.pointed(), nullptr);
    EXPECT_TRUE(QTest::qWaitFor([&] { return marked() == 0; }, 60'000));
    EXPECT_TRUE(shows("click one to look at the place"));
}

TEST_F(WindowTest, item_models_keep_their_promises) {
    const QAbstractItemModelTester tester(window->subjectList().model(),
                                          QAbstractItemModelTester::FailureReportingMode::Fatal);
    thinBall(20);
    window->bench().files.renameSubject(window->bench().session.subjectId(), "renamed");
    EXPECT_EQ(window->subjectList().model()->index(0, 0).data().toString(), "renamed");
    window->bench().files.removeSubject(window->bench().session.subjectId());
    EXPECT_EQ(window->subjectList().model()->rowCount(), 0);
    window->bench().session.document.undo().undo();
    EXPECT_EQ(window->subjectList().model()->rowCount(), 1);
}

TEST_F(WindowTest, dragging_a_pin_cuts_while_it_moves_and_is_one_undo_step) {
    thinBall();
    ThinChart& chart = window->thinChart();
    const auto before = window->bench().session.meshSubject()->mesh().levels[1].triangles;
    const int steps = window->bench().session.document.undo().count();
    QSignalSpy live(&window->bench().thin, &ThinModel::dragChanged);
    const QPoint pin = chart.pinPlace(1).toPoint();
    drag(&chart, pin, pin + QPoint(40, 0));
    waitForJobs();
    const Subject& after = *window->bench().session.meshSubject();
    EXPECT_GE(live.count(), 2) << "levels were cut during the drag";
    EXPECT_LT(after.mesh().levels[1].triangles, before);
    EXPECT_EQ(after.mesh().levels[1].mesh->triangleCount(), after.mesh().levels[1].triangles);
    EXPECT_GT(after.mesh().levels[1].deviation, 0);
    EXPECT_EQ(window->bench().session.document.undo().count(), steps + 1);
    QTest::keyClick(window.get(), Qt::Key_Z, Qt::ControlModifier);
    EXPECT_EQ(window->bench().session.meshSubject()->mesh().levels[1].triangles, before);
}

TEST_F(WindowTest, levels_are_added_removed_and_locked) {
    thinBall(60);
    const auto count = window->bench().session.meshSubject()->mesh().levels.size();
    ThinChart& chart = window->thinChart();
    const QPointF a = chart.pinPlace(1);
    const QPointF b = chart.pinPlace(2);
    QTest::mouseDClick(&chart, Qt::LeftButton, {},
                       QPoint(static_cast<int>((a.x() + b.x()) / 2), static_cast<int>(std::max(a.y(), b.y())) + 30));
    waitForJobs();
    ASSERT_EQ(window->bench().session.meshSubject()->mesh().levels.size(), count + 1);
    for (std::size_t i = 1; i <= count; ++i)
        EXPECT_LT(window->bench().session.meshSubject()->mesh().levels[i].triangles,
                  window->bench().session.meshSubject()->mesh().levels[i - 1].triangles);
    const auto id = window->bench().session.subjectId();
    window->bench().thin.setLocked(id, 2, true);
    window->bench().thin.removeLevel(id, 2);
    EXPECT_EQ(window->bench().session.meshSubject()->mesh().levels.size(), count + 1) << "a locked level stays";
    window->bench().thin.setLocked(id, 2, false);
    window->bench().thin.removeLevel(id, 2);
    EXPECT_EQ(window->bench().session.meshSubject()->mesh().levels.size(), count);
}

TEST_F(WindowTest, dragging_a_switch_fixes_it_and_the_allowance_moves_the_free_ones) {
    thinBall();
    window->setStage(Stage::Switch);
    QTest::qWait(200);
    SwitchChart& chart = window->switchChart();
    const auto distance = [&](std::size_t level) {
        const Subject& s = *window->bench().session.meshSubject();
        return resolveChain(costsOf(s), s.rule, s.bounds, s.radius, window->bench().session.scene().settings.view)
            .fromMetres[level];
    };
    const double before = distance(1);
    const int steps = window->bench().session.document.undo().count();
    const QPoint handle = chart.handlePlace(1).toPoint();
    drag(&chart, handle, handle + QPoint(30, 0));
    EXPECT_GT(distance(1), before * 1.05);
    EXPECT_TRUE(window->bench().session.meshSubject()->mesh().levels[1].fixed.has_value());
    EXPECT_EQ(window->bench().session.document.undo().count(), steps + 1) << "a drag is one step";
    window->bench().session.document.undo().undo();
    EXPECT_NEAR(distance(1), before, 1e-9);

    const QPoint line(chart.width() / 2 + 17, static_cast<int>(std::lround(chart.allowanceY())));
    drag(&chart, line, line - QPoint(0, 20));
    EXPECT_GT(window->bench().session.meshSubject()->rule.allowPx, 1.05);
    EXPECT_LT(distance(1), before);
}

TEST_F(WindowTest, the_chart_draws_what_is_seen_below_what_is_off) {
    thinBall(40);
    ThinChart& chart = window->thinChart();
    Session& session = window->bench().session;
    ASSERT_FALSE(session.meshSubject()->mesh().curve.visible.empty()) << "thinning tells it";
    EXPECT_FALSE(chart.seenPoints().empty());
    const auto withSeen = [&](double share) {
        Subject after = *session.meshSubject();
        MeshBody& body = after.mesh();
        body.curve.visible.assign(body.curve.deviation.size(), 0);
        for (std::size_t i = 0; i < body.curve.visible.size(); ++i)
            body.curve.visible[i] = share * body.curve.deviation[i];
        for (Level& level : body.levels)
            level.visible = share * level.deviation;
        session.document.push(changeSubject(session.scene(), after, "Seen"));
        chart.replot();
        return chart.grab().toImage();
    };
    const QImage both = withSeen(0.2);
    const auto points = chart.seenPoints();
    ASSERT_GT(points.size(), 4U);
    for (std::size_t i = 1; i < points.size(); ++i)
        EXPECT_GE(points[i].second, points[i - 1].second);
    Subject without = *session.meshSubject();
    without.mesh().curve.visible.clear();
    session.document.push(changeSubject(session.scene(), without, "Not seen"));
    chart.replot();
    const QImage alone = chart.grab().toImage();
    // Half-way between two points there is the line, and nothing without it.
    int drawn = 0;
    int looked = 0;
    for (std::size_t i = 1; i < points.size(); ++i) {
        const auto at = [&](std::size_t k) {
            return QPointF(chart.xAxis->coordToPixel(points[k].first), chart.yAxis->coordToPixel(points[k].second));
        };
        const QPointF middle = (at(i) + at(i - 1)) / 2;
        if (std::abs(at(i).x() - at(i - 1).x()) < 12 || !chart.axisRect()->rect().contains(middle.toPoint()))
            continue;
        ++looked;
        bool differs = false;
        for (int y = -2; y <= 2; ++y) {
            const QPoint p = middle.toPoint() + QPoint(0, y);
            differs |= both.pixel(p) != alone.pixel(p);
        }
        drawn += differs ? 1 : 0;
    }
    EXPECT_GT(looked, 3);
    EXPECT_EQ(drawn, looked);
}

TEST_F(WindowTest, needle_and_walk_back_move_the_camera) {
    thinBall();
    window->setStage(Stage::Switch);
    QTest::qWait(200);
    window->viewport().standAt(12);
    EXPECT_NEAR(window->viewport().subjectDistance(), 12, 0.02);
    rest();
    SwitchChart& chart = window->switchChart();
    const QPoint needle(static_cast<int>(std::lround(chart.needleX())), chart.height() / 2);
    drag(&chart, needle, needle + QPoint(50, 0));
    EXPECT_GT(window->viewport().subjectDistance(), 13);
    QTest::keyClick(window.get(), Qt::Key_Space);
    EXPECT_TRUE(window->viewport().walking());
    const double here = window->viewport().subjectDistance();
    QTest::qWait(500);
    EXPECT_NE(window->viewport().subjectDistance(), here);
    QTest::keyClick(window.get(), Qt::Key_Escape);
    EXPECT_FALSE(window->viewport().walking());
}

TEST_F(WindowTest, gauges_show_exactly_what_the_viewport_submits) {
    thinBall();
    window->setStage(Stage::Switch);
    for (const double metres : {2.0, 9.0, 40.0, 300.0}) {
        window->viewport().standAt(metres);
        rest();
        EXPECT_EQ(window->triangleGauge().value(), window->viewport().submittedTriangles()) << metres;
        EXPECT_EQ(window->drawGauge().value(), window->viewport().submittedDraws()) << metres;
        EXPECT_EQ(window->viewport().exact().total.triangles, window->viewport().submittedTriangles());
    }
}

TEST_F(WindowTest, the_unit_of_deciding_keeps_every_distance) {
    thinBall();
    const auto distances = [&] {
        const Subject& s = *window->bench().session.meshSubject();
        return resolveChain(costsOf(s), s.rule, s.bounds, s.radius, window->bench().session.scene().settings.view)
            .fromMetres;
    };
    const auto before = distances();
    for (const DecideBy unit : {DecideBy::Distance, DecideBy::ScreenHeight, DecideBy::PixelError}) {
        window->bench().switching.setDecideBy(window->bench().session.subjectId(), unit);
        const auto now = distances();
        for (std::size_t i = 0; i < now.size(); ++i)
            EXPECT_NEAR(now[i], before[i], 1e-6 * (1 + before[i]));
    }
}

TEST_F(WindowTest, project_is_saved_opened_and_its_route_flown) {
    thinBall();
    Scene scene = window->bench().session.scene();
    scene.settings.devices = {handheld60()};
    scene.settings.routes = {{"past", {{0, {0, 1, 4}, {0, 0, 0}}, {2, {0, 1, 60}, {0, 0, 0}}}}};
    const fs::path file = folder.path() / "p.thicket.json";
    ASSERT_TRUE(writeProject(scene, file, true));
    window->bench().session.document.undo().setClean();
    window->open({text(file)});
    waitForJobs();
    ASSERT_EQ(window->bench().session.scene().settings.routes.size(), 1U);
    EXPECT_FALSE(window->bench().session.document.modified());
    window->setStage(Stage::Budget);
    QTest::keyClick(window.get(), Qt::Key_R, Qt::ControlModifier);
    waitForJobs();
    ASSERT_NE(window->bench().budget.audit(), nullptr);
    EXPECT_EQ(window->bench().budget.audit()->frames.size(), 121U);
    RouteChart& chart = window->routeChart();
    QTest::mouseClick(&chart, Qt::LeftButton, {}, QPoint(static_cast<int>(chart.xOf(1.0)), chart.height() / 2));
    EXPECT_NEAR(chart.time(), 1.0, 0.05);
    const View view = viewOnRoute(scene.settings.routes[0], scene.settings.view, chart.time());
    EXPECT_LT((window->viewport().shotView().eye - view.eye).norm(), 1e-3);
    EXPECT_FALSE(window->bench().budget.auditStale());
    window->bench().thin.setRole(window->bench().session.subjectId(), Role::Horizon);
    EXPECT_TRUE(window->bench().budget.auditStale()) << "the audit is from before the change and says so";
    window->bench().files.saveProject(text(folder.path() / "q"));
    waitForJobs();
    EXPECT_TRUE(fs::exists(folder.path() / "q.thicket.json"));
    EXPECT_FALSE(window->bench().session.document.modified());
}

TEST_F(WindowTest, what_a_change_of_unit_makes_small_is_as_large_in_the_picture_as_before) {
    openBall();
    rest();
    const QImage before = window->viewport().grabFramebuffer();
    const std::uint32_t id = window->bench().session.subjectId();
    window->bench().files.mend({id}, {MendKind::Unit, 0.001});
    waitForJobs();
    rest();
    const QImage after = window->viewport().grabFramebuffer();
    ASSERT_EQ(before.size(), after.size());
    int others = 0; // pixels, of which the ball has some tens of thousands
    for (int y = 0; y < before.height(); ++y)
        for (int x = 0; x < before.width(); ++x)
            others += std::abs(qGray(before.pixel(x, y)) - qGray(after.pixel(x, y))) > 24 ? 1 : 0;
    EXPECT_LT(others, before.width() * before.height() / 100);
}

TEST_F(WindowTest, a_route_is_keyed_flown_and_taken_back) {
    thinBall(24);
    window->setStage(Stage::Budget);
    EXPECT_FALSE(window->bench().budget.hasRoute());
    window->viewport().standAt(3);
    QTest::keyClick(window.get(), Qt::Key_K);
    EXPECT_FALSE(window->bench().budget.hasRoute()) << "one key is no route";
    window->viewport().standAt(80);
    QTest::keyClick(window.get(), Qt::Key_K);
    ASSERT_TRUE(window->bench().budget.hasRoute());
    // The camera is at the key that was set last, and the ledger says so until it goes elsewhere.
    const QLabel* when = window->findChild<BudgetPanel*>()->aside;
    EXPECT_DOUBLE_EQ(window->routeChart().time(), 4);
    EXPECT_TRUE(QTest::qWaitFor([&] { return when->text() == QStringLiteral("at 4.0 s"); }))
        << when->text().toStdString();
    window->viewport().standAt(20);
    EXPECT_TRUE(QTest::qWaitFor([&] { return when->text() == QStringLiteral("present frame"); }))
        << when->text().toStdString();
    window->bench().budget.runAudit();
    waitForJobs();
    ASSERT_NE(window->bench().budget.audit(), nullptr);
    EXPECT_EQ(window->bench().budget.audit()->frames.size(), 241U);
    EXPECT_GT(window->bench().budget.audit()->frames.front().triangles,
              window->bench().budget.audit()->frames.back().triangles);
    window->bench().routes.remove();
    EXPECT_FALSE(window->bench().budget.hasRoute());
    QTest::keyClick(window.get(), Qt::Key_Z, Qt::ControlModifier);
    EXPECT_TRUE(window->bench().budget.hasRoute());
}

TEST_F(WindowTest, keys_of_a_route_are_dragged_in_time_and_over_the_ground) {
    openBall();
    Workbench& bench = window->bench();
    Settings settings = bench.session.scene().settings;
    settings.routes = {{"walk", {{0, {0, 1, 8}, {0, 0, 0}}, {4, {8, 1, 8}, {0, 0, 0}}, {8, {8, 1, 0}, {0, 0, 0}}}}};
    bench.session.document.push(changeSettings(bench.session.scene(), settings, "Give it a route"));
    window->setStage(Stage::Budget);
    RouteChart& chart = window->routeChart();
    ASSERT_TRUE(QTest::qWaitFor(
        [&] { return chart.isVisible() && chart.keyPlace(2).x() > chart.keyPlace(0).x() + 300; }, 60'000));
    const QPoint from = chart.keyPlace(1).toPoint();
    drag(&chart, from, from + QPoint(static_cast<int>(chart.xOf(6) - chart.xOf(4)), 0));
    EXPECT_NEAR(bench.routes.current()->keys[1].seconds, 6, 0.1);
    drag(&chart, chart.keyPlace(1).toPoint(), chart.keyPlace(1).toPoint() + QPoint(4000, 0));
    EXPECT_LT(bench.routes.current()->keys[1].seconds, 8) << "it stays before the next one";
    QTest::keyClick(window.get(), Qt::Key_Z, Qt::ControlModifier);
    EXPECT_NEAR(bench.routes.current()->keys[1].seconds, 6, 0.1) << "a drag is one step";

    const QPoint between(static_cast<int>(chart.xOf(3)), from.y());
    QTest::mouseDClick(&chart, Qt::LeftButton, {}, between);
    ASSERT_EQ(bench.routes.current()->keys.size(), 4U);
    QTest::mouseClick(&chart, Qt::LeftButton, {}, chart.keyPlace(1).toPoint());
    QTest::keyClick(&chart, Qt::Key_Delete);
    EXPECT_EQ(bench.routes.current()->keys.size(), 3U);

    // Over the ground, in the overview.
    Overview* overview = &window->views().overview();
    window->views().setMode(OverviewMode::Split);
    const Vec3d before = bench.routes.current()->keys[0].eye;
    const auto inSight = [&] {
        overview->fit();
        const auto at = overview->onScreen(before);
        return overview->isVisible() && at && overview->rect().adjusted(40, 40, -40, -40).contains(at->toPoint());
    };
    ASSERT_TRUE(QTest::qWaitFor(inSight, 60'000));
    const auto place = overview->onScreen(before);
    drag(overview, place->toPoint(), place->toPoint() + QPoint(30, 10));
    const Vec3d after = bench.routes.current()->keys[0].eye;
    EXPECT_GT((after - before).norm(), 0.2);
    EXPECT_EQ(after.y(), before.y());
    const auto now = overview->onScreen(after);
    ASSERT_TRUE(now);
    EXPECT_LT(QLineF(*now, *place + QPointF(30, 10)).length(), 3) << "it is under the mouse";
}

TEST_F(WindowTest, routes_are_several_and_recorded_by_flying) {
    openBall();
    Workbench& bench = window->bench();
    window->setStage(Stage::Budget);
    bench.routes.addKey(window->viewport().shotView());
    bench.routes.rename("first");
    bench.routes.startRecording(window->viewport().shotView());
    ASSERT_TRUE(QTest::qWaitFor(
        [&] {
            QTest::keyClick(&window->viewport(), Qt::Key_Left);
            return bench.routes.recorded() >= 8;
        },
        10000));
    bench.routes.stopRecording();
    ASSERT_EQ(bench.session.scene().settings.routes.size(), 2U);
    EXPECT_EQ(bench.routes.current()->name, "Recorded");
    EXPECT_GE(bench.routes.current()->keys.size(), 2U);
    EXPECT_GE(bench.routes.current()->length(), 0.7) << "eight places, a tenth of a second apart";
    bench.routes.choose(0);
    EXPECT_EQ(bench.routes.current()->name, "first");
    bench.routes.copy();
    EXPECT_EQ(bench.routes.current()->name, "first 2");
    bench.routes.setLoop(true);
    EXPECT_TRUE(bench.routes.current()->loop);
    for (int i = 0; i < 4; ++i)
        QTest::keyClick(window.get(), Qt::Key_Z, Qt::ControlModifier);
    EXPECT_EQ(bench.session.scene().settings.routes.size(), 1U) << "each was one step";
}

TEST_F(WindowTest, a_recording_ends_with_the_stage_and_with_its_project) {
    openBall(12);
    Workbench& bench = window->bench();
    window->setStage(Stage::Budget);
    bench.routes.startRecording(window->viewport().shotView());
    ASSERT_TRUE(QTest::qWaitFor(
        [&] {
            QTest::keyClick(&window->viewport(), Qt::Key_Left);
            return bench.routes.recorded() >= 3;
        },
        10000));
    window->setStage(Stage::Switch);
    EXPECT_FALSE(bench.routes.recording());
    EXPECT_EQ(bench.session.scene().settings.routes.size(), 1U) << "what was recorded is kept";
    window->setStage(Stage::Budget);
    bench.routes.startRecording(window->viewport().shotView());
    bench.session.document.reset(Scene(), {});
    EXPECT_FALSE(bench.routes.recording());
    EXPECT_TRUE(bench.session.scene().settings.routes.empty()) << "and goes into no other project";
}

TEST_F(WindowTest, the_cost_is_mapped_over_the_ground_and_its_worst_place_is_gone_to) {
    openBall();
    Workbench& bench = window->bench();
    window->setStage(Stage::Budget);
    SweepOptions options;
    options.spacing = 1;
    bench.budget.runSweep(options);
    waitForJobs();
    ASSERT_NE(bench.budget.sweep(), nullptr);
    auto* text = window->findChild<QLabel*>(QStringLiteral("sweepText"));
    ASSERT_NE(text, nullptr);
    EXPECT_TRUE(text->isVisibleTo(window.get()));
    const std::size_t worst = bench.budget.sweep()->worst(1, 1)[0];
    const SweepPlace place = bench.budget.sweep()->places[worst];
    emit text->linkActivated(QString::number(worst));
    EXPECT_NEAR(window->viewport().shotView().eye.x(), place.x, 1e-6);
    EXPECT_NEAR(window->viewport().shotView().eye.z(), place.z, 1e-6);
    bench.budget.saveSweep(QString::fromStdString((folder.path() / "cost.csv").string()));
    waitForJobs();
    EXPECT_TRUE(fs::exists(folder.path() / "cost.csv"));
    bench.files.renameSubject(bench.session.subjectId(), "other");
    EXPECT_EQ(bench.budget.sweep(), nullptr) << "of a scene that has changed there is no map";
}

TEST_F(WindowTest, a_missing_source_can_be_pointed_to_again) {
    thinBall(24);
    const fs::path file = folder.path() / "p.thicket.json";
    ASSERT_TRUE(writeProject(window->bench().session.scene(), file, true));
    fs::rename(folder.path() / "ball.glb", folder.path() / "elsewhere.glb");
    window->bench().session.document.undo().setClean();
    window->open({text(file)});
    waitForJobs();
    ASSERT_EQ(window->bench().session.scene().subjects.size(), 1U);
    EXPECT_FALSE(window->bench().session.meshSubject()->mesh().levels[0].mesh);
    EXPECT_TRUE(window->messageText().contains("point to the file again"));
    window->bench().files.relinkSource(window->bench().session.subjectId(), text(folder.path() / "elsewhere.glb"));
    waitForJobs();
    for (const Level& level : window->bench().session.meshSubject()->mesh().levels)
        EXPECT_TRUE(level.mesh);
}

TEST_F(WindowTest, work_kept_automatically_is_found_and_recovered) {
    thinBall(24);
    const fs::path file = folder.path() / "p.thicket.json";
    ASSERT_TRUE(writeProject(window->bench().session.scene(), file, true));
    Scene later = window->bench().session.scene();
    later.subjects[0].rule.allowPx = 3.5;
    ASSERT_TRUE(writeTextFile(folder.path() / "p.thicket.json.autosave", encodeProject(later, folder.path())));
    fs::last_write_time(folder.path() / "p.thicket.json.autosave", fs::last_write_time(file) + std::chrono::seconds(5));
    window->bench().session.document.undo().setClean();
    QSignalSpy found(&window->bench().files, &FilesModel::recoveryFound);
    // The question is put to the user; here it is answered by hand.
    QObject::disconnect(&window->bench().files, &FilesModel::recoveryFound, window.get(), nullptr);
    window->open({text(file)});
    waitForJobs();
    ASSERT_EQ(found.count(), 1);
    EXPECT_EQ(window->bench().session.meshSubject()->rule.allowPx, 1.0)
        << "the saved project is open until the user decides";
    window->bench().files.recover(text(file), found[0][1].toString());
    waitForJobs();
    EXPECT_EQ(window->bench().session.meshSubject()->rule.allowPx, 3.5);
    EXPECT_TRUE(window->bench().session.document.modified()) << "recovered work is not saved work";
    EXPECT_EQ(window->bench().session.document.path(), file);
}

TEST_F(WindowTest, cards_outlive_a_crash_though_they_were_never_saved) {
    thinBall(50);
    Workbench& bench = window->bench();
    const QString file = text(folder.path() / "p.thicket.json");
    bench.files.saveProject(file);
    waitForJobs();
    bench.thin.addCards(bench.session.subjectId(), 2);
    waitForJobs();
    bench.session.document.autosave();
    const fs::path kept = AutosavePlace::besideProject(folder.path() / "p.thicket.json");
    ASSERT_TRUE(QTest::qWaitFor([&] { return fs::exists(kept); }, 60'000));
    // Another window takes it up, as after a crash.
    MainWindow after;
    after.beQuiet();
    after.bench().files.recover(file, text(kept));
    ASSERT_TRUE(QTest::qWaitFor([&] { return !after.bench().session.jobs().busy(); }, 60'000));
    ASSERT_EQ(after.bench().session.scene().subjects.size(), 1U);
    const Level& last = after.bench().session.scene().subjects.front().mesh().levels.back();
    EXPECT_EQ(last.origin, LevelOrigin::Cards);
    EXPECT_TRUE(last.mesh && last.surfaces);
    after.closeQuietly();
}

TEST_F(WindowTest, levels_cut_again_after_opening_wear_their_own_materials) {
    const demo::Model skiff = demo::skiff();
    const fs::path source = folder.path() / "skiff.glb";
    ASSERT_TRUE(writeFile(source, encodeGlb("skiff", {std::make_shared<const Mesh>(skiff.levels[1])}, skiff.surfaces,
                                            GlbLevels::Named, {})));
    window->open({text(source)});
    waitForJobs();
    Workbench& bench = window->bench();
    bench.thin.thinToRole(bench.session.subjectId());
    waitForJobs();
    MaterialChoice choice;
    choice.merge = true;
    bench.thin.setMaterials(bench.session.subjectId(), 1, choice);
    waitForJobs();
    const QString file = text(folder.path() / "m.thicket.json");
    bench.files.saveProject(file);
    waitForJobs();
    fs::remove_all(folder.path() / "m.levels");
    window->open({file});
    waitForJobs();
    const Level& level = bench.session.scene().subjects.front().mesh().levels[1];
    ASSERT_TRUE(level.mesh);
    ASSERT_TRUE(level.surfaces) << "its UVs lie in a merged picture that it must have";
    EXPECT_EQ(level.surfaces->materials.size(), 1U);
    EXPECT_EQ(level.draws, 1U);
}

TEST_F(WindowTest, cancelling_a_long_job_changes_nothing) {
    openBall(250);
    window->setStage(Stage::Thin);
    QTest::keyClick(window.get(), Qt::Key_T, Qt::ControlModifier);
    QTest::qWait(120);
    QTest::keyClick(window.get(), Qt::Key_Escape);
    waitForJobs();
    EXPECT_EQ(window->bench().session.meshSubject()->mesh().levels.size(), 1U);
    EXPECT_TRUE(window->messageText().contains("Cancelled"));
}

TEST_F(WindowTest, the_window_answers_while_a_job_runs) {
    openBall(250);
    window->setStage(Stage::Thin);
    QTest::keyClick(window.get(), Qt::Key_T, Qt::ControlModifier);
    int ticks = 0;
    QTimer timer;
    QObject::connect(&timer, &QTimer::timeout, [&] { ++ticks; });
    timer.start(10);
    waitForJobs();
    EXPECT_GT(ticks, 10) << "the event loop went on";
    EXPECT_GE(window->bench().session.meshSubject()->mesh().levels.size(), 3U);
}

TEST_F(WindowTest, shipping_lists_what_was_verified) {
    thinBall(24);
    window->setStage(Stage::Ship);
    window->bench().shipping.ship(text(folder.path() / "out"), {});
    waitForJobs();
    ASSERT_NE(window->bench().shipping.report(), nullptr);
    EXPECT_EQ(window->bench().shipping.report()->files.size(), 3U);
}

TEST_F(WindowTest, as_many_files_are_shipped_as_are_announced) {
    thinBall(24);
    const Subject* ball = window->bench().session.meshSubject();
    Subject standing = *ball;
    standing.mesh().placed = std::make_shared<const Placements>(Placements(3));
    window->bench().session.document.push(
        changeSubject(window->bench().session.scene(), std::move(standing), "Place it"));
    window->setStage(Stage::Ship);
    window->bench().shipping.ship(text(folder.path() / "out"), {});
    waitForJobs();
    ASSERT_NE(window->bench().shipping.report(), nullptr);
    const QString announced =
        QStringLiteral("%1 files from 1 subject").arg(window->bench().shipping.report()->files.size());
    bool said = false;
    for (const QLabel* label : window->findChild<ShipPanel*>()->findChildren<QLabel*>())
        said |= label->text().contains(announced);
    EXPECT_TRUE(said) << announced.toStdString();
    EXPECT_EQ(window->bench().shipping.report()->files.size(), 5U);
}

TEST_F(WindowTest, nothing_breaks_at_other_sizes) {
    thinBall(24);
    window->bench().session.selectLevel(1);
    for (const QSize& size : {QSize(1100, 700), QSize(1590, 990), QSize(1280, 800)})
        for (int i = 0; i < 5; ++i) {
            window->resize(size);
            window->setStage(static_cast<Stage>(i));
            QTest::qWait(60);
            const QList<QWidget*> widgets = window->findChildren<QWidget*>();
            for (const QWidget* w : widgets)
                if (w->isVisible() && w->parentWidget() == window->centralWidget()) {
                    EXPECT_TRUE(window->centralWidget()->rect().contains(w->geometry()));
                }
            if (window->arrangementChoice().isVisible()) {
                EXPECT_FALSE(window->arrangementChoice().geometry().intersects(window->shadingChoice().geometry()))
                    << "at " << size.width();
            }
            // What scrolls, scrolls up and down only: nothing is cut off at the side.
            for (const QScrollArea* area : window->findChildren<QScrollArea*>())
                if (area->isVisible() && area->widget() != nullptr) {
                    EXPECT_LE(area->widget()->minimumSizeHint().width(), area->viewport()->width()) << "stage " << i;
                }
        }
}

TEST_F(WindowTest, what_is_shown_stays_while_the_window_changes_its_size) {
    thinBall();
    rest();
    Viewport& view = window->viewport();
    const QImage before = view.grabFramebuffer();
    const QColor ball = before.pixelColor(before.width() / 2, before.height() / 2);
    const QColor above = before.pixelColor(before.width() / 2, 2);
    ASSERT_GT(std::abs(ball.lightness() - above.lightness()), 8) << "something is to be seen there";
    for (const QSize size : {QSize(1100, 900), QSize(1400, 760)}) {
        window->resize(size);
        const QImage meanwhile = view.grabFramebuffer();
        ASSERT_EQ(meanwhile.size(), view.size());
        EXPECT_FALSE(view.settled());
        const QColor now = meanwhile.pixelColor(meanwhile.width() / 2, meanwhile.height() / 2);
        EXPECT_NEAR(now.lightness(), ball.lightness(), 8);
        EXPECT_NEAR(meanwhile.pixelColor(2, 2).lightness(), above.lightness(), 24) << "no bars beside it";
    }
    rest();
    const QImage after = view.grabFramebuffer();
    EXPECT_NEAR(after.pixelColor(after.width() / 2, after.height() / 2).lightness(), ball.lightness(), 8);
}

TEST_F(WindowTest, what_is_asked_for_while_the_picture_at_rest_is_made_is_never_left_out) {
    thinBall();
    rest();
    Viewport& view = window->viewport();
    int looked = 0;
    const auto counting = QObject::connect(&view, &Viewport::selected, &view, [&] { ++looked; });
    QTimer turns; // comes between what the viewport asks itself for
    turns.setInterval(0);
    int turn = 0;
    int asked = 0;
    int before = 0;
    QObject::connect(&turns, &QTimer::timeout, &view, [&] {
        if (turn++ < asked)
            return;
        turns.stop();
        before = looked;
        emit window->bench().looks.heatChanged();
    });
    for (asked = 0; asked < 24; ++asked) {
        view.setShotView(Vec3d(0, 1, 4 + 0.01 * asked), Vec3d(0, 0, 0));
        turn = 0;
        turns.start();
        ASSERT_TRUE(QTest::qWaitFor([&] { return !turns.isActive(); }, 60'000));
        rest();
        EXPECT_GT(looked, before) << "asked in turn " << asked;
    }
    QObject::disconnect(counting);
}

TEST_F(WindowTest, all_without_levels_are_thinned_as_one_step) {
    window->open({text(ballFile(folder.path(), "one.glb", 12)), text(ballFile(folder.path(), "two.glb", 16)),
                  text(ballFile(folder.path(), "three.glb", 20))});
    waitForJobs();
    ASSERT_EQ(window->bench().session.scene().subjects.size(), 3U);
    window->setStage(Stage::Thin);
    auto* button = window->findChild<QPushButton*>(QStringLiteral("thinTheRest"));
    ASSERT_NE(button, nullptr);
    ASSERT_TRUE(button->isVisible());
    QTest::mouseClick(button, Qt::LeftButton);
    waitForJobs();
    for (const Subject& s : window->bench().session.scene().subjects)
        EXPECT_GT(s.mesh().levels.size(), 1U) << s.name;
    EXPECT_FALSE(button->isVisible());
    QTest::keyClick(window.get(), Qt::Key_Z, Qt::ControlModifier);
    for (const Subject& s : window->bench().session.scene().subjects)
        EXPECT_EQ(s.mesh().levels.size(), 1U) << s.name << " was not undone with the others";
    EXPECT_TRUE(button->isVisible());
}

TEST_F(WindowTest, keeping_every_piece_cuts_anew_as_one_step) {
    Mesh mesh = shapes::sphere(24);
    const Mesh spots = shapes::sphere(2);
    for (std::uint32_t i = 0; i < 20; ++i)
        shapes::append(mesh, shapes::sphere(3, 0.012), spots.positions[i].cast<double>() * 1.008);
    Surfaces surfaces;
    surfaces.materials.emplace_back();
    const fs::path file = folder.path() / "buoy.glb";
    ASSERT_TRUE(writeFile(
        file, encodeGlb("buoy", {std::make_shared<const Mesh>(std::move(mesh))}, surfaces, GlbLevels::Named, {})));
    window->open({text(file)});
    waitForJobs();
    window->setStage(Stage::Thin);
    QTest::keyClick(window.get(), Qt::Key_T, Qt::ControlModifier);
    waitForJobs();
    const auto fewest = [&] { return window->bench().session.meshSubject()->mesh().curve.triangles.back(); };
    EXPECT_EQ(window->bench().session.meshSubject()->mesh().pieces, 21U);
    const std::uint32_t light = fewest();
    EXPECT_EQ(window->bench().session.meshSubject()->mesh().levels.back().pieces, 1U);
    window->bench().thin.setCutRules(window->bench().session.subjectId(), {.keepPieces = true});
    EXPECT_TRUE(window->bench().thin.cutRules(window->bench().session.subjectId()).keepPieces)
        << "shown as asked for while it runs";
    waitForJobs();
    EXPECT_EQ(window->bench().session.meshSubject()->mesh().levels.back().pieces, 21U);
    EXPECT_TRUE(window->bench().session.meshSubject()->mesh().cutRules.keepPieces);
    EXPECT_GE(fewest(), light + 20 * 4);
    QTest::keyClick(window.get(), Qt::Key_Z, Qt::ControlModifier);
    EXPECT_FALSE(window->bench().session.meshSubject()->mesh().cutRules.keepPieces);
    EXPECT_EQ(fewest(), light);
}

TEST_F(WindowTest, with_shift_a_dragged_level_still_comes_in_where_it_did) {
    thinBall();
    Workbench& bench = window->bench();
    ThinChart& chart = window->thinChart();
    const auto from = [&] {
        const Subject& s = *bench.session.meshSubject();
        return switchDistance(costsOf(s)[1], s.rule, s.radius, bench.session.scene().settings.view);
    };
    const double before = from();
    const std::uint32_t triangles = bench.session.meshSubject()->mesh().levels[1].triangles;
    const QPoint pin = chart.pinPlace(1).toPoint();
    QTest::mousePress(&chart, Qt::LeftButton, Qt::ShiftModifier, pin);
    QTest::mouseMove(&chart, pin + QPoint(20, 0));
    QTest::qWait(30);
    QTest::mouseMove(&chart, pin + QPoint(40, 0));
    QTest::qWait(30);
    QTest::mouseRelease(&chart, Qt::LeftButton, Qt::ShiftModifier, pin + QPoint(40, 0));
    waitForJobs();
    EXPECT_NE(bench.session.meshSubject()->mesh().levels[1].triangles, triangles);
    ASSERT_TRUE(bench.session.meshSubject()->mesh().levels[1].fixed);
    EXPECT_EQ(bench.session.meshSubject()->mesh().levels[1].fixed->unit, DecideBy::ScreenHeight);
    EXPECT_NEAR(from(), before, 0.02 * before);
}

TEST_F(WindowTest, selected_subjects_are_thinned_together_as_one_step) {
    for (const char* name : {"a.glb", "b.glb", "c.glb"})
        window->open({text(ballFile(folder.path(), name, 40))});
    waitForJobs();
    Workbench& bench = window->bench();
    ASSERT_EQ(bench.session.scene().subjects.size(), 3U);
    window->setStage(Stage::Thin);
    auto* list = window->findChild<QListView*>();
    const auto click = [&](int row, Qt::KeyboardModifiers keys) {
        QTest::mouseClick(list->viewport(), Qt::LeftButton, keys,
                          list->visualRect(list->model()->index(row, 0)).center());
    };
    click(0, {});
    click(2, Qt::ControlModifier);
    QTest::keyClick(window.get(), Qt::Key_T, Qt::ControlModifier);
    waitForJobs();
    const auto thinned = [&] {
        return std::count_if(bench.session.scene().subjects.begin(), bench.session.scene().subjects.end(),
                             [](const Subject& s) { return s.mesh().levels.size() > 1; });
    };
    EXPECT_EQ(thinned(), 2);
    QTest::keyClick(window.get(), Qt::Key_Z, Qt::ControlModifier);
    EXPECT_EQ(thinned(), 0);
}

TEST_F(WindowTest, pops_are_scored_shown_and_smoothed_as_one_step) {
    thinBall(40);
    Workbench& bench = window->bench();
    window->setStage(Stage::Switch);
    ASSERT_TRUE(QTest::qWaitFor([&] { return bench.pops.waiting() == 0 && !bench.pops.pops().empty(); }, 60000));
    const auto rows = window->findChildren<PopRow*>();
    ASSERT_EQ(rows.size(), static_cast<qsizetype>(std::min<std::size_t>(6, bench.pops.pops().size())));
    const auto pops = bench.pops.pops();
    for (std::size_t i = 1; i < pops.size(); ++i)
        EXPECT_GE(pops[i - 1].severity, pops[i].severity) << "worst first";
    // The coarsest level much too early is seen; made later again it is seen less.
    const int last = static_cast<int>(bench.session.meshSubject()->mesh().levels.size()) - 1;
    const auto own = [&]() -> std::optional<PopsModel::Pop> {
        if (bench.pops.waiting() == 0)
            for (const PopsModel::Pop& pop : bench.pops.pops())
                if (pop.place.level == last)
                    return pop;
        return std::nullopt;
    };
    const double natural = own()->place.key.metres;
    bench.switching.setSwitchDistance(bench.session.subjectId(), last, natural / 3);
    ASSERT_TRUE(QTest::qWaitFor([&] { return own() && own()->place.key.metres < natural / 2; }, 60000))
        << "the score follows the change";
    const double worst = own()->score->outlineShift;
    EXPECT_GT(worst, 1);
    EXPECT_EQ(bench.pops.pops().front().place.level, last);
    QTest::mouseClick(window->findChildren<PopRow*>().front(), Qt::LeftButton);
    ASSERT_TRUE(QTest::qWaitFor([&] { return window->viewport().flickering(); }, 60'000));
    EXPECT_EQ(bench.session.level(), last);
    EXPECT_NEAR(window->viewport().subjectDistance(), natural / 3, 0.1 * natural);
    auto* smooth = window->findChild<QPushButton*>(QStringLiteral("smooth"));
    ASSERT_TRUE(smooth->isVisibleTo(window.get()));
    emit smooth->menu()->aboutToShow();
    ASSERT_GE(smooth->menu()->actions().size(), 4);
    const int steps = bench.session.document.undo().count();
    smooth->menu()->actions()[2]->trigger();
    EXPECT_EQ(bench.session.document.undo().count(), steps + 1);
    ASSERT_TRUE(QTest::qWaitFor([&] { return own() && own()->score->outlineShift < worst; }, 60000));
    QTest::keyClick(window.get(), Qt::Key_Z, Qt::ControlModifier);
    EXPECT_EQ(bench.session.document.undo().index(), steps);
    // All that are seen at once: after it none is, and one step takes it back.
    ASSERT_TRUE(QTest::qWaitFor([&] { return own() && own()->score->outlineShift == worst; }, 60000));
    auto* all = window->findChild<QPushButton*>(QStringLiteral("smoothAll"));
    ASSERT_TRUE(all->isVisibleTo(window.get()));
    QTest::mouseClick(all, Qt::LeftButton);
    waitForJobs();
    ASSERT_TRUE(QTest::qWaitFor(
        [&] {
            const auto now = bench.pops.pops();
            return bench.pops.waiting() == 0 && !now.empty() && now.front().severity <= 1;
        },
        60000))
        << window->messageText().toStdString();
    EXPECT_FALSE(all->isVisibleTo(window.get()));
    EXPECT_EQ(bench.session.document.undo().index(), steps + 1);
}

TEST_F(WindowTest, a_chain_out_of_order_is_said_and_mended_by_one_click) {
    thinBall(40);
    Workbench& bench = window->bench();
    window->setStage(Stage::Switch);
    const auto buttons = [&] {
        QTest::qWait(20); // those that went are deleted later
        return window->findChildren<QPushButton*>(QStringLiteral("mendChain"));
    };
    EXPECT_TRUE(buttons().isEmpty());
    bench.switching.setSwitchDistance(bench.session.subjectId(), 1, 0.05);
    ASSERT_EQ(buttons().size(), 1);
    QTest::mouseClick(buttons().front(), Qt::LeftButton);
    EXPECT_FALSE(bench.session.meshSubject()->mesh().levels[1].fixed);
    EXPECT_TRUE(buttons().isEmpty());
    QTest::keyClick(window.get(), Qt::Key_Z, Qt::ControlModifier);
    EXPECT_TRUE(bench.session.meshSubject()->mesh().levels[1].fixed);
}

TEST_F(WindowTest, culling_says_what_it_saves_and_can_be_taken_away_in_the_view) {
    thinBall(40);
    Workbench& bench = window->bench();
    window->setStage(Stage::Switch);
    Viewport& view = window->viewport();
    view.setShotView({0, 1, 6}, {0, 1, 20}); // looking away from it
    rest();
    auto* box = window->findChild<QCheckBox*>(QStringLiteral("cull0"));
    EXPECT_EQ(view.exact().total.culledBy[static_cast<int>(Culled::OutOfView)], 1U);
    EXPECT_TRUE(QTest::qWaitFor([&] { return box->text().startsWith(QStringLiteral("out of view: 1")); }, 60'000))
        << box->text().toStdString();
    EXPECT_GT(view.cullingSaves()()[0], 0U);
    const int steps = bench.session.document.undo().count();
    box->click();
    rest();
    EXPECT_EQ(view.exact().total.culledBy[static_cast<int>(Culled::OutOfView)], 0U);
    EXPECT_GT(view.exact().total.triangles, 0U);
    EXPECT_EQ(bench.session.document.undo().count(), steps) << "the project is not changed";
    box->click();
}

TEST_F(WindowTest, a_heron_is_played_held_and_put_to_rest) {
    demo::Model model = demo::heron();
    const fs::path file = folder.path() / "heron.glb";
    ASSERT_TRUE(writeFile(file, encodeGlb("heron", {std::make_shared<const Mesh>(std::move(model.levels.front()))},
                                          model.surfaces, GlbLevels::Named, {}, &model.rig)));
    window->open({text(file)});
    waitForJobs();
    window->setStage(Stage::Thin);
    Viewport& view = window->viewport();
    ASSERT_TRUE(QTest::qWaitFor([&] { return view.settled(); }, 60'000));
    ASSERT_TRUE(window->playBar().isVisible());
    const auto picture = [&] {
        QTest::qWait(150);
        EXPECT_TRUE(QTest::qWaitFor([&] { return view.settled(); }, 60'000));
        return view.grabFramebuffer();
    };
    const QImage rest = picture();
    auto* slider = window->playBar().findChild<QSlider*>();
    slider->setValue(250);
    EXPECT_TRUE(view.inMotion());
    EXPECT_FALSE(view.playing());
    EXPECT_NE(picture(), rest) << "the pose is held";
    QTest::keyClick(window.get(), Qt::Key_Space);
    EXPECT_TRUE(view.playing());
    const double before = view.moment().seconds;
    ASSERT_TRUE(QTest::qWaitFor([&] { return view.moment().seconds != before; }, 60'000));
    QTest::keyClick(window.get(), Qt::Key_Space);
    EXPECT_FALSE(view.playing());
    for (auto* button : window->playBar().findChildren<QPushButton*>())
        if (button->text() == QStringLiteral("At rest"))
            QTest::mouseClick(button, Qt::LeftButton);
    EXPECT_FALSE(view.inMotion());
    EXPECT_EQ(picture(), rest);
    window->open({text(ballFile(folder.path(), "ball.glb", 20))});
    waitForJobs();
    window->bench().session.selectSubject(window->bench().session.scene().subjects.back().id);
    EXPECT_FALSE(window->playBar().isVisible()) << "a ball has nothing to play";
}

TEST_F(WindowTest, levels_are_rebuilt_baked_into_views_and_share_vertices_each_as_one_step) {
    openBall(60);
    window->setStage(Stage::Thin);
    Workbench& bench = window->bench();
    const std::uint32_t id = bench.session.subjectId();
    bench.thin.thinToRole(id);
    waitForJobs();
    const std::size_t levels = bench.session.meshSubject()->mesh().levels.size();
    const auto origins = [&](LevelOrigin origin) {
        return std::count_if(bench.session.meshSubject()->mesh().levels.begin(),
                             bench.session.meshSubject()->mesh().levels.end(),
                             [origin](const Level& l) { return l.origin == origin; });
    };
    bench.thin.addRebuilt(id, 500);
    waitForJobs();
    EXPECT_EQ(origins(LevelOrigin::Rebuilt), 1);
    bench.thin.addImpostor(id);
    waitForJobs();
    ASSERT_EQ(origins(LevelOrigin::Impostor), 1);
    EXPECT_EQ(bench.session.meshSubject()->mesh().levels.back().views.across, 8);
    EXPECT_EQ(bench.session.meshSubject()->mesh().levels.back().triangles, 2U);
    // It turns with the camera: from two sides it is drawn, and not the same picture.
    bench.session.selectLevel(static_cast<int>(bench.session.meshSubject()->mesh().levels.size()) - 1);
    window->arrange(Arrangement::LineUp);
    QTest::qWait(100);
    auto* reuse = window->findChild<QAction*>(QStringLiteral("reuseVertices"));
    auto* symmetric = window->findChild<QAction*>(QStringLiteral("symmetric"));
    reuse->trigger();
    waitForJobs();
    EXPECT_TRUE(bench.session.meshSubject()->mesh().cutRules.reuseVertices);
    EXPECT_EQ(origins(LevelOrigin::Rebuilt), 1) << "what was made otherwise stays";
    const QString keep = window->findChild<QPushButton*>(QStringLiteral("keep"))->text();
    EXPECT_TRUE(keep.contains(QStringLiteral("saved"))) << keep.toStdString();
    symmetric->trigger();
    waitForJobs();
    EXPECT_TRUE(bench.session.meshSubject()->mesh().cutRules.symmetric);
    EXPECT_FALSE(bench.session.meshSubject()->mesh().cutRules.reuseVertices) << "the two exclude each other";
    for (int i = 0; i < 4; ++i)
        QTest::keyClick(window.get(), Qt::Key_Z, Qt::ControlModifier);
    EXPECT_EQ(bench.session.meshSubject()->mesh().levels.size(), levels);
    EXPECT_EQ(bench.session.meshSubject()->mesh().cutRules, CutRules());
}

TEST_F(WindowTest, what_is_changed_while_a_subject_is_thinned_stays) {
    openBall(120);
    window->setStage(Stage::Thin);
    Workbench& bench = window->bench();
    const std::uint32_t id = bench.session.subjectId();
    bench.thin.thinToRole(id);
    bench.files.renameSubject(id, QStringLiteral("Buoy"));
    bench.thin.setRole(id, Role::Horizon);
    ASSERT_TRUE(bench.session.jobs().busy());
    waitForJobs();
    EXPECT_EQ(bench.session.meshSubject()->name, "Buoy");
    EXPECT_EQ(bench.session.meshSubject()->role, Role::Horizon);
    EXPECT_GT(bench.session.meshSubject()->mesh().levels.size(), 2U);

    // Levels that were changed meanwhile are not replaced, and that is said.
    QSignalSpy progress(&bench.session.jobs(), &JobQueue::progressed);
    bench.thin.thinToRole(id);
    ASSERT_TRUE(progress.wait(10000)) << "it has begun with what was there";
    bench.thin.removeLevel(id, 1);
    const std::size_t left = bench.session.meshSubject()->mesh().levels.size();
    ASSERT_TRUE(bench.session.jobs().busy());
    waitForJobs();
    EXPECT_EQ(bench.session.meshSubject()->mesh().levels.size(), left);
    EXPECT_TRUE(window->messageText().contains(QStringLiteral("changed meanwhile")));
}

TEST_F(WindowTest, a_level_is_compared_by_wipe_heat_and_a_held_key) {
    thinBall();
    Viewport& view = window->viewport();
    window->bench().session.selectLevel(2);
    rest();
    const std::uint64_t source = window->bench().session.meshSubject()->mesh().levels[0].triangles;
    const std::uint64_t level = window->bench().session.meshSubject()->mesh().levels[2].triangles;
    EXPECT_EQ(view.submittedTriangles(), level);

    // Also with the focus in the list, where letters would search.
    window->subjectList().setFocus();
    QTest::keyPress(&window->subjectList(), Qt::Key_B);
    rest();
    EXPECT_EQ(view.submittedTriangles(), source) << "while the key is held the source is shown";
    QTest::keyRelease(&window->subjectList(), Qt::Key_B);
    rest();
    EXPECT_EQ(view.submittedTriangles(), level);

    const QRect wipe = window->arrangementChoice().cell(2);
    QTest::mouseClick(&window->arrangementChoice(), Qt::LeftButton, {}, wipe.center());
    rest();
    EXPECT_EQ(view.submittedTriangles(), source + level);
    drag(&view, QPoint(view.width() / 2, 200), QPoint(view.width() / 4, 200));
    EXPECT_NEAR(view.wipe(), 0.25, 0.02);
    rest();

    // Each side is what it says: coloured by level, left and right of the line differ.
    QTest::mouseClick(&window->shadingChoice(), Qt::LeftButton, {}, window->shadingChoice().cell(2).center());
    drag(&view, QPoint(view.width() / 4, 200), QPoint(view.width() / 2, 200));
    rest();
    const QImage sides = view.grabFramebuffer();
    const auto at = [&sides](double x) {
        return sides.pixelColor(static_cast<int>(sides.width() * x), sides.height() / 2);
    };
    EXPECT_GT(at(0.45).red(), at(0.55).red() + 20) << "L0 is the lightest colour, L2 a green one";

    QTest::mouseClick(&window->arrangementChoice(), Qt::LeftButton, {}, window->arrangementChoice().cell(0).center());
    const QImage plain = (rest(), view.grabFramebuffer());
    QTest::mouseClick(&window->shadingChoice(), Qt::LeftButton, {}, window->shadingChoice().cell(3).center());
    ASSERT_TRUE(QTest::qWaitFor(
        [&] { return window->bench().looks.heat(*window->bench().session.meshSubject(), 2) != nullptr; }, 60'000));
    rest();
    EXPECT_NE(view.grabFramebuffer(), plain);
    EXPECT_GT(view.submittedTriangles(), level) << "the level's surface is split finely to be coloured";
    window->setStage(Stage::Switch);
    EXPECT_EQ(window->viewport().shading(), Shading::Shaded) << "heat belongs to Thin";
}

TEST_F(WindowTest, care_is_painted_stroke_by_stroke_and_levels_are_cut_again) {
    thinBall(80);
    Workbench& bench = window->bench();
    Viewport& view = window->viewport();
    const std::uint32_t id = bench.session.subjectId();
    const std::size_t levels = bench.session.meshSubject()->mesh().levels.size();
    QTest::keyClick(window.get(), Qt::Key_P);
    ASSERT_TRUE(view.painting());
    EXPECT_TRUE(window->careBar().isVisible());
    ASSERT_TRUE(QTest::qWaitFor(
        [&] { return bench.care.surfaceFor(bench.session.meshSubject()->mesh().levels[0].mesh) != nullptr; }, 60'000));
    rest();
    const QImage before = view.grabFramebuffer();
    const QPoint middle(view.width() / 2, view.height() / 2);
    drag(&view, middle, middle + QPoint(30, 0));
    ASSERT_TRUE(bench.session.meshSubject()->mesh().care);
    ASSERT_EQ(bench.session.meshSubject()->mesh().care->size(), 1U);
    EXPECT_GT(bench.session.meshSubject()->mesh().care->front().path.size(), 1U);
    ASSERT_TRUE(QTest::qWaitFor(
        [&] {
            return bench.care.values(bench.session.meshSubject()->mesh().levels[0].mesh,
                                     bench.session.meshSubject()->mesh().care) != nullptr;
        },
        5000));
    rest();
    EXPECT_NE(view.grabFramebuffer().pixelColor(middle), before.pixelColor(middle)) << "what is painted is seen";

    // Beside the object the camera turns and nothing is painted.
    drag(&view, QPoint(12, view.height() - 60), QPoint(40, view.height() - 60));
    EXPECT_EQ(bench.session.meshSubject()->mesh().care->size(), 1U);

    auto* recut = window->findChild<QPushButton*>(QStringLiteral("recut"));
    ASSERT_NE(recut, nullptr);
    ASSERT_TRUE(recut->isVisible());
    const auto plain = bench.session.meshSubject()->mesh().levels.back().mesh;
    QTest::mouseClick(recut, Qt::LeftButton);
    waitForJobs();
    EXPECT_FALSE(recut->isVisible());
    EXPECT_EQ(bench.session.meshSubject()->mesh().levels.size(), levels);
    EXPECT_NE(bench.session.meshSubject()->mesh().levels.back().mesh->positions, plain->positions);
    EXPECT_FALSE(bench.session.meshSubject()->mesh().curve.careful.empty());

    QTest::keyClick(window.get(), Qt::Key_Z, Qt::ControlModifier); // the cut
    QTest::keyClick(window.get(), Qt::Key_Z, Qt::ControlModifier); // the stroke
    EXPECT_FALSE(bench.session.scene().find(id)->mesh().care);
    EXPECT_FALSE(recut->isVisible());
}

TEST_F(WindowTest, cards_are_baked_drawn_saved_and_shipped) {
    thinBall(60);
    Workbench& bench = window->bench();
    const std::size_t levels = bench.session.meshSubject()->mesh().levels.size();
    bench.thin.addCards(bench.session.subjectId(), 2);
    waitForJobs();
    ASSERT_EQ(bench.session.meshSubject()->mesh().levels.size(), levels + 1);
    const Level& cards = bench.session.meshSubject()->mesh().levels.back();
    EXPECT_EQ(cards.origin, LevelOrigin::Cards);
    EXPECT_EQ(cards.triangles, 4U);
    EXPECT_GT(cards.deviation, 0);
    bench.session.selectLevel(static_cast<int>(levels));
    rest();
    EXPECT_EQ(window->viewport().submittedTriangles(), 4U);

    const QString file = text(folder.path() / "cards.thicket.json");
    bench.files.saveProject(file);
    waitForJobs();
    window->open({file});
    waitForJobs();
    const Level& again = bench.session.scene().subjects.front().mesh().levels.back();
    ASSERT_EQ(again.origin, LevelOrigin::Cards);
    ASSERT_TRUE(again.mesh && again.surfaces);
    EXPECT_EQ(again.surfaces->images.size(), 2U);
    bench.shipping.ship(text(folder.path() / "out"), {});
    waitForJobs();
    ASSERT_NE(bench.shipping.report(), nullptr);
    EXPECT_EQ(bench.shipping.report()->files.size(), 3U);
    bench.thin.addCards(bench.session.scene().subjects.front().id, 3);
    waitForJobs();
    EXPECT_EQ(bench.session.scene().subjects.front().mesh().levels.size(), levels + 1)
        << "new cards take the place of the old";
    EXPECT_EQ(bench.session.scene().subjects.front().mesh().levels.back().triangles, 6U);
}

TEST_F(WindowTest, a_level_gets_lighter_materials_and_its_source_keeps_its_own) {
    const demo::Model gate = demo::skiff();
    const fs::path file = folder.path() / "skiff.glb";
    ASSERT_TRUE(writeFile(
        file, encodeGlb("skiff", {std::make_shared<const Mesh>(gate.levels[1])}, gate.surfaces, GlbLevels::Named, {})));
    window->open({text(file)});
    waitForJobs();
    window->setStage(Stage::Thin);
    QTest::keyClick(window.get(), Qt::Key_T, Qt::ControlModifier);
    waitForJobs();
    Workbench& bench = window->bench();
    const std::uint32_t id = bench.session.subjectId();
    bench.session.selectLevel(2);
    const Subject before = *bench.session.meshSubject();
    ASSERT_GT(before.mesh().levels[2].draws, 1U);
    MaterialChoice choice;
    choice.halvings = 1;
    choice.merge = true;
    bench.thin.setMaterials(id, 2, choice);
    waitForJobs();
    const Level& merged = bench.session.meshSubject()->mesh().levels[2];
    EXPECT_EQ(merged.draws, 1U);
    EXPECT_EQ(merged.triangles, before.mesh().levels[2].triangles);
    EXPECT_EQ(merged.mesh->positions.size(), merged.vertices);
    EXPECT_EQ(bench.session.meshSubject()->mesh().levels[1].draws, before.mesh().levels[1].draws);
    EXPECT_FALSE(bench.session.meshSubject()->mesh().levels[1].surfaces);
    auto* button = window->findChild<QPushButton*>(QStringLiteral("materials"));
    ASSERT_NE(button, nullptr);
    EXPECT_TRUE(button->text().startsWith(QStringLiteral("1 draw"))) << button->text().toStdString();
    emit button->menu()->aboutToShow();
    EXPECT_GE(button->menu()->actions().size(), 8);

    // Cut again by its pin, it keeps its choice; taken back, it is as it was.
    bench.thin.cutLevelTo(id, 2, merged.triangles * 0.8, true);
    waitForJobs();
    EXPECT_EQ(bench.session.meshSubject()->mesh().levels[2].materials, choice);
    EXPECT_EQ(bench.session.meshSubject()->mesh().levels[2].draws, 1U);
    bench.thin.setMaterials(id, 2, {});
    waitForJobs();
    EXPECT_EQ(bench.session.meshSubject()->mesh().levels[2].draws, before.mesh().levels[2].draws);
    EXPECT_FALSE(bench.session.meshSubject()->mesh().levels[2].surfaces);
    QTest::keyClick(window.get(), Qt::Key_Z, Qt::ControlModifier);
    EXPECT_EQ(bench.session.meshSubject()->mesh().levels[2].draws, 1U);

    const QString project = text(folder.path() / "m.thicket.json");
    bench.files.saveProject(project);
    waitForJobs();
    window->open({project});
    waitForJobs();
    const Level& again = bench.session.scene().subjects.front().mesh().levels[2];
    EXPECT_EQ(again.materials, choice);
    ASSERT_TRUE(again.surfaces);
    EXPECT_EQ(again.surfaces->materials.size(), 1U);
}

TEST_F(WindowTest, a_role_is_changed_and_thinning_follows_it) {
    openBall(60);
    const RoleRules usual = window->bench().session.scene().settings.roles;
    window->setStage(Stage::Thin);
    auto* edit = window->findChild<QPushButton*>(QStringLiteral("editRoles"));
    ASSERT_NE(edit, nullptr);
    // The dialog is modal: it is filled in while it is up.
    QTimer::singleShot(200, this->window.get(), [] {
        auto* dialog = qobject_cast<RolesDialog*>(QApplication::activeModalWidget());
        ASSERT_NE(dialog, nullptr);
        for (NumberBox* box : dialog->findChildren<NumberBox*>()) {
            if (box->accessibleName() == QStringLiteral("Working piece, levels"))
                box->show(2);
            if (box->accessibleName() == QStringLiteral("Working piece, cards at the end"))
                box->show(3);
        }
        for (QCheckBox* box : dialog->findChildren<QCheckBox*>())
            if (box->accessibleName() == QStringLiteral("Horizon, come in unseen"))
                box->click();
        dialog->accept();
    });
    QTest::mouseClick(edit, Qt::LeftButton);
    EXPECT_EQ(window->bench().session.scene().settings.roles.of[1].levels, 2);
    EXPECT_TRUE(window->bench().session.scene().settings.roles.of[4].unseen);
    EXPECT_FALSE(window->bench().session.scene().settings.roles.of[1].unseen);
    QApplication::setActiveWindow(window.get());
    QTest::keyClick(window.get(), Qt::Key_T, Qt::ControlModifier);
    waitForJobs();
    const auto& levels = window->bench().session.meshSubject()->mesh().levels;
    ASSERT_EQ(levels.size(), 4U) << "the source, two cut levels, cards";
    EXPECT_EQ(levels.back().origin, LevelOrigin::Cards);
    EXPECT_EQ(levels.back().triangles, 6U);
    const auto again = decodeRoleRules(encodeRoleRules(window->bench().session.scene().settings.roles));
    ASSERT_TRUE(again);
    EXPECT_EQ(*again, window->bench().session.scene().settings.roles);
    EXPECT_FALSE(decodeRoleRules("{\"landmark\": {\"levels\": 99}}"));
    QTest::keyClick(window.get(), Qt::Key_Z, Qt::ControlModifier);
    QTest::keyClick(window.get(), Qt::Key_Z, Qt::ControlModifier);
    EXPECT_EQ(window->bench().session.scene().settings.roles, usual);
}

TEST_F(WindowTest, a_mesh_dropped_on_the_panel_becomes_a_level_made_by_hand) {
    thinBall(32);
    Workbench& bench = window->bench();
    const std::size_t levels = bench.session.meshSubject()->mesh().levels.size();
    auto* panel = window->findChild<ThinPanel*>();
    ASSERT_NE(panel, nullptr);
    const auto dropOn = [&](const fs::path& file) {
        QMimeData mime;
        mime.setUrls({QUrl::fromLocalFile(text(file))});
        QDragEnterEvent enter(QPoint(40, 200), Qt::CopyAction, &mime, Qt::LeftButton, Qt::NoModifier);
        QApplication::sendEvent(panel, &enter);
        EXPECT_TRUE(enter.isAccepted());
        QDropEvent drop(QPointF(40, 200), Qt::CopyAction, &mime, Qt::LeftButton, Qt::NoModifier);
        QApplication::sendEvent(panel, &drop);
        waitForJobs();
    };
    dropOn(ballFile(folder.path(), "by_hand.glb", 11));
    ASSERT_EQ(bench.session.meshSubject()->mesh().levels.size(), levels + 1);
    EXPECT_EQ(bench.session.scene().subjects.size(), 1U);
    const auto& all = bench.session.meshSubject()->mesh().levels;
    const auto made =
        std::find_if(all.begin(), all.end(), [](const Level& l) { return l.origin == LevelOrigin::HandMade; });
    ASSERT_NE(made, all.end());
    EXPECT_GT(made->deviation, 0);
    EXPECT_TRUE(std::is_sorted(all.begin(), all.end(),
                               [](const Level& a, const Level& b) { return a.triangles > b.triangles; }));

    // Thinned again and saved, it is still there.
    bench.thin.thinToRole(bench.session.subjectId());
    waitForJobs();
    const QString project = text(folder.path() / "h.thicket.json");
    bench.files.saveProject(project);
    waitForJobs();
    window->open({project});
    waitForJobs();
    const auto& again = bench.session.scene().subjects.front().mesh().levels;
    EXPECT_EQ(std::count_if(again.begin(), again.end(),
                            [](const Level& l) { return l.origin == LevelOrigin::HandMade && l.mesh; }),
              1);

    const std::size_t before = again.size();
    dropOn(ballFile(folder.path(), "heavy.glb", 90));
    EXPECT_EQ(bench.session.meshSubject()->mesh().levels.size(), before) << "what is no lighter is refused";
    EXPECT_TRUE(window->messageText().contains(QStringLiteral("no fewer")));
}

TEST_F(WindowTest, a_stroke_is_given_up_where_its_subject_or_its_tool_goes_away) {
    openBall(60);
    window->setStage(Stage::Thin);
    Workbench& bench = window->bench();
    Viewport& view = window->viewport();
    window->arrange(Arrangement::Care);
    ASSERT_TRUE(QTest::qWaitFor(
        [&] { return bench.care.surfaceFor(bench.session.meshSubject()->mesh().levels[0].mesh) != nullptr; }, 60'000));
    const QPoint middle(view.width() / 2, view.height() / 2);
    const auto moveTo = [&](const QPoint& at) {
        QMouseEvent move(QEvent::MouseMove, at, view.mapToGlobal(QPointF(at)), Qt::NoButton, Qt::LeftButton,
                         Qt::NoModifier);
        QApplication::sendEvent(&view, &move);
    };
    QTest::mousePress(&view, Qt::LeftButton, {}, middle);
    moveTo(middle + QPoint(10, 0));
    QTest::keyClick(window.get(), Qt::Key_Escape);
    QTest::mouseRelease(&view, Qt::LeftButton, {}, middle + QPoint(10, 0));
    EXPECT_FALSE(bench.session.meshSubject()->mesh().care) << "Escape gives it up";

    QTest::mousePress(&view, Qt::LeftButton, {}, middle);
    window->setStage(Stage::Switch);
    moveTo(middle + QPoint(10, 0));
    QTest::mouseRelease(&view, Qt::LeftButton, {}, middle + QPoint(10, 0));
    EXPECT_FALSE(bench.session.meshSubject()->mesh().care) << "another stage";

    window->setStage(Stage::Thin);
    window->arrange(Arrangement::Care);
    QTest::mousePress(&view, Qt::LeftButton, {}, middle);
    bench.files.removeSubject(bench.session.subjectId());
    moveTo(middle + QPoint(10, 0));
    QTest::mouseRelease(&view, Qt::LeftButton, {}, middle + QPoint(10, 0));
    EXPECT_TRUE(bench.session.scene().subjects.empty()) << "nothing left to paint, and nothing broken";
}

} // namespace thicket::app
