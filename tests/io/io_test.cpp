#include "base/file.h"
#include "io/project/project.h"
#include "io/ship/ship.h"
#include "io/ship/write_glb.h"
#include "mesh/pose.h"
#include "models.h"
#include "scene/pops.h"
#include "scene/thin_subject.h"
#include "scene/thin_unseen.h"
#include "support/shapes.h"
#include "support/temp_folder.h"

#include <cmath>
#include <fstream>
#include <gtest/gtest.h>
#include <nlohmann/json.hpp>
#include <random>
#include <thread>

namespace thicket {
namespace fs = std::filesystem;
namespace {

std::shared_ptr<const Mesh> share(Mesh mesh) {
    dropUnusedVertices(mesh);
    return std::make_shared<const Mesh>(std::move(mesh));
}

Surfaces plain() {
    Surfaces s;
    s.materials.emplace_back();
    s.materials.back().name = "clay";
    return s;
}

fs::path writeBall(const fs::path& folder, const std::string& name, const std::vector<int>& rows) {
    std::vector<std::shared_ptr<const Mesh>> levels;
    for (const int r : rows)
        levels.push_back(share(shapes::texturedSphere(2 * r, r)));
    const fs::path file = folder / name;
    EXPECT_TRUE(writeFile(file, encodeGlb("ball", levels, plain(), GlbLevels::Named, {})));
    return file;
}

std::string objOf(const Mesh& mesh) {
    std::string text;
    for (const Vec3f& p : mesh.positions)
        text += "v " + std::to_string(p.x()) + " " + std::to_string(p.y()) + " " + std::to_string(p.z()) + "\n";
    for (std::size_t c = 0; c < mesh.indices.size(); c += 3)
        text += "f " + std::to_string(mesh.indices[c] + 1) + " " + std::to_string(mesh.indices[c + 1] + 1) + " " +
                std::to_string(mesh.indices[c + 2] + 1) + "\n";
    return text;
}

Scene thinnedScene(const fs::path& folder) {
    Scene scene;
    scene.settings.name = "test";
    scene.settings.devices = {Device{}};
    scene.settings.routes = {{"run", {{0, {0, 1, 5}, {0, 0, 0}}, {3, {0, 1, 50}, {0, 0, 0}}}}};
    auto read = readModel(writeBall(folder, "ball.glb", {20}), {});
    auto subject = makeSubject(std::move(read->front()), {});
    const auto state = recordSubject(*subject, {}, {});
    *subject =
        *thinSubject(*subject, *state, presetFor(Role::Dressing, subject->mesh().levels[0].triangles).targets, {});
    subject->id = 1;
    subject->mesh().levels[2].fixed = FixedSwitch{DecideBy::ScreenHeight, 0.125};
    subject->mesh().levels[1].locked = true;
    subject->rule.hysteresis = 0.11;
    CareStroke stroke;
    stroke.path = {{0, 1, 0}, {0.5F, 0.8F, 0.1F}};
    stroke.mirror = true;
    CareStroke erase = stroke;
    erase.kind = CareStroke::Kind::Erase;
    erase.strength = 0.25F;
    CareStroke colors;
    colors.kind = CareStroke::Kind::FromColor;
    colors.channel = 2;
    subject->mesh().care = std::make_shared<const Care>(Care{stroke, erase, colors});
    scene.subjects = {*subject};
    scene.subjects.front().mesh().placed =
        std::make_shared<const Placements>(Placements{{5, 0, {1, 2, 3}, Quatd(Eigen::AngleAxisd(0.7, kUp)), 1.25, 1}});
    scene.nextId = 6;
    return scene;
}

} // namespace

TEST(LevelNames, suffixes_are_recognised_in_any_case) {
    for (const auto& [name, base, level] :
         std::vector<std::tuple<std::string, std::string, int>>{{"post_LOD0", "post", 0},
                                                                {"post_lod1", "post", 1},
                                                                {"post.lod2", "post", 2},
                                                                {"post-LOD3", "post", 3},
                                                                {"post LOD_12", "post", 12},
                                                                {"post", "post", -1},
                                                                {"lodge", "lodge", -1},
                                                                {"_LOD", "_LOD", -1},
                                                                {"12", "12", -1},
                                                                {"lod1", "lod1", -1},
                                                                {"post_LOD123", "post_LOD123", -1},
                                                                {"post_LOD__1", "post_LOD__1", -1},
                                                                {"post_lod1_LOD2", "post_lod1", 2}}) {
        const LevelName split = splitLevelName(name);
        EXPECT_EQ(split.base, base);
        EXPECT_EQ(split.level, level);
    }
}

TEST(Glb, comes_back_as_it_was) {
    const TempFolder folder;
    for (const GlbLevels how : {GlbLevels::Named, GlbLevels::Extension}) {
        const std::vector<std::shared_ptr<const Mesh>> levels{share(shapes::texturedSphere(60, 30)),
                                                              share(shapes::texturedSphere(20, 10)),
                                                              share(shapes::texturedSphere(8, 4))};
        const fs::path file = folder.path() / "x.glb";
        ASSERT_TRUE(writeFile(file, encodeGlb("ball", levels, plain(), how, {0.5, 0.1, 0.01})));
        const auto read = readModel(file, {});
        ASSERT_TRUE(read) << read.error().text();
        ASSERT_EQ(read->size(), 1U);
        ASSERT_EQ(read->front().levels.size(), 3U);
        EXPECT_EQ(read->front().name, "ball");
        EXPECT_EQ(read->front().screenCoverages.size(), how == GlbLevels::Extension ? 3U : 0U);
        for (std::size_t i = 0; i < 3; ++i) {
            EXPECT_EQ(read->front().levels[i].mesh.indices, levels[i]->indices);
            EXPECT_TRUE(read->front().levels[i].mesh.positions == levels[i]->positions);
            EXPECT_TRUE(read->front().levels[i].mesh.uvs == levels[i]->uvs);
        }
        EXPECT_EQ(read->front().surfaces->materials.front().name, "clay");
    }
}

TEST(Glb, pictures_pass_through_unchanged) {
    const TempFolder folder;
    Surfaces s = plain();
    s.images = {demo::makeTexture(demo::Pattern::Rope, "rope")};
    s.materials[0].baseColorImage = 0;
    ASSERT_TRUE(writeFile(folder.path() / "x.glb",
                          encodeGlb("ball", {share(shapes::texturedSphere(8, 4))}, s, GlbLevels::Named, {})));
    const auto read = readModel(folder.path() / "x.glb", {});
    ASSERT_TRUE(read);
    ASSERT_EQ(read->front().surfaces->images.size(), 1U);
    EXPECT_EQ(read->front().surfaces->images[0].encoded, s.images[0].encoded);
    EXPECT_EQ(read->front().surfaces->materials[0].baseColorImage, 0);
}

TEST(Glb, skins_morphs_and_second_uvs_come_back_as_they_were) {
    const TempFolder folder;
    Mesh mesh = shapes::sphere(4);
    mesh.extras.morphs.resize(2);
    mesh.extras.morphs[0].name = "wide";
    mesh.extras.morphs[1].name = "tall";
    for (std::uint32_t v = 0; v < mesh.vertexCount(); ++v) {
        const Vec3f& p = mesh.positions[v];
        mesh.extras.uvs2.emplace_back(p.x(), p.y());
        mesh.extras.tangents.emplace_back(0, 1, 0, v % 2 == 0 ? 1 : -1);
        mesh.extras.joints.push_back({static_cast<std::uint16_t>(v % 2), 0, 0, 0});
        mesh.extras.weights.emplace_back(1, 0, 0, 0);
        mesh.extras.morphs[0].moves.emplace_back(p.x(), 0, 0);
        mesh.extras.morphs[1].moves.emplace_back(0, p.y(), 0);
        mesh.extras.morphs[1].normalMoves.emplace_back(0, 0.5F * p.y(), 0);
    }
    mesh.extras.morphs[0].normalMoves.assign(mesh.vertexCount(), Vec3f(0, 0, 0));
    Rig rig;
    rig.nodes = {{"root", -1, {0, 1, 0}, {0, 0, 0, 1}, {1, 1, 1}},
                 {"neck", 0, {0, 2, 0}, {0, 0, 0.6F, 0.8F}, {1, 1, 1}}};
    rig.joints = {0, 1};
    rig.inverseBind = {{1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, -1, 0, 1},
                       {1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, -3, 0, 1}};
    rig.morphWeights = {0.25F, 0.5F};
    rig.animations = {{"nod",
                       {{1, RigChannel::Path::Rotation, RigChannel::Between::Linear, {0, 1}, {0, 0, 0, 1, 0, 0, 1, 0}},
                        {-1, RigChannel::Path::MorphWeights, RigChannel::Between::Step, {0, 2}, {0, 1, 1, 0}}}}};
    // The coarser level has no joints and no morphs, as cards have none: it is read back as it is.
    const auto levels = std::vector{share(mesh), share(shapes::sphere(2))};
    for (const GlbLevels how : {GlbLevels::Named, GlbLevels::Extension}) {
        const fs::path file = folder.path() / "figure.glb";
        ASSERT_TRUE(writeFile(file, encodeGlb("figure", levels, plain(), how, {}, &rig)));
        const auto read = readModel(file, {});
        ASSERT_TRUE(read) << read.error().text();
        ASSERT_EQ(read->front().levels.size(), 2U);
        EXPECT_TRUE(read->front().levels[1].mesh.extras.empty());
        const Mesh& back = read->front().levels.front().mesh;
        EXPECT_EQ(back.positions, mesh.positions);
        EXPECT_EQ(back.extras.uvs2, mesh.extras.uvs2);
        EXPECT_EQ(back.extras.tangents, mesh.extras.tangents);
        EXPECT_EQ(back.extras.joints, mesh.extras.joints);
        EXPECT_EQ(back.extras.weights, mesh.extras.weights);
        ASSERT_EQ(back.extras.morphs.size(), 2U);
        EXPECT_EQ(back.extras.morphs[1].name, "tall");
        EXPECT_EQ(back.extras.morphs[1].moves, mesh.extras.morphs[1].moves);
        EXPECT_EQ(back.extras.morphs[1].normalMoves, mesh.extras.morphs[1].normalMoves);
        const Rig& is = read->front().rig;
        ASSERT_EQ(is.nodes.size(), 2U);
        EXPECT_EQ(is.nodes[1].name, "neck");
        EXPECT_EQ(is.nodes[1].parent, 0);
        EXPECT_LT((is.nodes[1].rotation - rig.nodes[1].rotation).norm(), 1e-5F);
        EXPECT_EQ(is.joints, rig.joints);
        EXPECT_EQ(is.inverseBind, rig.inverseBind);
        EXPECT_EQ(is.morphWeights, rig.morphWeights);
        ASSERT_EQ(is.animations.size(), 1U);
        ASSERT_EQ(is.animations[0].channels.size(), 2U);
        EXPECT_EQ(is.animations[0].channels[0].values, rig.animations[0].channels[0].values);
        EXPECT_EQ(is.animations[0].channels[1].path, RigChannel::Path::MorphWeights);
    }
}

TEST(Glb, a_skinned_figure_is_thinned_shipped_and_read_back_equal) {
    const TempFolder folder;
    Mesh mesh = shapes::texturedSphere(48, 24);
    for (const Vec3f& p : mesh.positions) {
        const float upper = std::clamp(0.5F + p.y(), 0.0F, 1.0F);
        mesh.extras.joints.push_back({0, 1, 0, 0});
        mesh.extras.weights.emplace_back(1 - upper, upper, 0, 0);
        mesh.extras.tangents.emplace_back(1, 0, 0, 1);
    }
    Rig rig;
    rig.nodes = {{"root", -1, {0, 0, 0}, {0, 0, 0, 1}, {1, 1, 1}}, {"top", 0, {0, 1, 0}, {0, 0, 0, 1}, {1, 1, 1}}};
    rig.joints = {0, 1};
    rig.inverseBind.assign(2, {1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1});
    const fs::path file = folder.path() / "figure.glb";
    ASSERT_TRUE(writeFile(file, encodeGlb("figure", {share(mesh)}, plain(), GlbLevels::Named, {}, &rig)));
    auto read = readModel(file, {});
    ASSERT_TRUE(read);
    auto subject = makeSubject(std::move(read->front()), {});
    ASSERT_TRUE(subject);
    const auto state = recordSubject(*subject, {}, {});
    auto thinned =
        thinSubject(*subject, *state, presetFor(Role::WorkingPiece, subject->mesh().levels[0].triangles).targets, {});
    ASSERT_TRUE(thinned);
    thinned->id = 1;
    for (const Level& level : thinned->mesh().levels)
        EXPECT_EQ(level.mesh->extras.joints.size(), level.mesh->positions.size());
    Scene scene;
    scene.subjects = {*thinned};
    const auto report = shipScene(scene, folder.path() / "out", {}, {});
    ASSERT_TRUE(report) << report.error().text();
    EXPECT_EQ(report->files.size(), 3U);
}

TEST(Import, two_hundred_damaged_figures_are_survived) {
    const TempFolder folder;
    Mesh mesh = shapes::sphere(3);
    mesh.extras.morphs.resize(1);
    for (const Vec3f& p : mesh.positions) {
        mesh.extras.joints.push_back({0, 1, 0, 0});
        mesh.extras.weights.emplace_back(0.5F, 0.5F, 0, 0);
        mesh.extras.tangents.emplace_back(1, 0, 0, 1);
        mesh.extras.morphs[0].moves.push_back(0.1F * p);
    }
    Rig rig;
    rig.nodes = {{"root", -1, {0, 0, 0}, {0, 0, 0, 1}, {1, 1, 1}}, {"top", 0, {0, 1, 0}, {0, 0, 0, 1}, {1, 1, 1}}};
    rig.joints = {0, 1};
    rig.inverseBind.assign(2, {1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1});
    rig.animations = {{"nod",
                       {{1, RigChannel::Path::Rotation, RigChannel::Between::Linear, {0, 1}, {0, 0, 0, 1, 0, 0, 1, 0}},
                        {-1, RigChannel::Path::MorphWeights, RigChannel::Between::Linear, {0, 1}, {0, 1}}}}};
    const auto whole = encodeGlb("figure", {share(mesh)}, plain(), GlbLevels::Named, {}, &rig);
    std::mt19937 random(17);
    const fs::path file = folder.path() / "damaged.glb";
    int refused = 0;
    for (int i = 0; i < 200; ++i) {
        auto bytes = whole;
        // Digits and bytes of the JSON's tail, where skins and animations are, and of the data.
        for (int k = 0; k < 1 + i % 6; ++k) {
            auto& byte = bytes[20 + random() % (bytes.size() - 20)];
            byte = byte >= std::byte{'0'} && byte <= std::byte{'9'} ? static_cast<std::byte>('0' + random() % 10)
                                                                    : static_cast<std::byte>(random() % 256);
        }
        ASSERT_TRUE(writeFile(file, bytes));
        const auto read = readModel(file, {});
        if (!read) {
            ++refused;
            EXPECT_FALSE(read.error().remedy.empty());
            continue;
        }
        for (const ImportedSubject& subject : *read) {
            for (const ImportedLevel& level : subject.levels) {
                EXPECT_TRUE(checkMesh(level.mesh, "read"));
                for (const Joints& joints : level.mesh.extras.joints)
                    for (const std::uint16_t joint : joints)
                        EXPECT_LT(joint, subject.rig.joints.size());
            }
            for (const RigAnimation& animation : subject.rig.animations)
                for (const RigChannel& channel : animation.channels)
                    for (const float time : channel.times)
                        EXPECT_TRUE(std::isfinite(time));
            for (const Moment& moment : momentsOf(subject.rig, 6)) {
                const Pose pose = poseAt(subject.rig, moment);
                for (const ImportedLevel& level : subject.levels)
                    if (moves(level.mesh)) {
                        EXPECT_EQ(posed(level.mesh, pose).positions.size(), level.mesh.positions.size());
                    }
            }
        }
    }
    EXPECT_GT(refused, 10);
}

TEST(Import, animations_have_one_value_for_each_of_their_times) {
    const TempFolder folder;
    Mesh mesh = shapes::sphere(2);
    for (std::size_t i = 0; i < mesh.positions.size(); ++i) {
        mesh.extras.joints.push_back({0, 0, 0, 0});
        mesh.extras.weights.emplace_back(1, 0, 0, 0);
    }
    const fs::path file = folder.path() / "nod.glb";
    using Interpolation = RigChannel::Between;
    const auto readsWith = [&](Interpolation between, std::vector<float> times, std::vector<float> values) {
        Rig rig;
        rig.nodes = {{"root", -1, {0, 0, 0}, {0, 0, 0, 1}, {1, 1, 1}}};
        rig.joints = {0};
        rig.inverseBind.assign(1, {1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1});
        rig.animations = {{"nod", {{0, RigChannel::Path::Translation, between, std::move(times), std::move(values)}}}};
        EXPECT_TRUE(writeFile(file, encodeGlb("nod", {share(mesh)}, plain(), GlbLevels::Named, {}, &rig)));
        return static_cast<bool>(readModel(file, {}));
    };
    EXPECT_TRUE(readsWith(Interpolation::Linear, {0, 1}, {0, 0, 0, 1, 1, 1}));
    EXPECT_FALSE(readsWith(Interpolation::Linear, {0, 1}, {0, 0, 0}));
    EXPECT_FALSE(readsWith(Interpolation::Step, {0, 1, 2}, {0, 0, 0, 1, 1, 1}));
    EXPECT_FALSE(readsWith(Interpolation::Linear, {1, 0}, {0, 0, 0, 1, 1, 1}));
    EXPECT_TRUE(readsWith(Interpolation::CubicSpline, {0, 1}, std::vector<float>(18, 0.5F)));
    EXPECT_FALSE(readsWith(Interpolation::CubicSpline, {0, 1}, {0, 0, 0, 1, 1, 1}));
}

TEST(Import, screen_coverages_become_switches) {
    const TempFolder folder;
    const std::vector<std::shared_ptr<const Mesh>> levels{share(shapes::texturedSphere(60, 30)),
                                                          share(shapes::texturedSphere(20, 10))};
    ASSERT_TRUE(
        writeFile(folder.path() / "x.glb", encodeGlb("ball", levels, plain(), GlbLevels::Extension, {0.25, 0.01})));
    const auto subject = makeSubject(std::move(readModel(folder.path() / "x.glb", {})->front()), {});
    ASSERT_TRUE(subject);
    ASSERT_TRUE(subject->mesh().levels[1].fixed);
    EXPECT_EQ(subject->mesh().levels[1].fixed->unit, DecideBy::ScreenHeight);
    EXPECT_NEAR(subject->mesh().levels[1].fixed->value, 0.25, 1e-12);
    EXPECT_GT(subject->mesh().levels[1].deviation, 0);
}

TEST(Import, reads_obj_ply_and_stl) {
    const TempFolder folder;
    const Mesh mesh = shapes::sphere(6);
    ASSERT_TRUE(writeTextFile(folder.path() / "a.obj", objOf(mesh)));
    std::string ply = "ply\nformat ascii 1.0\nelement vertex " + std::to_string(mesh.vertexCount()) +
                      "\nproperty float x\nproperty float y\nproperty float z\nelement face " +
                      std::to_string(mesh.triangleCount()) + "\nproperty list uchar int vertex_indices\nend_header\n";
    for (const Vec3f& p : mesh.positions)
        ply += std::to_string(p.x()) + " " + std::to_string(p.y()) + " " + std::to_string(p.z()) + "\n";
    std::string stl = "solid ball\n";
    for (std::size_t c = 0; c < mesh.indices.size(); c += 3) {
        ply += "3 " + std::to_string(mesh.indices[c]) + " " + std::to_string(mesh.indices[c + 1]) + " " +
               std::to_string(mesh.indices[c + 2]) + "\n";
        stl += "facet normal 0 0 0\nouter loop\n";
        for (std::size_t k = 0; k < 3; ++k) {
            const Vec3f& p = mesh.positions[mesh.indices[c + k]];
            stl += "vertex " + std::to_string(p.x()) + " " + std::to_string(p.y()) + " " + std::to_string(p.z()) + "\n";
        }
        stl += "endloop\nendfacet\n";
    }
    stl += "endsolid\n";
    ASSERT_TRUE(writeTextFile(folder.path() / "a.ply", ply));
    ASSERT_TRUE(writeTextFile(folder.path() / "a.stl", stl));
    for (const char* name : {"a.obj", "a.ply", "a.stl"}) {
        const auto read = readModel(folder.path() / name, {});
        ASSERT_TRUE(read) << name << ": " << read.error().text();
        EXPECT_EQ(read->front().levels.front().mesh.triangleCount(), mesh.triangleCount()) << name;
        EXPECT_TRUE(shapes::isClosed(read->front().levels.front().mesh)) << name;
    }
}

TEST(Import, corners_that_are_alike_are_joined_and_lines_left_out) {
    const TempFolder folder;
    // A square of two triangles, a normal for each corner, off by what rounding makes of them; and a line to a fifth point.
    ASSERT_TRUE(writeTextFile(folder.path() / "square.obj", "v 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nv 9 9 9\n"
                                                            "vn 0 0 1\nvn 0.000001 0 1\nvn 0 -0.000001 0.9999999\n"
                                                            "f 1//1 2//2 3//3\nf 1//3 3//1 4//2\nl 1 5\n"));
    const auto square = readModel(folder.path() / "square.obj", {});
    ASSERT_TRUE(square) << square.error().text();
    const Mesh& mesh = square->front().levels.front().mesh;
    EXPECT_EQ(mesh.triangleCount(), 2U);
    EXPECT_EQ(mesh.vertexCount(), 4U);
    EXPECT_EQ(mesh.normals.size(), 4U);
    // Normals that are another direction keep their corners apart.
    ASSERT_TRUE(writeTextFile(folder.path() / "fold.obj", "v 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nvn 0 0 1\nvn 0 0.01 1\n"
                                                          "f 1//1 2//1 3//1\nf 1//2 3//2 4//2\n"));
    EXPECT_EQ(readModel(folder.path() / "fold.obj", {})->front().levels.front().mesh.vertexCount(), 6U);
    // A solid without triangles does not spoil the one beside it.
    ASSERT_TRUE(writeTextFile(folder.path() / "two.stl",
                              "solid none\nendsolid none\nsolid one\nfacet normal 0 0 1\nouter loop\nvertex 0 0 0\n"
                              "vertex 1 0 0\nvertex 0 1 0\nendloop\nendfacet\nendsolid one\n"));
    const auto two = readModel(folder.path() / "two.stl", {});
    ASSERT_TRUE(two) << two.error().text();
    EXPECT_EQ(two->front().levels.front().mesh.triangleCount(), 1U);
}

TEST(Import, files_that_differ_by_a_level_suffix_become_one_chain) {
    const TempFolder folder;
    ASSERT_TRUE(writeTextFile(folder.path() / "post_LOD1.obj", objOf(shapes::sphere(3))));
    ASSERT_TRUE(writeTextFile(folder.path() / "post_LOD0.obj", objOf(shapes::sphere(8))));
    Mesh aside = shapes::sphere(2);
    for (Vec3f& p : aside.positions)
        p.x() += 10;
    ASSERT_TRUE(writeTextFile(folder.path() / "post_LOD2.obj", objOf(aside)));
    std::vector<ImportedSubject> all;
    for (const char* name : {"post_LOD1.obj", "post_LOD0.obj", "post_LOD2.obj"})
        all.push_back(std::move(readModel(folder.path() / name, {})->front()));
    const auto joined = joinFamilies(std::move(all));
    ASSERT_EQ(joined.size(), 1U);
    EXPECT_EQ(joined[0].name, "post");
    ASSERT_EQ(joined[0].levels.size(), 3U);
    EXPECT_EQ(joined[0].levels[0].mesh.triangleCount(), 1280U);
    EXPECT_EQ(joined[0].levels[2].mesh.triangleCount(), 80U);
    EXPECT_LT(boundsOf(joined[0].levels[2].mesh).centre().norm(), 0.1)
        << "a level that stood aside is moved onto the first";
}

TEST(Import, bad_files_each_give_one_clear_error) {
    const TempFolder folder;
    const auto error = [&](const std::string& name, const std::string& content) {
        EXPECT_TRUE(writeTextFile(folder.path() / name, content));
        const auto read = readModel(folder.path() / name, {});
        EXPECT_FALSE(read) << name;
        if (read)
            return std::string();
        EXPECT_FALSE(read.error().remedy.empty()) << name;
        return read.error().what;
    };
    EXPECT_EQ(error("empty.glb", ""), "the file is empty");
    EXPECT_NE(error("text.glb", "hello").find("not a readable glTF"), std::string::npos);
    EXPECT_EQ(error("none.gltf", R"({"asset":{"version":"2.0"},"scenes":[{"nodes":[]}],"scene":0})"),
              "holds no triangles");
    EXPECT_EQ(
        error("needs.gltf",
              R"({"asset":{"version":"2.0"},"extensionsRequired":["XX_made_up"],"extensionsUsed":["XX_made_up"]})"),
        "needs the extension XX_made_up, which is not supported");
    EXPECT_EQ(readModel(folder.path() / "needs.gltf", {}).error().remedy, "export it again without that");
    EXPECT_NE(
        error("odd.gltf", R"({"asset":{"version":"2.0"},"extensionsRequired":{"a":1}})").find("extensionsRequired"),
        std::string::npos);
    EXPECT_EQ(error("lying.ply",
                    "ply\nformat binary_little_endian 1.0\nelement vertex 900000000\nproperty float x\nproperty float "
                    "y\nproperty float z\nelement face 1\nproperty list uchar int vertex_indices\nend_header\n"),
              "claims more elements than the file holds");
    std::string stl(84, '\0');
    stl[80] = '\xff';
    stl[81] = '\xff';
    EXPECT_NE(error("lying.stl", stl).find("claims 65535 triangles"), std::string::npos);
    EXPECT_NE(error("strange.xyz1", "abc"), "");
    EXPECT_NE(error("nan.obj", "v nan 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n"), "");
    EXPECT_EQ(readModel(folder.path() / "absent.glb", {}).error().code, ErrorCode::NotFound);
}

// Damage of every kind to a good file: it is read, or it gives an error; nothing else may happen.
TEST(Import, a_hundred_damaged_files_are_survived) {
    const TempFolder folder;
    std::mt19937 random(2026);
    const auto glb = *readFile(writeBall(folder.path(), "good.glb", {12, 6}));
    const std::string obj = objOf(shapes::sphere(4));
    std::vector<std::byte> objBytes(obj.size());
    std::memcpy(objBytes.data(), obj.data(), obj.size());
    int read = 0;
    int refused = 0;
    for (int i = 0; i < 120; ++i) {
        std::vector<std::byte> data = i % 3 == 0 ? objBytes : glb;
        const int kind = static_cast<int>(random() % 4);
        if (kind == 0)
            data.resize(random() % data.size());
        for (int k = 0; k < (kind == 1 ? 1 : kind == 2 ? 40 : 6); ++k)
            if (!data.empty())
                data[kind == 3 ? random() % std::min<std::size_t>(data.size(), 1200) : random() % data.size()] =
                    static_cast<std::byte>(random());
        const fs::path file = folder.path() / (i % 3 == 0 ? "bad.obj" : "bad.glb");
        ASSERT_TRUE(writeFile(file, data));
        const auto result = readModel(file, {});
        if (result) {
            ++read;
            for (const ImportedSubject& s : *result)
                for (const ImportedLevel& l : s.levels)
                    EXPECT_TRUE(checkMesh(l.mesh, "x"));
        } else {
            ++refused;
            EXPECT_FALSE(result.error().what.empty());
            EXPECT_FALSE(result.error().remedy.empty());
        }
    }
    EXPECT_EQ(read + refused, 120);
    EXPECT_GT(refused, 20);
}

// The import library itself breaks on some of these; its process is then lost, not ours.
TEST(Import, damaged_ply_and_stl_are_survived) {
    const TempFolder folder;
    std::mt19937 random(7);
    const Mesh mesh = shapes::sphere(3);
    std::string ply = "ply\nformat binary_little_endian 1.0\nelement vertex " + std::to_string(mesh.vertexCount()) +
                      "\nproperty float x\nproperty float y\nproperty float z\nelement face " +
                      std::to_string(mesh.triangleCount()) + "\nproperty list uchar int vertex_indices\nend_header\n";
    ply.append(reinterpret_cast<const char*>(mesh.positions.data()), mesh.positions.size() * sizeof(Vec3f));
    std::string stl(80, ' ');
    const std::uint32_t count = mesh.triangleCount();
    stl.append(reinterpret_cast<const char*>(&count), 4);
    for (std::uint32_t t = 0; t < count; ++t) {
        ply += '\3';
        ply.append(reinterpret_cast<const char*>(&mesh.indices[3 * t]), 12);
        stl.append(12, '\0');
        for (std::uint32_t k = 0; k < 3; ++k)
            stl.append(reinterpret_cast<const char*>(&mesh.positions[mesh.indices[3 * t + k]]), 12);
        stl.append(2, '\0');
    }
    int refused = 0;
    for (int i = 0; i < 80; ++i) {
        const bool isPly = i % 2 == 0;
        std::string data = isPly ? ply : stl;
        const fs::path file = folder.path() / (isPly ? "a.ply" : "a.stl");
        if (i >= 2) {
            if (random() % 3 == 0)
                data.resize(random() % data.size());
            for (int k = 0; k < 12 && !data.empty(); ++k)
                data[random() % data.size()] = static_cast<char>(random());
        }
        ASSERT_TRUE(writeTextFile(file, data));
        const auto read = readModel(file, {});
        if (i < 2) {
            ASSERT_TRUE(read) << read.error().text();
            EXPECT_EQ(read->front().levels.front().mesh.triangleCount(), count);
        }
        if (!read) {
            ++refused;
            EXPECT_FALSE(read.error().remedy.empty());
        }
    }
    EXPECT_GT(refused, 5);
}

TEST(Project, comes_back_as_it_was) {
    const TempFolder folder;
    const Scene scene = thinnedScene(folder.path());
    const fs::path file = folder.path() / "a.thicket.json";
    ASSERT_TRUE(writeProject(scene, file, true));
    const auto load = readProject(file, {});
    ASSERT_TRUE(load) << load.error().text();
    EXPECT_TRUE(load->problems.empty());
    EXPECT_TRUE(load->toCut.empty()) << "the kept levels were not found";
    const Subject& was = scene.subjects[0];
    const Subject& is = load->scene.subjects[0];
    ASSERT_EQ(is.mesh().levels.size(), was.mesh().levels.size());
    for (std::size_t i = 0; i < was.mesh().levels.size(); ++i) {
        ASSERT_TRUE(is.mesh().levels[i].mesh);
        EXPECT_EQ(is.mesh().levels[i].mesh->indices, was.mesh().levels[i].mesh->indices);
        EXPECT_EQ(is.mesh().levels[i].deviation, was.mesh().levels[i].deviation);
        EXPECT_EQ(is.mesh().levels[i].locked, was.mesh().levels[i].locked);
        EXPECT_EQ(is.mesh().levels[i].fixed.has_value(), was.mesh().levels[i].fixed.has_value());
    }
    EXPECT_EQ(is.rule.hysteresis, 0.11);
    ASSERT_TRUE(is.mesh().care);
    EXPECT_EQ(*is.mesh().care, *was.mesh().care);
    EXPECT_TRUE(careIsNewer(is)) << "the levels were cut before anything was painted";
    EXPECT_EQ(load->scene.subjects[0].mesh().placed->front().scale, 1.25);
    EXPECT_LT(load->scene.subjects[0].mesh().placed->front().rotation.angularDistance(
                  scene.subjects[0].mesh().placed->front().rotation),
              1e-9);
    EXPECT_EQ(encodeProject(load->scene, folder.path()), encodeProject(scene, folder.path()))
        << "saved again it is the same text";
}

TEST(Project, can_be_moved_with_its_sources) {
    const TempFolder folder;
    fs::create_directories(folder.path() / "here");
    ASSERT_TRUE(writeProject(thinnedScene(folder.path() / "here"), folder.path() / "here" / "a.thicket.json", true));
    fs::rename(folder.path() / "here", folder.path() / "there");
    const auto load = readProject(folder.path() / "there" / "a.thicket.json", {});
    ASSERT_TRUE(load);
    EXPECT_TRUE(load->problems.empty());
}

TEST(Project, missing_and_changed_sources_are_said_and_mended) {
    const TempFolder folder;
    ASSERT_TRUE(writeProject(thinnedScene(folder.path()), folder.path() / "a.thicket.json", true));
    fs::rename(folder.path() / "ball.glb", folder.path() / "moved.glb");
    auto load = readProject(folder.path() / "a.thicket.json", {});
    ASSERT_TRUE(load);
    ASSERT_EQ(load->problems.size(), 1U);
    EXPECT_NE(load->problems[0].text().find("point to the file again"), std::string::npos);
    ASSERT_EQ(load->scene.subjects.size(), 1U);
    const auto attached = attachSource(load->scene.subjects[0], folder.path() / "moved.glb", {});
    ASSERT_TRUE(attached);
    EXPECT_TRUE(attached->mesh().levels[0].mesh);

    writeBall(folder.path(), "ball.glb", {12});
    load = readProject(folder.path() / "a.thicket.json", {});
    ASSERT_TRUE(load);
    ASSERT_EQ(load->problems.size(), 1U);
    EXPECT_NE(load->problems[0].what.find("has changed"), std::string::npos);
    EXPECT_EQ(load->toCut.size(), 1U);
}

TEST(Project, problems_of_several_subjects_are_said_in_their_order_and_findings_only_where_asked_for) {
    const TempFolder folder;
    Scene scene;
    scene.settings.devices = {Device{}};
    constexpr std::uint32_t kMany = 12;
    for (std::uint32_t i = 0; i < kMany; ++i) { // so light that levels do not pay, which is found
        auto read = readModel(writeBall(folder.path(), "ball" + std::to_string(i) + ".glb", {5}), {});
        ASSERT_TRUE(read);
        Subject& subject = scene.subjects.emplace_back(*makeSubject(std::move(read->front()), {}));
        subject.id = i + 1;
        subject.name = "ball " + std::to_string(i);
    }
    scene.nextId = kMany + 1;
    const fs::path file = folder.path() / "many.thicket.json";
    ASSERT_TRUE(writeProject(scene, file, true));
    fs::remove(folder.path() / "ball9.glb");
    fs::remove(folder.path() / "ball2.glb");
    fs::remove(folder.path() / "ball5.glb");
    for (const auto findings : {ProjectFindings::Looked, ProjectFindings::None}) {
        const auto load = readProject(file, {}, findings);
        ASSERT_TRUE(load) << load.error().text();
        ASSERT_EQ(load->problems.size(), 3U);
        EXPECT_NE(load->problems[0].where.find("ball 2"), std::string::npos);
        EXPECT_NE(load->problems[1].where.find("ball 5"), std::string::npos);
        EXPECT_NE(load->problems[2].where.find("ball 9"), std::string::npos);
        for (std::uint32_t i = 0; i < kMany; ++i) {
            const Subject& subject = load->scene.subjects[i];
            EXPECT_EQ(subject.id, i + 1);
            const bool gone = i == 2 || i == 5 || i == 9;
            EXPECT_EQ(subject.mesh().source().mesh == nullptr, gone);
            EXPECT_EQ(subject.findings.empty(), gone || findings == ProjectFindings::None);
        }
    }
    // How far it is never goes back, and is said by the thread that asked.
    double farthest = 0;
    int said = 0;
    JobContext told;
    told.progress = [&, owner = std::this_thread::get_id()](double fraction, std::string_view) {
        EXPECT_EQ(std::this_thread::get_id(), owner);
        EXPECT_GE(fraction, farthest);
        EXPECT_LE(fraction, 1);
        farthest = fraction;
        ++said;
    };
    ASSERT_TRUE(readProject(file, told));
    EXPECT_GT(said, 0);
    std::stop_source stop;
    JobContext job;
    job.stop = stop.get_token();
    job.progress = [&](double, std::string_view) { stop.request_stop(); };
    const auto stopped = readProject(file, job);
    ASSERT_FALSE(stopped);
    EXPECT_EQ(stopped.error().code, ErrorCode::Cancelled);
}

TEST(Project, levels_are_cut_again_when_none_were_kept) {
    const TempFolder folder;
    ASSERT_TRUE(writeProject(thinnedScene(folder.path()), folder.path() / "a.thicket.json", false));
    const auto load = readProject(folder.path() / "a.thicket.json", {});
    ASSERT_TRUE(load);
    EXPECT_EQ(load->toCut, std::vector<std::uint32_t>{1});
}

TEST(Project, where_levels_cannot_be_written_the_saved_project_stays_as_it_was) {
    const TempFolder folder;
    Scene scene = thinnedScene(folder.path());
    const fs::path file = folder.path() / "a.thicket.json";
    ASSERT_TRUE(writeProject(scene, file, true));
    const auto before = readTextFile(file);
    ASSERT_TRUE(before);
    // A file where the folder of levels should be: nothing can be written into it.
    fs::remove_all(levelsFolder(file));
    ASSERT_TRUE(writeTextFile(levelsFolder(file), "in the way"));
    scene.settings.name = "changed";
    const auto refused = writeProject(scene, file, true);
    ASSERT_FALSE(refused);
    EXPECT_EQ(refused.error().code, ErrorCode::Unwritable);
    EXPECT_FALSE(refused.error().remedy.empty());
    EXPECT_EQ(*readTextFile(file), *before);
}

TEST(Project, bad_fields_are_named) {
    const TempFolder folder;
    const std::string good = encodeProject(thinnedScene(folder.path()), folder.path());
    const auto error = [&](const std::string& from, const std::string& to) {
        std::string text = good;
        const auto at = text.find(from);
        EXPECT_NE(at, std::string::npos) << from;
        text.replace(at, from.size(), to);
        const auto scene = decodeProject(text, folder.path(), "a.thicket.json");
        EXPECT_FALSE(scene) << to;
        return scene ? std::string() : scene.error().text();
    };
    EXPECT_EQ(error("\"hysteresis\": 0.11", "\"hysteresis\": 7"),
              "a.thicket.json: subjects[0].rule.hysteresis: 7 is not between 0 and 1; mend the field or take an older "
              "copy of the project");
    EXPECT_NE(error("\"role\": \"working-piece\"", "\"role\": \"hero\"").find("subjects[0].role"), std::string::npos);
    EXPECT_NE(error("\"version\": 2", "\"version\": 99").find("newer program"), std::string::npos);
    EXPECT_NE(error("\"id\": 1,", "\"id\": -1,").find("subjects[0].id: -1 is not between"), std::string::npos);
    EXPECT_NE(error("\"id\": 1,", "\"id\": 3.7,").find("subjects[0].id: 3.7 is not a whole number"), std::string::npos);
    EXPECT_NE(error("\"id\": 1,", "\"id\": 1099511627776,").find("subjects[0].id"), std::string::npos);
    EXPECT_NE(error("\"id\": 1,", "\"id\": true,").find("subjects[0].id: is not a number"), std::string::npos);
    EXPECT_NE(error("\"content\": \"", "\"content\": \"../").find("content: is not a hash"), std::string::npos);
    const std::string deep(200'000, '[');
    EXPECT_NE(decodeProject(deep, "", "x").error().what.find("nested deeper than 64"), std::string::npos);
    EXPECT_NE(error("lean-thicket-project", "other").find("not a Lean Thicket project"), std::string::npos);
    EXPECT_NE(decodeProject(good.substr(0, good.size() / 2), "", "x").error().what.find("not whole JSON"),
              std::string::npos);
    EXPECT_FALSE(decodeProject("[]", "", "x"));
    EXPECT_FALSE(decodeProject("{\"format\":5}", "", "x"));
}

TEST(Ship, writes_every_file_and_verifies_it) {
    const TempFolder folder;
    const Scene scene = thinnedScene(folder.path());
    const auto report = shipScene(scene, folder.path() / "out", {}, {});
    ASSERT_TRUE(report) << report.error().text();
    ASSERT_EQ(report->files.size(), 5U) << "its levels, twice, their rules, and where it stands, twice";
    for (const ShippedFile& f : report->files) {
        EXPECT_TRUE(f.verified);
        EXPECT_EQ(fs::file_size(f.path), f.bytes);
    }
    const auto chain = nlohmann::json::parse(*readTextFile(folder.path() / "out" / "ball.chain.json"));
    EXPECT_EQ(chain["format"], "lean-thicket-chain");
    ASSERT_EQ(chain["levels"].size(), scene.subjects[0].mesh().levels.size());
    double last = -1;
    for (const auto& level : chain["levels"]) {
        EXPECT_GT(level["fromMetres"].get<double>(), last);
        last = level["fromMetres"].get<double>();
    }
    const auto read = readModel(folder.path() / "out" / "ball.lod.glb", {});
    ASSERT_TRUE(read);
    EXPECT_EQ(read->front().screenCoverages.size(), scene.subjects[0].mesh().levels.size());
}

TEST(Ship, an_unwritable_folder_is_one_clear_error) {
    const TempFolder folder;
    ASSERT_TRUE(writeTextFile(folder.path() / "file", "x"));
    const auto report = shipScene(thinnedScene(folder.path()), folder.path() / "file" / "out", {}, {});
    ASSERT_FALSE(report);
    EXPECT_EQ(report.error().code, ErrorCode::Unwritable);
}

TEST(Demo, reeds_have_levels_that_come_in_unseen_well_within_the_reach_of_their_bed) {
    for (const demo::Model& model : {demo::tallReed(), demo::bentReed(), demo::seedHead()}) {
        Subject s;
        s.id = 7;
        s.name = model.name;
        s.role = Role::GroundCover;
        s.mesh().surfaces = std::make_shared<const Surfaces>(model.surfaces);
        s.mesh().levels.push_back(
            levelFrom(std::make_shared<const Mesh>(model.levels.front()), {}, LevelOrigin::Source));
        refreshSubject(s);
        const auto state = recordSubject(s, {}, {});
        ASSERT_TRUE(state);
        const RolePreset preset = presetFor(s.role, s.mesh().source().triangles);
        s.rule.allowPx = preset.allowPx;
        Scene scene;
        const auto made = thinUnseen(s, *state, preset.targets, scene.statedView(), {});
        ASSERT_TRUE(made);
        // What the role alone asks for comes in at 200 m and beyond, and up to there everything is the source.
        const ResolvedChain chain = chainOf(*made, scene.statedView());
        ASSERT_GT(chain.fromMetres.size(), 2U) << model.name;
        EXPECT_LT(chain.fromMetres[1], 120) << model.name;
        EXPECT_LT(made->mesh().levels[1].triangles, 0.7 * s.mesh().source().triangles) << model.name;
        scene.subjects = {*made};
        for (const SwitchPlace& place : switchesOf(scene))
            EXPECT_TRUE(scoreSwitch(*made, place, {}, {})->unseen(s.rule.allowPx)) << model.name << place.level;
    }
}

TEST(Demo, models_are_sound_and_of_the_stated_weight) {
    struct Row {
        demo::Model model;
        double low;
        double high;
    };
    for (const Row& row : {Row{demo::windpump(), 440e3, 520e3}, Row{demo::eelTrap(), 270e3, 330e3},
                           Row{demo::sluiceGate(), 160e3, 200e3}}) {
        const Mesh& mesh = row.model.levels.front();
        EXPECT_TRUE(checkMesh(mesh, row.model.name));
        EXPECT_GE(mesh.triangleCount(), row.low) << row.model.name;
        EXPECT_LE(mesh.triangleCount(), row.high) << row.model.name;
        for (const Finding& f : findMeshProblems(mesh))
            EXPECT_FALSE(f.serious) << row.model.name << ": " << f.text();
        EXPECT_TRUE(shapes::isClosed(mesh)) << row.model.name;
    }
    const demo::Model skiff = demo::skiff();
    ASSERT_EQ(skiff.levels.size(), 3U);
    EXPECT_GT(skiff.levels[0].triangleCount(), 4 * skiff.levels[1].triangleCount());
    EXPECT_GT(skiff.levels[1].triangleCount(), 4 * skiff.levels[2].triangleCount());
}

TEST(Import, names_that_are_not_utf8_can_be_written_again) {
    const TempFolder folder;
    const std::filesystem::path file = folder.path() / "post.obj";
    std::ofstream(file, std::ios::binary)
        << "mtllib post.mtl\no p\xF6st\nv 0 0 0\nv 1 0 0\nv 0 1 0\nusemtl gr\xFCn\nf 1 2 3\n";
    std::ofstream(folder.path() / "post.mtl", std::ios::binary) << "newmtl gr\xFCn\nKd 0 1 0\n";
    auto read = readModel(file, {});
    ASSERT_TRUE(read) << read.error().text();
    std::vector<std::shared_ptr<const Mesh>> levels{std::make_shared<const Mesh>(read->front().levels.front().mesh)};
    const auto glb = encodeGlb(read->front().name, levels, *read->front().surfaces, GlbLevels::Named, {});
    ASSERT_TRUE(writeFile(folder.path() / "post.glb", glb));
    EXPECT_TRUE(readModel(folder.path() / "post.glb", {}));
}

} // namespace thicket
