// Strands and emitters in the window, as a person works with them.

#include "app/emitters/emitter_chart.h"
#include "app/emitters/emitter_levels.h"
#include "app/field/field_chart.h"
#include "app/field/field_panel.h"
#include "app/parts/figure_card.h"
#include "app/strands/grow_panel.h"
#include "app/strands/strand_levels.h"
#include "app/window_fixture.h"
#include "scene/kinds.h"
#include "strands/strand_cards.h"

#include <QCheckBox>
#include <QPushButton>

namespace thicket::app {
namespace {

class GrowthWindow : public WindowTest {
protected:
    void grow(Stage stage) {
        window->bench().strands.growNew(0);
        waitForJobs();
        ASSERT_EQ(window->bench().session.scene().subjects.size(), 1U);
        window->setStage(stage);
        window->viewport().setShotView({0, 1.6, 14}, {0, 0, 0});
        ASSERT_TRUE(QTest::qWaitFor([&] { return window->viewport().settled(); }, 60'000));
    }
    void makeSmoke(Stage stage) {
        window->bench().emitters.makeNew({0, 0, 0});
        waitForJobs();
        ASSERT_EQ(window->bench().session.scene().subjects.size(), 1U);
        window->setStage(stage);
        ASSERT_TRUE(QTest::qWaitFor([&] { return window->viewport().settled(); }, 60'000));
    }
    [[nodiscard]] const Subject& own() const { return window->bench().session.scene().subjects.front(); }
    [[nodiscard]] QUndoStack& steps() const { return window->bench().session.document.undo(); }
    template <class W> [[nodiscard]] W* named(const char* name) const {
        return window->findChild<W*>(QString::fromLatin1(name));
    }
    /// How much of a part of the picture is unlike its upper left corner.
    [[nodiscard]] double unlike(const QRect& part) const {
        const QImage image = window->viewport().grabFramebuffer();
        const double ratio = static_cast<double>(image.width()) / window->viewport().width();
        int differ = 0;
        int count = 0;
        for (int y = static_cast<int>(part.top() * ratio); y < part.bottom() * ratio; ++y)
            for (int x = static_cast<int>(part.left() * ratio); x < part.right() * ratio; ++x, ++count) {
                const QColor a = image.pixelColor(x, y);
                const QColor b = image.pixelColor(2, y); // of the sky at that height
                differ += std::abs(a.red() - b.red()) + std::abs(a.green() - b.green()) > 24 ? 1 : 0;
            }
        return static_cast<double>(differ) / count;
    }
    [[nodiscard]] QRect middle() const {
        const QSize s = window->viewport().size();
        return {s.width() / 3, s.height() / 3, s.width() / 3, s.height() / 3};
    }
    [[nodiscard]] bool settled() const {
        return QTest::qWaitFor([&] { return window->viewport().settled(); }, 60'000);
    }
};

} // namespace

TEST_F(GrowthWindow, grass_is_drawn_and_counted) {
    grow(Stage::Switch);
    EXPECT_GT(window->viewport().exact().total.drawn, 5000U);
    EXPECT_GT(unlike(middle()), 0.15) << "strands are to be seen";
    // What is drawn is what was counted.
    EXPECT_EQ(window->viewport().submittedTriangles(), window->viewport().exact().total.triangles);
    window->bench().strands.setDeviation(own().id, 1, 0.0001);
    waitForJobs();
    ASSERT_TRUE(settled());
    EXPECT_EQ(window->viewport().submittedTriangles(), window->viewport().exact().total.triangles);
    // Thinned to nothing, nothing is left of them.
    Thinning none = own().strands()->thinning;
    none.keep.points = {{0, 0}};
    window->bench().fields.setThinning(own().id, none, "None");
    ASSERT_TRUE(QTest::qWaitFor(
        [&] { return window->viewport().settled() && window->viewport().exact().total.drawn == 0; }, 60'000));
    EXPECT_LT(unlike(middle()), 0.02);
}

TEST_F(GrowthWindow, the_stages_show_panels_of_their_own) {
    grow(Stage::Gather);
    EXPECT_TRUE(window->findChild<GrowPanel*>()->isVisible());
    window->setStage(Stage::Thin);
    EXPECT_TRUE(window->findChild<StrandLevels*>()->isVisible());
    window->setStage(Stage::Switch);
    EXPECT_TRUE(window->fieldChart().isVisible());
    EXPECT_TRUE(window->findChild<FieldPanel*>()->isVisible());
}

TEST_F(GrowthWindow, a_number_typed_in_gather_grows_anew) {
    grow(Stage::Gather);
    const std::size_t before = own().strands()->strands->size();
    auto* density = named<NumberBox>("growDensity");
    density->setFocus();
    density->selectAll();
    QTest::keyClicks(density, QString::number(density->value() / 2));
    QTest::keyClick(density, Qt::Key_Return);
    waitForJobs();
    EXPECT_NEAR(static_cast<double>(own().strands()->strands->size()), 0.5 * static_cast<double>(before),
                0.03 * static_cast<double>(before));
    steps().undo();
    EXPECT_EQ(own().strands()->strands->size(), before);
}

TEST_F(GrowthWindow, a_width_and_a_unit_are_chosen_for_lines_that_say_nothing_of_them) {
    const fs::path file = folder.path() / "hair.obj";
    ASSERT_TRUE(writeTextFile(file, "v 0 0 0\nv 0 10 0\nv 5 0 0\nv 5 20 0\nl 1 2\nl 3 4\n"));
    window->open({text(file)});
    waitForJobs();
    window->setStage(Stage::Gather);
    auto* width = named<NumberBox>("strandsWidth");
    ASSERT_TRUE(width->isVisible());
    auto* unit = named<ChoiceBox>("strandsUnit");
    EXPECT_EQ(unit->currentText(), "m");
    unit->setFocus();
    QTest::keyClick(unit, Qt::Key_Up);
    waitForJobs();
    EXPECT_EQ(unit->currentText(), "cm");
    EXPECT_NEAR(own().strands()->places.meanLength, 0.15, 1e-6);
    width->setFocus();
    width->selectAll();
    QTest::keyClicks(width, "0.2");
    QTest::keyClick(width, Qt::Key_Return);
    waitForJobs();
    EXPECT_NEAR(own().strands()->places.meanWidth, 0.0002, 1e-9);
    steps().undo();
    EXPECT_NEAR(own().strands()->places.meanWidth, 0.004, 1e-9);
    EXPECT_NEAR(width->value(), 4, 1e-9);
    // Without its file nothing comes of it, and the field says so.
    fs::remove(file);
    unit->setFocus();
    QTest::keyClick(unit, Qt::Key_Up);
    waitForJobs();
    EXPECT_EQ(unit->currentText(), "cm");
}

TEST_F(GrowthWindow, a_handle_of_keep_is_dragged_and_the_measured_cover_follows) {
    grow(Stage::Switch);
    FieldChart& chart = window->fieldChart();
    ASSERT_TRUE(QTest::qWaitFor([&] { return !window->bench().strands.cover(own().id).empty(); }, 60'000));
    const Thinning before = own().strands()->thinning;
    const int at = steps().index();
    const QPoint from = chart.place(FieldChart::Curve::Keep, 1).toPoint();
    drag(&chart, from, from + QPoint(30, 6));
    EXPECT_EQ(steps().index(), at + 1);
    EXPECT_GT(own().strands()->thinning.keep.points[1].metres, before.keep.points[1].metres);
    ASSERT_TRUE(QTest::qWaitFor([&] { return !window->bench().session.looks().busy(); }, 60'000));
    EXPECT_FALSE(window->bench().strands.cover(own().id).empty());
}

TEST_F(GrowthWindow, a_switch_of_strands_is_dragged_on_the_chart) {
    grow(Stage::Switch);
    FieldChart& chart = window->fieldChart();
    const View view = window->bench().session.scene().statedView();
    const double before = ownChainOf(own(), view)->fromMetres[1];
    const QPoint from = chart.switchPlace(1).toPoint();
    drag(&chart, from, from + QPoint(8, 0));
    EXPECT_GT(ownChainOf(own(), view)->fromMetres[1], before);
    EXPECT_TRUE(own().strands()->levels[1].fixed.has_value());
}

TEST_F(GrowthWindow, cards_become_the_last_level_and_the_meadow_looks_alike) {
    grow(Stage::Thin);
    auto* make = named<QPushButton>("makeStrandCards");
    ASSERT_NE(make, nullptr);
    const std::size_t levels = own().strands()->levels.size();
    make->click();
    waitForJobs();
    ASSERT_EQ(own().strands()->levels.size(), levels + 1);
    EXPECT_EQ(own().strands()->levels.back().perCard, kUsualPerCard);
    EXPECT_FALSE(make->isEnabled()) << "there is one such level";
    // One more of lines comes before it.
    window->bench().strands.setDeviation(own().id, 1, 1e-5);
    waitForJobs();
    EXPECT_EQ(own().strands()->levels.back().perCard, kUsualPerCard);
    window->bench().session.selectLevel(static_cast<int>(levels));
    auto* per = named<NumberBox>("strandsPerCard");
    ASSERT_NE(per, nullptr);
    ASSERT_TRUE(per->isVisible());
    per->setFocus();
    per->selectAll();
    QTest::keyClicks(per, QStringLiteral("8"));
    QTest::keyClick(per, Qt::Key_Return);
    waitForJobs();
    EXPECT_EQ(own().strands()->levels.back().perCard, 8U);
    // All of it as cards, and all of it as it is.
    window->setStage(Stage::Switch);
    window->viewport().setShotView({0, 1.6, 30}, {0, 0, 0});
    ASSERT_TRUE(settled());
    const double lines = unlike(middle());
    for (int l = 1; l <= static_cast<int>(levels); ++l) { // none comes in before the one before it
        window->bench().switching.setSwitchDistance(own().id, l, 0.1 * l);
        waitForJobs();
    }
    ASSERT_TRUE(settled());
    EXPECT_EQ(window->viewport().exact().total.fading, 0U) << "what rests has switched";
    EXPECT_EQ(window->viewport().submittedTriangles(), window->viewport().exact().total.triangles);
    EXPECT_LT(window->viewport().submittedTriangles(), 2.0 * static_cast<double>(own().strands()->strands->size()) / 7);
    EXPECT_NEAR(unlike(middle()), lines, 0.15 * lines + 0.02);
    while (steps().canUndo() && own().strands()->levels.size() > levels)
        steps().undo();
    EXPECT_EQ(own().strands()->levels.size(), levels);
    EXPECT_TRUE(make->isEnabled());
}

TEST_F(GrowthWindow, smoke_is_drawn_with_its_levels_side_by_side) {
    makeSmoke(Stage::Thin);
    EXPECT_TRUE(window->findChild<EmitterLevels*>()->isVisible());
    EXPECT_GT(unlike(middle()), 0.01) << "smoke is to be seen";
    const std::uint64_t one = window->viewport().submittedTriangles();
    window->arrange(Arrangement::LineUp);
    window->viewport().frameSelection();
    ASSERT_TRUE(settled());
    EXPECT_GT(window->viewport().submittedTriangles(), one) << "both levels";
    // The same moment looks the same, another one otherwise.
    window->viewport().setEffectTime(9);
    ASSERT_TRUE(settled());
    const QImage first = window->viewport().grabFramebuffer();
    window->viewport().setEffectTime(9.5);
    ASSERT_TRUE(settled());
    EXPECT_NE(window->viewport().grabFramebuffer(), first);
    window->viewport().setEffectTime(9);
    ASSERT_TRUE(settled());
    EXPECT_EQ(window->viewport().grabFramebuffer(), first);
}

TEST_F(GrowthWindow, a_click_on_smoke_chooses_its_emitter_and_one_beside_it_does_not) {
    openBall();
    const std::uint32_t ball = own().id;
    window->bench().emitters.makeNew({40, 0, 0});
    waitForJobs();
    const Subject& smoke = window->bench().session.scene().subjects.back();
    ASSERT_NE(smoke.emitter(), nullptr);
    window->setStage(Stage::Switch);
    Viewport& viewport = window->viewport();
    const Bounds box = seenBounds(smoke.emitter()->emitter.parts, smoke.emitter()->emitter.seed);
    const Vec3d middle = Vec3d(40, 0, 0) + box.centre();
    viewport.setShotView(middle + Vec3d(0, 0, 2 * box.diagonal()), middle);
    ASSERT_TRUE(settled());
    const auto clickAt = [&](const QPoint& at) {
        window->bench().session.selectSubject(ball);
        QTest::mouseClick(&viewport, Qt::LeftButton, {}, at);
        return window->bench().session.subjectId();
    };
    const QPoint centre(viewport.width() / 2, viewport.height() / 2);
    EXPECT_EQ(clickAt(centre), smoke.id);
    EXPECT_EQ(clickAt({viewport.width() - 12, viewport.height() / 2}), ball) << "there is nothing";
    // What stands before it is what is meant.
    viewport.setShotView({-30, 0.2, 0}, {0, 0, 0});
    ASSERT_TRUE(settled());
    window->bench().session.selectSubject(smoke.id);
    QTest::mouseClick(&viewport, Qt::LeftButton, {}, centre);
    EXPECT_EQ(window->bench().session.subjectId(), ball);
}

TEST_F(GrowthWindow, a_typed_value_becomes_the_levels_own_and_its_button_gives_it_back) {
    makeSmoke(Stage::Thin);
    QTest::mouseClick(named<FigureCard>("levelCard1"), Qt::LeftButton);
    ASSERT_EQ(window->bench().session.level(), 1);
    auto* back = named<QPushButton>("own-size");
    EXPECT_EQ(back->text(), "from L0");
    EXPECT_FALSE(back->isEnabled());
    EXPECT_TRUE(window->bench().emitters.setNumber(own().id, 1, 0, PartValue::Size, {2, 3}));
    EXPECT_TRUE(back->isEnabled());
    QTest::mouseClick(back, Qt::LeftButton);
    EXPECT_FALSE(own().emitter()->emitter.levels[1].parts[0].size.has_value());
    QTest::mouseClick(named<QPushButton>("addEmitterLevel"), Qt::LeftButton);
    EXPECT_EQ(own().emitter()->emitter.levels.size(), 3U);
    EXPECT_EQ(window->bench().session.level(), 2) << "the new level is looked at";
}

TEST_F(GrowthWindow, a_switch_of_an_emitter_is_dragged_and_walked_past) {
    makeSmoke(Stage::Switch);
    EmitterChart& chart = window->emitterChart();
    ASSERT_TRUE(chart.isVisible());
    const double before = own().emitter()->emitter.levels[1].from.value;
    const int at = steps().index();
    const QPoint from = chart.switchPlace(1).toPoint();
    drag(&chart, from, from + QPoint(40, 0));
    const double moved = own().emitter()->emitter.levels[1].from.value;
    EXPECT_GT(moved, before);
    EXPECT_EQ(steps().index(), at + 1);
    window->viewport().standAt(0.8 * moved);
    ASSERT_TRUE(QTest::qWaitFor([&] { return window->viewport().reading().level == 0; }, 60'000));
    window->viewport().standAt(1.3 * moved);
    ASSERT_TRUE(QTest::qWaitFor([&] { return window->viewport().reading().level == 1; }, 60'000));
}

TEST_F(GrowthWindow, switches_of_smoke_go_with_its_reach_once_they_are_shares_of_it) {
    makeSmoke(Stage::Switch);
    auto* unit = named<Segmented>("emitterUnit");
    auto rule = own().rule;
    rule.reachMetres = 0;
    window->bench().switching.setRule(own().id, rule, QStringLiteral("No reach"));
    EXPECT_FALSE(unit->isEnabled()) << "of what has no end there are no shares";
    rule.reachMetres = 200;
    window->bench().switching.setRule(own().id, rule, QStringLiteral("Reach"));
    ASSERT_TRUE(unit->isEnabled());
    const auto from = [&] { return ownChainOf(own(), window->bench().session.scene().statedView())->fromMetres[1]; };
    const double before = from();
    window->bench().switching.setDecideBy(own().id, DecideBy::ShareOfReach);
    EXPECT_NEAR(from(), before, 1e-6);
    EXPECT_EQ(unit->current(), 1);
    rule = own().rule;
    rule.reachMetres = 400;
    window->bench().switching.setRule(own().id, rule, QStringLiteral("Reach"));
    EXPECT_NEAR(from(), 2 * before, 1e-6);
}

TEST_F(GrowthWindow, pops_of_smoke_are_listed_and_moved_to_where_nobody_sees_them) {
    makeSmoke(Stage::Switch);
    PopsModel& pops = window->bench().pops;
    pops.look();
    ASSERT_TRUE(QTest::qWaitFor([&] { return pops.waiting() == 0; }, 60'000));
    const std::size_t all = own().emitter()->emitter.levels.size() - 1;
    ASSERT_EQ(pops.pops().size(), all);
    EXPECT_TRUE(pops.pops()[0].score->cloud);
    const int level = pops.pops()[0].place.level;
    const double before = pops.pops()[0].place.key.metres;
    pops.smoothLater(own().id, level, 2);
    EXPECT_NEAR(own().emitter()->emitter.levels[static_cast<std::size_t>(level)].from.value, 2 * before, 0.1);
    pops.smoothUnseen({own().id}, std::nullopt);
    waitForJobs();
    ASSERT_TRUE(QTest::qWaitFor([&] { return pops.waiting() == 0 && pops.pops().size() == all; }, 60'000));
}

TEST_F(GrowthWindow, strands_without_their_lines_hold_up_no_stage_and_grow_again) {
    grow(Stage::Gather);
    const fs::path project = folder.path() / "a.thicket.json";
    window->bench().files.saveProject(text(project));
    waitForJobs();
    fs::remove_all(folder.path() / "a.levels");
    window->open({text(project)});
    waitForJobs();
    ASSERT_FALSE(own().strands()->strands);
    window->bench().session.selectSubject(own().id);
    for (const Stage stage : {Stage::Thin, Stage::Switch, Stage::Budget, Stage::Ship, Stage::Gather}) {
        window->setStage(stage);
        window->viewport().frameSelection();
        window->viewport().walkBack();
        QTest::qWait(60);
        window->viewport().stopWalk();
    }
    auto* again = named<QPushButton>("growAgain");
    EXPECT_EQ(again->text(), "Grow again");
    EXPECT_FALSE(named<QPushButton>("relinkStrands")->isVisible()) << "there is no file to point to";
    QTest::mouseClick(again, Qt::LeftButton);
    waitForJobs();
    ASSERT_TRUE(own().strands()->strands);
    EXPECT_EQ(again->text(), "Another seed");
}

TEST_F(GrowthWindow, what_culling_saves_is_counted_beside_the_window) {
    grow(Stage::Switch);
    window->viewport().setShotView({0, 1.6, 14}, {0, 0, 60}); // looking away
    auto* box = named<QCheckBox>("fieldView0");
    ASSERT_TRUE(
        QTest::qWaitFor([&] { return box->text().contains("saves") && !box->text().contains("saves 0"); }, 60'000))
        << box->text().toStdString();
    EXPECT_GT(window->viewport().cullingSaves()()[0], 0U);
}

TEST_F(GrowthWindow, the_thinned_picture_covers_what_the_whole_one_does) {
    grow(Stage::Switch);
    // Thin and far: strands of less than a pixel, a few of which are kept, several times as wide.
    Thinning held = own().strands()->thinning;
    held.keep.points = {{6, 1}, {14, 0.35}, {60, 0.15}};
    held.growAtMost = 8;
    window->bench().fields.setThinning(own().id, held, "Thin");
    Viewport& view = window->viewport();
    for (const double metres : {12.0, 18.0, 26.0}) {
        view.setShotView({0, 0.25 * metres, metres}, {0, 0.1, 0});
        double cover[3] = {};
        for (int way = 0; way < 3; ++way) { // whole, held, and thinned without growing
            SelectOptions options;
            options.thinOut = way > 0;
            view.setCulling(options);
            Thinning thinning = held;
            thinning.growAtMost = way == 2 ? 1 : held.growAtMost;
            window->bench().fields.setThinning(own().id, thinning, "Grow");
            ASSERT_TRUE(settled());
            const QSize size = view.size();
            cover[way] = unlike({size.width() / 3, size.height() * 45 / 100, size.width() / 3, size.height() / 8});
        }
        EXPECT_GT(cover[0], 0.1) << metres;
        EXPECT_NEAR(cover[1] / cover[0], 1, 0.12) << metres;
        EXPECT_LT(cover[2] / cover[0], 0.8) << "what is not made up for is missed at " << metres;
    }
}

} // namespace thicket::app
