// Strands and emitters without a window: grown in the background, changed by level, undone.

#include "appmodel/model_fixture.h"
#include "base/file.h"
#include "io/project/emitter_file.h"
#include "io/project/recipe_file.h"
#include "io/ship/write_glb.h"
#include "scene/kinds.h"
#include "scene/strand_subject.h"
#include "strands/strand_cards.h"

#include <QTest>
#include <gtest/gtest.h>

namespace thicket::app {
namespace {

class Growth : public ModelTest {
protected:
    void idle() {
        ASSERT_TRUE(
            QTest::qWaitFor([&] { return !bench.session.jobs().busy() && !bench.session.looks().busy(); }, 60'000));
        QCoreApplication::processEvents();
    }
    void grow() {
        bench.strands.growNew(0);
        idle();
        ASSERT_EQ(scene().subjects.size(), 1U) << said.join("; ").toStdString();
        id = scene().subjects.back().id;
    }
    void makeSmoke() {
        bench.emitters.makeNew({1, 2, 3});
        idle();
        ASSERT_EQ(scene().subjects.size(), 1U);
        id = scene().subjects.back().id;
    }
    [[nodiscard]] const StrandsBody& strands() const { return *scene().find(id)->strands(); }
    [[nodiscard]] const Emitter& emitter() const { return scene().find(id)->emitter()->emitter; }
    void undo() { bench.session.document.undo().undo(); }

    std::uint32_t id = 0;
};

} // namespace

TEST_F(Growth, only_the_last_of_many_changes_grows_and_it_is_one_step) {
    grow();
    const auto before = strands().strands;
    const int steps = bench.session.document.undo().index();
    for (int i = 2; i <= 6; ++i) {
        StrandRecipe recipe = *bench.strands.recipe(id);
        recipe.where.seed = static_cast<std::uint32_t>(i);
        bench.strands.setRecipe(id, recipe, "Another seed");
        EXPECT_EQ(bench.strands.recipe(id)->where.seed, static_cast<std::uint32_t>(i));
        EXPECT_EQ(strands().strands, before) << "they stay until the new ones are there";
    }
    idle();
    EXPECT_NE(strands().strands, before);
    EXPECT_EQ(strands().recipe->where.seed, 6U);
    EXPECT_EQ(bench.session.document.undo().index(), steps + 1);
    undo();
    EXPECT_EQ(strands().strands, before);
}

TEST_F(Growth, what_was_changed_while_it_grew_stays) {
    grow();
    StrandRecipe recipe = *bench.strands.recipe(id);
    recipe.where.density *= 0.5;
    bench.strands.setRecipe(id, recipe, "Change the density");
    StrandLook look = strands().look;
    look.vary = 0.77;
    bench.strands.setLook(id, look);
    Thinning thinning = strands().thinning;
    thinning.growAtMost = 3;
    bench.fields.setThinning(id, thinning, "Change the growth");
    idle();
    EXPECT_EQ(strands().recipe->where.density, recipe.where.density);
    EXPECT_EQ(strands().look.vary, 0.77);
    EXPECT_EQ(strands().thinning.growAtMost, 3);
}

TEST_F(Growth, levels_that_were_changed_while_it_grew_are_those_of_what_grew) {
    grow();
    // Levels first, so that growing begins before they are changed: both are asked for at once.
    StrandRecipe recipe = *bench.strands.recipe(id);
    recipe.where.seed = 9;
    bench.strands.setRecipe(id, recipe, "Another seed");
    Subject other = *scene().find(id);
    std::get<StrandsBody>(other.body).levels.pop_back();
    other = *withStrandLevels(other, other.strands()->levels, {});
    other.name = "Marram";
    other.rule.reachMetres = 123;
    bench.session.document.push(changeSubject(scene(), other, "Meanwhile"));
    StrandLook look = strands().look;
    look.vary = 0.11;
    bench.strands.setLook(id, look);
    const std::size_t levels = strands().levels.size();
    idle();
    const Subject& now = *scene().find(id);
    EXPECT_EQ(strands().recipe->where.seed, 9U) << said.join("; ").toStdString();
    EXPECT_EQ(strands().levels.size(), levels);
    EXPECT_EQ(strands().layout.deviations.size(), levels);
    EXPECT_EQ(now.name, "Marram");
    EXPECT_EQ(now.rule.reachMetres, 123);
    EXPECT_EQ(strands().look.vary, 0.11);
}

TEST_F(Growth, a_switch_that_was_moved_while_it_grew_stays_where_it_was_put) {
    grow();
    StrandRecipe recipe = *bench.strands.recipe(id);
    recipe.where.seed = 12;
    bench.strands.setRecipe(id, recipe, "Another seed");
    bench.switching.setSwitchDistance(id, 1, 33);
    ASSERT_TRUE(strands().levels[1].fixed);
    const FixedSwitch put = *strands().levels[1].fixed;
    idle();
    EXPECT_EQ(strands().recipe->where.seed, 12U);
    ASSERT_TRUE(strands().levels[1].fixed);
    EXPECT_EQ(*strands().levels[1].fixed, put);
}

TEST_F(Growth, cards_stay_whatever_grows_and_are_those_of_what_grew) {
    grow();
    ASSERT_TRUE(bench.strands.setCards(id, 20));
    idle();
    ASSERT_EQ(strands().levels.back().perCard, 20U);
    bench.switching.setSwitchDistance(id, static_cast<int>(strands().levels.size()) - 1, 80);
    const auto before = strands().layout.cards;
    ASSERT_TRUE(before);
    for (int change = 0; change < 2; ++change) {
        StrandRecipe recipe = *bench.strands.recipe(id);
        if (change == 0)
            recipe.where.density *= 0.5; // its levels stay
        else
            recipe.length *= 2; // asks for others
        bench.strands.setRecipe(id, recipe, "Grow");
        idle();
        ASSERT_EQ(strands().levels.back().perCard, 20U) << change;
        EXPECT_TRUE(strands().levels.back().fixed) << change;
        ASSERT_TRUE(strands().layout.cards);
        EXPECT_NE(strands().layout.cards, before);
        EXPECT_EQ(strands().layout.cards->count(), strands().strands->size() / 20);
        EXPECT_EQ(strands().levels.back().segments, strands().layout.cards->count());
        EXPECT_EQ(strands().levels.back().deviation, strands().layout.cards->deviation);
    }
    // Too few for that many, and no number at all: nothing changes, and the one who asked hears it.
    const int steps = bench.session.document.undo().index();
    EXPECT_FALSE(bench.strands.setCards(id, static_cast<std::uint32_t>(strands().strands->size())));
    EXPECT_FALSE(bench.strands.setCards(id, 1));
    idle();
    EXPECT_EQ(bench.session.document.undo().index(), steps);
}

TEST_F(Growth, a_level_that_is_asked_for_while_it_grows_is_not_lost) {
    grow();
    const std::size_t count = strands().levels.size();
    bench.strands.removeLevel(id, 1);
    bench.strands.removeLevel(id, 1);
    idle();
    EXPECT_EQ(strands().levels.size(), count - 2) << "one after the other";
}

TEST_F(Growth, colours_are_those_of_the_picture_in_the_list) {
    grow();
    const auto before = strands().likenessSurfaces->materials[0].baseColor;
    StrandLook look = strands().look;
    look.root = look.tip = {0.9F, 0.1F, 0.1F};
    bench.strands.setLook(id, look);
    EXPECT_NE(strands().likenessSurfaces->materials[0].baseColor, before);
    undo();
    EXPECT_EQ(strands().likenessSurfaces->materials[0].baseColor, before);
}

TEST_F(Growth, lines_that_are_not_found_are_pointed_to_again) {
    StrandSet set;
    set.first = {0, 2};
    set.points = {{0, 0, 0}, {0, 1, 0}};
    set.widths = {0.02F, 0.01F};
    const auto file = folder.path() / "rope.glb";
    ASSERT_TRUE(writeFile(file, *encodeLines("rope", set)));
    bench.strands.importLines(QString::fromStdString(file.string()));
    idle();
    const auto project = folder.path() / "a.thicket.json";
    bench.files.saveProject(QString::fromStdString(project.string()));
    ASSERT_TRUE(QTest::qWaitFor([&] { return !bench.session.saves().busy(); }, 60'000));
    std::filesystem::rename(file, folder.path() / "moved.glb");
    bench.files.openProject(QString::fromStdString(project.string()));
    idle();
    ASSERT_EQ(scene().subjects.size(), 1U);
    id = scene().subjects[0].id;
    EXPECT_FALSE(strands().strands);
    EXPECT_TRUE(said.last().contains("point to the file again")) << said.last().toStdString();
    EXPECT_TRUE(bench.strands.cover(id).empty());
    EXPECT_FALSE(bench.strands.addLevel(id));
    bench.strands.relink(id, QString::fromStdString((folder.path() / "moved.glb").string()));
    idle();
    ASSERT_TRUE(strands().strands) << said.join("; ").toStdString();
    EXPECT_EQ(scene().find(id)->source.path.filename(), "moved.glb");
}

TEST_F(Growth, how_a_file_is_read_is_changed_in_one_step_and_undone) {
    const auto file = folder.path() / "hair.obj";
    ASSERT_TRUE(writeTextFile(file, "v 0 0 0\nv 0 10 0\nv 1 20 0\nv 5 0 0\nv 5 9 1\nl 1 2 3\nl 4 5\n"));
    bench.strands.importLines(QString::fromStdString(file.string()));
    idle();
    ASSERT_EQ(scene().subjects.size(), 1U) << said.join("; ").toStdString();
    id = scene().subjects[0].id;
    const StrandSet before = *strands().strands;
    const double length = strands().places.meanLength;
    EXPECT_FALSE(strands().ownWidths);
    const int steps = bench.session.document.undo().index();
    const auto inCentimetres = [](StrandModel::Reading& r) { r.unit = 0.01; };
    bench.strands.readAs(id, inCentimetres, "Change the unit of %1");
    idle();
    EXPECT_NEAR(strands().places.meanLength, length / 100, 1e-6);
    EXPECT_NEAR(strands().places.meanWidth, 0.004, 1e-8) << "metres, whatever the file's lengths are";
    const double high = strands().places.world.size().y();
    bench.strands.readAs(
        id, [](StrandModel::Reading& r) { r.up = Up::MinusZ; }, "Turn %1 upright");
    // While that runs: what is asked for next goes on from it.
    bench.strands.readAs(
        id, [](StrandModel::Reading& r) { r.width = 0.0001; }, "Change the width of %1");
    idle();
    EXPECT_NEAR(strands().places.meanWidth, 0.0001, 1e-9);
    EXPECT_NEAR(strands().places.world.size().z(), high, 0.005) << "but for their width";
    EXPECT_NEAR(strands().places.meanLength, length / 100, 1e-6);
    EXPECT_EQ(bench.session.document.undo().index(), steps + 3);
    for (int i = 0; i < 3; ++i)
        undo();
    EXPECT_EQ(*strands().strands, before);
    EXPECT_EQ(strands().unit, 1);
    std::filesystem::remove(file);
    bench.strands.readAs(id, inCentimetres, "Change the unit of %1");
    idle();
    EXPECT_EQ(*strands().strands, before) << "without their file they stay as they are";
    EXPECT_TRUE(said.last().contains("hair.obj")) << said.last().toStdString();
}

TEST_F(Growth, what_was_grown_and_lost_grows_again_as_it_was) {
    grow();
    const StrandSet before = *strands().strands;
    const auto project = folder.path() / "a.thicket.json";
    bench.files.saveProject(QString::fromStdString(project.string()));
    ASSERT_TRUE(QTest::qWaitFor([&] { return !bench.session.saves().busy(); }, 60'000));
    std::filesystem::remove_all(levelsFolder(project));
    bench.files.openProject(QString::fromStdString(project.string()));
    idle();
    id = scene().subjects[0].id;
    EXPECT_FALSE(strands().strands);
    EXPECT_TRUE(said.last().contains("grow it again")) << said.last().toStdString();
    bench.strands.setRecipe(id, *strands().recipe, "Grow again");
    idle();
    ASSERT_TRUE(strands().strands) << said.join("; ").toStdString();
    EXPECT_EQ(*strands().strands, before);
}

TEST_F(Growth, another_length_asks_for_other_levels) {
    grow();
    const auto before = strands().levels;
    StrandRecipe recipe = *bench.strands.recipe(id);
    recipe.length *= 4;
    bench.strands.setRecipe(id, recipe, "Change the length");
    idle();
    ASSERT_GE(strands().levels.size(), 2U);
    EXPECT_GT(strands().levels[1].deviation, 2 * before[1].deviation);
    EXPECT_EQ(strands().layout.deviations.size(), strands().levels.size());
}

TEST_F(Growth, levels_come_and_go_and_say_what_they_truly_are) {
    grow();
    const std::size_t count = strands().levels.size();
    const auto second = strands().levels[1];
    bench.strands.removeLevel(id, 1);
    idle();
    EXPECT_EQ(strands().levels.size(), count - 1);
    undo();
    EXPECT_EQ(strands().levels[1], second);
    bench.strands.setDeviation(id, 1, 0.004);
    idle();
    EXPECT_LE(strands().levels[1].deviation, 0.004);
    EXPECT_GT(strands().levels[1].segments, second.segments);
    EXPECT_FALSE(bench.strands.addLevel(id)) << "the last is straight lines already";
    bench.strands.removeLevel(id, static_cast<int>(count) - 1);
    idle();
    EXPECT_TRUE(bench.strands.addLevel(id));
    idle();
    EXPECT_LT(strands().levels.back().segments, strands().levels[strands().levels.size() - 2].segments);
    // A switch is set where it was asked for, as for anything else.
    bench.switching.setSwitchDistance(id, 1, 5);
    const auto chain = ownChainOf(*scene().find(id), scene().statedView());
    EXPECT_NEAR(chain->fromMetres[1], 5, 1e-6);
}

TEST_F(Growth, the_cover_is_measured_when_it_is_asked_for_and_again_when_it_may_differ) {
    grow();
    EXPECT_TRUE(bench.strands.cover(id).empty());
    idle();
    const auto held = bench.strands.cover(id);
    ASSERT_GE(held.size(), 5U);
    EXPECT_NEAR(held[held.size() / 2].share(), 1, 0.2);
    Thinning bare = strands().thinning;
    bare.growAtMost = 1;
    bench.fields.setThinning(id, bare, "Grow nothing");
    EXPECT_EQ(bench.strands.cover(id).size(), held.size()) << "the old one stays in sight";
    idle();
    EXPECT_LT(bench.strands.cover(id)[held.size() / 2].share(), 0.8 * held[held.size() / 2].share());
}

TEST_F(Growth, lines_come_in_by_their_file_and_are_there_again_when_the_project_is_opened) {
    StrandSet set;
    set.first = {0, 3, 5};
    set.points = {{0, 0, 0}, {0, 1, 0}, {0.2F, 2, 0}, {1, 0, 0}, {1, 1, 0}};
    set.widths = {0.02F, 0.02F, 0.01F, 0.02F, 0.01F};
    const auto file = folder.path() / "rope.glb";
    ASSERT_TRUE(writeFile(file, *encodeLines("rope", set)));
    bench.files.openFiles({QString::fromStdString(file.string())});
    idle();
    ASSERT_EQ(scene().subjects.size(), 1U) << said.join("; ").toStdString();
    id = scene().subjects[0].id;
    EXPECT_EQ(strands().strands->size(), 2U);
    EXPECT_EQ(bench.strands.recipe(id), nullptr);
    const auto project = folder.path() / "a.thicket.json";
    bench.files.saveProject(QString::fromStdString(project.string()));
    ASSERT_TRUE(QTest::qWaitFor([&] { return !bench.session.saves().busy(); }, 60'000));
    bench.files.openProject(QString::fromStdString(project.string()));
    idle();
    EXPECT_EQ(scene().subjects[0].strands()->strands->points.size(), 5U);
}

TEST_F(Growth, a_recipe_is_kept_and_grows_the_same_elsewhere) {
    grow();
    const auto first = strands().strands;
    const QString file = QString::fromStdString((folder.path() / "grass.strands.json").string());
    bench.strands.saveRecipe(id, file);
    bench.strands.openRecipe(file);
    idle();
    ASSERT_EQ(scene().subjects.size(), 2U) << said.join("; ").toStdString();
    EXPECT_EQ(*scene().subjects[1].strands()->strands, *first);
}

TEST_F(Growth, a_value_of_a_level_becomes_its_own_and_is_inherited_again) {
    makeSmoke();
    bench.emitters.addLevel(id, 0.5);
    ASSERT_EQ(emitter().levels.size(), 3U);
    EXPECT_EQ(scene().find(id)->emitter()->placed->front().position, Vec3d(1, 2, 3));
    EXPECT_TRUE(bench.emitters.setNumber(id, 1, 0, PartValue::Size, {2, 3}));
    EXPECT_EQ(EmitterModel::valueAt(emitter(), 2, 0, PartValue::Size), (Between{2, 3})) << "L2 has it from L1";
    EXPECT_TRUE(bench.emitters.setNumber(id, 2, 0, PartValue::Size, {4, 5}));
    bench.emitters.clear(id, 2, 0, PartValue::Size);
    EXPECT_EQ(EmitterModel::valueAt(emitter(), 2, 0, PartValue::Size), (Between{2, 3}));
    EXPECT_TRUE(bench.emitters.setOn(id, 2, 0, false));
    EXPECT_EQ(emitter().levels[2].parts[0].on, false);
    undo();
    EXPECT_FALSE(emitter().levels[2].parts[0].on.has_value());
    bench.emitters.removeLevel(id, 1);
    EXPECT_EQ(emitter().levels.size(), 2U);
}

TEST_F(Growth, values_that_cannot_be_are_refused_and_why_is_said) {
    makeSmoke();
    const Emitter before = emitter();
    const int steps = bench.session.document.undo().index();
    EXPECT_FALSE(bench.emitters.setNumber(id, 1, 0, PartValue::Rate, {-4, -4}));
    EXPECT_FALSE(bench.emitters.setNumber(id, 0, 0, PartValue::Lifetime, {9, 2}));
    EXPECT_FALSE(bench.emitters.setNumber(id, 1, 0, PartValue::Rate, {1e12, 1e12}));
    EXPECT_EQ(emitter(), before);
    EXPECT_EQ(bench.session.document.undo().index(), steps);
    ASSERT_EQ(said.size(), 3);
    EXPECT_TRUE(said[0].contains("negative")) << said[0].toStdString();
    EXPECT_TRUE(said[1].contains("upside down"));
    EXPECT_TRUE(said[2].contains("particles at its worst"));
}

TEST_F(Growth, what_sets_the_level_is_followed_by_the_chain) {
    makeSmoke();
    bench.emitters.addLevel(id, 0.5);
    const auto from = [&] {
        return ownChainOf(*scene().find(id), scene().statedView(scene().currentDevice()))->fromMetres;
    };
    EXPECT_GT(from()[1], 1);
    bench.emitters.setForced(id, 1);
    EXPECT_EQ(from()[1], 0);
    EXPECT_GT(from()[2], 1e9);
    bench.emitters.setForced(id, std::nullopt);
    bench.emitters.setLevelBy(id, LevelBy::Tier);
    EXPECT_GT(from()[1], 1e9) << "the device is as strong as any";
    bench.emitters.setDeviceTier(2);
    EXPECT_EQ(from()[2], 0);
    undo();
    undo();
    EXPECT_GT(from()[1], 1);
    bench.switching.setSwitchDistance(id, 1, 44);
    EXPECT_NEAR(from()[1], 44, 1e-9);
}

TEST_F(Growth, an_emitter_is_saved_and_read_again) {
    makeSmoke();
    const QString file = QString::fromStdString((folder.path() / "smoke.emitter.json").string());
    bench.emitters.save(id, file);
    bench.emitters.importEmitter(file);
    idle();
    ASSERT_EQ(scene().subjects.size(), 2U) << said.join("; ").toStdString();
    EXPECT_EQ(scene().subjects[1].emitter()->emitter, emitter());
    EXPECT_NE(scene().subjects[1].emitter()->placed->front().id, 0U);
    bench.emitters.placeAt(id, {9, 0, 9});
    EXPECT_EQ(copyCount(*scene().find(id)), 2U);
}

} // namespace thicket::app
