// Ground in the window, as a person works with it: read heights, look at a tile, drag a switch, lay a stroke.

#include "app/switching/switch_chart.h"
#include "app/terrain/ground_panel.h"
#include "app/terrain/study_chart.h"
#include "app/terrain/terrain_panel.h"
#include "app/window_fixture.h"
#include "io/ship/ship_terrain.h"
#include "scene/grounds.h"

#include <QCheckBox>
#include <QLabel>
#include <QPushButton>
#include <set>

namespace thicket::app {
namespace {

class GroundWindow : public WindowTest {
protected:
    void SetUp() override {
        WindowTest::SetUp();
        GroundRecipe recipe;
        recipe.columns = recipe.rows = 513;
        recipe.feature = 120;
        const fs::path file = folder.path() / "shore.tif";
        ASSERT_TRUE(writeHeightsTiff(makeHeights(recipe), file, {}));
        window->open({text(file)});
        waitForJobs();
        ASSERT_EQ(scene().subjects.size(), 1U);
        ASSERT_NE(ground().terrain(), nullptr);
        window->setStage(Stage::Switch);
        window->viewport().setShotView({-90, 40, 120}, {10, 0, 0});
        settle();
    }
    void settle() const {
        ASSERT_TRUE(QTest::qWaitFor([&] { return window->viewport().settled(); }, 60'000));
    }
    [[nodiscard]] const Scene& scene() const { return window->bench().session.scene(); }
    [[nodiscard]] const Subject& ground() const { return scene().subjects.front(); }
    template <class W> [[nodiscard]] W* named(const char* name) const {
        return window->findChild<W*>(QString::fromLatin1(name));
    }
};

} // namespace

TEST_F(GroundWindow, heights_are_read_drawn_and_counted) {
    EXPECT_TRUE(window->findChild<TerrainPanel*>()->isVisible());
    const Selection& selection = window->viewport().exact();
    ASSERT_EQ(selection.grounds.size(), 1U);
    EXPECT_GT(selection.grounds[0].tiles.size(), 6U);
    EXPECT_EQ(window->viewport().submittedTriangles(), selection.total.triangles) << "what is counted is drawn";
    ASSERT_TRUE(
        QTest::qWaitFor([&] { return named<QLabel>("groundFrame")->text().contains(QStringLiteral("µs")); }, 60'000));
    EXPECT_GT(window->viewport().groundTiles().bytes(), 100'000U);
}

using FirstGround = WindowTest;

TEST_F(FirstGround, heights_that_are_brought_in_first_are_seen_from_above) {
    GroundRecipe recipe;
    recipe.columns = recipe.rows = 257;
    const fs::path file = folder.path() / "plateau.tif";
    ASSERT_TRUE(writeHeightsTiff(makeHeights(recipe), file, {}));
    window->setStage(Stage::Gather);
    for (int time = 0; time < 2; ++time) {
        window->open({text(file)});
        waitForJobs();
        ASSERT_EQ(window->bench().session.scene().subjects.size(), 1U);
        ASSERT_TRUE(QTest::qWaitFor([&] { return window->viewport().settled(); }, 60'000));
        const Subject& ground = window->bench().session.scene().subjects.front();
        const View view = window->viewport().shotView();
        const Vec3d at = view.eye + view.forward * ground.radius / 2;
        EXPECT_GT(view.eye.y(), ground.bounds.high.y());
        EXPECT_LT(view.forward.y(), -0.2);
        EXPECT_LT((at - ground.bounds.centre()).norm(), ground.radius / 3) << "its middle is looked at";
        EXPECT_FALSE(window->viewport().exact().grounds.at(0).tiles.empty());
        // The view of one project is no view of the next.
        window->viewport().setShotView({0, -500, 0}, {0, -600, 1});
        window->bench().files.newProject();
        waitForJobs();
    }
}

TEST_F(GroundWindow, no_hole_and_no_crack_shows_between_tiles_of_unlike_levels) {
    window->bench().switching.setRule(
        ground().id,
        [&] {
            SwitchRule rule = ground().rule;
            rule.allowPx = 8;
            return rule;
        }(),
        QStringLiteral("Allow more"));
    window->bench().grounds.setTileSize(ground().id, 16);
    waitForJobs();
    window->viewport().setShading(Shading::Levels);
    // Slanting down there is ground everywhere: what is not its colours is the sky, seen through a gap.
    window->viewport().setShotView({0, 60, 60}, {0, 0, 10});
    std::map<Passing, std::uint64_t> drawn;
    for (const Passing between : {Passing::Sudden, Passing::Morph, Passing::CrossFade}) {
        window->bench().grounds.setBetween(ground().id, between);
        settle();
        const Selection& exact = window->viewport().exact();
        std::set<int> levels;
        for (const DrawnTile& tile : exact.grounds[0].tiles)
            levels.insert(static_cast<int>(tile.ref.level));
        EXPECT_GE(levels.size(), 2U);
        EXPECT_EQ(window->viewport().submittedTriangles(), exact.total.triangles) << "what is counted is drawn";
        EXPECT_EQ(exact.grounds[0].fading > 0, between == Passing::CrossFade);
        drawn[between] = exact.total.triangles;
        const QImage picture = window->viewport().grabFramebuffer();
        // A gap is a thin line of the dark sky below the ground, between lit ground on either side.
        int gaps = 0;
        for (int y = 20; y < picture.height() - 80; ++y)
            for (int x = 20; x < picture.width() - 20; ++x) {
                const auto light = [&](int by) { return qGray(picture.pixel(x, y + by)); };
                gaps += light(0) < 0.85 * std::min(light(-4), light(4)) ? 1 : 0;
            }
        EXPECT_EQ(gaps, 0) << keyOf(between);
    }
    EXPECT_GT(drawn[Passing::CrossFade], drawn[Passing::Morph]) << "both levels are drawn";
}

TEST_F(GroundWindow, a_click_looks_at_a_tile_and_a_handle_moves_its_switch) {
    auto* chart = window->findChild<SwitchChart*>();
    ASSERT_TRUE(chart->isVisible());
    QTest::mouseClick(&window->viewport(), Qt::LeftButton, {}, window->viewport().rect().center() + QPoint(40, 60));
    EXPECT_EQ(window->bench().session.subjectId(), ground().id);
    const double metres = window->viewport().subjectDistance();
    EXPECT_GT(metres, 1);
    EXPECT_LT(metres, 400);
    const int steps = window->bench().session.document.undo().index();
    const QPointF handle = chart->handlePlace(1);
    drag(chart, handle.toPoint(), handle.toPoint() + QPoint(40, 0));
    EXPECT_EQ(window->bench().session.document.undo().index(), steps + 1);
    ASSERT_GT(ground().terrain()->fixed.size(), 1U);
    EXPECT_TRUE(ground().terrain()->fixed[1].has_value());
    window->bench().session.document.undo().undo();
    const bool none = ground().terrain()->fixed.empty() || !ground().terrain()->fixed[1];
    EXPECT_TRUE(none);
}

TEST_F(GroundWindow, a_brush_raises_the_ground_under_the_pointer_and_only_there) {
    window->setStage(Stage::Gather);
    settle();
    auto* panel = window->findChild<GroundPanel*>();
    ASSERT_TRUE(panel->isVisible());
    auto* kind = named<Segmented>("groundBrush");
    QTest::mouseClick(kind, Qt::LeftButton, {}, kind->cell(1).center());
    ASSERT_TRUE(panel->brush());
    const auto before = ground().terrain()->heights;
    const int steps = window->bench().session.document.undo().index();
    const QPoint middle = window->viewport().rect().center();
    drag(&window->viewport(), middle, middle + QPoint(50, 10));
    EXPECT_EQ(window->bench().session.document.undo().index(), steps + 1) << "one stroke is one step";
    ASSERT_EQ(ground().terrain()->strokes.size(), 1U);
    const auto& path = ground().terrain()->strokes[0]->path;
    EXPECT_GE(path.size(), 2U);
    EXPECT_GT(*ground().terrain()->heights->heightAt(path[0][0], path[0][1]),
              *before->heightAt(path[0][0], path[0][1]) + 0.5);
    EXPECT_TRUE(named<QLabel>("strokeCost")->text().contains(QStringLiteral("ms")));
    settle();
    QTest::keyClick(window.get(), Qt::Key_Z, Qt::ControlModifier);
    EXPECT_EQ(ground().terrain()->heights, before);
}

TEST_F(GroundWindow, a_mesh_that_gets_coarser_away_from_the_camera_is_forecast_and_refused_with_what_it_cannot_be) {
    window->setStage(Stage::Gather);
    auto* forecast = named<QLabel>("meshForecast");
    auto* fallsOff = named<QCheckBox>("meshFallsOff");
    auto* fewest = named<QCheckBox>("fewestTriangles");
    ASSERT_TRUE(QTest::qWaitFor([&] { return forecast->text().contains(QStringLiteral("triangles")); }, 60'000));
    const auto& grounds = window->bench().grounds;
    const auto even = grounds.forecasts().front().count.triangles;
    fallsOff->click();
    ASSERT_TRUE(fallsOff->isChecked());
    ASSERT_TRUE(QTest::qWaitFor([&] { return grounds.forecasts().front().count.triangles < even; }, 60'000));
    fewest->click();
    EXPECT_FALSE(fallsOff->isChecked()) << "of fewest triangles it has one error everywhere";
    ASSERT_TRUE(QTest::qWaitFor([&] { return forecast->text().contains(QStringLiteral("below")); }, 60'000));
    EXPECT_EQ(grounds.forecasts().front().count.triangles, even);
}

TEST_F(GroundWindow, sudden_switches_are_listed_as_pops_and_gone_once_levels_pass_into_each_other) {
    EXPECT_TRUE(window->bench().pops.pops().empty());
    window->bench().grounds.setBetween(ground().id, Passing::Sudden);
    window->bench().pops.look();
    ASSERT_TRUE(QTest::qWaitFor([&] { return window->bench().pops.waiting() == 0; }, 60'000));
    const auto pops = window->bench().pops.pops();
    ASSERT_GE(pops.size(), 2U);
    EXPECT_EQ(pops[0].place.subject, ground().id);
    EXPECT_EQ(pops[0].place.finer, pops[0].place.level - 1);
    const int level = pops[0].place.level;
    window->bench().pops.smoothLater(ground().id, level, 1.3);
    EXPECT_TRUE(ground().terrain()->fixed.at(static_cast<std::size_t>(level)));
    window->bench().pops.smoothUnseen({ground().id}, std::nullopt);
    waitForJobs();
    EXPECT_EQ(ground().terrain()->between, Passing::Morph);
    ASSERT_TRUE(QTest::qWaitFor([&] { return window->bench().pops.pops().empty(); }, 60'000));
    window->bench().session.document.undo().undo();
    EXPECT_EQ(ground().terrain()->between, Passing::Sudden) << "one step to undo";
}

TEST_F(GroundWindow, tile_sizes_are_tried_and_chosen_by_dragging) {
    auto* button = named<QPushButton>("tryTileSizes");
    QTest::mouseClick(button, Qt::LeftButton);
    StudyChart& chart = window->studyChart();
    ASSERT_TRUE(QTest::qWaitFor(
        [&] { return !window->bench().grounds.lastStudy().result.sizes.empty() && chart.isVisible(); }, 60'000));
    ASSERT_TRUE(QTest::qWaitFor([&] { return chart.rect().contains(chart.handlePlace(16).toPoint()); }, 60'000));
    ASSERT_EQ(ground().terrain()->cells, 64U);
    drag(&chart, chart.handlePlace(64).toPoint() + QPoint(0, 60), chart.handlePlace(16).toPoint() + QPoint(0, 60));
    waitForJobs();
    EXPECT_EQ(ground().terrain()->cells, 16U);
    QTest::mouseClick(button, Qt::LeftButton);
    EXPECT_TRUE(window->findChild<SwitchChart*>()->isVisible());
}

} // namespace thicket::app
