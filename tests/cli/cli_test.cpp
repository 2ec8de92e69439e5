#include "base/file.h"
#include "budget/devices.h"
#include "cli/cli.h"
#include "io/import.h"
#include "io/write_glb.h"
#include "saltmere.h"
#include "scene/thin_subject.h"
#include "support/shapes.h"
#include "support/temp_folder.h"

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
    for (const char* command : {"inspect", "thin", "measure", "audit", "ship", "demo"}) {
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
            // 90 degrees, 1000 lines: 500 pixels a metre at a metre, so the switch stands at promised * 500 / 2.
            EXPECT_NEAR(levels[i]["switch_distance"].get<double>(),
                        levels[i]["deviation"]["promised"].get<double>() * 250, 1e-6);
        }
    }
    for (const char* key : {"read_ms", "record_ms", "cut_ms", "measure_ms", "write_ms", "peak_bytes"})
        EXPECT_TRUE(ran.json()["subjects"][0]["timings"].contains(key)) << key;
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
}

TEST(Cli, inspect_reports_findings) {
    const TempFolder folder;
    ASSERT_TRUE(writeTextFile(folder.path() / "flat.obj", "v 0 0 0\nv 1 0 0\nv 0 1 0\nv 2 0 0\nf 1 2 3\nf 1 2 4\n"));
    const Ran ran = run({"inspect", (folder.path() / "flat.obj").string(), "--json"});
    ASSERT_EQ(ran.code, 0) << ran.err;
    EXPECT_NE(ran.out.find("triangles without area"), std::string::npos);
    EXPECT_NE(ran.out.find("no normals"), std::string::npos);
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
    scene.name = "small";
    subject->id = 1;
    const auto state = recordSubject(*subject, {}, {});
    scene.subjects = {
        *thinSubject(*subject, *state, presetFor(Role::Dressing, subject->levels[0].triangles).targets, {})};
    scene.devices = usualDevices();
    scene.devices[1].triangleBudget = 10;
    scene.routes = {demo::channelRun()};
    scene.placements = {{9, 1, scene.routes[0].keys[3].target, Quatd::Identity(), 1}};
    const fs::path project = folder.path() / "small.thicket.json";
    ASSERT_TRUE(writeProject(scene, project, false));
    EXPECT_EQ(run({"audit", project.string()}).code, 0);
    const Ran over = run({"audit", project.string(), "--device", "Desk 120", "--json"});
    EXPECT_EQ(over.code, 3);
    EXPECT_FALSE(over.json()["holds"].get<bool>());
    EXPECT_EQ(over.json()["frames"].size(), 48U * 120U + 1U);
    EXPECT_EQ(run({"audit", project.string(), "--device", "Nothing"}).code, 1);
    EXPECT_EQ(run({"audit", project.string(), "--route", "Nothing"}).code, 1);
    const Ran shipped = run({"ship", project.string(), "-o", (folder.path() / "out").string(), "--json"});
    ASSERT_EQ(shipped.code, 0) << shipped.err;
    EXPECT_EQ(shipped.json()["files"].size(), 3U);
    const nlohmann::json files = shipped.json()["files"];
    for (const auto& f : files) {
        EXPECT_TRUE(fs::exists(f["path"].get<std::string>()));
        EXPECT_TRUE(f["verified"].get<bool>());
    }
}

} // namespace thicket
