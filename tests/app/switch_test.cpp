// Switch in its context: factors, screens, levels in and out of the chart, the overview, walks as pictures.

#include "app/switching/context_box.h"
#include "app/switching/switch_chart.h"
#include "io/project/project.h"
#include "scene/edits.h"
#include "scene/pops.h"
#include "window_fixture.h"

#include <QCheckBox>
#include <QComboBox>
#include <QMenu>
#include <QSignalSpy>

namespace thicket::app {
namespace {

std::vector<double> switches(const MainWindow& window) {
    const Scene& scene = const_cast<MainWindow&>(window).bench().session.scene();
    const Subject& s = *const_cast<MainWindow&>(window).bench().session.meshSubject();
    return chainOf(s, scene.statedView()).fromMetres;
}

void type(QWidget* box, const char* text) {
    box->setFocus();
    QTest::keyClick(box, Qt::Key_A, Qt::ControlModifier);
    QTest::keyClicks(box, QString::fromLatin1(text));
    QTest::keyClick(box, Qt::Key_Return);
    QTest::qWait(30);
}

/// Places the selected subject.
void place(Workbench& bench, const Placements& copies) {
    Subject after = *bench.session.meshSubject();
    after.mesh().placed = std::make_shared<const Placements>(copies);
    bench.session.document.push(changeSubject(bench.session.scene(), after, "Place"));
}

/// The level that a placed copy is drawn at; -1 when it is not drawn.
int levelDrawn(const Viewport& view, std::uint32_t placement) {
    int level = -1;
    for (const thicket::Run& run : view.exact().runs)
        eachOf(view.exact(), run, [&](std::uint32_t slot) {
            if (view.input().batches[run.batch].copies->at(slot).id == placement)
                level = run.level;
        });
    return level;
}

const Placement& firstCopy(Workbench& bench) {
    return bench.session.meshSubject()->mesh().placed->front();
}

} // namespace

TEST_F(WindowTest, what_is_wrong_with_switches_is_taken_back_at_once) {
    thinBall(40);
    window->setStage(Stage::Switch);
    Workbench& bench = window->bench();
    Subject bad = *bench.session.meshSubject();
    ASSERT_GE(bad.mesh().levels.size(), 3U);
    for (std::size_t i = 1; i < 3; ++i)
        bad.mesh().levels[i].fixed = FixedSwitch{DecideBy::Distance, 40};
    const auto notes = [this] {
        const auto labels = window->findChildren<QLabel*>();
        return std::count_if(labels.begin(), labels.end(), [](const QLabel* label) {
            return label->isVisible() && label->text().contains(QStringLiteral("L1 never shows"));
        });
    };
    EXPECT_EQ(notes(), 0);
    bench.session.document.push(changeSubject(bench.session.scene(), bad, "Fix both"));
    EXPECT_TRUE(QTest::qWaitFor([&] { return notes() == 1; }, 10'000));
    bench.session.document.undo().undo();
    EXPECT_EQ(notes(), 0) << "nothing of it is left over other rows until events are gone through";
}

TEST_F(WindowTest, detail_and_importance_move_every_switch_and_undo_brings_them_back) {
    thinBall(40);
    window->setStage(Stage::Switch);
    Workbench& bench = window->bench();
    place(bench, {{50, 0, {0, 0, 0}, Quatd::Identity(), 1, 1}});
    QTest::qWait(400); // the panel learns which copy is looked at
    const auto before = switches(*window);
    const double handle = window->switchChart().handlePlace(1).x();
    type(window->findChild<NumberBox*>(QStringLiteral("detail")), "0.5");
    EXPECT_DOUBLE_EQ(bench.session.scene().settings.view.detail, 0.5);
    type(window->findChild<NumberBox*>(QStringLiteral("subjectImportance")), "3");
    for (std::size_t i = 1; i < before.size(); ++i)
        EXPECT_NEAR(switches(*window)[i], 1.5 * before[i], 1e-9);
    QTest::qWait(60);
    EXPECT_TRUE(window->viewport().why().contains(QStringLiteral("detail × 0.5")))
        << window->viewport().why().toStdString();
    auto* copy = window->findChild<NumberBox*>(QStringLiteral("copyImportance"));
    ASSERT_TRUE(QTest::qWaitFor([&] { return copy->isEnabled(); }, 60'000));
    type(copy, "2");
    EXPECT_DOUBLE_EQ(firstCopy(bench).importance, 2);
    QTest::qWait(60);
    EXPECT_TRUE(window->viewport().why().contains(QStringLiteral("importance × 6")));
    for (int i = 0; i < 3; ++i)
        bench.session.document.undo().undo();
    EXPECT_EQ(switches(*window), before);
    EXPECT_DOUBLE_EQ(firstCopy(bench).importance, 1);
    EXPECT_NEAR(window->switchChart().handlePlace(1).x(), handle, 1);
}

TEST_F(WindowTest, levels_of_a_role_come_in_unseen_and_by_surfaces_alone_where_that_is_asked) {
    Workbench& bench = window->bench();
    bench.thin.setRolesForNew(RoleRules());
    thinBall(24);
    const auto unseen = [&] {
        const auto places = switchesOf(bench.session.scene());
        return std::all_of(places.begin(), places.end(), [&](const SwitchPlace& place) {
            const Subject& s = *bench.session.meshSubject();
            return scoreSwitch(s, place, {}, {})->unseen(s.rule.allowPx);
        });
    };
    EXPECT_TRUE(unseen());
    // As if its first switch were seen to four times as far.
    Subject looked = *bench.session.meshSubject();
    looked.mesh().levels[1].seen = 4 * looked.mesh().levels[1].visible;
    bench.session.document.push(changeSubject(bench.session.scene(), looked, "Look"));
    const auto far = switches(*window);
    window->setStage(Stage::Switch);
    auto* tick = window->findChild<QCheckBox*>(QStringLiteral("looks"));
    ASSERT_NE(tick, nullptr);
    EXPECT_TRUE(tick->isChecked());
    tick->click();
    EXPECT_FALSE(bench.session.meshSubject()->rule.looks);
    EXPECT_NEAR(switches(*window)[1], far[1] / 4, 1e-9);
    QTest::keyClick(window.get(), Qt::Key_Z, Qt::ControlModifier);
    EXPECT_TRUE(tick->isChecked());
    EXPECT_NEAR(switches(*window)[1], far[1], 1e-9);
    // A pin that is dragged takes its share along.
    window->setStage(Stage::Thin);
    const Level before = bench.session.meshSubject()->mesh().levels[1];
    bench.thin.cutLevelTo(bench.session.subjectId(), 1, 0.8 * before.triangles, true, false);
    waitForJobs();
    const Level& after = bench.session.meshSubject()->mesh().levels[1];
    EXPECT_NE(after.triangles, before.triangles);
    EXPECT_NEAR(after.seen / after.visible, before.seen / before.visible, 1e-9);
}

TEST_F(WindowTest, a_switch_that_is_dragged_under_detail_stays_under_the_mouse) {
    thinBall(40);
    window->setStage(Stage::Switch);
    window->bench().switching.setDetail(0.4);
    QTest::qWait(60);
    SwitchChart& chart = window->switchChart();
    const QPoint from = chart.handlePlace(1).toPoint();
    const QPoint to = (chart.handlePlace(1) * 0.5 + chart.handlePlace(2) * 0.5).toPoint();
    drag(&chart, from, QPoint(to.x(), from.y()));
    QTest::qWait(60);
    ASSERT_TRUE(window->bench().session.meshSubject()->mesh().levels[1].fixed);
    EXPECT_GT(switches(*window)[1], 0);
    const double x = chart.handlePlace(1).x();
    window->bench().switching.setDetail(0.8); // the axes follow; the switch is at twice the distance
    const auto moved = switches(*window)[1];
    window->bench().session.document.undo().undo();
    EXPECT_NEAR(moved, 2 * switches(*window)[1], 1e-9);
    QTest::qWait(60);
    EXPECT_NEAR(chart.handlePlace(1).x(), x, 2);
}

TEST_F(WindowTest, a_wheel_over_the_panel_scrolls_it_and_chooses_nothing) {
    thinBall();
    window->setStage(Stage::Switch);
    QTest::qWait(50);
    const std::string before = encodeProject(window->bench().session.scene(), folder.path());
    int boxes = 0;
    for (auto* box : window->findChildren<QComboBox*>()) {
        if (!box->isVisible() || box->count() < 2)
            continue;
        ++boxes;
        const QPointF at = box->rect().center();
        box->setFocus();
        QWheelEvent wheel(at, box->mapToGlobal(at), {}, {0, -120}, Qt::NoButton, Qt::NoModifier, Qt::NoScrollPhase,
                          false);
        QApplication::sendEvent(box, &wheel);
        EXPECT_FALSE(wheel.isAccepted()) << box->accessibleName().toStdString();
    }
    EXPECT_GE(boxes, 3);
    EXPECT_EQ(encodeProject(window->bench().session.scene(), folder.path()), before);
}

TEST_F(WindowTest, a_screen_is_chosen_from_the_list_and_ones_own_is_kept) {
    thinBall(40);
    window->setStage(Stage::Switch);
    auto* list = window->findChild<QComboBox*>(QStringLiteral("views"));
    const auto before = switches(*window);
    list->setCurrentIndex(1);
    emit list->activated(1);
    EXPECT_EQ(window->bench().session.scene().settings.view.lines, usualViews()[1].lines);
    EXPECT_NEAR(switches(*window)[1], before[1] * usualViews()[1].lines / 1080, 1e-6 * before[1]);
    window->bench().switching.setStatedView(33, 500);
    EXPECT_EQ(list->currentIndex(), -1) << "it is none of the list";
    window->bench().switching.keepStatedView(QStringLiteral("Signboard"));
    EXPECT_TRUE(list->currentText().startsWith(QStringLiteral("Signboard")));
    const int drop = list->findData(QStringLiteral("drop:Signboard"));
    ASSERT_GE(drop, 0);
    emit list->activated(drop);
    EXPECT_TRUE(window->bench().session.scene().settings.ownViews.empty());
    auto* sight = window->findChild<QComboBox*>(QStringLiteral("sight"));
    EXPECT_EQ(sight->currentText(), QStringLiteral("every pixel"));
    emit sight->activated(2);
    EXPECT_EQ(window->bench().session.scene().settings.view.pixelsADegree, 60);
    EXPECT_TRUE(sight->currentText().startsWith(QStringLiteral("60"))) << sight->currentText().toStdString();
    window->bench().switching.setPixelsADegree(51);
    EXPECT_EQ(sight->currentText(), QStringLiteral("51 a degree"));
}

TEST_F(WindowTest, levels_come_in_and_go_out_on_the_chart) {
    thinBall(80);
    window->setStage(Stage::Switch);
    SwitchChart& chart = window->switchChart();
    QTest::qWait(60);
    const std::size_t count = window->bench().session.meshSubject()->mesh().levels.size();
    // Half way between two switches, a little above the axis.
    const QPointF middle((chart.handlePlace(1).x() + chart.handlePlace(2).x()) / 2, chart.handlePlace(1).y() + 60);
    QMenu open;
    chart.fillMenu(open, middle);
    ASSERT_FALSE(open.isEmpty());
    open.actions().first()->trigger();
    waitForJobs();
    ASSERT_EQ(window->bench().session.meshSubject()->mesh().levels.size(), count + 1);
    const auto with = switches(*window);
    for (std::size_t i = 1; i < with.size(); ++i)
        EXPECT_GE(with[i], with[i - 1]);
    QMenu onHandle;
    chart.fillMenu(onHandle, chart.handlePlace(2));
    ASSERT_FALSE(onHandle.isEmpty());
    onHandle.actions().last()->trigger();
    EXPECT_EQ(window->bench().session.meshSubject()->mesh().levels.size(), count);
    window->bench().session.document.undo().undo();
    EXPECT_EQ(window->bench().session.meshSubject()->mesh().levels.size(), count + 1);
    window->bench().session.selectLevel(1);
    chart.setFocus();
    QTest::keyClick(&chart, Qt::Key_Delete, Qt::ShiftModifier);
    EXPECT_EQ(window->bench().session.meshSubject()->mesh().levels.size(), count);
    const double at = switches(*window)[1];
    QTest::keyClick(&chart, Qt::Key_Right);
    EXPECT_NEAR(switches(*window)[1], 1.02 * at, 1e-6 * at);
    QTest::keyClick(&chart, Qt::Key_Right, Qt::ShiftModifier);
    EXPECT_NEAR(switches(*window)[1], 1.002 * 1.02 * at, 1e-6 * at);
    QTest::keyClick(&chart, Qt::Key_Delete);
    EXPECT_NEAR(switches(*window)[1], at, 1e-9);
}

TEST_F(WindowTest, chosen_subjects_are_compared_in_the_chart) {
    window->open({text(ballFile(folder.path(), "one.glb", 40)), text(ballFile(folder.path(), "two.glb", 30))});
    waitForJobs();
    window->setStage(Stage::Thin);
    QTest::keyClick(window.get(), Qt::Key_T, Qt::ControlModifier | Qt::ShiftModifier);
    waitForJobs();
    window->setStage(Stage::Switch);
    QTest::qWait(200);
    const QImage alone = window->switchChart().grab().toImage();
    window->subjectList().selectAll();
    QTest::qWait(200);
    const QImage both = window->switchChart().grab().toImage();
    EXPECT_NE(alone, both);
}

TEST_F(WindowTest, the_overview_shows_what_is_drawn_and_what_is_culled) {
    thinBall(40);
    Workbench& bench = window->bench();
    place(bench, {{50, 0, {0, 0, 0}, Quatd::Identity(), 1, 1}, {51, 0, {0, 0, 60}, Quatd::Identity(), 1, 1}});
    window->setStage(Stage::Switch);
    window->viewport().setShotView({0, 1, 8}, {0, 0, 0});
    Overview& overview = window->views().overview();
    EXPECT_FALSE(overview.isVisible());
    QTest::keyClick(window.get(), Qt::Key_O);
    EXPECT_EQ(window->views().mode(), OverviewMode::Inset);
    ASSERT_TRUE(QTest::qWaitFor([&] { return overview.drawn() == 1 && overview.hollow() == 1; }, 60'000));
    EXPECT_LT(overview.width(), window->viewport().width());
    QTest::keyClick(window.get(), Qt::Key_Y);
    EXPECT_GT(overview.width(), window->viewport().width()) << "they changed places";
    QTest::keyClick(window.get(), Qt::Key_Y);
    QTest::keyClick(window.get(), Qt::Key_O);
    EXPECT_EQ(window->views().mode(), OverviewMode::Split);
    EXPECT_NEAR(overview.width(), window->viewport().width(), 4);
    const Vec3d eye = overview.eye();
    const Vec3d shot = window->viewport().shotView().eye;
    drag(&overview, {150, 150}, {230, 170});
    EXPECT_GT((overview.eye() - eye).norm(), 0.1);
    EXPECT_EQ(window->viewport().shotView().eye, shot) << "the shot camera stays";
    window->viewport().setShotView({0, 1, 30}, {0, 0, 90}); // towards the other copy
    ASSERT_TRUE(QTest::qWaitFor([&] { return levelDrawn(window->viewport(), 51) >= 0; }, 60'000));
    QTest::keyClick(window.get(), Qt::Key_O);
    EXPECT_FALSE(overview.isVisible());
}

TEST_F(WindowTest, walking_past_another_copy_does_not_change_which_one_it_is_about) {
    thinBall(40);
    Workbench& bench = window->bench();
    window->setStage(Stage::Switch);
    place(bench, {{50, 0, {0, 0, 0}, Quatd::Identity(), 1, 1}, {51, 0, {3, 0, 40}, Quatd::Identity(), 1, 1}});
    Viewport& view = window->viewport();
    view.setShotView({0, 0.5, 12}, {0, 0, 0});
    ASSERT_EQ(view.nearestPlacement(), 50U);
    view.standAt(39); // now the other copy is much nearer, and in view
    EXPECT_EQ(view.nearestPlacement(), 50U);
    EXPECT_NEAR(view.subjectDistance(), 39, 0.01);
    view.setShotView({3, 0.5, 52}, {3, 0, 40});
    EXPECT_TRUE(QTest::qWaitFor([&] { return view.nearestPlacement() == 51U; }, 60'000))
        << "led there by hand, it is about that one";
}

TEST_F(WindowTest, the_needle_of_a_large_copy_stands_at_the_level_that_is_drawn) {
    thinBall(40);
    Workbench& bench = window->bench();
    window->setStage(Stage::Switch);
    place(bench, {{50, 0, {0, 0, 0}, Quatd::Identity(), 2.5, 1}});
    Viewport& view = window->viewport();
    SwitchChart& chart = window->switchChart();
    const double from = switchDistance(costsOf(*bench.session.meshSubject())[1], bench.session.meshSubject()->rule,
                                       bench.session.meshSubject()->radius, bench.session.scene().statedView());
    view.standAt(2.5 * from);
    EXPECT_DOUBLE_EQ(view.subjectFactor(), 2.5);
    EXPECT_TRUE(QTest::qWaitFor([&] { return std::abs(chart.needleX() - chart.handlePlace(1).x()) < 1; }, 60'000))
        << "two and a half times as far for a copy so much larger";
    rest();
    const QPoint needle(static_cast<int>(std::lround(chart.needleX())), chart.height() / 2);
    drag(&chart, needle, needle + QPoint(40, 0));
    EXPECT_NEAR(view.subjectDistance(), 2.5 * chart.xAxis->pixelToCoord(needle.x() + 40),
                0.02 * view.subjectDistance());
    EXPECT_NEAR(chart.needleX(), needle.x() + 40, 2);
}

TEST_F(WindowTest, a_frozen_selection_stays_while_the_camera_flies_on) {
    thinBall(60);
    window->setStage(Stage::Switch);
    Viewport& view = window->viewport();
    view.standAt(switches(*window)[1] * 1.5);
    rest();
    ASSERT_EQ(levelDrawn(view, 0), 1);
    QTest::keyClick(window.get(), Qt::Key_F);
    EXPECT_TRUE(view.frozen());
    view.standAt(switches(*window)[1] * 0.4);
    QTest::qWait(500);
    EXPECT_EQ(levelDrawn(view, 0), 1) << "what was chosen is held";
    EXPECT_NEAR((view.selectedView().eye - view.shotView().eye).norm() > 1e-6, 1, 0);
    QTest::keyClick(window.get(), Qt::Key_F);
    ASSERT_TRUE(QTest::qWaitFor([&] { return levelDrawn(view, 0) == 0; }, 60'000));
    window->views().toggleFreeze();
    window->setStage(Stage::Thin);
    EXPECT_FALSE(view.frozen()) << "it ends with the stage";
}

TEST_F(WindowTest, a_walk_back_becomes_a_strip_or_pictures_or_nothing_when_stopped) {
    thinBall(40);
    window->setStage(Stage::Switch);
    QTest::qWait(200);
    WalkStrip& strip = window->walkStrip();
    const Vec3d eye = window->viewport().shotView().eye;
    QSignalSpy finished(&strip, &WalkStrip::finished);
    const QString one = text(folder.path() / "walk.png");
    strip.start(one, 4, false);
    ASSERT_TRUE(QTest::qWaitFor([&] { return finished.count() == 1; }, 60'000));
    const QImage whole(one);
    ASSERT_FALSE(whole.isNull());
    EXPECT_EQ((whole.width() + 4) % 4, 0);
    const int side = (whole.width() + 4) / 4 - 4;
    EXPECT_EQ(whole.height(), side + 40);
    EXPECT_NE(whole.copy(0, 0, side, side), whole.copy(3 * (side + 4), 0, side, side)) << "it is smaller there";
    EXPECT_LT((window->viewport().shotView().eye - eye).norm(), 1e-3) << "the camera is back";
    strip.start(text(folder.path() / "frame.png"), 3, true);
    ASSERT_TRUE(QTest::qWaitFor([&] { return finished.count() == 2; }, 60'000));
    for (const char* name : {"frame_01.png", "frame_02.png", "frame_03.png"})
        EXPECT_TRUE(fs::exists(folder.path() / name)) << name;
    strip.start(text(folder.path() / "never.png"), 9, false);
    QTest::keyClick(window.get(), Qt::Key_Escape);
    EXPECT_FALSE(strip.running());
    EXPECT_FALSE(fs::exists(folder.path() / "never.png"));
    strip.start(text(folder.path() / "nowhere" / "x.png"), 2, false);
    ASSERT_TRUE(QTest::qWaitFor([&] { return finished.count() == 4; }, 60'000));
    EXPECT_TRUE(finished.back().at(1).toString().contains(QStringLiteral("cannot be written")));
}

TEST_F(WindowTest, a_chain_description_that_is_dropped_brings_its_switches_back) {
    thinBall(40);
    Workbench& bench = window->bench();
    bench.switching.setSwitchDistance(bench.session.subjectId(), 1, switches(*window)[1] * 1.3);
    bench.shipping.ship(text(folder.path() / "out"), {});
    waitForJobs();
    const auto shipped = switches(*window);
    bench.switching.clearSwitch(bench.session.subjectId(), 1);
    ASSERT_NE(switches(*window), shipped);
    const int steps = bench.session.document.undo().count();
    window->open({text(folder.path() / "out" / "ball.chain.json")});
    waitForJobs();
    EXPECT_EQ(switches(*window), shipped) << window->messageText().toStdString();
    EXPECT_EQ(bench.session.document.undo().count(), steps + 1);
    // The meshes bring the description beside them along.
    bench.files.newProject();
    window->open({text(folder.path() / "out" / "ball.lod.glb")});
    waitForJobs();
    ASSERT_EQ(bench.session.scene().subjects.size(), 1U);
    EXPECT_EQ(bench.session.meshSubject()->rule.decideBy, DecideBy::PixelError);
    EXPECT_NEAR(switches(*window)[1], shipped[1], 1e-9);
    window->open({text(folder.path() / "none.chain.json")});
    waitForJobs();
    EXPECT_TRUE(window->messageText().contains(QStringLiteral("none.chain.json")));
}

TEST_F(WindowTest, what_is_hidden_is_not_drawn_unless_the_engine_cannot_do_that) {
    Surfaces plain;
    plain.materials.emplace_back();
    const fs::path wall = folder.path() / "wall.glb";
    ASSERT_TRUE(writeFile(wall, encodeGlb("wall", {std::make_shared<const Mesh>(shapes::box(4, {8, 6, 0.5}))}, plain,
                                          GlbLevels::Named, {})));
    window->open({text(wall), text(ballFile(folder.path(), "ball.glb", 24))});
    waitForJobs();
    Workbench& bench = window->bench();
    ASSERT_EQ(bench.session.scene().subjects.size(), 2U);
    const Subject& first = bench.session.scene().subjects[0];
    const Subject& second = bench.session.scene().subjects[1];
    const bool wallFirst = first.bounds.size().x() > 3;
    const std::uint32_t wallId = wallFirst ? first.id : second.id;
    const std::uint32_t ballId = wallFirst ? second.id : first.id;
    const Vec3d middle = (wallFirst ? first : second).bounds.centre();
    bench.session.selectSubject(wallId);
    place(bench, {{50, 0, -middle, Quatd::Identity(), 1, 1}});
    bench.session.selectSubject(ballId);
    place(bench, {{51, 0, {0, 0, -5}, Quatd::Identity(), 1, 1}});
    window->setStage(Stage::Switch);
    Viewport& view = window->viewport();
    view.setShotView({0, 0, 9}, {0, 0, 0});
    ASSERT_TRUE(
        QTest::qWaitFor([&] { return view.exact().total.culledBy[static_cast<int>(Culled::Hidden)] == 1; }, 60'000));
    EXPECT_EQ(view.why(), QStringLiteral("culled, because it is hidden behind others"));
    EXPECT_GT(view.cullingSaves()()[3], 0U);
    auto* engine = window->findChild<QCheckBox*>(QStringLiteral("cullHidden"));
    engine->click();
    EXPECT_FALSE(bench.session.scene().settings.cullHidden);
    EXPECT_TRUE(QTest::qWaitFor([&] { return view.exact().total.drawn == 2; }, 60'000));
    bench.session.document.undo().undo();
    EXPECT_TRUE(QTest::qWaitFor([&] { return view.exact().total.drawn == 1; }, 60'000));
    view.setShotView({11, 2, -3}, {0, 0, -3}); // from the side both are seen
    EXPECT_TRUE(QTest::qWaitFor([&] { return view.exact().total.drawn == 2; }, 60'000));
}

TEST_F(WindowTest, a_switch_that_is_held_while_undo_takes_its_level_away_is_let_go) {
    thinBall(40);
    window->setStage(Stage::Switch);
    Workbench& bench = window->bench();
    SwitchChart& chart = window->switchChart();
    const auto last = static_cast<int>(bench.session.meshSubject()->mesh().levels.size()) - 1;
    const QPoint from = chart.handlePlace(last).toPoint();
    QTest::mousePress(&chart, Qt::LeftButton, {}, from);
    const auto moveBy = [&](int dx) {
        const QPoint at = from + QPoint(dx, 0);
        QMouseEvent move(QEvent::MouseMove, at, chart.mapToGlobal(QPointF(at)), Qt::NoButton, Qt::LeftButton,
                         Qt::NoModifier);
        QApplication::sendEvent(&chart, &move);
    };
    moveBy(-12);
    while (bench.session.document.undo().canUndo())
        bench.session.document.undo().undo(); // the levels go, then the subject
    EXPECT_TRUE(bench.session.scene().subjects.empty());
    moveBy(-20);
    while (bench.session.document.undo().canRedo())
        bench.session.document.undo().redo();
    const QString before = QString::fromStdString(encodeProject(bench.session.scene(), folder.path()));
    moveBy(-30);
    QTest::mouseRelease(&chart, Qt::LeftButton, {}, from);
    EXPECT_EQ(QString::fromStdString(encodeProject(bench.session.scene(), folder.path())), before);
}

TEST_F(WindowTest, the_viewport_and_the_audit_choose_alike_along_a_route) {
    thinBall(60);
    Workbench& bench = window->bench();
    Settings settings = bench.session.scene().settings;
    settings.routes = {{"away", {{0, {0, 1, 4}, {0, 0, 0}}, {4, {0, 1, 80}, {0, 0, 0}}}}};
    settings.devices[settings.device].frameRate = 10;
    SwitchRule sudden = bench.session.meshSubject()->rule; // a fade counts both levels while the route flies on
    sudden.fadeSeconds = 0;
    sudden.hysteresis = 0;
    bench.switching.setRule(bench.session.subjectId(), sudden, QStringLiteral("No fades"));
    bench.session.document.push(changeSettings(bench.session.scene(), settings, "Route"));
    window->setStage(Stage::Budget);
    Viewport& view = window->viewport();
    const auto audit = auditRoute(bench.session.scene(), bench.session.scene().settings.routes[0],
                                  *bench.session.scene().currentDevice(), {});
    ASSERT_TRUE(audit);
    // The window's picture is as wide as the window; level by level it is what the audit counts at the same moment.
    int compared = 0;
    for (const AuditFrame& frame : audit->frames) {
        if (std::fmod(frame.seconds, 0.5) > 0.01)
            continue;
        view.setRouteTime(frame.seconds);
        rest();
        EXPECT_EQ(view.exact().total.triangles, frame.triangles) << "at " << frame.seconds << " s";
        ++compared;
    }
    EXPECT_GE(compared, 8);
}

TEST_F(WindowTest, what_waits_with_its_switch_makes_it_though_nothing_moves_any_more) {
    thinBall(24);
    Workbench& bench = window->bench();
    const auto slow = [&bench](double dwell, double check) {
        SwitchRule rule = bench.session.meshSubject()->rule;
        rule.fadeSeconds = 0;
        rule.dwellSeconds = dwell;
        rule.checkSeconds = check;
        bench.switching.setRule(bench.session.subjectId(), rule, QStringLiteral("Slow"));
    };
    window->setStage(Stage::Switch);
    Viewport& view = window->viewport();
    const double middle = (switches(*window)[1] + switches(*window)[2]) / 2;
    for (const auto& [dwell, check] : {std::pair(1.2, 0.0), std::pair(0.0, 1.2)}) {
        slow(dwell, check);
        view.standAt(middle / 50);
        ASSERT_TRUE(QTest::qWaitFor([&] { return view.reading().level == 0; }, 60'000));
        view.standAt(middle);
        EXPECT_TRUE(QTest::qWaitFor([&] { return view.reading().level == 1; }, 20'000)) << dwell << ", " << check;
    }
}

TEST_F(WindowTest, a_field_of_a_hundred_thousand_is_drawn_together_edited_and_undone) {
    thinBall(12);
    Workbench& bench = window->bench();
    Placements copies;
    for (std::uint32_t i = 0; i < 100'000; ++i)
        copies.push_back({1000 + i, 0, {4.0 * (i % 316) - 632, 0, -4.0 * (i / 316)}, Quatd::Identity(), 1, 1});
    Subject field;
    field.name = "Buoys";
    field.body = InstancesBody{{bench.session.subjectId()}, std::make_shared<const Placements>(std::move(copies))};
    bench.session.document.push(addSubjects(bench.session.scene(), {field}, "Field"));
    const std::uint32_t id = bench.session.scene().subjects.back().id;
    bench.session.selectSubject(id);
    window->setStage(Stage::Switch);
    Viewport& view = window->viewport();
    view.setShotView({0, 6, 12}, {0, 0, -60});
    rest();
    ASSERT_TRUE(QTest::qWaitFor([&] { return view.settled(); }, 60'000));
    EXPECT_GT(view.exact().total.drawn, 1000U);
    EXPECT_LE(view.submittedDraws(), view.exact().total.drawn / 50) << "copies of a level are drawn together";
    EXPECT_GT(view.submittedTriangles(), view.exact().total.drawn);
    EXPECT_FALSE(view.why().isEmpty());
    double slowest = 0;
    QSignalSpy frames(&view, &QOpenGLWidget::frameSwapped);
    for (int i = 0; i < 40; ++i) {
        frames.clear();
        view.setShotView({0.5 * i, 6, 12.0 - i}, {0.5 * i, 0, -60.0 - i});
        ASSERT_TRUE(QTest::qWaitFor([&] { return !frames.isEmpty(); }, 60'000)) << "frame " << i;
        slowest = std::max(slowest, i > 20 ? view.lastFrameMs() : 0.0);
    }
    RecordProperty("slowestFrameMs", std::to_string(slowest));
    // Every stage has something to say of a field, and none stumbles over it.
    for (const Stage stage : {Stage::Gather, Stage::Thin, Stage::Switch, Stage::Budget, Stage::Ship}) {
        frames.clear();
        window->setStage(stage);
        ASSERT_TRUE(QTest::qWaitFor([&] { return !view.isVisible() || !frames.isEmpty(); }, 60'000));
    }
    EXPECT_EQ(window->subjectList().model()->index(0, 0).data(SubjectModel::Weight).toString(),
              QStringLiteral("100,000 copies"));
    // Saved and opened it is the same array; undone it is gone.
    bench.files.saveProject(text(folder.path() / "field.thicket.json"));
    waitForJobs();
    const auto load = readProject(folder.path() / "field.thicket.json", {});
    ASSERT_TRUE(load) << load.error().text();
    EXPECT_EQ(*load->scene.subjects[1].instances()->copies, *bench.session.scene().subjects[1].instances()->copies);
    bench.session.document.undo().undo();
    EXPECT_EQ(bench.session.scene().subjects.size(), 1U);
    bench.session.document.undo().redo();
    EXPECT_EQ(bench.session.scene().subjects[1].id, id);
}

} // namespace thicket::app
