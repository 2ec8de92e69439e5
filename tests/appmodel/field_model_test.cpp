// Fields without a window: scattered in the background, edited meanwhile, undone.

#include "appmodel/model_fixture.h"
#include "base/file.h"
#include "io/import/import.h"
#include "io/ship/write_glb.h"
#include "support/shapes.h"

#include <QTest>
#include <gtest/gtest.h>

namespace thicket::app {
namespace {

class Fields : public ModelTest {
protected:
    void SetUp() override {
        Surfaces surfaces;
        surfaces.materials.emplace_back();
        for (const char* name : {"reed", "post"}) {
            const auto file = folder.path() / (std::string(name) + ".glb");
            ASSERT_TRUE(writeFile(file, encodeGlb(name, {std::make_shared<const Mesh>(shapes::texturedSphere(16, 8))},
                                                  surfaces, GlbLevels::Named, {})));
            files << QString::fromStdString(file.string());
        }
        bench.files.openFiles(files);
        settle();
        ASSERT_EQ(scene().subjects.size(), 2U);
    }
    void scatterBoth() {
        bench.fields.scatterNew({scene().subjects[0].id, scene().subjects[1].id});
        settle();
        ASSERT_EQ(scene().subjects.size(), 3U);
        id = scene().subjects.back().id;
    }
    [[nodiscard]] const InstancesBody& body() const { return *scene().find(id)->instances(); }

    QStringList files;
    std::uint32_t id = 0;
};

} // namespace

TEST_F(Fields, only_the_last_of_many_changes_is_scattered_and_it_is_one_step) {
    scatterBoth();
    const int steps = bench.session.document.undo().index();
    for (int i = 2; i <= 9; ++i) {
        ScatterRecipe recipe = *bench.fields.recipe(id);
        recipe.seed = static_cast<std::uint32_t>(i);
        bench.fields.setRecipe(id, recipe, "Another seed");
        EXPECT_EQ(bench.fields.recipe(id)->seed, static_cast<std::uint32_t>(i))
            << "what was asked for is shown at once";
    }
    EXPECT_TRUE(bench.fields.scattering(id));
    settle();
    EXPECT_FALSE(bench.fields.scattering(id));
    EXPECT_EQ(body().recipe->seed, 9U);
    EXPECT_LE(bench.session.document.undo().index(), steps + 2) << "those that were overtaken leave nothing";
}

TEST_F(Fields, what_is_changed_while_it_scatters_stays) {
    scatterBoth();
    ScatterRecipe recipe = *bench.fields.recipe(id);
    recipe.density *= 2;
    const std::size_t before = body().copies->size();
    bench.fields.setRecipe(id, recipe, "Denser");
    Thinning thinning;
    thinning.keep.points = {{5, 1}, {50, 0.2}};
    bench.fields.setThinning(id, thinning, "Thin");
    bench.files.renameSubject(id, "Shore");
    settle();
    EXPECT_NEAR(static_cast<double>(body().copies->size()), 2.0 * static_cast<double>(before),
                0.1 * static_cast<double>(before));
    EXPECT_EQ(body().thinning, thinning);
    EXPECT_EQ(scene().find(id)->name, "Shore");
}

TEST_F(Fields, a_mesh_that_goes_while_it_is_scattered_is_not_brought_back) {
    scatterBoth();
    ScatterRecipe recipe = *bench.fields.recipe(id);
    recipe.seed = 77;
    const std::uint32_t gone = scene().subjects.front().id;
    bench.fields.setRecipe(id, recipe, "Another seed");
    bench.files.removeSubject(gone);
    settle();
    EXPECT_EQ(body().assets.size(), 1U);
    for (const Placement& p : *body().copies)
        EXPECT_EQ(p.asset, 0U);
}

TEST_F(Fields, a_recipe_that_leaves_nothing_is_said_and_changes_nothing) {
    scatterBoth();
    const SharedPlacements before = body().copies;
    ScatterRecipe recipe = *bench.fields.recipe(id);
    recipe.leastHeight = 500;
    recipe.mostHeight = 600;
    bench.fields.setRecipe(id, recipe, "Too high");
    settle();
    EXPECT_EQ(body().copies, before);
    ASSERT_FALSE(said.isEmpty());
    EXPECT_TRUE(said.back().contains("no place")) << said.back().toStdString();
    EXPECT_LT(bench.fields.recipe(id)->leastHeight, 0) << "the recipe shown is the field's again";
}

TEST_F(Fields, a_recipe_goes_into_another_project_by_the_names_of_its_meshes) {
    scatterBoth();
    const Placements before = *body().copies;
    const QString file = QString::fromStdString((folder.path() / "shore.recipe.json").string());
    bench.fields.saveRecipe(id, file);
    bench.files.newProject();
    settle();
    bench.fields.openRecipe(file);
    settle();
    EXPECT_TRUE(scene().subjects.empty());
    ASSERT_FALSE(said.isEmpty());
    EXPECT_TRUE(said.back().contains("no mesh called")) << said.back().toStdString();
    bench.files.openFiles({files[1], files[0]}); // their ids are others now
    settle();
    bench.fields.openRecipe(file);
    settle();
    ASSERT_EQ(scene().subjects.size(), 3U);
    const Placements& after = *scene().subjects.back().instances()->copies;
    ASSERT_EQ(after.size(), before.size());
    for (std::size_t i = 0; i < after.size(); ++i)
        ASSERT_EQ(after[i].position, before[i].position);
}

TEST_F(Fields, rows_that_cannot_be_placed_wait_for_a_decision) {
    const auto file = folder.path() / "t.csv";
    ASSERT_TRUE(writeTextFile(file, "asset,x,y,z,id\nreed,1,0,0,900\nreed,nan,0,0,901\nhut,0,0,0,902\n"));
    qulonglong bad = 0;
    QObject::connect(&bench.fields, &FieldModel::rowsRefused,
                     [&](const QString&, qulonglong count, qulonglong, const QString&) { bad = count; });
    const QString path = QString::fromStdString(file.string());
    bench.fields.importTable(path);
    settle();
    EXPECT_TRUE(QTest::qWaitFor([&] { return bad == 2; }, 60'000));
    EXPECT_EQ(scene().subjects.size(), 2U);
    bench.fields.importTable(path, true);
    settle();
    ASSERT_EQ(scene().subjects.size(), 3U);
    EXPECT_EQ(scene().subjects.back().instances()->copies->front().id, 900U);
    bench.fields.importTable(path, true); // ids that clash
    settle();
    ASSERT_EQ(scene().subjects.size(), 4U);
    EXPECT_NE(scene().subjects.back().instances()->copies->front().id, 900U);
    EXPECT_TRUE(said.back().contains("ids")) << said.back().toStdString();
}

TEST_F(Fields, switches_are_set_for_all_assets_and_freed_again) {
    scatterBoth();
    bench.thin.thinToRoles({scene().subjects[0].id, scene().subjects[1].id});
    settle();
    const auto from = [&] {
        return chainIn(*scene().find(id), scene().subjects[0], scene().statedView()).fromMetres.at(1);
    };
    const double free = from();
    bench.fields.setSwitch(id, 1, free * 2);
    EXPECT_NEAR(from(), free * 2, 0.01 * free);
    SwitchRule rule = scene().find(id)->rule;
    rule.importance = 3;
    bench.switching.setRule(id, rule, "Importance");
    bench.fields.setSwitch(id, 1, free * 2);
    EXPECT_NEAR(from(), free * 2, 0.01 * free) << "a place is where it is in force";
    rule.importance = 1;
    bench.switching.setRule(id, rule, "Importance");
    EXPECT_TRUE(body().fixed.at(1).has_value());
    bench.fields.clearSwitch(id, 1);
    EXPECT_NEAR(from(), free, 1e-9);
}

TEST_F(Fields, what_a_table_placed_stands_on_the_ground_in_one_step) {
    const auto table = folder.path() / "places.csv";
    ASSERT_TRUE(writeTextFile(table, "asset,x,y,z\nreed,1,-50,2\npost,5,900,-3\nreed,80000,7,1\n"));
    bench.fields.importTable(QString::fromStdString(table.string()));
    settle();
    ASSERT_EQ(scene().subjects.size(), 3U);
    id = scene().subjects.back().id;
    const auto before = body().copies;
    const int steps = document().undo().count();
    bench.grounds.standOnGround(id);
    settle();
    EXPECT_TRUE(said.back().contains("no ground")) << said.back().toStdString();
    EXPECT_EQ(body().copies, before) << "there is no ground yet";
    EXPECT_EQ(document().undo().count(), steps);
    bench.grounds.makeTrial(400);
    settle();
    bench.grounds.standOnGround(id);
    settle();
    const Heights& ground = *scene().subjects.back().terrain()->heights;
    ASSERT_EQ(body().copies->size(), 3U);
    for (const Placement& copy : *body().copies) {
        const auto height = ground.heightAt(copy.position.x(), copy.position.z());
        EXPECT_EQ(height.has_value(), copy.position.x() < 1000);
        EXPECT_DOUBLE_EQ(copy.position.y(), height.value_or(7));
    }
    EXPECT_LT(scene().find(id)->bounds.high.y(), 800) << "its bounds follow";
    EXPECT_TRUE(said.back().contains("1 of its copies")) << said.back().toStdString();
    document().undo().undo();
    EXPECT_EQ(body().copies, before);
}

TEST_F(Fields, what_they_are_made_of_is_not_taken_apart) {
    ASSERT_TRUE(writeTextFile(folder.path() / "two.obj",
                              "o a\nv 0 0 0\nv 1 0 0\nv 0 2 0\nf 1 2 3\no b\nv 5 0 0\nv 6 0 0\nv 5 2 0\nf 4 5 6\n"));
    bench.files.openFiles({QString::fromStdString((folder.path() / "two.obj").string())});
    settle();
    const std::uint32_t two = scene().subjects.back().id;
    bench.fields.scatterNew({two});
    settle();
    ASSERT_NE(scene().subjects.back().instances(), nullptr);
    const std::size_t copies = scene().subjects.back().instances()->copies->size();
    said.clear();
    bench.files.takeApart(two);
    settle();
    EXPECT_NE(scene().findMesh(two), nullptr);
    EXPECT_EQ(scene().subjects.back().instances()->copies->size(), copies);
    EXPECT_TRUE(said.join(' ').contains("take it out of that field first")) << said.join(' ').toStdString();
}

} // namespace thicket::app
