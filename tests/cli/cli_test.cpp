#include "base/file.h"
#include "budget/devices.h"
#include "cli/cli.h"
#include "io/import/import.h"
#include "io/project/project.h"
#include "io/ship/write_glb.h"
#include "saltmere.h"
#include "scene/thin_subject.h"
#include "support/json_schema.h"
#include "support/shapes.h"
#include "support/temp_folder.h"

#include "image/image.h"

#include <fmt/format.h>
#include <fstream>
#include <gtest/gtest.h>
#include <nlohmann/json.hpp>
#include <sstream>

namespace thicket {
namespace fs = std::filesystem;
namespace {

struct Ran {
    int code;
    std::string out;
    std::string err;
    [[nodiscard]] nlohmann::json json() const { return nlohmann::json::parse(out); }
};

Ran run(const std::vector<std::string>& args, std::stop_token stop = {}) {
    std::ostringstream out;
    std::ostringstream err;
    const int code = cli::run(args, out, err, stop);
    return {code, out.str(), err.str()};
}

fs::path ballFile(const fs::path& folder, const std::string& name, int rows) {
    Surfaces s;
    s.materials.emplace_back();
    const fs::path file = folder / name;
    EXPECT_TRUE(
        writeFile(file, encodeGlb("ball", {std::make_shared<const Mesh>(shapes::texturedSphere(2 * rows, rows))}, s,
                                  GlbLevels::Named, {})));
    return file;
}

} // namespace

TEST(Cli, usage_errors_exit_with_2) {
    EXPECT_EQ(run({}).code, 2);
    EXPECT_EQ(run({"fly"}).code, 2);
    EXPECT_EQ(run({"thin", "x.glb"}).code, 2);
    EXPECT_EQ(run({"thin", "x.glb", "-o", "y.glb", "--levels", "2", "--ratios", "0.5"}).code, 2)
        << "two kinds of target at once";
    EXPECT_EQ(run({"thin", "x.glb", "-o", "y.glb", "--ratios", "3"}).code, 2);
    EXPECT_EQ(run({"thin", "x.glb", "-o", "y.glb", "--role", "hero"}).code, 2);
    const Ran help = run({"--help"});
    EXPECT_EQ(help.code, 0);
    for (const char* command : {"inspect", "thin", "mend", "measure", "audit", "fit", "ship", "demo"}) {
        EXPECT_NE(help.out.find(command), std::string::npos);
        EXPECT_EQ(run({command, "--help"}).code, 0);
    }
}

TEST(Cli, bad_input_exits_with_1_and_says_what_to_do) {
    const Ran ran = run({"inspect", "absent.glb"});
    EXPECT_EQ(ran.code, 1);
    EXPECT_EQ(ran.err, "thicket: absent.glb: no such file; check the path\n");
    EXPECT_TRUE(ran.out.empty());
    EXPECT_EQ(run({"audit", "absent.thicket.json"}).code, 1);
}

TEST(Cli, mend_writes_what_is_sound_and_leaves_the_file_alone) {
    const TempFolder folder;
    Mesh mesh = shapes::sphere(10, 50);
    for (std::uint32_t t = 0; t < mesh.triangleCount(); t += 4)
        std::swap(mesh.indices[3 * t + 1], mesh.indices[3 * t + 2]);
    shapes::append(mesh, shapes::sphere(1, 0.05), {60, 0, 0});
    const fs::path in = folder.path() / "cm.glb";
    Surfaces s;
    s.materials.emplace_back();
    ASSERT_TRUE(writeFile(in, encodeGlb("ball", {std::make_shared<const Mesh>(mesh)}, s, GlbLevels::Named, {})));
    const auto before = *readFile(in);
    const fs::path out = folder.path() / "out.glb";
    EXPECT_EQ(run({"mend", in.string(), "-o", out.string()}).code, 2) << "no mend was named";
    EXPECT_EQ(run({"mend", in.string(), "--all"}).code, 2) << "nowhere to write";
    EXPECT_EQ(run({"mend", in.string(), "-o", out.string(), "--unit", "feet"}).code, 2);
    EXPECT_EQ(run({"mend", in.string(), "-o", out.string(), "--up", "x"}).code, 2);
    EXPECT_EQ(run({"mend", in.string(), "-o", out.string(), "--specks", "0.9"}).code, 2);
    EXPECT_FALSE(fs::exists(out));
    const Ran ran =
        run({"mend", in.string(), "-o", out.string(), "--unit", "cm", "--specks", "0.005", "--all", "--json"});
    ASSERT_EQ(ran.code, 0) << ran.err;
    EXPECT_EQ(*readFile(in), before);
    const auto subject = ran.json()["subjects"][0];
    ASSERT_EQ(subject["mends"].size(), 4U) << subject.dump();
    EXPECT_EQ(subject["mends"][0]["mend"], "unit");
    EXPECT_EQ(subject["mends"][1]["count"], 20);
    for (const auto& finding : subject["findings"])
        EXPECT_FALSE(finding["serious"].get<bool>()) << finding["text"];
    const Ran inspected = run({"inspect", out.string(), "--json"});
    ASSERT_EQ(inspected.code, 0);
    EXPECT_NEAR(inspected.json()["subjects"][0]["size_metres"][0].get<double>(), 1, 1e-3);
    EXPECT_TRUE(inspected.json()["subjects"][0]["normals"].get<bool>());
    const Ran none = run({"mend", in.string(), "-o", out.string(), "--area", "--subject", "cube"});
    EXPECT_EQ(none.code, 1);
    EXPECT_NE(none.err.find("holds no mesh named \"cube\""), std::string::npos) << none.err;
}

TEST(Cli, mend_of_a_project_changes_its_subject_and_of_files_keeps_them_apart) {
    const TempFolder folder;
    Surfaces s;
    s.materials.emplace_back();
    Mesh mesh = shapes::sphere(8);
    std::swap(mesh.indices[0], mesh.indices[1]);
    const auto write = [&](const char* name, const std::vector<std::shared_ptr<const Mesh>>& levels) {
        EXPECT_TRUE(writeFile(folder.path() / name, encodeGlb("ball", levels, s, GlbLevels::Named, {})));
        return (folder.path() / name).string();
    };
    const auto whole = std::make_shared<const Mesh>(mesh);
    const std::string a = write("a.glb", {whole});
    const std::string b = write("b.glb", {whole});
    const fs::path out = folder.path() / "out";
    const Ran two = run({"mend", a, b, "-o", out.string(), "--turn", "--json"});
    ASSERT_EQ(two.code, 0) << two.err;
    const auto told = two.json()["subjects"];
    ASSERT_EQ(told.size(), 2U);
    EXPECT_NE(told[0]["file"], told[1]["file"]) << "none is written over the other";
    for (const auto& subject : told) {
        EXPECT_TRUE(fs::exists(subject["file"].get<std::string>()));
        EXPECT_EQ(subject["mends"][0]["count"], 1);
    }
    const std::string levels = write("levels.glb", {whole, std::make_shared<const Mesh>(shapes::sphere(3))});
    EXPECT_EQ(run({"mend", levels, "-o", (folder.path() / "x.obj").string(), "--turn"}).code, 2)
        << "an OBJ would lose its levels";
    EXPECT_EQ(run({"mend", a, "-o", (folder.path() / "x.obj").string(), "--turn"}).code, 0);

    Scene scene;
    auto subject = makeSubject(std::move(readModel(a, {})->front()), {});
    ASSERT_TRUE(subject);
    subject->id = 1;
    scene.nextId = 2;
    scene.subjects = {*subject};
    const fs::path project = folder.path() / "p.thicket.json";
    ASSERT_TRUE(writeProject(scene, project, true));
    const std::string before = *readTextFile(project);
    EXPECT_EQ(run({"mend", project.string(), "--turn", "--subject", "cube"}).code, 1);
    EXPECT_EQ(*readTextFile(project), before);
    ASSERT_EQ(run({"mend", project.string(), "--all"}).code, 0);
    const auto load = readProject(project, {});
    ASSERT_TRUE(load);
    EXPECT_EQ(load->scene.subjects[0].mesh().mends.size(), 2U) << "turned round, and given normals";
    EXPECT_TRUE(shapes::isClosed(*load->scene.subjects[0].mesh().source().mesh));
    EXPECT_EQ(run({"mend", project.string(), "--specks", "0.5", "-o", "/proc/x.thicket.json"}).code, 1);
}

TEST(Cli, device_fits_figures_to_a_table_and_writes_them) {
    const TempFolder folder;
    const fs::path table = folder.path() / "times.csv";
    std::string text = "ms,triangles,draws,pixels,vertices\n";
    for (int i = 0; i < 30; ++i) {
        const double triangles = 10'000.0 * (i * 7 % 30);
        const double vertices = 9'000.0 * (i * 11 % 30);
        const double draws = 20.0 * (i * 13 % 30);
        const double pixels = 90'000.0 * (i * 17 % 30);
        const double ms = std::max((6 * triangles + 2 * vertices) * 1e-6, 1.5 * pixels * 1e-6) + 0.008 * draws + 0.7;
        text += std::to_string(ms) + "," + std::to_string(triangles) + "," + std::to_string(draws) + "," +
                std::to_string(pixels) + "," + std::to_string(vertices) + "\n";
    }
    ASSERT_TRUE(writeTextFile(table, text));
    const fs::path out = folder.path() / "mine.devices.json";
    const Ran ran = run({"device", table.string(), "-o", out.string(), "--name", "Mine", "--json"});
    ASSERT_EQ(ran.code, 0) << ran.err;
    EXPECT_NEAR(ran.json()["figures"]["triangle"]["value"].get<double>(), 6, 0.05);
    EXPECT_NEAR(ran.json()["figures"]["pixel"]["value"].get<double>(), 1.5, 0.05);
    EXPECT_TRUE(ran.json()["undetermined"].empty());
    EXPECT_TRUE(fs::exists(out));
    ASSERT_TRUE(writeTextFile(table, "triangles,draws\n1,2\n"));
    const Ran none = run({"device", table.string()});
    EXPECT_EQ(none.code, 1);
    EXPECT_NE(none.err.find("there is no column ms"), std::string::npos) << none.err;
}

TEST(Cli, routes_come_from_cameras_and_sweeps_need_none) {
    const TempFolder folder;
    Scene scene;
    scene.settings.devices = usualDevices();
    scene.settings.routes = {demo::channelRun()};
    auto subject = makeSubject(std::move(readModel(ballFile(folder.path(), "ball.glb", 20), {})->front()), {});
    ASSERT_TRUE(subject);
    subject->id = 1;
    scene.subjects = {*subject};
    scene.subjects[0].mesh().placed =
        std::make_shared<const Placements>(Placements{{9, 0, {0, 0, 0}, Quatd::Identity(), 1, 1}});
    scene.nextId = 10;
    const fs::path project = folder.path() / "small.thicket.json";
    ASSERT_TRUE(writeProject(scene, project, false));
    const fs::path camera = folder.path() / "camera.glb";
    ASSERT_EQ(run({"routes", project.string(), "--camera", camera.string()}).code, 0);
    const Ran added = run({"routes", project.string(), "--from", camera.string(), "--json"});
    ASSERT_EQ(added.code, 0) << added.err;
    ASSERT_EQ(added.json()["routes"].size(), 2U);
    EXPECT_NEAR(added.json()["routes"][1]["seconds"].get<double>(), 48, 0.01);
    EXPECT_EQ(run({"routes", project.string(), "--camera", camera.string(), "--route", "Nothing"}).code, 1);
    EXPECT_EQ(run({"routes", project.string(), "--from", (folder.path() / "ball.glb").string()}).code, 1);

    const fs::path table = folder.path() / "cost.csv";
    const Ran swept = run({"sweep", project.string(), "--spacing", "1", "-o", table.string(), "--json"});
    ASSERT_EQ(swept.code, 0) << swept.err;
    EXPECT_EQ(swept.json()["places"].get<int>(), swept.json()["rows"].get<int>() * swept.json()["columns"].get<int>());
    EXPECT_GT(swept.json()["worst"][0]["triangles"].get<int>(), 0);
    EXPECT_TRUE(fs::exists(table));
    EXPECT_EQ(run({"sweep", project.string(), "--spacing", "0.001", "--area=-5,-5,5,5"}).code, 1);
    EXPECT_EQ(run({"sweep", project.string(), "--area", "1,2,3"}).code, 2);
}

TEST(Cli, thin_writes_levels_that_hold_what_it_reports) {
    const TempFolder folder;
    const fs::path in = ballFile(folder.path(), "ball.glb", 60);
    const fs::path out = folder.path() / "out.glb";
    const Ran ran = run({"thin", in.string(), "-o", out.string(), "--ratios", "0.3,0.05", "--allow", "2", "--fov", "90",
                         "--height", "1000", "--json"});
    ASSERT_EQ(ran.code, 0) << ran.err;
    const auto levels = ran.json()["subjects"][0]["levels"];
    ASSERT_EQ(levels.size(), 3U);
    const auto read = readModel(out, {});
    ASSERT_TRUE(read);
    for (std::size_t i = 0; i < 3; ++i) {
        EXPECT_EQ(levels[i]["triangles"], read->front().levels[i].mesh.triangleCount());
        EXPECT_EQ(levels[i]["vertices"], read->front().levels[i].mesh.vertexCount());
        if (i > 0) {
            EXPECT_LT(levels[i]["triangles"], levels[i - 1]["triangles"]);
            // 90 degrees, 1000 lines: 500 pixels a metre at a metre, so the switch stands at what is seen * 500 / 2.
            EXPECT_NEAR(levels[i]["switch_distance"].get<double>(),
                        levels[i]["deviation"]["visible"].get<double>() * 250, 1e-6);
            EXPECT_LE(levels[i]["deviation"]["visible"], levels[i]["deviation"]["promised"]);
        }
    }
    const Ran every = run({"thin", in.string(), "-o", out.string(), "--ratios", "0.3,0.05", "--allow", "2", "--fov",
                           "90", "--height", "1000", "--every-point", "--json"});
    const auto strict = every.json()["subjects"][0]["levels"];
    for (std::size_t i = 1; i < 3; ++i)
        EXPECT_NEAR(strict[i]["switch_distance"].get<double>(), strict[i]["deviation"]["promised"].get<double>() * 250,
                    1e-6);
    for (const char* key :
         {"read_ms", "check_ms", "record_ms", "curve_ms", "cut_ms", "measure_ms", "write_ms", "peak_bytes"})
        EXPECT_TRUE(ran.json()["subjects"][0]["timings"].contains(key)) << key;
}

TEST(Cli, thin_places_switches_where_they_go_unseen_where_that_is_asked) {
    const TempFolder folder;
    // Stripes show every texel that slides.
    Surfaces surfaces = shapes::white();
    Pixels stripes{128, 128, {}};
    for (int i = 0; i < 128 * 128; ++i) {
        const std::uint8_t value = i % 128 / 8 % 2 == 0 ? 30 : 220;
        stripes.rgba.insert(stripes.rgba.end(), {value, value, value, 255});
    }
    surfaces.images = {encodePng(stripes, "stripes")};
    surfaces.materials[0].baseColorImage = 0;
    const fs::path in = folder.path() / "striped.glb";
    ASSERT_TRUE(writeFile(in, encodeGlb("striped", {std::make_shared<const Mesh>(shapes::texturedSphere(48, 24))},
                                        surfaces, GlbLevels::Named, {})));
    const auto levels = [&](std::vector<std::string> extra) {
        std::vector<std::string> args{"thin",     in.string(), "-o",    (folder.path() / "o.glb").string(),
                                      "--ratios", "0.4,0.1",   "--json"};
        args.insert(args.end(), extra.begin(), extra.end());
        const Ran ran = run(args);
        EXPECT_EQ(ran.code, 0) << ran.err;
        EXPECT_EQ(ran.json()["subjects"][0]["timings"]["looks_ms"].get<double>() > 0, !extra.empty());
        return ran.json()["subjects"][0]["levels"];
    };
    const auto plain = levels({});
    const auto looked = levels({"--looks"});
    ASSERT_EQ(looked.size(), plain.size());
    bool farther = false;
    for (std::size_t i = 1; i < looked.size(); ++i) {
        EXPECT_EQ(looked[i]["triangles"], plain[i]["triangles"]) << "the counts are those asked for";
        EXPECT_FALSE(plain[i]["deviation"].contains("seen"));
        EXPECT_GE(looked[i]["switch_distance"].get<double>(), plain[i]["switch_distance"].get<double>());
        farther |= looked[i]["deviation"].contains("seen");
    }
    EXPECT_TRUE(farther);
    EXPECT_GT(looked[2]["switch_distance"].get<double>(), looked[1]["switch_distance"].get<double>());
    // An eye that tells pixels less apart sees it from less far.
    const auto byEye = levels({"--looks", "--sight", "60"});
    EXPECT_LT(byEye[2]["switch_distance"].get<double>(), looked[2]["switch_distance"].get<double>());
    EXPECT_EQ(run({"thin", in.string(), "-o", (folder.path() / "o.glb").string(), "--sight", "-3"}).code, 2);
}

TEST(Cli, thin_takes_every_kind_of_target) {
    const TempFolder folder;
    const std::string in = ballFile(folder.path(), "ball.glb", 40).string();
    const std::string out = (folder.path() / "o.glb").string();
    const auto counts = [&](std::vector<std::string> extra) {
        std::vector<std::string> args{"thin", in, "-o", out, "--json"};
        args.insert(args.end(), extra.begin(), extra.end());
        const Ran ran = run(args);
        EXPECT_EQ(ran.code, 0) << ran.err;
        return ran.json()["subjects"][0]["levels"];
    };
    EXPECT_EQ(counts({"--triangles", "1000,200"})[1]["triangles"], 1000);
    EXPECT_EQ(counts({"--levels", "2"}).size(), 3U);
    const auto by = counts({"--deviation", "0.01"});
    EXPECT_LE(by[1]["deviation"]["max"].get<double>(), 0.01);
    EXPECT_GE(counts({"--role", "dressing"}).size(), 3U);
    EXPECT_GE(counts({}).size(), 3U);
}

TEST(Cli, thin_adds_cards_and_lightens_materials) {
    const TempFolder folder;
    Mesh mesh = shapes::texturedSphere(60, 30);
    const std::uint32_t half = mesh.triangleCount() / 2;
    mesh.parts = {{0, half, 0}, {half, mesh.triangleCount() - half, 1}};
    Surfaces s;
    s.materials.resize(2);
    Pixels p{32, 32, std::vector<std::uint8_t>(4 * 32 * 32, 255)};
    s.images = {encodePng(p, "white")};
    s.materials[0].baseColorImage = 0;
    const fs::path in = folder.path() / "two.glb";
    ASSERT_TRUE(
        writeFile(in, encodeGlb("two", {std::make_shared<const Mesh>(std::move(mesh))}, s, GlbLevels::Named, {})));
    const std::string out = (folder.path() / "o.glb").string();
    const Ran ran = run({"thin", in.string(), "-o", out, "--ratios", "0.3", "--merge-materials", "--halve-textures",
                         "1", "--cards", "3", "--card-texels", "32", "--json"});
    ASSERT_EQ(ran.code, 0) << ran.err;
    const auto levels = ran.json()["subjects"][0]["levels"];
    ASSERT_EQ(levels.size(), 3U);
    EXPECT_EQ(levels[0]["draws"], 2);
    EXPECT_EQ(levels[1]["draws"], 1);
    EXPECT_EQ(levels[2]["origin"], "cards");
    EXPECT_EQ(levels[2]["triangles"], 6);
    EXPECT_GT(levels[2]["texture_bytes"], 0);
    const auto read = readModel(out, {});
    ASSERT_TRUE(read) << read.error().text();
    ASSERT_EQ(read->front().levels.size(), 3U);
    EXPECT_EQ(read->front().levels[1].mesh.parts.size(), 1U);

    const Ran none = run({"thin", in.string(), "-o", out, "--care-color", "red"});
    EXPECT_EQ(none.code, 1);
    EXPECT_NE(none.err.find("no vertex colours"), std::string::npos);
    EXPECT_EQ(run({"thin", in.string(), "-o", out, "--cards", "9"}).code, 2);
    EXPECT_EQ(run({"thin", in.string(), "-o", out, "--card-texels", "64"}).code, 2) << "texels of no cards";
    EXPECT_EQ(run({"thin", in.string(), "-o", out, "--care-color", "pink"}).code, 2);
}

TEST(Cli, thin_rebuilds_mirrors_shares_and_bakes_views) {
    const TempFolder folder;
    const fs::path in = ballFile(folder.path(), "ball.glb", 40);
    const std::string out = (folder.path() / "o.glb").string();
    const auto thinned = [&](std::vector<std::string> more) {
        std::vector<std::string> args{"thin", in.string(), "-o", out, "--ratios", "0.3,0.05", "--json"};
        args.insert(args.end(), more.begin(), more.end());
        const Ran ran = run(args);
        EXPECT_EQ(ran.code, 0) << ran.err;
        return ran.json()["subjects"][0];
    };
    const auto shared = thinned({"--reuse-vertices"});
    EXPECT_GT(shared["shared_vertex_bytes"], 1000);
    EXPECT_TRUE(shared["levels"][1]["texture_drift_texels"].is_null()) << "it has no picture";
    EXPECT_LT(shared["levels"][1]["normal_drift_degrees"], 10);
    const auto sharedBytes = fs::file_size(out);
    EXPECT_EQ(thinned({})["shared_vertex_bytes"], 0);
    EXPECT_LT(sharedBytes, fs::file_size(out));
    EXPECT_EQ(thinned({"--rebuild"})["levels"][1]["origin"], "rebuilt");
    const auto views = thinned({"--views", "4", "--view-texels", "16"})["levels"];
    EXPECT_EQ(views.back()["origin"], "impostor");
    EXPECT_EQ(views.back()["triangles"], 2);
    EXPECT_NE(run({"thin", in.string(), "-o", out, "--symmetric", "--reuse-vertices"}).code, 0);
    thinned({"--symmetric"});

    const std::string obj = (folder.path() / "hand.obj").string();
    ASSERT_EQ(run({"thin", in.string(), "-o", obj, "--triangles", "800", "--rebuild", "--quads"}).code, 0);
    const auto text = readTextFile(folder.path() / "hand_LOD1.obj");
    ASSERT_TRUE(text);
    int quads = 0;
    std::istringstream lines(*text);
    for (std::string line; std::getline(lines, line);)
        quads += line.rfind("f ", 0) == 0 && std::count(line.begin(), line.end(), ' ') == 4 ? 1 : 0;
    EXPECT_GT(quads, 200);
    const auto back = readModel(folder.path() / "hand_LOD1.obj", {});
    ASSERT_TRUE(back) << back.error().text();
    EXPECT_NEAR(back->front().levels.front().mesh.triangleCount(), 800, 120);
    EXPECT_EQ(run({"thin", in.string(), "-o", out, "--quads"}).code, 2) << "a GLB holds no quads";
}

TEST(Cli, thin_takes_care_from_a_mask) {
    const TempFolder folder;
    const fs::path in = ballFile(folder.path(), "ball.glb", 60);
    Pixels half{64, 32, std::vector<std::uint8_t>(4 * 64 * 32, 255)};
    for (int y = 0; y < 32; ++y)
        for (int x = 0; x < 32; ++x)
            std::fill_n(half.at(x, y), 3, std::uint8_t{0});
    const fs::path mask = folder.path() / "mask.png";
    ASSERT_TRUE(writeFile(mask, encodePng(half, "mask").encoded));
    const std::string out = (folder.path() / "o.glb").string();
    const Ran ran = run({"thin", in.string(), "-o", out, "--triangles", "600", "--care-mask", mask.string(), "--json"});
    ASSERT_EQ(ran.code, 0) << ran.err;
    const auto read = readModel(out, {});
    ASSERT_TRUE(read);
    const Mesh& level = read->front().levels[1].mesh;
    int white = 0;
    for (std::uint32_t t = 0; t < level.triangleCount(); ++t)
        white += (level.uvs[level.indices[3 * t]].x() + level.uvs[level.indices[3 * t + 1]].x() +
                  level.uvs[level.indices[3 * t + 2]].x()) /
                             3 >
                         0.5F
                     ? 1
                     : 0;
    EXPECT_GT(white, static_cast<int>(level.triangleCount()) * 3 / 4) << "what is protected keeps its triangles";
    EXPECT_EQ(run({"thin", in.string(), "-o", out, "--care-mask", (folder.path() / "none.png").string()}).code, 1);
    EXPECT_EQ(run({"thin", in.string(), "-o", out, "--care-mask", in.string()}).code, 1) << "that is no picture";
}

TEST(Cli, measure_gives_both_directions) {
    const TempFolder folder;
    const fs::path fine = ballFile(folder.path(), "fine.glb", 60);
    const fs::path coarse = ballFile(folder.path(), "coarse.glb", 8);
    const Ran ran = run({"measure", fine.string(), coarse.string(), "--json"});
    ASSERT_EQ(ran.code, 0);
    const auto j = ran.json();
    EXPECT_GT(j["max"].get<double>(), 0.02);
    EXPECT_LT(j["max"].get<double>(), 0.2);
    EXPECT_GE(j["there"]["max"].get<double>(), j["there"]["p99"].get<double>());
    EXPECT_GE(j["back"]["bound"].get<double>(), j["back"]["max"].get<double>());
    EXPECT_EQ(j["turned_triangles"], 0);
    // The same with some of its triangles turned over.
    Mesh turned = shapes::texturedSphere(16, 8);
    dropUnusedVertices(turned);
    for (std::size_t t = 20; t < 31; ++t)
        std::swap(turned.indices[3 * t], turned.indices[3 * t + 1]);
    Surfaces plain;
    plain.materials.emplace_back();
    const fs::path over = folder.path() / "over.glb";
    ASSERT_TRUE(
        writeFile(over, encodeGlb("over", {std::make_shared<const Mesh>(turned)}, plain, GlbLevels::Named, {})));
    EXPECT_EQ(run({"measure", fine.string(), over.string(), "--json"}).json()["turned_triangles"], 11);
    EXPECT_NE(run({"measure", fine.string(), over.string()}).out.find("turned 11"), std::string::npos);
}

TEST(Cli, inspect_reports_findings) {
    const TempFolder folder;
    ASSERT_TRUE(writeTextFile(folder.path() / "flat.obj", "v 0 0 0\nv 1 0 0\nv 0 1 0\nv 2 0 0\nf 1 2 3\nf 1 2 4\n"));
    const Ran ran = run({"inspect", (folder.path() / "flat.obj").string(), "--json"});
    ASSERT_EQ(ran.code, 0) << ran.err;
    EXPECT_NE(ran.out.find("triangles without area"), std::string::npos);
    EXPECT_NE(ran.out.find("no normals"), std::string::npos);
    for (const auto& finding : ran.json()["subjects"][0]["findings"]) {
        const auto text = finding["text"].get<std::string>();
        EXPECT_EQ(finding.contains("places"), text.find("no ") != 0 && text.find("too light") != 0) << text;
        if (text.find("open border") == std::string::npos)
            continue;
        ASSERT_EQ(finding["places"].size(), 1U) << text;
        EXPECT_EQ(finding["places"][0]["count"], finding["count"]);
        EXPECT_GT(finding["places"][0]["radius"].get<double>(), 0.5);
    }
}

TEST(Cli, a_scene_is_taken_apart) {
    const TempFolder folder;
    constexpr int kAcross = 9; // points of a hilly square
    std::string text;
    for (const auto& [name, beside] : {std::pair("dune", 0), std::pair("bank", 20)}) {
        text += fmt::format("o {}\n", name);
        for (int i = 0; i < kAcross * kAcross; ++i)
            text += fmt::format("v {} {} {}\n", beside + i / kAcross, i * i % 7 * 0.1, i % kAcross);
        for (int i = 0; i + kAcross < kAcross * kAcross; ++i)
            if (i % kAcross + 1 < kAcross) // from the end, as OBJ counts backwards
                text += fmt::format("f {0} {1} {2} {3}\n", i - kAcross * kAcross, i + 1 - kAcross * kAcross,
                                    i + 1 - kAcross * (kAcross - 1), i - kAcross * (kAcross - 1));
    }
    const fs::path file = folder.path() / "shore.obj";
    ASSERT_TRUE(writeTextFile(file, text));
    const Ran whole = run({"inspect", file.string(), "--json"});
    ASSERT_EQ(whole.code, 0) << whole.err;
    EXPECT_EQ(whole.json()["subjects"].size(), 1U);
    EXPECT_NE(whole.out.find("2 things of its file are one subject here"), std::string::npos);
    const Ran apart = run({"inspect", file.string(), "--apart", "--json"});
    ASSERT_EQ(apart.code, 0) << apart.err;
    ASSERT_EQ(apart.json()["subjects"].size(), 2U);
    EXPECT_EQ(apart.json()["subjects"][1]["subject"], "dune");
    const Ran thinned =
        run({"thin", file.string(), "--apart", "--ratios", "0.5", "-o", (folder.path() / "out").string()});
    ASSERT_EQ(thinned.code, 0) << thinned.err;
    EXPECT_TRUE(fs::exists(folder.path() / "out" / "dune.glb") && fs::exists(folder.path() / "out" / "bank.glb"));
}

TEST(Cli, cancel_exits_with_4_and_writes_nothing) {
    const TempFolder folder;
    std::stop_source stop;
    stop.request_stop();
    const fs::path out = folder.path() / "o.glb";
    const Ran ran =
        run({"thin", ballFile(folder.path(), "ball.glb", 20).string(), "-o", out.string()}, stop.get_token());
    EXPECT_EQ(ran.code, 4);
    EXPECT_FALSE(fs::exists(out));
}

// The whole way through on a small project: audit says whether the budget holds by its exit code, ship writes what it
// lists.
TEST(Cli, audit_and_ship_a_project) {
    const TempFolder folder;
    const fs::path ball = ballFile(folder.path(), "ball.glb", 40);
    auto subject = makeSubject(std::move(readModel(ball, {})->front()), {});
    ASSERT_TRUE(subject);
    Scene scene;
    scene.settings.name = "small";
    subject->id = 1;
    const auto state = recordSubject(*subject, {}, {});
    scene.subjects = {
        *thinSubject(*subject, *state, presetFor(Role::Dressing, subject->mesh().levels[0].triangles).targets, {})};
    scene.settings.devices = usualDevices();
    scene.settings.devices[1].triangleBudget = 10;
    scene.settings.routes = {demo::channelRun()};
    for (RouteKey& key : scene.settings.routes[0].keys)
        key.seconds /= 4;
    scene.subjects[0].mesh().placed = std::make_shared<const Placements>(
        Placements{{9, 0, scene.settings.routes[0].keys[3].target, Quatd::Identity(), 1, 1}});
    scene.nextId = 10;
    const fs::path project = folder.path() / "small.thicket.json";
    ASSERT_TRUE(writeProject(scene, project, false));
    EXPECT_EQ(run({"audit", project.string()}).code, 0) << "levels are cut again where they were not kept";
    ASSERT_TRUE(writeProject(scene, project, true));
    const Ran over = run({"audit", project.string(), "--device", "Desk 120", "--json"});
    EXPECT_EQ(over.code, 3);
    EXPECT_FALSE(over.json()["holds"].get<bool>());
    EXPECT_EQ(over.json()["frames"].size(), 12U * 120U + 1U);
    EXPECT_EQ(run({"audit", project.string(), "--device", "Nothing"}).code, 1);
    EXPECT_EQ(run({"audit", project.string(), "--route", "Nothing"}).code, 1);
    // What a build server reads says the same.
    const std::string junit = (folder.path() / "audit.xml").string();
    EXPECT_EQ(run({"audit", project.string(), "--junit", junit}).code, 0);
    EXPECT_NE(readTextFile(junit)->find("tests=\"4\" failures=\"0\""), std::string::npos) << *readTextFile(junit);
    EXPECT_EQ(run({"audit", project.string(), "--device", "Desk 120", "--junit", junit}).code, 3);
    EXPECT_NE(readTextFile(junit)->find("name=\"triangles\">\n      <failure"), std::string::npos);
    EXPECT_EQ(run({"audit", project.string(), "--junit", (folder.path() / "none" / "a" / "b.xml" / "").string()}).code,
              1);
    const auto memory = over.json()["memory"];
    EXPECT_EQ(memory["frames_over"], 0);
    EXPECT_GT(memory["worst_mb"].get<double>(), 0);
    EXPECT_LE(memory["worst_mb"].get<double>(), memory["all_mb"].get<double>() * (1 + 1e-6));
    // Against itself nothing is worse; against a better one it says what is.
    const auto keep = [&](const char* name, const std::string& text) {
        std::ofstream(folder.path() / name) << text;
        return (folder.path() / name).string();
    };
    const Ran first = run({"audit", project.string(), "--json"});
    const std::string same = keep("same.json", first.out);
    EXPECT_EQ(run({"audit", project.string(), "--against", same}).code, 0);
    nlohmann::json better = first.json();
    better["summary"]["most_triangles"] = better["summary"]["most_triangles"].get<double>() / 1.2;
    const Ran worse = run({"audit", project.string(), "--against", keep("better.json", better.dump()), "--json"});
    EXPECT_EQ(worse.code, 3);
    ASSERT_EQ(worse.json()["worse"].size(), 1U);
    EXPECT_EQ(worse.json()["worse"][0]["what"], "most triangles");
    EXPECT_EQ(run({"audit", project.string(), "--against", keep("better.json", better.dump()), "--worse", "0.5"}).code,
              0);
    const Ran elsewhere = run({"audit", project.string(), "--device", "Desk 120", "--against", same});
    EXPECT_EQ(elsewhere.code, 1);
    EXPECT_NE(elsewhere.err.find("same.json: is of "), std::string::npos) << elsewhere.err;
    for (const char* broken : {"", "{}", "[1", "{\"summary\":{\"route\":7}}"})
        EXPECT_EQ(run({"audit", project.string(), "--against", keep("broken.json", broken)}).code, 1) << broken;

    // A fit that holds is kept in the project; a dry run changes nothing; one that cannot hold says so.
    Scene heavy = scene;
    heavy.settings.devices[1].triangleBudget =
        static_cast<std::uint64_t>(over.json()["summary"]["most_triangles"].get<double>() / 2);
    const fs::path tight = folder.path() / "tight.thicket.json";
    ASSERT_TRUE(writeProject(heavy, tight, false));
    const auto bytes = readTextFile(tight);
    ASSERT_EQ(run({"audit", tight.string(), "--device", "Desk 120"}).code, 3);
    EXPECT_EQ(run({"fit", tight.string(), "--device", "Desk 120", "--dry-run"}).code, 0);
    EXPECT_EQ(*readTextFile(tight), *bytes);
    const Ran fitted = run({"fit", tight.string(), "--device", "Desk 120", "--json"});
    EXPECT_EQ(fitted.code, 0) << fitted.err;
    EXPECT_TRUE(fitted.json()["after"]["holds"].get<bool>());
    EXPECT_GT(fitted.json()["subjects"][0]["times"].get<double>(), 1);
    EXPECT_EQ(run({"audit", tight.string(), "--device", "Desk 120"}).code, 0);
    // What was fitted is handed over.
    const Ran handed = run({"ship", tight.string(), "-o", (folder.path() / "handed").string(), "--json"});
    ASSERT_EQ(handed.code, 0) << handed.err;
    const auto factors = nlohmann::json::parse(*readTextFile(folder.path() / "handed" / "devices.json"));
    const auto schema = nlohmann::json::parse(*readTextFile(SOURCE_ROOT "/docs/formats/device-factors.schema.json"));
    for (const std::string& broken : breaks(schema, factors))
        ADD_FAILURE() << broken;
    ASSERT_EQ(factors["devices"][1]["subjects"].size(), 1U);
    EXPECT_EQ(factors["devices"][1]["subjects"][0]["name"], "ball");
    EXPECT_EQ(factors["devices"][1]["subjects"][0]["times"], fitted.json()["subjects"][0]["times"]);
    EXPECT_TRUE(factors["devices"][0]["subjects"].empty());
    const Ran never = run({"fit", project.string(), "--device", "Desk 120", "--json", "--dry-run"});
    EXPECT_EQ(never.code, 3);
    EXPECT_EQ(never.json()["unheld"][0]["limit"], "triangles");
    EXPECT_EQ(run({"fit", project.string(), "--leave", "Nobody"}).code, 1);
    Scene still = scene;
    still.settings.routes[0].keys.resize(1);
    const fs::path unmoved = folder.path() / "unmoved.thicket.json";
    ASSERT_TRUE(writeProject(still, unmoved, false));
    for (const char* command : {"fit", "audit"}) {
        const Ran none = run({command, unmoved.string()});
        EXPECT_EQ(none.code, 1);
        EXPECT_NE(none.err.find(unmoved.string() + ", Channel run: the route has no length"), std::string::npos)
            << none.err;
    }

    const Ran shipped = run({"ship", project.string(), "-o", (folder.path() / "out").string(), "--json"});
    ASSERT_EQ(shipped.code, 0) << shipped.err;
    EXPECT_EQ(shipped.json()["files"].size(), 5U);
    const nlohmann::json files = shipped.json()["files"];
    for (const auto& f : files) {
        EXPECT_TRUE(fs::exists(f["path"].get<std::string>()));
        EXPECT_TRUE(f["verified"].get<bool>());
    }
}

} // namespace thicket

namespace thicket {
namespace {

/// A table of balls on a line, and a recipe for them.
struct FieldFiles {
    TempFolder folder;
    std::string mesh = ballFile(folder.path(), "ball.glb", 8).string();
    std::string project = (folder.path() / "out" / "p.thicket.json").string();

    std::string written(const char* name, const std::string& text) const {
        const fs::path file = folder.path() / name;
        EXPECT_TRUE(writeTextFile(file, text));
        return file.string();
    }
};

} // namespace

TEST(CliField, a_table_becomes_a_project_and_bad_rows_stop_it_unless_they_are_left_out) {
    const FieldFiles files;
    const std::string table = files.written("t.csv", "asset,x,y,z,id\nball,0,0,0,11\nball,5,0,0,12\nball,x,0,0,13\n");
    const Ran refused = run({"field", table, "--assets", files.mesh, "-o", files.project});
    EXPECT_EQ(refused.code, 1);
    EXPECT_EQ(refused.err, "thicket: " + table +
                               ": 1 of 3 rows cannot be placed: line 4 x is not a number; mend them, or leave them out "
                               "with --skip-bad\n");
    EXPECT_FALSE(fs::exists(files.project));
    const Ran made = run({"field", table, "--assets", files.mesh, "-o", files.project, "--skip-bad", "--json"});
    ASSERT_EQ(made.code, 0) << made.err;
    EXPECT_EQ(made.json()["copies"], 2);
    EXPECT_EQ(made.json()["skipped"], 1);
    EXPECT_EQ(made.json()["bad_rows"][0]["line"], 4);
    const auto load = readProject(files.project, {});
    ASSERT_TRUE(load);
    EXPECT_EQ(load->scene.subjects.back().instances()->copies->size(), 2U);
}

/// The folder that is worked in, until the end of a test.
class WorkingIn {
public:
    explicit WorkingIn(const fs::path& folder) : m_before(fs::current_path()) { fs::current_path(folder); }
    ~WorkingIn() { fs::current_path(m_before); }
    WorkingIn(const WorkingIn&) = delete;
    WorkingIn& operator=(const WorkingIn&) = delete;

private:
    fs::path m_before;
};

TEST(CliField, names_without_a_folder_are_of_the_one_that_is_worked_in) {
    const TempFolder folder;
    ballFile(folder.path(), "ball.glb", 12);
    const WorkingIn here(folder.path());
    ASSERT_TRUE(writeTextFile("t.csv", "asset,x,y,z\nball,0,0,0\nball,4,0,1\n"));
    const Ran table = run({"field", "t.csv", "--assets", "ball.glb", "-o", "t.thicket.json"});
    ASSERT_EQ(table.code, 0) << table.err;
    EXPECT_EQ(run({"select", "t.thicket.json", "--eye", "0,1,9", "--look", "0,0,0"}).code, 0);
    const auto written = nlohmann::json::parse(*readTextFile("t.thicket.json"));
    EXPECT_EQ(written["subjects"][0]["source"]["path"], "ball.glb") << "named from the project's folder";
    // A recipe with a picture beside it, and the project of it.
    const Image mask = encodePng({2, 2, std::vector<std::uint8_t>(16, 255)}, "mask");
    ASSERT_TRUE(writeFile("mask.png", mask.encoded));
    ASSERT_TRUE(writeTextFile("s.recipe.json", R"({"format": "lean-thicket-recipe", "version": 1, "name": "Balls",
        "density": 2, "mask": "mask.png", "ground": {"height": 0, "low": [-5, -5], "high": [5, 5]},
        "assets": [{"subject": "ball"}]})"));
    const Ran scattered = run({"scatter", "s.recipe.json", "--assets", "ball.glb", "-o", "s.thicket.json"});
    EXPECT_EQ(scattered.code, 0) << scattered.err;
    EXPECT_EQ(run({"pops", "s.thicket.json"}).code, 0) << "one level has no switches";
    auto sighted = nlohmann::json::parse(*readTextFile("s.thicket.json"));
    sighted["view"]["pixelsADegree"] = 40;
    ASSERT_TRUE(writeTextFile("s.thicket.json", sighted.dump()));
    EXPECT_EQ(run({"pops", "s.thicket.json", "--json"}).json()["pixels_a_degree"], 40);
    EXPECT_NE(run({"pops", "s.thicket.json"}).out.find("by an eye at 40"), std::string::npos) << "whose, is said";
}

TEST(CliField, a_recipe_is_scattered_the_same_each_time_and_too_many_are_refused_with_the_forecast) {
    const FieldFiles files;
    const std::string recipe = files.written(
        "r.recipe.json", R"({"format": "lean-thicket-recipe", "version": 1, "name": "Pebbles", "density": 2,
            "ground": {"height": 0, "low": [-10, -10], "high": [10, 10]}, "assets": [{"subject": "ball"}]})");
    const Ran made = run({"scatter", recipe, "--assets", files.mesh, "-o", files.project, "--json"});
    ASSERT_EQ(made.code, 0) << made.err;
    EXPECT_NEAR(made.json()["copies"].get<int>(), 800, 30);
    EXPECT_EQ(made.json()["field"], "Pebbles");
    const std::string first = *readTextFile(files.project);
    ASSERT_EQ(run({"scatter", recipe, "--assets", files.mesh, "-o", files.project}).code, 0);
    EXPECT_EQ(*readTextFile(files.project), first);
    const Ran dense = run({"scatter", recipe, "--assets", files.mesh, "-o", files.project, "--density", "2500000"});
    EXPECT_EQ(dense.code, 1);
    EXPECT_NE(dense.err.find("1,000,000,000 copies"), std::string::npos) << dense.err;
    EXPECT_EQ(*readTextFile(files.project), first) << "what was there is as it was";
    // On a mesh: only its surface counts.
    const Ran on = run({"scatter", recipe, "--on", files.mesh, "--assets", files.mesh, "-o", files.project, "--density",
                        "40", "--json"});
    ASSERT_EQ(on.code, 0) << on.err;
    EXPECT_NEAR(on.json()["copies"].get<int>(), 150, 25) << "the top of the ball, where it is not too steep";
}

TEST(CliField, select_says_of_every_copy_what_is_drawn_or_why_not) {
    const FieldFiles files;
    std::string table = "asset,x,y,z,id\n";
    for (int i = 0; i < 60; ++i)
        table += "ball,0,0," + std::to_string(-5 * i) + "," + std::to_string(100 + i) + "\n";
    ASSERT_EQ(run({"field", files.written("t.csv", table), "--assets", files.mesh, "-o", files.project}).code, 0);
    const Ran ran = run({"select", files.project, "--eye", "0,1,12", "--look", "0,0,-50", "--json", "--each"});
    ASSERT_EQ(ran.code, 0) << ran.err;
    const auto field = ran.json()["subjects"][0];
    EXPECT_EQ(field["copies"], 60);
    ASSERT_EQ(field["each"].size(), 60U);
    int drawn = 0;
    for (const auto& copy : field["each"]) {
        EXPECT_NE(copy.contains("level"), copy.contains("not_drawn"));
        drawn += copy.contains("level") ? 1 : 0;
    }
    EXPECT_EQ(field["drawn"], drawn);
    EXPECT_GT(drawn, 5);
    EXPECT_GT(field["not_drawn"]["thinned away"].get<int>(), 0);
    EXPECT_EQ(run({"select", files.project, "--eye", "0,1", "--look", "0,0,0"}).code, 2);
    EXPECT_EQ(run({"select", files.project, "--eye", "0,1,2", "--look", "0,1,2"}).code, 1);
}

TEST(Cli, terrain_is_inspected_cut_into_tiles_and_made_a_mesh) {
    const TempFolder folder;
    const std::string set = (folder.path() / "set.glb").string();
    const Ran about = run({"terrain", "--trial", "257", "--spacing", "2", "--json"});
    ASSERT_EQ(about.code, 0) << about.err;
    EXPECT_EQ(about.json()["width_metres"], 512);
    EXPECT_EQ(about.json()["levels"][0]["tiles"], 16);
    EXPECT_EQ(about.json()["levels"][0]["error_metres"], 0);
    const Ran drawn = run({"terrain", "--trial", "257", "--tile", "16", "--from", "-100,12,-100", "-o", set, "--json"});
    ASSERT_EQ(drawn.code, 0) << drawn.err;
    EXPECT_EQ(drawn.json()["cracks"], 0);
    EXPECT_GT(drawn.json()["edges_checked"].get<int>(), 100);
    EXPECT_LE(drawn.json()["worst_error_px"].get<double>(), 1);
    const Ran finer = run(
        {"terrain", "--trial", "257", "--tile", "16", "--from", "-100,12,-100", "-o", set, "--allow", "0.2", "--json"});
    EXPECT_GT(finer.json()["triangles"], drawn.json()["triangles"]);
    const std::string mesh = (folder.path() / "mesh.glb").string();
    const Ran made = run({"terrain", "--trial", "257", "--static", "0.1,0.4", "-o", mesh, "--json"});
    ASSERT_EQ(made.code, 0) << made.err;
    const auto back = readModel(mesh, {});
    ASSERT_TRUE(back);
    EXPECT_EQ(back->front().levels.size(), 2U);
    EXPECT_EQ(back->front().levels[0].mesh.triangleCount(), made.json()["meshes"][0]["triangles"]);
    const Ran forecast = run({"terrain", "--trial", "257", "--static", "0.1", "--forecast", "--json"});
    EXPECT_EQ(forecast.json()["meshes"][0]["triangles"], made.json()["meshes"][0]["triangles"]);
    const Ran refused = run({"terrain", "--trial", "257", "--static", "0", "--most", "1000", "-o", mesh});
    EXPECT_EQ(refused.code, 1);
    EXPECT_NE(refused.err.find("larger error"), std::string::npos);
    const Ran all = run({"terrain", "--trial", "129", "--tiles", "-o", (folder.path() / "all").string(), "--json"});
    ASSERT_EQ(all.code, 0) << all.err;
    EXPECT_EQ(all.json()["tiles"], 5);
    EXPECT_TRUE(fs::exists(folder.path() / "all" / "terrain.json"));
    EXPECT_EQ(run({"terrain", "--trial", "129", "--tile", "7"}).code, 1);
    EXPECT_EQ(run({"terrain", (folder.path() / "none.png").string(), "--spacing", "1"}).code, 1);
    EXPECT_EQ(run({"terrain"}).code, 1);
}

TEST(CliStrands, a_recipe_grows_and_its_levels_and_cover_are_said) {
    const FieldFiles files;
    const std::string recipe = files.written(
        "r.strands.json", R"({"format": "lean-thicket-strand-recipe", "version": 1, "name": "Marram", "density": 12,
            "ground": {"height": 0, "low": [-10, -10], "high": [10, 10]}, "length": 0.8, "points": 6})");
    const Ran made = run({"strands", "--grow", recipe, "-o", files.project, "--cover", "40,90", "--json"});
    ASSERT_EQ(made.code, 0) << made.err;
    const auto out = made.json();
    EXPECT_NEAR(out["count"].get<int>(), 4800, 100);
    EXPECT_EQ(out["points"], 6 * out["count"].get<int>());
    ASSERT_GE(out["levels"].size(), 3U);
    for (std::size_t l = 1; l < out["levels"].size(); ++l) {
        EXPECT_LT(out["levels"][l]["triangles"], out["levels"][l - 1]["triangles"]);
        EXPECT_GT(out["levels"][l]["from_metres"], out["levels"][l - 1]["from_metres"]);
    }
    EXPECT_EQ(out["cover"].size(), 2U);
    EXPECT_NEAR(out["cover"][0]["share"].get<double>(), 1, 0.15);
    // The project holds them, and everything that works for projects works for them.
    const Ran seen = run({"select", files.project, "--eye", "0,1,30", "--look", "0,0,0", "--json"});
    ASSERT_EQ(seen.code, 0) << seen.err;
    EXPECT_EQ(seen.json()["subjects"][0]["copies"], out["count"]);
    EXPECT_GT(seen.json()["subjects"][0]["drawn"], 1000);
    const Ran shipped = run({"ship", files.project, "-o", (files.folder.path() / "out2").string(), "--json"});
    ASSERT_EQ(shipped.code, 0) << shipped.err;
    EXPECT_TRUE(fs::exists(files.folder.path() / "out2" / "marram.L0.lines.glb"));
    // What was shipped is read again as lines.
    const Ran lines = run({"strands", (files.folder.path() / "out2" / "marram.L0.lines.glb").string(), "--json"});
    ASSERT_EQ(lines.code, 0) << lines.err;
    EXPECT_EQ(lines.json()["count"], out["count"]);
}

TEST(CliStrands, a_files_lengths_are_in_the_unit_that_is_said) {
    const FieldFiles files;
    const std::string hair = files.written("hair.obj", "v 0 0 0\nv 0 10 0\nv 5 0 0\nv 5 20 0\nl 1 2\nl 3 4\n");
    const Ran made = run({"strands", hair, "--unit", "cm", "--width", "0.0002", "-o", files.project, "--json"});
    ASSERT_EQ(made.code, 0) << made.err;
    EXPECT_NEAR(made.json()["mean_length_metres"].get<double>(), 0.15, 1e-6);
    const auto project = nlohmann::json::parse(*readTextFile(files.project));
    EXPECT_EQ(project["subjects"][0]["unit"], 0.01);
    EXPECT_EQ(project["subjects"][0]["up"], "y");
    const Ran lying = run({"strands", hair, "--up", "z", "-o", files.project, "--json"});
    ASSERT_EQ(lying.code, 0) << lying.err;
    EXPECT_EQ(nlohmann::json::parse(*readTextFile(files.project))["subjects"][0]["up"], "z");
    EXPECT_EQ(run({"strands", hair, "--up", "x"}).code, 2);
    const Ran wrong = run({"strands", hair, "--unit", "ell"});
    EXPECT_NE(wrong.code, 0);
    EXPECT_NE(wrong.err.find("use mm, cm, m, inch"), std::string::npos) << wrong.err;
}

TEST(CliStrands, cards_are_a_last_level_that_a_project_keeps) {
    const FieldFiles files;
    const std::string recipe = files.written(
        "r.strands.json", R"({"format": "lean-thicket-strand-recipe", "version": 1, "name": "Marram", "density": 12,
            "ground": {"height": 0, "low": [-10, -10], "high": [10, 10]}, "length": 0.8, "points": 6})");
    const Ran made =
        run({"strands", "--grow", recipe, "--cards", "20", "-o", files.project, "--cover", "400", "--json"});
    ASSERT_EQ(made.code, 0) << made.err;
    const auto last = made.json()["levels"].back();
    EXPECT_EQ(last["strands_per_card"], 20);
    EXPECT_EQ(last["triangles"], made.json()["count"].get<int>() / 20 * 2);
    const Ran shipped = run({"ship", files.project, "-o", (files.folder.path() / "out3").string(), "--json"});
    ASSERT_EQ(shipped.code, 0) << shipped.err;
    const std::string cards = fmt::format("marram.L{}.cards.glb", made.json()["levels"].size() - 1);
    EXPECT_TRUE(fs::exists(files.folder.path() / "out3" / cards));
    EXPECT_FALSE(fs::exists(files.folder.path() / "out3" / "marram.L0.ribbons.glb"));
    ASSERT_EQ(run({"ship", files.project, "-o", (files.folder.path() / "out4").string(), "--ribbons"}).code, 0);
    EXPECT_TRUE(fs::exists(files.folder.path() / "out4" / "marram.L0.ribbons.glb"));
    EXPECT_TRUE(fs::exists(files.folder.path() / "out4" / cards));
    const auto rule = nlohmann::json::parse(*readTextFile(files.folder.path() / "out3" / "marram.strands.json"));
    EXPECT_EQ(rule["levels"].back()["cards"]["strandsPerCard"], 20);
    EXPECT_EQ(rule["levels"].back()["fromMetres"], last["from_metres"]);
    const Ran tooMany = run({"strands", "--grow", recipe, "--density", "0.5", "--cards", "200"});
    EXPECT_EQ(tooMany.code, 1);
    EXPECT_NE(tooMany.err.find("too few for cards of 200"), std::string::npos) << tooMany.err;
}

TEST(CliStrands, what_cannot_be_is_one_sentence) {
    const FieldFiles files;
    const std::string dense =
        files.written("r.strands.json", R"({"format": "lean-thicket-strand-recipe", "version": 1, "density": 1e6})");
    const Ran many = run({"strands", "--grow", dense});
    EXPECT_EQ(many.code, 1);
    EXPECT_NE(many.err.find("r.strands.json: would grow some"), std::string::npos) << many.err;
    const Ran none = run({"strands", files.mesh});
    EXPECT_EQ(none.code, 1);
    EXPECT_EQ(none.err, "thicket: " + files.mesh + ": holds no lines; choose a file with lines or curves\n");
    EXPECT_EQ(run({"strands"}).code, 1);
}

TEST(CliEmitter, the_forecast_is_said_for_every_level_and_distance) {
    const FieldFiles files;
    const std::string fire = files.written(
        "fire.emitter.json", R"({"format": "lean-thicket-emitter", "version": 1, "name": "Fire", "parts": [
            {"name": "smoke", "rate": 10, "lifetime": [4, 6], "size": [1, 1], "sizeOverLife": [1, 1]},
            {"name": "sparks", "rate": 40, "lifetime": [1, 1], "size": [0.1, 0.1]}],
            "levels": [{"from": 0}, {"from": 30, "parts": {"sparks": {"on": false}}}]})");
    const Ran ran = run({"emitter", fire, "--distances", "20", "--add-level", "0.5", "-o", files.project, "--json"});
    ASSERT_EQ(ran.code, 0) << ran.err;
    const auto levels = ran.json()["levels"];
    ASSERT_EQ(levels.size(), 3U);
    EXPECT_EQ(levels[0]["live"], 90);
    EXPECT_EQ(levels[1]["live"], 50);
    EXPECT_EQ(levels[2]["live"], 25);
    EXPECT_EQ(levels[2]["from_metres"], 60);
    EXPECT_EQ(levels[1]["parts"][1]["on"], false);
    EXPECT_NEAR(levels[1]["overdraw"][0]["overdraw"].get<double>() /
                    (2 * levels[2]["overdraw"][0]["overdraw"].get<double>()),
                1, 1e-9);
    const Ran seen = run({"select", files.project, "--eye", "0,1,50", "--look", "0,0,0", "--json"});
    ASSERT_EQ(seen.code, 0) << seen.err;
    EXPECT_EQ(seen.json()["subjects"][0]["triangles"], 100) << "two a particle of L1";
    const std::string all = files.written("levels.json", "");
    ASSERT_EQ(run({"emitter", fire, "--resolved", "-o", all}).code, 0);
    EXPECT_NE(readTextFile(all)->find("lean-thicket-emitter-levels"), std::string::npos);
    const std::string bad =
        files.written("bad.emitter.json", R"({"format": "lean-thicket-emitter", "version": 1, "parts": [
            {"name": "smoke", "rate": 1e12, "lifetime": [4, 6], "size": [1, 1]}], "levels": [{"from": 0}]})");
    const Ran refused = run({"emitter", bad});
    EXPECT_EQ(refused.code, 1);
    EXPECT_NE(refused.err.find("particles at its worst"), std::string::npos) << refused.err;
}

} // namespace thicket
