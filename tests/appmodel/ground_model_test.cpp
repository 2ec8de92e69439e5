// Ground without a window: heights in, strokes as steps, what stands on it follows.

#include "appmodel/model_fixture.h"
#include "base/file.h"
#include "io/ship/ship_terrain.h"
#include "io/ship/write_glb.h"
#include "scene/fields.h"
#include "support/shapes.h"

#include <QTest>
#include <gtest/gtest.h>

namespace thicket::app {
namespace {

class Grounds : public ModelTest {
protected:
    void SetUp() override {
        GroundRecipe recipe;
        recipe.columns = recipe.rows = 129;
        file = folder.path() / "bed.tif";
        ASSERT_TRUE(writeHeightsTiff(makeHeights(recipe), file, {}));
        bench.grounds.importHeights(QString::fromStdString(file.string()), {});
        idle();
        ASSERT_EQ(scene().subjects.size(), 1U);
        id = scene().subjects[0].id;
    }
    void idle() {
        ASSERT_TRUE(
            QTest::qWaitFor([&] { return !bench.session.jobs().busy() && !bench.session.looks().busy(); }, 60'000));
        QCoreApplication::processEvents();
    }
    void stroke(BrushKind kind, double strength) {
        bench.grounds.beginStroke(id, kind, 12, strength, {-20, 0, 0});
        for (int x = -18; x <= 20; x += 2)
            bench.grounds.goOnWithStroke(Vec3d(x, 0, 0));
        bench.grounds.endStroke();
    }
    /// A mesh that stands in these places.
    void addPosts(Placements places) {
        Subject post;
        post.name = "Post";
        MeshBody mesh;
        Level level;
        level.mesh = std::make_shared<const Mesh>(shapes::texturedSphere(8, 4));
        level.origin = LevelOrigin::Source;
        mesh.levels = {level};
        mesh.surfaces = std::make_shared<const Surfaces>();
        mesh.placed = std::make_shared<const Placements>(std::move(places));
        post.body = std::move(mesh);
        refreshSubject(post);
        bench.session.document.push(addSubjects(scene(), {post}, "Add a post"));
    }
    [[nodiscard]] const TerrainBody& body() const { return *scene().find(id)->terrain(); }
    [[nodiscard]] double heightAt(double x, double z) const { return *body().heights->heightAt(x, z); }

    std::filesystem::path file;
    std::uint32_t id = 0;
};

} // namespace

TEST_F(Grounds, a_stroke_is_one_step_and_undo_brings_the_ground_back) {
    const auto before = body().heights;
    const int steps = bench.session.document.undo().index();
    stroke(BrushKind::Raise, 4);
    EXPECT_EQ(bench.session.document.undo().index(), steps + 1);
    EXPECT_EQ(body().strokes.size(), 1U);
    EXPECT_NEAR(heightAt(0, 0), *before->heightAt(0, 0) + 4, 1e-4);
    EXPECT_GT(bench.grounds.strokeTiles(), 0U);
    bench.session.document.undo().undo();
    EXPECT_EQ(body().heights, before) << "the very array";
    bench.session.document.undo().redo();
    EXPECT_NEAR(heightAt(0, 0), *before->heightAt(0, 0) + 4, 1e-4);
    bench.grounds.beginStroke(id, BrushKind::Lower, 9, 2, {30, 0, 30});
    bench.grounds.cancelStroke();
    EXPECT_EQ(body().strokes.size(), 1U);
}

TEST_F(Grounds, what_stands_on_it_follows_a_stroke_in_the_same_step) {
    Placement standing;
    standing.position = {2, heightAt(2, 1), 1};
    Placement flying = standing;
    flying.position.y() += 9;
    Placement away = standing;
    away.position = {50, heightAt(50, 50), 50};
    addPosts({standing, flying, away});
    const int steps = bench.session.document.undo().index();
    stroke(BrushKind::Raise, 3);
    EXPECT_EQ(bench.session.document.undo().index(), steps + 1);
    const Placements& now = *scene().subjects.back().mesh().placed;
    EXPECT_NEAR(now[0].position.y(), heightAt(2, 1), 1e-6);
    EXPECT_EQ(now[1].position.y(), flying.position.y());
    EXPECT_EQ(now[2].position.y(), away.position.y());
    bench.session.document.undo().undo();
    EXPECT_EQ((*scene().subjects.back().mesh().placed)[0].position.y(), standing.position.y());
    EXPECT_TRUE(body().strokes.empty());
}

TEST_F(Grounds, what_floats_is_put_on_the_ground_as_one_step) {
    Placement floating;
    floating.position = {7, 90, -11};
    Placement beside = floating;
    beside.position = {900, 5, 0};
    addPosts({floating, beside});
    const int steps = bench.session.document.undo().index();
    bench.grounds.standOnGround(scene().subjects.back().id);
    idle();
    EXPECT_EQ(bench.session.document.undo().index(), steps + 1);
    const Placements& now = *scene().subjects.back().mesh().placed;
    EXPECT_NEAR(now[0].position.y(), heightAt(7, -11), 1e-9);
    EXPECT_EQ(now[1].position.y(), 5) << "beside the ground it stays";
    ASSERT_FALSE(said.isEmpty());
    EXPECT_TRUE(said.last().contains(QStringLiteral("1 of its copies")));
    bench.grounds.standOnGround(scene().subjects.back().id);
    idle();
    EXPECT_EQ(bench.session.document.undo().index(), steps + 1) << "nothing moves a second time";
    EXPECT_TRUE(said.last().contains(QStringLiteral("already"))) << said.last().toStdString();
}

TEST_F(Grounds, a_new_field_is_scattered_on_it_and_its_recipe_finds_it_by_name) {
    Surfaces surfaces;
    surfaces.materials.emplace_back();
    const auto stone = folder.path() / "stone.glb";
    ASSERT_TRUE(writeFile(stone, encodeGlb("stone", {std::make_shared<const Mesh>(shapes::texturedSphere(8, 4))},
                                           surfaces, GlbLevels::Named, {})));
    bench.files.openFiles({QString::fromStdString(stone.string())});
    idle();
    bench.fields.scatterNew({scene().subjects.back().id});
    idle();
    ASSERT_EQ(scene().subjects.size(), 3U);
    const std::uint32_t field = scene().subjects.back().id;
    ASSERT_NE(bench.fields.recipe(field), nullptr);
    EXPECT_EQ(bench.fields.recipe(field)->surface, id);
    const auto onGround = [&](const Subject& of) {
        for (const Placement& p : *of.instances()->copies)
            EXPECT_NEAR(p.position.y(), heightAt(p.position.x(), p.position.z()), 1e-9);
    };
    onGround(scene().subjects.back());
    const QString recipe = QString::fromStdString((folder.path() / "stones.recipe.json").string());
    bench.fields.saveRecipe(field, recipe);
    idle();
    bench.fields.openRecipe(recipe);
    idle();
    ASSERT_EQ(scene().subjects.size(), 4U) << said.join(QStringLiteral("; ")).toStdString();
    onGround(scene().subjects.back());
    // A stroke takes the field with it, in the same step.
    const int steps = bench.session.document.undo().index();
    stroke(BrushKind::Raise, 5);
    EXPECT_EQ(bench.session.document.undo().index(), steps + 1);
    onGround(scene().subjects.back());
}

TEST_F(Grounds, tiles_of_another_size_are_made_in_the_background) {
    for (const std::uint32_t cells : {16U, 32U, 8U})
        bench.grounds.setTileSize(id, cells);
    idle();
    EXPECT_EQ(body().cells, 8U);
    EXPECT_EQ(body().tree->cells, 8U);
    bench.session.document.undo().undo();
    EXPECT_NE(body().cells, 8U);
}

TEST_F(Grounds, a_project_keeps_its_strokes_and_says_when_its_heights_have_changed) {
    stroke(BrushKind::Flatten, 1);
    const std::string hash = hashOf(*body().heights);
    const auto project = folder.path() / "ground.thicket.json";
    ASSERT_TRUE(writeProject(scene(), project, true));
    auto back = readProject(project, {});
    ASSERT_TRUE(back) << back.error().text();
    EXPECT_TRUE(back->problems.empty());
    ASSERT_EQ(back->scene.subjects.size(), 1U);
    EXPECT_EQ(hashOf(*back->scene.subjects[0].terrain()->heights), hash);
    EXPECT_EQ(back->scene.subjects[0].bounds.high, scene().subjects[0].bounds.high);
    GroundRecipe other;
    other.columns = other.rows = 129;
    other.seed = 9;
    ASSERT_TRUE(writeHeightsTiff(makeHeights(other), file, {}));
    back = readProject(project, {});
    ASSERT_TRUE(back);
    ASSERT_EQ(back->problems.size(), 1U);
    EXPECT_NE(back->problems[0].text().find("changed"), std::string::npos);
    std::filesystem::remove(file);
    back = readProject(project, {});
    ASSERT_TRUE(back);
    ASSERT_EQ(back->problems.size(), 1U);
    EXPECT_FALSE(back->scene.subjects[0].terrain()->heights);
    EXPECT_EQ(back->scene.subjects[0].terrain()->strokes.size(), 1U) << "nothing is lost";
    const auto again = folder.path() / "again.thicket.json";
    ASSERT_TRUE(writeProject(back->scene, again, true));
    ASSERT_TRUE(writeTextFile(again, [&] {
        std::string text = *readTextFile(again);
        const auto at = text.find("\"cells\": 64");
        EXPECT_NE(at, std::string::npos);
        return text.replace(at, 11, "\"cells\": 63");
    }()));
    const auto odd = readProject(again, {});
    ASSERT_FALSE(odd);
    EXPECT_NE(odd.error().text().find("cells"), std::string::npos);
}

TEST_F(Grounds, meshes_are_forecast_before_they_are_made) {
    bench.grounds.forecast(id, {{0.1, 0.4}, false, false, {}});
    idle();
    ASSERT_EQ(bench.grounds.forecasts().size(), 2U);
    const auto said0 = bench.grounds.forecasts()[0].count;
    QString written;
    QObject::connect(&bench.grounds, &GroundModel::meshWritten, [&](const QString& path) { written = path; });
    const QString target = QString::fromStdString((folder.path() / "mesh.glb").string());
    bench.grounds.writeMesh(id, {{0.4, 0.1}, false, false, {}}, target);
    idle();
    ASSERT_EQ(written, target);
    bench.files.openFiles({target});
    idle();
    ASSERT_EQ(scene().subjects.size(), 2U);
    const MeshBody& mesh = scene().subjects.back().mesh();
    ASSERT_EQ(mesh.levels.size(), 2U);
    EXPECT_EQ(mesh.levels[0].triangles, said0.triangles);
    EXPECT_LT(mesh.levels[1].triangles, mesh.levels[0].triangles);
}

TEST_F(Grounds, tile_sizes_are_studied_along_the_route) {
    bench.grounds.study(id);
    idle();
    const auto& study = bench.grounds.lastStudy();
    ASSERT_EQ(study.id, id);
    ASSERT_GE(study.result.sizes.size(), 3U);
    for (std::size_t i = 1; i < study.result.sizes.size(); ++i)
        EXPECT_LE(study.result.sizes[i].tiles, study.result.sizes[i - 1].tiles) << "larger tiles are fewer";
    EXPECT_FALSE(study.result.why.empty());
}

TEST_F(Grounds, a_file_that_is_no_heights_changes_nothing) {
    const auto bad = folder.path() / "bad.tif";
    ASSERT_TRUE(writeTextFile(bad, "II*"));
    bench.grounds.importHeights(QString::fromStdString(bad.string()), {});
    idle();
    EXPECT_EQ(scene().subjects.size(), 1U);
    ASSERT_FALSE(said.isEmpty());
    EXPECT_TRUE(said.last().contains(QStringLiteral("bad.tif")));
}

} // namespace thicket::app
