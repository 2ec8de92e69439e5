// Strands and emitters in and out of files: lines of glTF and OBJ, what is kept beside a project, what is shipped.

#include "base/file.h"
#include "image/image.h"
#include "io/import/import.h"
#include "io/import/import_strands.h"
#include "io/import/read_strands.h"
#include "io/project/emitter_file.h"
#include "io/project/project.h"
#include "io/project/recipe_file.h"
#include "io/project/strands_file.h"
#include "io/ship/ship.h"
#include "io/ship/write_glb.h"
#include "scene/edits.h"
#include "scene/emitter_subject.h"
#include "scene/strand_subject.h"
#include "strands/strand_cards.h"
#include "support/json_schema.h"
#include "support/temp_folder.h"

#include <algorithm>
#include <gtest/gtest.h>
#include <nlohmann/json.hpp>
#include <random>

namespace thicket {
namespace {

namespace fs = std::filesystem;
using nlohmann::json;

json schemaNamed(const std::string& name) {
    return json::parse(*readTextFile(fs::path(SOURCE_ROOT) / "docs" / "formats" / (name + ".schema.json")));
}

StrandRecipe meadow() {
    StrandRecipe r;
    r.where.lowX = r.where.lowZ = -6;
    r.where.highX = r.where.highZ = 6;
    r.where.density = 20;
    return r;
}

Subject grass(const Scene& scene) {
    auto set = growStrandsIn(scene, meadow(), {});
    EXPECT_TRUE(set);
    StrandsBody body;
    body.strands = *set;
    body.recipe = std::make_shared<const StrandRecipe>(meadow());
    auto made = makeStrands("Grass", Role::GroundCover, std::move(body), {});
    EXPECT_TRUE(made);
    return *made;
}

Emitter fire() {
    Emitter e;
    e.parts.resize(2);
    e.parts[0].name = "smoke";
    e.parts[1].name = "sparks";
    e.parts[1].glows = true;
    e.levels.resize(3);
    for (std::size_t l = 0; l < 3; ++l) {
        e.levels[l].parts.resize(2);
        e.levels[l].from.value = 30.0 * static_cast<double>(l);
    }
    e.levels[1].parts[1].on = false;
    e.levels[2].parts[0].rate = 4;
    return e;
}

/// A glTF of lines by hand: places, what is drawn, and what more is said of the primitive.
std::string gltfOf(const std::vector<float>& places, const std::vector<std::uint16_t>& indices, int mode,
                   const std::vector<float>& radii = {}, const std::string& nodeExtra = "") {
    std::string bytes;
    const auto put = [&bytes](const auto& values) {
        const std::size_t at = bytes.size();
        bytes.append(reinterpret_cast<const char*>(values.data()), values.size() * sizeof(values[0]));
        while (bytes.size() % 4 != 0)
            bytes.push_back('\0');
        return at;
    };
    const std::size_t a = put(places);
    const std::size_t b = put(indices);
    const std::size_t c = put(radii);
    static constexpr char kDigits[] = "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/";
    std::string base64;
    for (std::size_t i = 0; i < bytes.size(); i += 3) {
        std::uint32_t v = 0;
        for (std::size_t k = 0; k < 3; ++k)
            v = v << 8 | (i + k < bytes.size() ? static_cast<std::uint8_t>(bytes[i + k]) : 0U);
        for (std::size_t k = 0; k < 4; ++k)
            base64 += i + k > bytes.size() ? '=' : kDigits[v >> (18 - 6 * k) & 63U];
    }
    json root{
        {"asset", {{"version", "2.0"}}},
        {"scene", 0},
        {"scenes", {{{"nodes", {0}}}}},
        {"nodes", {{{"mesh", 0}}}},
        {"buffers", {{{"byteLength", bytes.size()}, {"uri", "data:application/octet-stream;base64," + base64}}}},
        {"bufferViews",
         {{{"buffer", 0}, {"byteOffset", a}, {"byteLength", places.size() * 4}},
          {{"buffer", 0}, {"byteOffset", b}, {"byteLength", std::max<std::size_t>(indices.size() * 2, 2)}}}},
        {"accessors", {{{"bufferView", 0}, {"componentType", 5126}, {"count", places.size() / 3}, {"type", "VEC3"}}}}};
    json primitive{{"attributes", {{"POSITION", 0}}}, {"mode", mode}};
    if (!indices.empty()) {
        root["accessors"].push_back(
            {{"bufferView", 1}, {"componentType", 5123}, {"count", indices.size()}, {"type", "SCALAR"}});
        primitive["indices"] = 1;
    }
    if (!radii.empty()) {
        root["bufferViews"].push_back({{"buffer", 0}, {"byteOffset", c}, {"byteLength", radii.size() * 4}});
        root["accessors"].push_back(
            {{"bufferView", 2}, {"componentType", 5126}, {"count", radii.size()}, {"type", "SCALAR"}});
        primitive["attributes"]["_RADIUS"] = root["accessors"].size() - 1;
    }
    root["meshes"] = {{{"primitives", {primitive}}}};
    if (!nodeExtra.empty())
        root["nodes"][0].update(json::parse(nodeExtra));
    return root.dump();
}

Result<ReadStrands> readText(const TempFolder& folder, const std::string& name, const std::string& text) {
    const fs::path file = folder.path() / name;
    EXPECT_TRUE(writeTextFile(file, text));
    return readStrands(file, {0.004, true}, {});
}

constexpr int kList = 1;
constexpr int kLoop = 2;
constexpr int kStrip = 3;

} // namespace

TEST(ReadStrands, strips_lists_and_loops_become_strands) {
    const TempFolder folder;
    const std::vector<float> places = {0, 0, 0, 0, 1, 0, 0, 2, 0, 5, 0, 0, 5, 1, 0};
    auto strip = readText(folder, "a.gltf", gltfOf(places, {}, kStrip));
    ASSERT_TRUE(strip) << strip.error().text();
    EXPECT_EQ(strip->set.first, (std::vector<std::uint32_t>{0, 5}));
    EXPECT_FALSE(strip->widths);
    EXPECT_EQ(strip->set.widths[0], 0.004F);
    auto list = readText(folder, "b.gltf", gltfOf(places, {0, 1, 1, 2, 3, 4}, kList));
    ASSERT_TRUE(list) << list.error().text();
    EXPECT_EQ(list->set.first, (std::vector<std::uint32_t>{0, 3, 5})) << "segments that follow each other are one";
    auto loop = readText(folder, "c.gltf", gltfOf(places, {0, 1, 3}, kLoop));
    ASSERT_TRUE(loop);
    EXPECT_EQ(loop->set.countOf(0), 4U);
    EXPECT_EQ(loop->set.points.front(), loop->set.points.back());
}

TEST(ReadStrands, stand_where_their_node_puts_them_as_wide_as_it_makes_them) {
    const TempFolder folder;
    auto read = readText(folder, "a.gltf",
                         gltfOf({0, 0, 0, 0, 1, 0}, {}, kStrip, {0.01F, 0.002F},
                                R"({"translation": [100000, 5, -3], "scale": [2, 2, 2]})"));
    ASSERT_TRUE(read) << read.error().text();
    EXPECT_TRUE(read->widths);
    EXPECT_NEAR(read->set.widths[0], 0.04F, 1e-6F) << "two radii, twice as large";
    const Vec3d tip = read->set.origin + read->set.points[1].cast<double>();
    EXPECT_LT((tip - Vec3d(100000, 7, -3)).norm(), 1e-4);
}

TEST(ReadStrands, lengths_of_a_file_are_in_its_unit_and_what_it_says_nothing_of_is_in_metres) {
    const TempFolder folder;
    const std::vector<float> places = {300, 0, 0, 300, 20, 0};
    ASSERT_TRUE(readText(folder, "wide.gltf", gltfOf(places, {}, kStrip, {0.4F, 0.1F})));
    ASSERT_TRUE(readText(folder, "bare.gltf", gltfOf(places, {}, kStrip)));
    for (const bool wide : {true, false}) {
        const auto read = readStrands(folder.path() / (wide ? "wide.gltf" : "bare.gltf"), {0.004, true, 0.01}, {});
        ASSERT_TRUE(read) << read.error().text();
        const Vec3d tip = read->set.origin + read->set.points[1].cast<double>();
        EXPECT_LT((tip - Vec3d(3, 0.2, 0)).norm(), 1e-6);
        EXPECT_NEAR(read->set.widths[0], wide ? 0.008F : 0.004F, 1e-7F);
    }
}

TEST(ReadStrands, lines_of_an_obj_count_from_both_ends) {
    const TempFolder folder;
    auto read = readText(folder, "a.obj", "# rope\nv 0 0 0\nv 0 1 0\nv 1 1 0\nl 1 2 3\nl -1/7 -3\nf 1 2 3\n");
    ASSERT_TRUE(read) << read.error().text();
    EXPECT_EQ(read->set.first, (std::vector<std::uint32_t>{0, 3, 5}));
    EXPECT_EQ(read->notes.size(), 1U) << "that widths were taken is said";
}

TEST(ReadStrands, what_cannot_be_is_refused_with_one_sentence) {
    const TempFolder folder;
    const auto refused = [&](const std::string& name, const std::string& text, const std::string& says) {
        const auto read = readText(folder, name, text);
        ASSERT_FALSE(read) << says;
        EXPECT_NE(read.error().text().find(says), std::string::npos) << read.error().text();
        EXPECT_NE(read.error().text().find(name), std::string::npos);
    };
    const std::vector<float> two = {0, 0, 0, 0, 1, 0};
    refused("a.gltf", gltfOf(two, {0, 1, 0}, kList), "single point");
    refused("a.gltf", gltfOf({0, 0, 0}, {}, kStrip), "single point");
    refused("a.gltf", gltfOf(two, {0, 9}, kList), "only 2");
    refused("a.gltf", gltfOf(two, {}, kStrip, {0.1F, -0.1F}), "negative");
    refused("a.gltf", gltfOf(two, {}, kStrip, {0.1F}), "there are 2");
    refused("a.gltf", gltfOf({0, 0, 0, 0, std::nanf(""), 0}, {}, kStrip), "no number");
    refused("a.gltf", gltfOf(two, {}, 4), "no lines");
    refused("a.obj", "v 0 0 0\nv 1 0 0\nl 1\n", "line 3: a strand has a single point");
    refused("a.obj", "v 0 0 0\nl 1 2\n", "uses vertex 2");
    refused("a.obj", "v 0 zero 0\n", "three numbers");
    refused("a.obj", "v 0 0 0\nv nan 0 0\nl 1 2\n", "no number");
    refused("a.stl", "solid", "no file that lines are read from");
    EXPECT_EQ(readStrands(folder.path() / "gone.glb", {}, {}).error().code, ErrorCode::NotFound);
}

TEST(ReadStrands, what_is_written_comes_back) {
    const TempFolder folder;
    const Scene scene;
    const StrandSet set = *grass(scene).strands()->strands;
    const auto bytes = encodeLines("grass", set);
    ASSERT_TRUE(bytes);
    ASSERT_TRUE(writeFile(folder.path() / "grass.glb", *bytes));
    const auto back = readStrands(folder.path() / "grass.glb", {1, true}, {});
    ASSERT_TRUE(back) << back.error().text();
    ASSERT_EQ(back->set.first, set.first);
    for (std::size_t i = 0; i < set.points.size(); ++i)
        EXPECT_LT(
            (back->set.origin + back->set.points[i].cast<double>() - set.origin - set.points[i].cast<double>()).norm(),
            1e-5);
    EXPECT_EQ(back->set.widths, set.widths);
    EXPECT_FALSE(readModel(folder.path() / "grass.glb", {})) << "it holds no triangles";
}

TEST(ReadStrands, lines_beside_triangles_are_not_passed_over_in_silence) {
    const TempFolder folder;
    const fs::path file = folder.path() / "both.obj";
    ASSERT_TRUE(writeTextFile(file, "v 0 0 0\nv 0 1 0\nv 1 1 0\nf 1 2 3\nl 1 2 3\n"));
    const auto read = readModel(file, {});
    ASSERT_TRUE(read) << read.error().text();
    EXPECT_NE(std::find(read->front().notes.begin(), read->front().notes.end(), kLinesNote), read->front().notes.end());
    ASSERT_TRUE(writeTextFile(file, "v 0 0 0\nv 0 1 0\nv 1 1 0\nf 1 2 3\n"));
    const auto plain = readModel(file, {});
    ASSERT_TRUE(plain);
    EXPECT_EQ(std::count(plain->front().notes.begin(), plain->front().notes.end(), kLinesNote), 0);
}

TEST(EmitterProject, a_sprite_that_is_gone_is_said_and_the_rest_is_there) {
    const TempFolder folder;
    Emitter own = fire();
    Pixels dot;
    dot.width = dot.height = 2;
    dot.rgba.assign(16, 200);
    const fs::path picture = folder.path() / "puff.png";
    ASSERT_TRUE(writeFile(picture, encodePng(dot, "puff").encoded));
    own.parts[0].sprite = picture;
    auto made = makeEmitter("Fire", own, {*readSprite(picture), nullptr});
    ASSERT_TRUE(made);
    Scene scene;
    apply(scene, addSubjects(scene, {*made}, {}));
    const fs::path file = folder.path() / "a.thicket.json";
    ASSERT_TRUE(writeProject(scene, file, true));
    const auto whole = readProject(file, {});
    ASSERT_TRUE(whole) << whole.error().text();
    EXPECT_TRUE(whole->problems.empty());
    EXPECT_TRUE(whole->scene.subjects[0].emitter()->sprites[0]);
    fs::remove(picture);
    const auto without = readProject(file, {});
    ASSERT_TRUE(without) << without.error().text();
    ASSERT_EQ(without->problems.size(), 1U);
    EXPECT_NE(without->problems[0].text().find("sprite puff.png"), std::string::npos) << without->problems[0].text();
    EXPECT_EQ(without->scene.subjects[0].emitter()->emitter.parts[0].sprite, picture) << "and is asked for next time";
    EXPECT_EQ(without->scene.subjects[0].emitter()->sprites.size(), 2U);
}

TEST(StrandsFile, comes_back_to_the_bit_and_damaged_is_refused) {
    const Scene scene;
    const StrandSet set = *grass(scene).strands()->strands;
    const auto bytes = encodeStrands(set);
    const auto back = decodeStrands(bytes, "x");
    ASSERT_TRUE(back) << back.error().text();
    EXPECT_EQ(*back, set);
    std::mt19937 dice(3);
    int refused = 0;
    for (int i = 0; i < 400; ++i) {
        auto damaged = bytes;
        if (i % 4 == 0)
            damaged.resize(dice() % bytes.size());
        else // mostly where the counts are
            damaged[i % 4 == 1 ? dice() % bytes.size() : 8 + dice() % 4000] ^= static_cast<std::byte>(1 + dice() % 255);
        if (const auto read = decodeStrands(damaged, "x"); !read)
            ++refused;
        else
            EXPECT_TRUE(checkStrands(*read, "x"));
    }
    EXPECT_GT(refused, 150);
}

TEST(StrandsProject, how_a_file_is_read_is_kept) {
    const TempFolder folder;
    ASSERT_TRUE(writeTextFile(folder.path() / "hair.obj", "v 0 0 0\nv 0 10 0\nv 5 0 0\nv 5 9 1\nl 1 2\nl 3 4\n"));
    StrandsBody body;
    body.width = 0.0005;
    body.unit = 0.01;
    auto made = importStrands(folder.path() / "hair.obj", {}, Role::Dressing, std::move(body), {});
    ASSERT_TRUE(made) << made.error().text();
    EXPECT_EQ(made->notes.size(), 1U);
    Scene scene;
    apply(scene, addSubjects(scene, {made->subject}, {}));
    const fs::path project = folder.path() / "a.thicket.json";
    ASSERT_TRUE(writeProject(scene, project, true));
    const auto opened = readProject(project, {});
    ASSERT_TRUE(opened) << opened.error().text();
    const StrandsBody& back = *opened->scene.subjects[0].strands();
    EXPECT_EQ(back.width, 0.0005);
    EXPECT_EQ(back.unit, 0.01);
    ASSERT_TRUE(back.strands);
    EXPECT_EQ(*back.strands, *scene.subjects[0].strands()->strands);
    EXPECT_NEAR(opened->scene.subjects[0].strands()->places.meanLength, 0.095, 0.001);
}

TEST(StrandsProject, what_was_grown_is_kept_beside_and_does_not_grow_again) {
    const TempFolder folder;
    Scene scene;
    Subject made = grass(scene);
    made.rule.reachMetres = 77;
    auto& body = std::get<StrandsBody>(made.body);
    body.levels[1].fixed = FixedSwitch{DecideBy::Distance, 12};
    body.look.vary = 0.9;
    apply(scene, addSubjects(scene, {made}, {}));
    const fs::path file = folder.path() / "a.thicket.json";
    ASSERT_TRUE(writeProject(scene, file, true));
    const auto back = readProject(file, {});
    ASSERT_TRUE(back) << back.error().text();
    EXPECT_TRUE(back->problems.empty());
    const StrandsBody& is = *back->scene.subjects[0].strands();
    EXPECT_EQ(*is.strands, *body.strands);
    EXPECT_EQ(is.levels, body.levels);
    EXPECT_EQ(is.thinning, body.thinning);
    EXPECT_EQ(is.look, body.look);
    EXPECT_EQ(*is.recipe, *body.recipe);
    EXPECT_EQ(is.layout.deviations.size(), is.levels.size());
    EXPECT_EQ(encodeProject(back->scene, folder.path()), encodeProject(scene, folder.path()));
    // Without the file beside it the project says so, and nothing else of it is lost.
    fs::remove_all(levelsFolder(file));
    const auto without = readProject(file, {});
    ASSERT_TRUE(without) << without.error().text();
    ASSERT_EQ(without->problems.size(), 1U);
    EXPECT_NE(without->problems[0].text().find("lost what was grown"), std::string::npos);
    EXPECT_EQ(*without->scene.subjects[0].strands()->recipe, *body.recipe);
    // What no project holds any more is cleared away.
    ASSERT_TRUE(writeProject(scene, file, true));
    scene.subjects.clear();
    ASSERT_TRUE(writeProject(scene, file, true));
    EXPECT_TRUE(fs::is_empty(levelsFolder(file)));
}

TEST(StrandsProject, cards_are_made_again_as_they_were_and_stand_last) {
    const TempFolder folder;
    Scene scene;
    Subject made = grass(scene);
    std::vector<StrandLevel> levels = made.strands()->levels;
    levels.emplace_back().perCard = 7;
    made = *withStrandLevels(std::move(made), levels, {});
    apply(scene, addSubjects(scene, {made}, {}));
    const fs::path file = folder.path() / "a.thicket.json";
    ASSERT_TRUE(writeProject(scene, file, true));
    const auto back = readProject(file, {});
    ASSERT_TRUE(back) << back.error().text();
    const StrandsBody& is = *back->scene.subjects[0].strands();
    EXPECT_EQ(is.levels, made.strands()->levels);
    ASSERT_TRUE(is.layout.cards);
    EXPECT_EQ(*is.layout.cards, *made.strands()->layout.cards);
    // Where else it stands is refused, and nothing else that could be meant.
    const auto refused = [&](std::size_t level, std::uint32_t perCard, const char* reason) {
        json broken = json::parse(*readTextFile(file));
        broken["subjects"][0]["levels"][level]["strandsPerCard"] = perCard;
        ASSERT_TRUE(writeTextFile(folder.path() / "b.thicket.json", broken.dump()));
        const auto read = readProject(folder.path() / "b.thicket.json", {});
        ASSERT_FALSE(read);
        EXPECT_NE(read.error().text().find(reason), std::string::npos) << read.error().text();
    };
    refused(0, 7, "only the last of several levels");
    refused(1, 7, "only the last of several levels");
    refused(levels.size() - 1, 1, "strandsPerCard");
}

TEST(StrandRecipes, come_back_from_their_files) {
    const TempFolder folder;
    Scene scene;
    Subject made = grass(scene);
    made.id = 4;
    const fs::path file = folder.path() / "grass.strands.json";
    ASSERT_TRUE(writeStrandRecipe(scene, made, file));
    for (const std::string& broken : breaks(schemaNamed("strand-recipe"), json::parse(*readTextFile(file))))
        ADD_FAILURE() << broken;
    const auto back = readStrandRecipe(scene, file);
    ASSERT_TRUE(back) << back.error().text();
    EXPECT_EQ(back->recipe, meadow());
    EXPECT_EQ(*back->look, made.strands()->look);
    EXPECT_EQ(*back->thinning, made.strands()->thinning);
    ASSERT_TRUE(writeTextFile(file, R"({"format": "lean-thicket-recipe", "version": 1})"));
    EXPECT_FALSE(readStrandRecipe(scene, file)) << "another kind of recipe";
}

TEST(EmitterFiles, come_back_and_hold_to_their_schema) {
    const TempFolder folder;
    const fs::path file = folder.path() / "fire.emitter.json";
    const std::string text = encodeEmitterFile("Fire", fire(), EmitterText::Compact, folder.path());
    ASSERT_TRUE(writeTextFile(file, text));
    for (const std::string& broken : breaks(schemaNamed("emitter"), json::parse(text)))
        ADD_FAILURE() << broken;
    const auto back = readEmitterFile(file);
    ASSERT_TRUE(back) << back.error().text();
    EXPECT_EQ(back->emitter, fire());
    EXPECT_EQ(back->name, "Fire");
    const json levels = json::parse(encodeEmitterFile("Fire", fire(), EmitterText::Resolved, folder.path()));
    EXPECT_EQ(levels["levels"][2]["parts"][1]["on"], false) << "what was inherited is filled in";
    EXPECT_EQ(levels["levels"][2]["parts"][0]["rate"], 4);
}

TEST(EmitterFiles, what_cannot_be_is_refused_with_the_reason) {
    const TempFolder folder;
    const fs::path file = folder.path() / "fire.emitter.json";
    const json good = json::parse(encodeEmitterFile("Fire", fire(), EmitterText::Compact, folder.path()));
    const auto refused = [&](const std::function<void(json&)>& spoil, const std::string& says) {
        json bad = good;
        spoil(bad);
        ASSERT_TRUE(writeTextFile(file, bad.dump()));
        const auto read = readEmitterFile(file);
        ASSERT_FALSE(read) << says;
        EXPECT_NE(read.error().text().find(says), std::string::npos) << read.error().text();
    };
    refused([](json& j) { j["levels"][1]["parts"] = {{"embers", {{"on", false}}}}; }, "no part “embers”");
    refused([](json& j) { j["levels"][2]["inherits"] = 2; }, "itself");
    refused([](json& j) { j["levels"][1]["inherits"] = 2; }, "coarser");
    refused([](json& j) { j["parts"][0]["rate"] = -3; }, "negative");
    refused([](json& j) { j["parts"][0]["rate"] = 1e12; }, "particles at its worst");
    refused([](json& j) { j["parts"][0]["lifetime"] = {4, 1}; }, "upside down");
    refused([](json& j) { j["parts"][0]["lifetime"] = 4; }, "lifetime");
    refused([](json& j) { j["parts"][0]["sprite"] = "puff.png"; }, "puff.png");
    refused([](json& j) { j["parts"][0]["sprite"] = "../../etc/passwd"; }, "passwd");
    refused([](json& j) { j["parts"][1]["name"] = "smoke"; }, "used twice");
    refused([](json& j) { j["levels"][1]["parts"] = {{"smoke", {{"colour", 3}}}}; }, "nothing that a level may say");
    refused([](json& j) { j["format"] = "other"; }, "is not an emitter");
    ASSERT_TRUE(writeTextFile(folder.path() / "puff.png", "no picture"));
    refused([](json& j) { j["parts"][0]["sprite"] = "puff.png"; }, "none of PNG");
}

TEST(Shipping, strands_and_emitters_are_written_and_read_back) {
    const TempFolder folder;
    Scene scene;
    auto smoke = makeEmitter("Signal fire", fire(), {});
    ASSERT_TRUE(smoke);
    Placement at;
    at.position = {3, 0, 2};
    std::get<EmitterBody>(smoke->body).placed = std::make_shared<const Placements>(Placements{at});
    Subject meadow = grass(scene);
    std::vector<StrandLevel> withCards = meadow.strands()->levels;
    withCards.emplace_back().perCard = 10;
    apply(scene, addSubjects(scene, {*withStrandLevels(std::move(meadow), withCards, {}), *smoke}, {}));
    ShipOptions options;
    options.ribbons = true;
    const auto report = shipScene(scene, folder.path() / "out", options, {});
    ASSERT_TRUE(report) << report.error().text();
    const std::size_t levels = scene.subjects[0].strands()->levels.size();
    EXPECT_EQ(report->files.size(), 2 * (levels - 1) + 1 + 1 + 3) << "of cards there is one file";
    for (const ShippedFile& f : report->files) {
        EXPECT_TRUE(f.verified) << f.path;
        EXPECT_GT(f.bytes, 0U);
    }
    const json rule = json::parse(*readTextFile(folder.path() / "out" / "grass.strands.json"));
    for (const std::string& broken : breaks(schemaNamed("strands"), rule))
        ADD_FAILURE() << broken;
    EXPECT_EQ(rule["levels"].size(), levels);
    const StrandsBody& body = *scene.subjects[0].strands();
    EXPECT_EQ(rule["levels"].back()["cards"]["count"], body.strands->size() / 10);
    const auto cards = readModel(folder.path() / "out" / fmt::format("grass.L{}.cards.glb", levels - 1), {});
    ASSERT_TRUE(cards);
    EXPECT_EQ(cards->front().levels.front().mesh.triangleCount(), 2 * (body.strands->size() / 10));
    ASSERT_EQ(cards->front().surfaces->images.size(), 1U);
    const auto picture = decodeImage(cards->front().surfaces->images[0]);
    ASSERT_TRUE(picture);
    EXPECT_EQ(picture->width, body.layout.cards->width);
    const auto back = readEmitterFile(folder.path() / "out" / "signal-fire.emitter.json");
    ASSERT_TRUE(back);
    EXPECT_EQ(back->emitter, fire());
    const json resolved = json::parse(*readTextFile(folder.path() / "out" / "signal-fire.levels.json"));
    EXPECT_EQ(resolved["levels"].size(), 3U);
    EXPECT_NEAR(resolved["levels"][0]["forecast"]["live"].get<double>(), forecastOf(fire().parts).live, 1e-9);
    // Ribbons are as many triangles as the level has.
    const auto ribbons = readModel(folder.path() / "out" / "grass.L0.ribbons.glb", {});
    ASSERT_TRUE(ribbons);
    EXPECT_EQ(ribbons->front().levels.front().mesh.triangleCount(),
              2 * scene.subjects[0].strands()->strands->segments());
}

} // namespace thicket
