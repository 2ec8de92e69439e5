// Mends outlive their project: the file stays as it is, and what was set right is set right again when it is read.

#include "base/file.h"
#include "io/import/import.h"
#include "io/project/project.h"
#include "io/ship/write_glb.h"
#include "mesh/mesh_checks.h"
#include "scene/mend_subject.h"
#include "scene/thin_subject.h"
#include "support/json_schema.h"
#include "support/shapes.h"
#include "support/temp_folder.h"

#include <gtest/gtest.h>
#include <nlohmann/json.hpp>

namespace thicket {
namespace fs = std::filesystem;
namespace {

/// A ball made in millimetres, inside out in part, with specks round it and a coarser level from its file.
Subject brokenBall(const fs::path& folder) {
    Mesh mesh = shapes::sphere(20, 500);
    for (std::uint32_t t = 0; t < mesh.triangleCount(); t += 5)
        std::swap(mesh.indices[3 * t + 1], mesh.indices[3 * t + 2]);
    for (int i = 0; i < 5; ++i)
        shapes::append(mesh, shapes::sphere(1, 0.5), {600.0 + 10 * i, 0, 0});
    Surfaces surfaces;
    surfaces.materials.emplace_back();
    const fs::path file = folder / "ball.glb";
    EXPECT_TRUE(writeFile(
        file,
        encodeGlb("ball", {std::make_shared<const Mesh>(mesh), std::make_shared<const Mesh>(shapes::sphere(6, 500))},
                  surfaces, GlbLevels::Named, {})));
    auto read = readModel(file, {});
    EXPECT_TRUE(read);
    auto subject = makeSubject(std::move(read->front()), {});
    EXPECT_TRUE(subject);
    subject->id = 1;
    return *subject;
}

Subject mendedBy(Subject subject, std::initializer_list<Mend> mends) {
    for (const Mend& mend : mends) {
        auto made = mendSubject(subject, mend, {});
        EXPECT_TRUE(made);
        EXPECT_GT(made->count, 0U) << keyOf(mend.kind);
        subject = std::move(made->subject);
    }
    return subject;
}

bool has(const Subject& subject, FindingKind kind) {
    return std::any_of(subject.findings.begin(), subject.findings.end(),
                       [kind](const Finding& f) { return f.kind == kind; });
}

} // namespace

TEST(Mends, are_made_again_when_a_project_is_opened) {
    const TempFolder folder;
    const Subject broken = brokenBall(folder.path());
    ASSERT_EQ(broken.mesh().levels.size(), 2U);
    const auto before = readFile(folder.path() / "ball.glb");
    Scene scene;
    scene.nextId = 2;
    scene.subjects = {mendedBy(
        broken,
        {{MendKind::Unit, 0.001}, {MendKind::Specks, kSpeckShare}, {MendKind::Flipped}, {MendKind::Normals, 180}})};
    const Subject& mended = scene.subjects[0];
    EXPECT_NEAR(mended.bounds.size().x(), 1, 1e-3);
    EXPECT_NEAR(boundsOf(*mended.mesh().levels[1].mesh).size().x(), 1, 1e-3) << "all levels have the unit";
    EXPECT_NEAR(mended.mesh().levels[1].deviation, 0.004, 0.002) << "metres, against the mended ball";
    for (const FindingKind gone : {FindingKind::FlippedTriangles, FindingKind::LooseSpecks, FindingKind::MissingNormals,
                                   FindingKind::UnusualSize})
        EXPECT_FALSE(has(mended, gone));

    const fs::path project = folder.path() / "a.thicket.json";
    ASSERT_TRUE(writeProject(scene, project, true));
    const auto load = readProject(project, {});
    ASSERT_TRUE(load);
    EXPECT_TRUE(load->problems.empty());
    const Subject& opened = load->scene.subjects[0];
    EXPECT_EQ(opened.mesh().mends, mended.mesh().mends);
    EXPECT_EQ(contentOf(*opened.mesh().source().mesh), contentOf(*mended.mesh().source().mesh));
    ASSERT_EQ(opened.mesh().levels.size(), 2U);
    EXPECT_EQ(shapeOf(*opened.mesh().levels[1].mesh), shapeOf(*mended.mesh().levels[1].mesh));
    EXPECT_EQ(*readFile(folder.path() / "ball.glb"), *before) << "the file stays as it is";

    const auto text = readTextFile(project);
    ASSERT_TRUE(text);
    const auto schema = readTextFile(fs::path(SOURCE_ROOT) / "docs/formats/project.schema.json");
    ASSERT_TRUE(schema);
    EXPECT_TRUE(breaks(nlohmann::json::parse(*schema), nlohmann::json::parse(*text)).empty());
}

TEST(Mends, what_lies_on_its_back_stands_upright_with_all_that_was_measured_and_painted) {
    const TempFolder folder;
    Subject lying = brokenBall(folder.path());
    CareStroke stroke;
    stroke.path = {{0, 0, 500}};
    lying.mesh().care = std::make_shared<const Care>(Care{stroke});
    lying.mesh().careCut = lying.mesh().care;
    Scene scene;
    scene.nextId = 2;
    scene.subjects = {mendedBy(lying, {{MendKind::Upright, 1}})};
    const Subject& upright = scene.subjects[0];
    EXPECT_EQ(upright.bounds.high.y(), lying.bounds.high.z());
    EXPECT_EQ(upright.bounds.low.z(), -lying.bounds.high.y());
    EXPECT_EQ(upright.mesh().levels[1].deviation, lying.mesh().levels[1].deviation);
    EXPECT_EQ(upright.mesh().levels[1].visible, lying.mesh().levels[1].visible);
    EXPECT_EQ(upright.mesh().care->front().path[0], Vec3f(0, 500, 0));
    EXPECT_EQ(upright.mesh().care, upright.mesh().careCut) << "nothing is to be cut again";
    const fs::path project = folder.path() / "a.thicket.json";
    ASSERT_TRUE(writeProject(scene, project, true));
    const auto load = readProject(project, {});
    ASSERT_TRUE(load) << load.error().text();
    for (std::size_t i = 0; i < 2; ++i)
        EXPECT_EQ(shapeOf(*load->scene.subjects[0].mesh().levels[i].mesh), shapeOf(*upright.mesh().levels[i].mesh));
    // Four quarters are none.
    Subject round = upright;
    for (const double quarters : {1.0, 2.0})
        round = mendedBy(round, {{MendKind::Upright, quarters}});
    EXPECT_EQ(shapeOf(*round.mesh().source().mesh), shapeOf(*lying.mesh().source().mesh));
    // Pictures of it would show it as it lay.
    lying.mesh().levels[1].origin = LevelOrigin::Cards;
    const auto refused = mendSubject(lying, {MendKind::Upright, 1}, {});
    ASSERT_FALSE(refused);
    EXPECT_NE(refused.error().text().find("pictures"), std::string::npos);
    std::string text = *readTextFile(project);
    text.replace(text.find("\"value\": 1.0"), 12, "\"value\": 1.5");
    ASSERT_TRUE(writeTextFile(project, text));
    const auto none = readProject(project, {});
    ASSERT_FALSE(none);
    EXPECT_NE(none.error().what.find("mends[0]"), std::string::npos) << none.error().text();
}

TEST(Mends, a_level_made_by_hand_that_is_added_later_is_mended_as_its_subject_was) {
    const auto slab = [](int rows) {
        Mesh mesh = shapes::sphere(rows, 100);
        for (Vec3f& p : mesh.positions)
            p = Vec3f(p.x(), 0.5F * p.y(), 0.2F * p.z() + 20);
        return mesh;
    };
    Surfaces surfaces;
    surfaces.materials.emplace_back();
    ImportedSubject in;
    in.name = "slab";
    in.surfaces = std::make_shared<const Surfaces>(surfaces);
    in.levels.emplace_back().mesh = slab(20);
    auto subject = makeSubject(std::move(in), {});
    ASSERT_TRUE(subject) << subject.error().text();
    const Subject mended = mendedBy(*subject, {{MendKind::Unit, 0.01}, {MendKind::Upright, 1}});
    Mesh there = slab(8);
    for (const Mend& mend : mended.mesh().mends)
        ASSERT_TRUE(mendMesh(there, mend));
    for (const Mesh& level : {slab(8), there}) {
        const auto added = addHandMade(mended, level, surfaces, {});
        ASSERT_TRUE(added) << added.error().text();
        ASSERT_EQ(added->mesh().levels.size(), 2U);
        EXPECT_LT(added->mesh().levels[1].deviation, 0.1);
        EXPECT_EQ(shapeOf(*added->mesh().levels[1].mesh), shapeOf(there));
    }
}

TEST(Mends, of_a_project_that_are_none_are_refused) {
    const TempFolder folder;
    Scene scene;
    scene.nextId = 2;
    scene.subjects = {mendedBy(brokenBall(folder.path()), {{MendKind::Specks, kSpeckShare}})};
    const fs::path project = folder.path() / "a.thicket.json";
    ASSERT_TRUE(writeProject(scene, project, true));
    const std::string text = *readTextFile(project);
    for (const auto& [from, to] : {std::pair<std::string, std::string>{"\"specks\"", "\"polish\""},
                                   {"\"value\": 0.005", "\"value\": 7"},
                                   {"\"value\": 0.005", "\"value\": \"much\""}}) {
        std::string bad = text;
        const auto at = bad.find(from);
        ASSERT_NE(at, std::string::npos) << from;
        bad.replace(at, from.size(), to);
        ASSERT_TRUE(writeTextFile(project, bad));
        const auto load = readProject(project, {});
        ASSERT_FALSE(load) << to;
        EXPECT_NE(load.error().what.find("mends[0]"), std::string::npos) << load.error().text();
    }
}

TEST(Mends, keep_cut_levels_and_measure_them_anew) {
    const TempFolder folder;
    Subject subject = brokenBall(folder.path());
    subject.mesh().levels.resize(1);
    auto state = recordSubject(subject, {}, {});
    ASSERT_TRUE(state);
    auto thinned = thinSubject(subject, *state, {{TargetKind::ShareOfFirst, 0.2}}, {});
    ASSERT_TRUE(thinned);
    thinned->mesh().levels[1].seen = 2 * thinned->mesh().levels[1].visible;
    const Subject mended = mendedBy(*thinned, {{MendKind::Unit, 0.001}, {MendKind::Specks, kSpeckShare}});
    ASSERT_EQ(mended.mesh().levels.size(), 2U);
    const Level& level = mended.mesh().levels[1];
    EXPECT_EQ(level.triangles, thinned->mesh().levels[1].triangles);
    EXPECT_NE(level.content, thinned->mesh().levels[1].content);
    EXPECT_LT(level.deviation, 0.2);
    EXPECT_NEAR(level.seen, 2 * level.visible, 1e-9 * level.visible) << "in the unit and in proportion";
    EXPECT_TRUE(mended.mesh().curve.triangles.empty()) << "it was another surface's";
    EXPECT_FALSE(state->fits(mended)) << "a record of before is not cut from any more";
}

TEST(Mends, levels_from_files_come_to_where_the_first_is_and_into_order) {
    const TempFolder folder;
    Surfaces surfaces;
    surfaces.materials.emplace_back();
    Mesh away = shapes::sphere(6, 1.15); // of another size, so that reading it does not move it
    for (Vec3f& p : away.positions)
        p += Vec3f(3, 0, 0);
    const auto mesh = [](Mesh m) { return std::make_shared<const Mesh>(std::move(m)); };
    const fs::path file = folder.path() / "ball.glb";
    ASSERT_TRUE(
        writeFile(file, encodeGlb("ball", {mesh(shapes::sphere(16)), mesh(std::move(away)), mesh(shapes::sphere(4))},
                                  surfaces, GlbLevels::Named, {})));
    auto read = readModel(file, {});
    ASSERT_TRUE(read);
    auto subject = makeSubject(std::move(read->front()), {});
    ASSERT_TRUE(subject);
    ASSERT_TRUE(has(*subject, FindingKind::LevelBoundsDisagree));
    std::swap(subject->mesh().levels[1], subject->mesh().levels[2]);
    subject->mesh().levels.push_back(subject->mesh().levels[0]);
    subject->mesh().levels.back().origin = LevelOrigin::HandMade;
    subject->findings = findProblems(*subject);
    ASSERT_TRUE(has(*subject, FindingKind::LevelsOutOfOrder));
    const Subject placed = mendedBy(*subject, {{MendKind::Place}});
    EXPECT_FALSE(has(placed, FindingKind::LevelBoundsDisagree));
    const Subject ordered = withLevelsInOrder(placed);
    EXPECT_FALSE(has(ordered, FindingKind::LevelsOutOfOrder));
    ASSERT_EQ(ordered.mesh().levels.size(), 3U) << "what is as heavy as the first goes";
    EXPECT_LT(ordered.mesh().levels[1].deviation, 0.2);
    Scene scene;
    scene.nextId = 2;
    scene.subjects = {ordered};
    scene.subjects[0].id = 1;
    ASSERT_TRUE(writeProject(scene, folder.path() / "a.thicket.json", true));
    const auto load = readProject(folder.path() / "a.thicket.json", {});
    ASSERT_TRUE(load);
    for (std::size_t i = 0; i < 3; ++i)
        EXPECT_EQ(shapeOf(*load->scene.subjects[0].mesh().levels[i].mesh), shapeOf(*ordered.mesh().levels[i].mesh));
}

} // namespace thicket
