// Fields in the window, as a person works with them: scatter, drag the curves, click a copy, read a table.

#include "app/field/field_chart.h"
#include "app/field/field_panel.h"
#include "app/field/scatter_panel.h"
#include "app/parts/controls.h"
#include "app/switching/pop_list.h"
#include "app/switching/switch_chart.h"
#include "app/window_fixture.h"
#include "scene/kinds.h"

#include <QApplication>
#include <QContextMenuEvent>
#include <QDialog>
#include <QMenu>
#include <QMessageBox>
#include <QMouseEvent>
#include <QPushButton>
#include <QScrollArea>
#include <QTimer>

namespace thicket::app {
namespace {

class FieldWindow : public WindowTest {
protected:
    /// A ball that is scattered on level ground, in Switch.
    void SetUp() override {
        WindowTest::SetUp();
        openBall(12);
        window->bench().fields.scatterNew({window->bench().session.scene().subjects.front().id});
        waitForJobs();
        ASSERT_EQ(window->bench().session.scene().subjects.size(), 2U);
        window->setStage(Stage::Switch);
        ASSERT_TRUE(QTest::qWaitFor([&] { return window->viewport().settled(); }, 60'000));
    }
    [[nodiscard]] const Subject& field() const { return window->bench().session.scene().subjects.back(); }
    [[nodiscard]] const InstancesBody& body() const { return *field().instances(); }
    template <class W> [[nodiscard]] W* named(const char* name) const {
        return window->findChild<W*>(QString::fromLatin1(name));
    }
    /// A file of that text in the folder.
    QString written(const char* name, const std::string& content) {
        const fs::path file = folder.path() / name;
        EXPECT_TRUE(writeTextFile(file, content));
        return app::text(file);
    }
};

} // namespace

TEST_F(FieldWindow, a_mesh_is_scattered_and_the_stage_shows_its_curves) {
    EXPECT_EQ(window->bench().session.subjectId(), field().id);
    EXPECT_GT(body().copies->size(), 500U);
    EXPECT_TRUE(window->fieldChart().isVisible());
    EXPECT_TRUE(window->findChild<FieldPanel*>()->isVisible());
    EXPECT_GT(window->viewport().exact().total.drawn, 0U);
    window->bench().session.selectSubject(window->bench().session.scene().subjects.front().id);
    EXPECT_TRUE(window->switchChart().isVisible());
    EXPECT_FALSE(window->fieldChart().isVisible());
}

TEST_F(FieldWindow, no_panel_is_cut_off_by_long_names) {
    const std::string name = "weathered_harbour_crane_with_two_jibs_and_a_cabin_of_tarred_boards_v014_final";
    Session& session = window->bench().session;
    const std::uint32_t mesh = session.scene().subjects.front().id;
    const std::uint32_t placed = field().id;
    window->bench().thin.thinToRole(mesh);
    waitForJobs();
    window->bench().files.renameSubject(mesh, QString::fromStdString(name));
    window->bench().files.renameSubject(placed, QString::fromStdString(name + "_placed"));
    window->bench().routes.addKey(window->viewport().shotView());
    window->bench().routes.addKey(window->viewport().shotView());
    ScatterRecipe recipe = *window->bench().fields.recipe(placed);
    recipe.near.push_back({ScatterNear::Of::Subject, {}, mesh, 1, 50});
    window->bench().fields.setRecipe(placed, recipe, QStringLiteral("Keep a distance"));
    waitForJobs();
    for (const std::uint32_t id : {mesh, placed})
        for (const Stage stage : {Stage::Gather, Stage::Thin, Stage::Switch, Stage::Budget, Stage::Ship}) {
            session.selectSubject(id);
            window->setStage(stage);
            std::vector<const QScrollArea*> areas;
            ASSERT_TRUE(QTest::qWaitFor([&] {
                areas.clear();
                for (const QScrollArea* area : window->findChildren<QScrollArea*>())
                    if (area->isVisible() && area->widget() != nullptr)
                        areas.push_back(area);
                return !areas.empty();
            }));
            for (const QScrollArea* area : areas)
                EXPECT_LE(area->widget()->minimumSizeHint().width(), area->viewport()->width())
                    << "stage " << static_cast<int>(stage) << ", subject " << id;
            std::string over;
            EXPECT_TRUE(QTest::qWaitFor([&] {
                over.clear();
                for (const QLabel* label : window->findChildren<QLabel*>())
                    if (label->isVisible() && label->geometry().right() > label->parentWidget()->width())
                        over += label->text().toStdString() + "; ";
                return over.empty();
            })) << over
                << "stage " << static_cast<int>(stage);
        }
}

TEST_F(FieldWindow, a_field_that_comes_first_is_looked_at_from_above) {
    const Vec3d eye = window->viewport().shotView().eye;
    double nearest = 1e300;
    double highest = 0;
    for (const Placement& p : *body().copies) {
        nearest = std::min(nearest, (p.position - eye).norm());
        highest = std::max(highest, p.position.y() + 2 * p.scale);
    }
    EXPECT_GT(eye.y(), highest);
    EXPECT_GT(nearest, 4.0) << "balls of a metre's radius";
    EXPECT_GT(window->viewport().exact().total.drawn, body().copies->size() / 20);
}

TEST_F(FieldWindow, a_handle_of_keep_is_dragged_as_one_step) {
    FieldChart& chart = window->fieldChart();
    const Thinning before = body().thinning;
    ASSERT_GE(before.keep.points.size(), 2U);
    const int steps = window->bench().session.document.undo().index();
    const QPoint from = chart.place(FieldChart::Curve::Keep, 1).toPoint();
    QTest::mousePress(&chart, Qt::LeftButton, Qt::NoModifier, from);
    for (int i = 1; i <= 5; ++i)
        QTest::mouseMove(&chart, from + QPoint(2 * i, 3 * i));
    QTest::mouseRelease(&chart, Qt::LeftButton, Qt::NoModifier, from + QPoint(10, 15));
    EXPECT_LT(body().thinning.keep.points[1].value, before.keep.points[1].value);
    EXPECT_GT(body().thinning.keep.points[1].metres, before.keep.points[1].metres);
    EXPECT_EQ(window->bench().session.document.undo().index(), steps + 1);
    window->bench().session.document.undo().undo();
    EXPECT_EQ(body().thinning, before);
}

TEST_F(FieldWindow, a_double_click_adds_a_point_and_delete_takes_it_away) {
    FieldChart& chart = window->fieldChart();
    const std::size_t points = body().thinning.keep.points.size();
    const QPointF a = chart.place(FieldChart::Curve::Keep, 1);
    const QPointF b = chart.place(FieldChart::Curve::Keep, 2);
    QTest::mouseDClick(&chart, Qt::LeftButton, Qt::NoModifier, ((a + b) / 2).toPoint());
    ASSERT_EQ(body().thinning.keep.points.size(), points + 1);
    QTest::mouseClick(&chart, Qt::LeftButton, Qt::NoModifier, chart.place(FieldChart::Curve::Keep, 2).toPoint());
    QTest::keyClick(&chart, Qt::Key_Delete);
    EXPECT_EQ(body().thinning.keep.points.size(), points);
}

TEST_F(FieldWindow, a_handles_place_is_typed_or_taken_from_the_camera) {
    FieldChart& chart = window->fieldChart();
    const Thinning before = body().thinning;
    const int steps = window->bench().session.document.undo().index();
    const double metres = before.keep.points[1].metres + 1;
    bool asked = false;
    QTimer::singleShot(0, &chart, [&] {
        auto* dialog = chart.findChild<QDialog*>(QStringLiteral("typePlace"));
        ASSERT_NE(dialog, nullptr);
        asked = true;
        dialog->findChild<NumberBox*>(QStringLiteral("typedMetres"))->show(metres);
        dialog->findChild<NumberBox*>(QStringLiteral("typedShare"))->show(37);
        dialog->accept();
    });
    QTest::mouseClick(&chart, Qt::LeftButton, Qt::NoModifier, chart.place(FieldChart::Curve::Keep, 1).toPoint());
    QTest::keyClick(&chart, Qt::Key_Return);
    ASSERT_TRUE(asked);
    EXPECT_NEAR(body().thinning.keep.points[1].metres, metres, 1e-6);
    EXPECT_NEAR(body().thinning.keep.points[1].value, 0.37, 1e-6);
    EXPECT_EQ(window->bench().session.document.undo().index(), steps + 1);
    // The menu puts the last point where the camera stands, far beyond the others.
    const std::size_t last = body().thinning.keep.points.size() - 1;
    window->viewport().standAt(body().thinning.keep.points[last].metres + 3);
    ASSERT_TRUE(QTest::qWaitFor([&] { return window->viewport().settled(); }, 60'000));
    const double stands = window->viewport().subjectDistance();
    ASSERT_GT(stands, body().thinning.keep.points[last - 1].metres + 1);
    QTimer::singleShot(0, &chart, [] {
        auto* menu = qobject_cast<QMenu*>(QApplication::activePopupWidget());
        ASSERT_NE(menu, nullptr);
        for (QAction* action : menu->actions())
            if (action->text().contains(QStringLiteral("camera stands")))
                action->trigger();
        menu->close();
    });
    const QPoint at = chart.place(FieldChart::Curve::Keep, last).toPoint();
    QContextMenuEvent event(QContextMenuEvent::Mouse, at, chart.mapToGlobal(at));
    QApplication::sendEvent(&chart, &event);
    EXPECT_NEAR(body().thinning.keep.points[last].metres, stands, 0.02 * stands);
}

TEST_F(FieldWindow, its_pops_are_in_the_list_of_all_and_a_wider_band_is_one_step) {
    Workbench& bench = window->bench();
    bench.thin.thinToRoles({bench.session.scene().subjects.front().id});
    waitForJobs();
    bench.session.selectSubject(bench.session.scene().subjects.front().id);
    bench.fields.setSwitch(field().id, 1, 5); // where it is seen
    const auto scored = [&] { return bench.pops.waiting() == 0 && !bench.pops.pops().empty(); };
    ASSERT_TRUE(QTest::qWaitFor(scored, 60'000));
    for (const PopsModel::Pop& pop : bench.pops.pops())
        EXPECT_EQ(pop.place.subject, field().id) << "the ball stands in the field alone";
    const PopsModel::Pop worst = bench.pops.pops().front();
    EXPECT_GT(worst.severity, 1);
    ASSERT_TRUE(QTest::qWaitFor([&] { return window->findChild<PopRow*>() != nullptr; }, 60'000));
    QTest::mouseClick(window->findChild<PopRow*>(), Qt::LeftButton);
    ASSERT_TRUE(QTest::qWaitFor([&] { return bench.session.subjectId() == field().id; }, 60'000));
    EXPECT_NEAR(window->viewport().subjectDistance(), worst.place.key.metres, 0.5 * worst.place.key.metres)
        << "as far as its size makes it";
    auto* smooth = named<QPushButton>("smooth");
    ASSERT_TRUE(QTest::qWaitFor([&] { return smooth->isVisible(); }, 60'000))
        << "the list has come along into the field's panel";
    EXPECT_TRUE(window->findChild<FieldPanel*>()->isAncestorOf(smooth));
    emit smooth->menu()->aboutToShow();
    const double before = field().rule.softBand;
    const int steps = bench.session.document.undo().index();
    smooth->menu()->actions().front()->trigger();
    EXPECT_GT(field().rule.softBand, before);
    EXPECT_EQ(bench.session.document.undo().index(), steps + 1);
    ASSERT_TRUE(QTest::qWaitFor(scored, 60'000));
    bench.session.document.undo().undo();
    EXPECT_EQ(field().rule.softBand, before);
    bench.pops.smoothLater(field().id, 1, 2);
    ASSERT_TRUE(body().fixed.at(1));
    const double at = bandOf(bench.session.scene(), field(), 1, bench.session.scene().statedView()).metres();
    EXPECT_NEAR(at, 10, 0.01);
}

TEST_F(FieldWindow, a_motion_shows_pictures_as_it_goes_and_the_exact_one_after_it) {
    Viewport& view = window->viewport();
    int shown = 0;
    QObject::connect(&view, &Viewport::painted, &view, [&] { ++shown; });
    const QPoint from(view.width() / 2, view.height() / 2);
    QTest::mousePress(&view, Qt::RightButton, Qt::NoModifier, from);
    const Vec3d before = view.shotView().eye;
    const auto moveTo = [&](int step) {
        const QPointF at = from + QPoint(4 * step, 0);
        QMouseEvent event(QEvent::MouseMove, at, view.mapToGlobal(at), Qt::NoButton, Qt::RightButton, Qt::NoModifier);
        QApplication::sendEvent(&view, &event);
    };
    // The mouse goes on whether a picture is done or not; each that is done is shown while it does.
    int step = 0;
    ASSERT_TRUE(QTest::qWaitFor(
        [&] {
            moveTo(++step);
            EXPECT_TRUE(view.moving());
            EXPECT_FALSE(view.exactStands());
            return shown >= 5;
        },
        60'000));
    EXPECT_NE(view.shotView().eye, before);
    QTest::mouseRelease(&view, Qt::RightButton, Qt::NoModifier, from + QPoint(4 * step, 0));
    ASSERT_TRUE(QTest::qWaitFor([&] { return view.exactStands(); }, 60'000));
    EXPECT_EQ(view.lightening(), 1);
    rest();
    EXPECT_EQ(view.submittedTriangles(), view.exact().total.triangles) << "what is counted is drawn";
    // Another stage, in the middle of a motion: what is shown at the end is that stage's.
    QTest::mousePress(&view, Qt::RightButton, Qt::NoModifier, from);
    moveTo(2);
    window->setStage(Stage::Thin);
    QTest::mouseRelease(&view, Qt::RightButton, Qt::NoModifier, from);
    rest();
    window->setStage(Stage::Switch);
    rest();
    EXPECT_EQ(view.submittedTriangles(), view.exact().total.triangles);
}

TEST_F(FieldWindow, growth_follows_the_share_until_it_is_drawn_by_hand) {
    EXPECT_TRUE(body().thinning.holdCover);
    const double metres = body().thinning.keep.points[2].metres;
    const double held = body().thinning.growAt(metres);
    EXPECT_GT(held, 1.2);
    QTest::mouseClick(named<QPushButton>("holdCover"), Qt::LeftButton);
    EXPECT_FALSE(body().thinning.holdCover);
    EXPECT_NEAR(body().thinning.growAt(metres), held, 0.01) << "it begins as it was";
    FieldChart& chart = window->fieldChart();
    const QPoint from = chart.place(FieldChart::Curve::Grow, 2).toPoint();
    QTest::mousePress(&chart, Qt::LeftButton, Qt::NoModifier, from);
    QTest::mouseMove(&chart, from + QPoint(0, -20));
    QTest::mouseRelease(&chart, Qt::LeftButton, Qt::NoModifier, from + QPoint(0, -20));
    EXPECT_GT(body().thinning.growAt(metres), held);
    QTest::mouseClick(named<QPushButton>("holdCover"), Qt::LeftButton);
    EXPECT_NEAR(body().thinning.growAt(metres), held, 1e-9);
}

TEST_F(FieldWindow, what_is_thinned_is_shown_and_can_be_taken_away_to_compare) {
    Thinning thinning = body().thinning;
    thinning.keep.points = {{0.1, 0.5}, {1000, 0.5}};
    window->bench().fields.setThinning(field().id, thinning, "Halve");
    const auto thinned = [&] {
        return window->viewport().exact().total.culledBy[static_cast<std::size_t>(Culled::Thinned)];
    };
    ASSERT_TRUE(QTest::qWaitFor([&] { return window->viewport().settled() && thinned() > 0; }, 60'000));
    const auto drawn = window->viewport().exact().total.drawn;
    QTest::mouseClick(named<QPushButton>("showAll"), Qt::LeftButton);
    ASSERT_TRUE(QTest::qWaitFor([&] { return window->viewport().settled() && thinned() == 0; }, 60'000));
    // Whole copies hide others, which thinned ones are not trusted to.
    const SubjectCost& all = window->viewport().exact().total;
    EXPECT_GT(all.drawn + all.culledBy[static_cast<std::size_t>(Culled::Hidden)], drawn);
    EXPECT_EQ(body().thinning, thinning) << "the project is as it was";
}

TEST_F(FieldWindow, a_click_chooses_a_copy_that_is_made_important_or_taken_out) {
    const std::uint32_t ball = window->bench().session.scene().subjects.front().id;
    window->bench().session.selectSubject(ball); // a click on the field chooses that
    Viewport& view = window->viewport();
    const Placement first = body().copies->front();
    view.setShotView(first.position + Vec3d(0, 2.5, 5), first.position);
    ASSERT_TRUE(QTest::qWaitFor([&] { return view.settled(); }, 60'000));
    QTest::mouseClick(&view, Qt::LeftButton, Qt::NoModifier, QPoint(view.width() / 2, view.height() / 2));
    EXPECT_EQ(window->bench().session.subjectId(), field().id);
    ASSERT_EQ(view.nearestPlacement(), first.id);
    auto* remove = named<QPushButton>("removeCopy");
    ASSERT_TRUE(QTest::qWaitFor([&] { return remove->isEnabled(); }, 60'000));
    const std::size_t copies = body().copies->size();
    window->bench().switching.setCopyImportance(first.id, 3);
    EXPECT_EQ(findCopy(window->bench().session.scene(), first.id)->importance, 3);
    QTest::mouseClick(remove, Qt::LeftButton);
    EXPECT_EQ(body().copies->size(), copies - 1);
    EXPECT_EQ(findCopy(window->bench().session.scene(), first.id), nullptr);
    window->bench().session.document.undo().undo();
    EXPECT_EQ(body().copies->size(), copies);
}

TEST_F(FieldWindow, a_changed_recipe_scatters_again_beside_the_old_field) {
    window->setStage(Stage::Gather);
    EXPECT_TRUE(window->findChild<ScatterPanel*>()->isVisible());
    const SharedPlacements before = body().copies;
    QTest::mouseClick(named<QPushButton>("anotherSeed"), Qt::LeftButton);
    EXPECT_EQ(body().copies, before) << "the old field stays until the new one is there";
    ASSERT_TRUE(QTest::qWaitFor([&] { return body().copies != before; }, 60'000));
    EXPECT_NEAR(static_cast<double>(body().copies->size()), static_cast<double>(before->size()),
                0.05 * static_cast<double>(before->size()));
    window->bench().session.document.undo().undo();
    EXPECT_EQ(body().copies, before);
    EXPECT_EQ(body().recipe->seed, 1U);
}

TEST_F(FieldWindow, a_table_that_is_dropped_is_placed_and_bad_rows_are_said) {
    const QString good = written("posts.csv", "asset,x,y,z,scale,id\nball,1,0,2,1,700001\nball,3,0,4,2,700002\n");
    window->open({good});
    ASSERT_TRUE(QTest::qWaitFor([&] { return window->bench().session.scene().subjects.size() == 3; }, 60'000));
    EXPECT_EQ(body().copies->size(), 2U);
    EXPECT_EQ(field().name, "posts");
    EXPECT_NE(findCopy(window->bench().session.scene(), 700'002), nullptr) << "ids that are free are kept";
    const QString bad = written("bad.csv", "asset,x,y,z\nball,1,0,2\nreed,3,0,4\n");
    const auto answer = [&](const QString& with) {
        window->open({bad});
        QMessageBox* box = nullptr;
        QTimer look;
        QObject::connect(&look, &QTimer::timeout, [&] {
            box = qobject_cast<QMessageBox*>(QApplication::activeModalWidget());
            if (box == nullptr)
                return;
            EXPECT_TRUE(box->informativeText().contains("reed"));
            for (QAbstractButton* button : box->buttons())
                if (button->text().remove('&') == with)
                    QTest::mouseClick(button, Qt::LeftButton);
        });
        look.start(20);
        EXPECT_TRUE(QTest::qWaitFor([&] { return box != nullptr; }, 60'000));
        look.stop();
        waitForJobs();
    };
    answer("Place nothing");
    EXPECT_EQ(window->bench().session.scene().subjects.size(), 3U);
    answer("Leave them out");
    ASSERT_EQ(window->bench().session.scene().subjects.size(), 4U);
    EXPECT_EQ(body().copies->size(), 1U);
}

} // namespace thicket::app
