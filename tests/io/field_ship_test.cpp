// A field handed over: tables, instances and rule come back as they were.

#include "base/file.h"
#include "io/import/import.h"
#include "io/import/placement_table.h"
#include "io/project/project.h"
#include "io/project/recipe_file.h"
#include "io/ship/ship.h"
#include "io/ship/ship_field.h"
#include "io/ship/write_glb.h"
#include "io/ship/write_table.h"
#include "scene/fields.h"
#include "support/json_schema.h"
#include "support/shapes.h"
#include "support/temp_folder.h"

#include <gtest/gtest.h>
#include <nlohmann/json.hpp>

namespace thicket {
namespace {
namespace fs = std::filesystem;
using nlohmann::json;

std::shared_ptr<const Mesh> ball(int columns, int rows) {
    Mesh mesh = shapes::texturedSphere(columns, rows);
    dropUnusedVertices(mesh);
    return std::make_shared<const Mesh>(std::move(mesh));
}

Subject meshOf(std::uint32_t id, const char* name, int rows) {
    Subject s;
    s.id = id;
    s.name = name;
    MeshBody body;
    Surfaces surfaces;
    surfaces.materials.emplace_back();
    body.surfaces = std::make_shared<const Surfaces>(surfaces);
    body.levels.resize(2);
    body.levels[0].origin = LevelOrigin::Source;
    body.levels[0].mesh = ball(2 * rows, rows);
    body.levels[1].origin = LevelOrigin::HandMade;
    body.levels[1].mesh = ball(rows, rows / 2);
    body.levels[1].visible = body.levels[1].promised = body.levels[1].deviation = 0.05;
    s.body = std::move(body);
    refreshSubject(s);
    return s;
}

/// Two meshes and a field of both, scattered on level ground far from the origin.
Scene shore(double density = 1) {
    Scene scene;
    scene.subjects = {meshOf(1, "Tall reed", 8), meshOf(2, "Seed head, bent", 6)};
    scene.nextId = 3;
    ScatterRecipe recipe;
    recipe.lowX = 4000;
    recipe.highX = 4100;
    recipe.lowZ = -50;
    recipe.highZ = 50;
    recipe.groundHeight = 7;
    recipe.density = density;
    recipe.assets = {{1, 3, 0.5, 2, 360, 20, 0}, {2, 1, 1, 1, 360, 0, 0}};
    auto copies = scatterIn(scene, recipe, {});
    EXPECT_TRUE(copies);
    Subject field = makeField(scene, "Reed bed", Role::GroundCover, {1, 2}, std::move(*copies));
    std::get<InstancesBody>(field.body).recipe = std::make_shared<const ScatterRecipe>(recipe);
    std::get<InstancesBody>(field.body).fixed = {std::nullopt, FixedSwitch{DecideBy::Distance, 20}};
    apply(scene, addSubjects(scene, {std::move(field)}, "Field"));
    return scene;
}

} // namespace

TEST(FieldShip, tables_come_back_to_the_bit) {
    const Scene scene = shore();
    const Placements& copies = *scene.subjects.back().instances()->copies;
    const TempFolder folder;
    const auto report = shipScene(scene, folder.path(), {}, {});
    ASSERT_TRUE(report) << report.error().text();
    for (const char* name : {"reed-bed.placements.csv", "reed-bed.placements.json"}) {
        const auto table = readPlacementTable(folder.path() / name, {}, {});
        ASSERT_TRUE(table) << table.error().text();
        EXPECT_EQ(table->badRows, 0U);
        ASSERT_EQ(table->copies.size(), copies.size());
        for (std::size_t i = 0; i < copies.size(); ++i) {
            EXPECT_EQ(table->assets[table->copies[i].asset], scene.subjects[copies[i].asset].name);
            Placement is = table->copies[i];
            is.asset = copies[i].asset;
            ASSERT_EQ(is, copies[i]);
        }
    }
}

TEST(FieldShip, instances_come_back_as_a_mesh_with_levels_and_places) {
    const Scene scene = shore();
    const Placements& copies = *scene.subjects.back().instances()->copies;
    const TempFolder folder;
    ASSERT_TRUE(shipScene(scene, folder.path(), {}, {}));
    std::size_t found = 0;
    for (const char* name : {"reed-bed.tall-reed.instances.glb", "reed-bed.seed-head-bent.instances.glb"}) {
        const auto read = readModel(folder.path() / name, {});
        ASSERT_TRUE(read) << read.error().text();
        ASSERT_EQ(read->size(), 1U);
        EXPECT_EQ(read->front().levels.size(), 2U);
        found += read->front().placed.size();
        for (const Placement& is : read->front().placed) {
            const bool there = std::any_of(copies.begin(), copies.end(), [&is](const Placement& was) {
                return (was.position - is.position).norm() < 1e-4 && std::abs(was.scale - is.scale) < 1e-5 &&
                       was.rotation.angularDistance(is.rotation) < 1e-3;
            });
            ASSERT_TRUE(there) << is.position.transpose();
        }
    }
    EXPECT_EQ(found, copies.size());
}

TEST(FieldShip, the_rule_holds_to_its_schema_and_names_every_asset) {
    const Scene scene = shore(0.1);
    const Subject& field = scene.subjects.back();
    const json rule = json::parse(encodeField(scene, field, scene.settings.view));
    const json schema = json::parse(*readTextFile(fs::path(SOURCE_ROOT) / "docs/formats/field.schema.json"));
    for (const std::string& broken : breaks(schema, rule))
        ADD_FAILURE() << broken;
    EXPECT_EQ(rule["assets"].size(), 2U);
    EXPECT_EQ(rule["assets"][0]["levels"][1]["fromMetres"], 20);
}

TEST(FieldShip, a_recipe_comes_back_and_holds_to_its_schema) {
    Scene scene = shore(0.1);
    std::get<InstancesBody>(scene.subjects.back().body).thinning.fullHeight = 3.5; // by height on screen
    const Subject& field = scene.subjects.back();
    const TempFolder folder;
    const fs::path file = folder.path() / "shore.recipe.json";
    ASSERT_TRUE(writeRecipeFile(scene, field, file));
    const json schema = json::parse(*readTextFile(fs::path(SOURCE_ROOT) / "docs/formats/recipe.schema.json"));
    for (const std::string& broken : breaks(schema, json::parse(*readTextFile(file))))
        ADD_FAILURE() << broken;
    const auto back = readRecipeFile(scene, file);
    ASSERT_TRUE(back) << back.error().text();
    EXPECT_EQ(back->recipe, *field.instances()->recipe);
    EXPECT_EQ(back->thinning, field.instances()->thinning);
    EXPECT_EQ(back->role, field.role);
    // On another surface.
    const auto elsewhere = readRecipeFile(scene, file, 2);
    ASSERT_TRUE(elsewhere);
    EXPECT_EQ(elsewhere->recipe.surface, 2U);
}

TEST(FieldShip, broken_recipes_are_refused_naming_the_field) {
    const Scene scene = shore(0.1);
    const TempFolder folder;
    const fs::path file = folder.path() / "r.recipe.json";
    const auto problem = [&](const std::string& change) {
        EXPECT_TRUE(writeTextFile(file, R"({"format": "lean-thicket-recipe", "version": 1, )" + change + "}"));
        const auto read = readRecipeFile(scene, file);
        EXPECT_FALSE(read) << change;
        return read ? std::string() : read.error().what;
    };
    const std::string assets = R"("assets": [{"subject": "Tall reed"}])";
    EXPECT_NE(problem(assets).find("density"), std::string::npos);
    EXPECT_NE(problem(R"("density": -1, )" + assets).find("density"), std::string::npos);
    EXPECT_NE(problem(R"("density": 1, "assets": [{"subject": "Hut"}])").find("Hut"), std::string::npos);
    EXPECT_NE(problem(R"("density": 1, "slope": [50, 10], )" + assets).find("slope"), std::string::npos);
    EXPECT_NE(problem(R"("density": 1, "thinning": {"keep": [[5, 2]]}, )" + assets).find("keep"), std::string::npos);
    EXPECT_NE(problem(R"("density": 1, "thinning": {"keep": [[5, 1], [4, 1]]}, )" + assets).find("keep"),
              std::string::npos);
    EXPECT_TRUE(writeTextFile(file, "{\"format\": \"something\"}"));
    EXPECT_FALSE(readRecipeFile(scene, file));
}

TEST(FieldShip, instances_that_do_not_fit_together_are_refused) {
    const TempFolder folder;
    Scene scene = shore(0.05);
    ASSERT_TRUE(shipScene(scene, folder.path(), {}, {}));
    const auto bytes = *readFile(folder.path() / "reed-bed.tall-reed.instances.glb");
    std::string text(reinterpret_cast<const char*>(bytes.data()), bytes.size());
    const auto with = [&](const std::string& from, const std::string& to) {
        std::string changed = text;
        EXPECT_EQ(from.size(), to.size());
        const std::size_t at = changed.find(from);
        EXPECT_NE(at, std::string::npos) << from;
        changed.replace(at, to.size(), to);
        const fs::path file = folder.path() / "changed.glb";
        EXPECT_TRUE(writeTextFile(file, changed));
        return readModel(file, {});
    };
    const std::string scale = "\"SCALE\":";
    const std::size_t at = text.find(scale) + scale.size();
    const std::string digits = text.substr(at, text.find_first_of(",}", at) - at);
    EXPECT_FALSE(with(scale + digits, scale + std::string(digits.size(), '9'))) << "no such accessor, or another kind";
    const auto without = with("\"attributes\":{\"TRANSLATION\"", "\"attributez\":{\"TRANSLATION\"");
    EXPECT_FALSE(without);
}

} // namespace thicket
