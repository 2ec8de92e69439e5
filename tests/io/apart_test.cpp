// Files that hold several things: what each becomes, that all of it stands where it stood, and what moves in them.

#include "base/file.h"
#include "io/import/apart_subject.h"
#include "io/import/import.h"
#include "io/import/placement_table.h"
#include "io/import/take_apart.h"
#include "io/project/project.h"
#include "io/ship/ship.h"
#include "mesh/pose.h"
#include "scene/edits.h"
#include "scene/mend_subject.h"
#include "support/temp_folder.h"

#include <algorithm>
#include <fmt/format.h>
#include <gtest/gtest.h>
#include <nlohmann/json.hpp>
#include <random>

namespace thicket {
namespace fs = std::filesystem;
namespace {

using nlohmann::json;

/// A glTF file in the making: wedges, which look the same from nowhere, and nodes.
class SceneFile {
public:
    json root{{"asset", {{"version", "2.0"}}}, {"scene", 0}, {"scenes", {{{"nodes", json::array()}}}}};

    int addWedge(float size, const std::string& name = {}, int material = -1) {
        const std::vector<float> points{0, 0, 0, size, 0, 0, 0, 2 * size, 0, 0, 0, 3 * size};
        const std::vector<std::uint32_t> indices{0, 2, 1, 0, 1, 3, 0, 3, 2, 1, 2, 3};
        json primitive{{"attributes", {{"POSITION", accessor(points, 3)}}}, {"indices", accessor(indices, 1)}};
        if (material >= 0)
            primitive["material"] = material;
        root["meshes"].push_back({{"primitives", {primitive}}});
        if (!name.empty())
            root["meshes"].back()["name"] = name;
        return static_cast<int>(root["meshes"].size()) - 1;
    }
    /// `parent`: -1 for the scene itself.
    int addNode(json node, int parent = -1) {
        root["nodes"].push_back(std::move(node));
        const auto index = static_cast<int>(root["nodes"].size()) - 1;
        (parent < 0 ? root["scenes"][0]["nodes"] : root["nodes"][static_cast<std::size_t>(parent)]["children"])
            .push_back(index);
        return index;
    }
    /// One channel of two keys, at 0 and 2 seconds.
    void animate(int node, const std::string& path, const std::vector<float>& values) {
        const std::vector<float> times{0, 2};
        root["animations"].push_back(
            {{"name", "move"},
             {"samplers", {{{"input", accessor(times, 1)}, {"output", accessor(values, path == "rotation" ? 4 : 3)}}}},
             {"channels", {{{"sampler", 0}, {"target", {{"node", node}, {"path", path}}}}}}});
    }
    fs::path write(const fs::path& file) {
        root["buffers"] = {{{"byteLength", m_bytes.size()}, {"uri", file.stem().string() + ".bin"}}};
        EXPECT_TRUE(writeFile(file.parent_path() / (file.stem().string() + ".bin"), m_bytes));
        EXPECT_TRUE(writeTextFile(file, root.dump()));
        return file;
    }

    template <class T> int accessor(const std::vector<T>& values, int width) {
        const std::size_t at = m_bytes.size();
        const auto* bytes = reinterpret_cast<const std::byte*>(values.data());
        m_bytes.insert(m_bytes.end(), bytes, bytes + values.size() * sizeof(T));
        root["bufferViews"].push_back({{"buffer", 0}, {"byteOffset", at}, {"byteLength", values.size() * sizeof(T)}});
        const char* const types[] = {"", "SCALAR", "VEC2", "VEC3", "VEC4"};
        root["accessors"].push_back({{"bufferView", root["bufferViews"].size() - 1},
                                     {"componentType", std::is_same_v<T, float> ? 5126 : 5125},
                                     {"count", values.size() / static_cast<std::size_t>(width)},
                                     {"type", types[width]}});
        return static_cast<int>(root["accessors"].size()) - 1;
    }

private:
    std::vector<std::byte> m_bytes;
};

/// Every corner of every triangle of some subjects, in the world, in an order of its own.
std::vector<std::array<double, 3>> corners(const std::vector<ImportedSubject>& subjects) {
    std::vector<std::array<double, 3>> out;
    for (const ImportedSubject& s : subjects)
        for (const Placement& p : s.placed.empty() ? Placements(1) : s.placed)
            for (const std::uint32_t v : s.levels.front().mesh.indices) {
                const Vec3d at =
                    p.position + p.rotation * (p.scale * s.levels.front().mesh.positions[v].cast<double>());
                out.push_back({at.x(), at.y(), at.z()});
            }
    return out;
}

double farthestApart(std::vector<std::array<double, 3>> a, std::vector<std::array<double, 3>> b) {
    if (a.size() != b.size())
        return 1e9;
    // Each to the nearest of the other: rounding may change the order of what is sorted.
    double worst = 0;
    for (const auto* pair : {&a, &b})
        for (const auto& p : *pair) {
            double nearest = 1e9;
            for (const auto& q : pair == &a ? b : a)
                nearest = std::min(nearest, std::hypot(p[0] - q[0], p[1] - q[1], p[2] - q[2]));
            worst = std::max(worst, nearest);
        }
    return worst;
}

double volumeOf(const Mesh& mesh) {
    double volume = 0;
    for (std::uint32_t t = 0; t < mesh.triangleCount(); ++t) {
        const auto at = [&](std::uint32_t k) { return mesh.positions[mesh.indices[3 * t + k]].cast<double>().eval(); };
        volume += at(0).dot(at(1).cross(at(2))) / 6;
    }
    return volume;
}

const ImportedSubject* named(const std::vector<ImportedSubject>& read, const std::string& name) {
    const auto found = std::find_if(read.begin(), read.end(), [&](const auto& s) { return s.name == name; });
    return found == read.end() ? nullptr : &*found;
}

} // namespace

TEST(Apart, each_mesh_is_a_subject_with_its_places) {
    const TempFolder folder;
    SceneFile scene;
    const int post = scene.addWedge(1);
    const int boat = scene.addWedge(2, "hull");
    const int all = scene.addNode({{"name", "harbour"}, {"rotation", {-0.70710678, 0, 0, 0.70710678}}});
    const int posts = scene.addNode({{"name", "posts"}}, all);
    for (int i = 0; i < 3; ++i)
        scene.addNode({{"name", fmt::format("post.{:03}", i)},
                       {"mesh", post},
                       {"translation", {4 * i, 0, 0}},
                       {"scale", {2, 2, 2}}},
                      posts);
    scene.addNode({{"name", "post.mirrored"}, {"mesh", post}, {"translation", {0, 9, 0}}, {"scale", {-2, 2, 2}}},
                  posts);
    scene.addNode({{"mesh", boat}, {"translation", {0, 0, 7}}, {"scale", {1, 3, 1}}}, all);
    const fs::path file = scene.write(folder.path() / "harbour.gltf");

    const auto together = readModel(file, {});
    ASSERT_TRUE(together) << together.error().text();
    ASSERT_EQ(together->size(), 1U);
    EXPECT_EQ(together->front().source.things, 3U) << "posts, those that are mirrored, the boat";
    EXPECT_TRUE(together->front().placed.empty());

    const auto apart = readModel(file, {}, Meshes::Apart);
    ASSERT_TRUE(apart) << apart.error().text();
    ASSERT_EQ(apart->size(), 3U);
    const ImportedSubject* is = named(*apart, "post");
    ASSERT_NE(is, nullptr);
    EXPECT_EQ(is->placed.size(), 3U);
    EXPECT_EQ(is->placed[1].scale, 1) << "in the size that it has in the file";
    EXPECT_TRUE(is->source.apart);
    // Its file lies on its side and is turned upright as a whole: so is the post.
    EXPECT_NEAR(is->placed[1].rotation.angularDistance(Quatd::Identity()), 0, 1e-6);
    const ImportedSubject* mirrored = named(*apart, "post.mirrored");
    ASSERT_NE(mirrored, nullptr);
    EXPECT_GT(volumeOf(mirrored->levels.front().mesh), 0) << "it faces outward";
    ASSERT_NE(named(*apart, "hull"), nullptr) << "a node without a name has that of its mesh";
    EXPECT_LT(farthestApart(corners(*together), corners(*apart)), 1e-4);
}

TEST(Apart, all_stands_where_it_stood_whatever_nodes_do) {
    const TempFolder folder;
    for (unsigned seed = 1; seed <= 20; ++seed) {
        std::mt19937 random(seed);
        std::uniform_real_distribution<double> unit(-1, 1);
        SceneFile scene;
        const std::vector<int> wedges{scene.addWedge(1), scene.addWedge(0.5F), scene.addWedge(3)};
        std::vector<int> nodes{-1};
        for (int i = 0; i < 30; ++i) {
            Quatd turn(unit(random), unit(random), unit(random), unit(random));
            turn.normalize();
            const double uniform = std::exp(unit(random));
            const bool stretched = random() % 3 == 0;
            const auto scale = [&] {
                const double s = stretched ? std::exp(unit(random)) : uniform;
                return random() % 5 == 0 ? -s : s;
            };
            json node{{"name", "n" + std::to_string(i)},
                      {"translation", {9 * unit(random), 9 * unit(random), 9 * unit(random)}},
                      {"rotation", {turn.x(), turn.y(), turn.z(), turn.w()}},
                      {"scale", {scale(), scale(), scale()}}};
            if (random() % 4 != 0)
                node["mesh"] = wedges[random() % wedges.size()];
            nodes.push_back(scene.addNode(node, nodes[random() % nodes.size()]));
        }
        const fs::path file = scene.write(folder.path() / "random.gltf");
        const auto together = readModel(file, {});
        const auto apart = readModel(file, {}, Meshes::Apart);
        ASSERT_TRUE(together && apart) << "seed " << seed;
        EXPECT_EQ(together->front().source.things, apart->size()) << "seed " << seed;
        // Of the size of what grows by stretches within stretches.
        const Bounds box = boundsOf(together->front().levels.front().mesh);
        EXPECT_LT(farthestApart(corners(*together), corners(*apart)), 1e-4 * box.diagonal()) << "seed " << seed;
        for (const ImportedSubject& s : *apart)
            EXPECT_GT(volumeOf(s.levels.front().mesh), 0) << "seed " << seed << ": " << s.name << " is inside out";
    }
}

TEST(Apart, other_formats_come_apart_too) {
    const TempFolder folder;
    const std::string corner = "v {0} 0 0\nv {1} 0 0\nv {0} 2 0\nv {0} 0 3\n";
    const std::string faces = "f {0} {2} {1}\nf {0} {1} {3}\nf {0} {3} {2}\nf {1} {2} {3}\n";
    ASSERT_TRUE(writeTextFile(folder.path() / "two.obj", "o crate\n" + fmt::format(fmt::runtime(corner), 0, 1) +
                                                             fmt::format(fmt::runtime(faces), 1, 2, 3, 4) + "o keg\n" +
                                                             fmt::format(fmt::runtime(corner), 5, 7) +
                                                             fmt::format(fmt::runtime(faces), 5, 6, 7, 8)));
    const auto together = readModel(folder.path() / "two.obj", {});
    const auto apart = readModel(folder.path() / "two.obj", {}, Meshes::Apart);
    ASSERT_TRUE(together && apart);
    ASSERT_EQ(together->size(), 1U);
    EXPECT_EQ(together->front().source.things, 2U);
    ASSERT_EQ(apart->size(), 2U);
    EXPECT_NE(named(*apart, "crate"), nullptr);
    EXPECT_NE(named(*apart, "keg"), nullptr);
    EXPECT_EQ(apart->front().surfaces, apart->back().surfaces) << "one set of pictures for all";
    EXPECT_LT(farthestApart(corners(*together), corners(*apart)), 1e-6);
}

TEST(Apart, a_whole_gives_way_to_its_things_in_each_of_its_copies) {
    const TempFolder folder;
    SceneFile scene;
    const int post = scene.addWedge(1, "post");
    const int keg = scene.addWedge(2, "keg");
    scene.addNode({{"mesh", post}, {"translation", {3, 0, 0}}});
    scene.addNode({{"mesh", keg}, {"translation", {0, 0, 5}}});
    const fs::path file = scene.write(folder.path() / "yard.gltf");
    auto read = readModel(file, {});
    ASSERT_TRUE(read);
    auto whole = makeSubject(std::move(read->front()), {});
    ASSERT_TRUE(whole);
    Placement copy;
    copy.position = Vec3d(0, 0, 100);
    copy.scale = 2;
    copy.importance = 3;
    whole->mesh().placed = std::make_shared<const Placements>(Placements{copy, copy});
    auto things = takeApart(*whole, {});
    ASSERT_TRUE(things) << things.error().text();
    ASSERT_EQ(things->size(), 2U);
    for (Subject& thing : *things)
        standAsIn(*whole, thing);
    ASSERT_EQ((*things)[1].mesh().placed->size(), 2U);
    EXPECT_EQ((*things)[1].mesh().placed->front().position, Vec3d(0, 0, 110));
    EXPECT_EQ((*things)[1].mesh().placed->front().importance, 3);

    Scene in;
    apply(in, addSubjects(in, {*whole}, "Add"));
    const Edit edit = replaceSubject(in, in.subjects.front().id, *things, "Take apart");
    apply(in, edit);
    ASSERT_EQ(in.subjects.size(), 2U);
    // A project finds each of them again, and reads the file once for both.
    ASSERT_TRUE(writeProject(in, folder.path() / "p.thicket.json", true));
    const auto load = readProject(folder.path() / "p.thicket.json", {});
    ASSERT_TRUE(load) << load.error().text();
    EXPECT_TRUE(load->problems.empty());
    for (std::size_t i = 0; i < 2; ++i) {
        EXPECT_EQ(load->scene.subjects[i].name, in.subjects[i].name);
        EXPECT_EQ(contentOf(*load->scene.subjects[i].mesh().source().mesh),
                  contentOf(*in.subjects[i].mesh().source().mesh));
        EXPECT_EQ(*load->scene.subjects[i].mesh().placed, *in.subjects[i].mesh().placed);
    }
    apply(in, edit.inverse());
    ASSERT_EQ(in.subjects.size(), 1U);
    EXPECT_EQ(in.subjects.front().name, "yard");
    EXPECT_FALSE(takeApart((*things)[0], {})) << "what is one thing stays one";
}

TEST(Apart, things_of_a_whole_that_was_mended_stand_where_it_stood) {
    const TempFolder folder;
    SceneFile scene;
    const int post = scene.addWedge(1, "post");
    const int boat = scene.addWedge(2, "boat");
    scene.addNode({{"mesh", post}, {"translation", {3, 1, 0}}, {"rotation", {0, 0.6, 0, 0.8}}});
    scene.addNode({{"mesh", post}, {"translation", {-2, 0, 5}}, {"rotation", {0.36, 0.48, 0, 0.8}}});
    scene.addNode({{"mesh", boat}, {"translation", {0, 0, 10}}});
    auto read = readModel(scene.write(folder.path() / "yard.gltf"), {});
    ASSERT_TRUE(read);
    auto whole = makeSubject(std::move(read->front()), {});
    ASSERT_TRUE(whole);
    for (const Mend& mend : {Mend{MendKind::Upright, 1}, Mend{MendKind::Unit, 0.01}, Mend{MendKind::Upright, 2}}) {
        auto mended = mendSubject(*whole, mend, {});
        ASSERT_TRUE(mended) << mended.error().text();
        *whole = std::move(mended->subject);
    }
    auto things = takeApart(*whole, {});
    ASSERT_TRUE(things) << things.error().text();
    std::vector<std::array<double, 3>> apart;
    for (const Subject& thing : *things)
        for (const Placement& p : *thing.mesh().placed)
            for (const std::uint32_t v : thing.mesh().source().mesh->indices) {
                const Vec3d at =
                    p.position + p.rotation * (p.scale * thing.mesh().source().mesh->positions[v].cast<double>());
                apart.push_back({at.x(), at.y(), at.z()});
            }
    std::vector<std::array<double, 3>> together;
    for (const std::uint32_t v : whole->mesh().source().mesh->indices) {
        const Vec3f& at = whole->mesh().source().mesh->positions[v];
        together.push_back({at.x(), at.y(), at.z()});
    }
    EXPECT_LT(farthestApart(together, apart), 1e-6);
}

TEST(Apart, a_thing_is_shipped_with_its_own_pictures_alone_and_its_places) {
    const TempFolder folder;
    SceneFile scene;
    scene.root["materials"] = {{{"name", "tar"}}, {{"name", "rust"}}};
    scene.addNode({{"mesh", scene.addWedge(1, "post", 0)}});
    scene.addNode({{"mesh", scene.addWedge(2, "keg", 1)}, {"translation", {0, 0, 5}}});
    const auto read = readModel(scene.write(folder.path() / "yard.gltf"), {}, Meshes::Apart);
    ASSERT_TRUE(read);
    Scene in;
    std::vector<Subject> made;
    for (const ImportedSubject& s : *read) {
        EXPECT_EQ(s.surfaces->materials.size(), 2U);
        made.push_back(std::move(*makeSubject(s, {})));
    }
    apply(in, addSubjects(in, std::move(made), "Add"));
    ASSERT_TRUE(shipScene(in, folder.path() / "out", {}, {}));
    // Where they stand goes along, by the names of the files.
    const auto places = readPlacementTable(folder.path() / "out" / "scene.placements.csv", {}, {});
    ASSERT_TRUE(places) << places.error().text();
    ASSERT_EQ(places->copies.size(), 2U);
    EXPECT_EQ(places->assets, (std::vector<std::string>{"post", "keg"}));
    EXPECT_EQ(places->copies[1].position, Vec3d(0, 0, 5));
    const auto back = readModel(folder.path() / "out" / "keg.lod.glb", {});
    ASSERT_TRUE(back) << back.error().text();
    ASSERT_EQ(back->front().surfaces->materials.size(), 1U);
    EXPECT_EQ(back->front().surfaces->materials.front().name, "rust");
}

TEST(Apart, names_are_what_copies_have_in_common) {
    EXPECT_EQ(detail::commonName({"Lamp.001", "Lamp.002"}), "Lamp");
    EXPECT_EQ(detail::commonName({"Lamp", "Lamp.001"}), "Lamp");
    EXPECT_EQ(detail::commonName({"Rock57.0012", "Rock57.0431"}), "Rock57");
    EXPECT_EQ(detail::commonName({"Rock57.12", "Rock57.31"}), "Rock57");
    EXPECT_EQ(detail::commonName({"post10", "post11"}), "post");
    EXPECT_EQ(detail::commonName({"Crate_7b"}), "Crate_7b");
    EXPECT_EQ(detail::commonName({"a1", "b2"}), "a1");
    EXPECT_EQ(detail::commonName({"", ""}), "");
    EXPECT_EQ(detail::commonName({}), "");
}

TEST(MovingParts, of_a_gltf_file_go_with_their_nodes) {
    const TempFolder folder;
    SceneFile scene;
    const int tower = scene.addNode({{"name", "tower"}, {"mesh", scene.addWedge(4)}, {"translation", {10, 0, 0}}});
    const int hub = scene.addNode({{"name", "hub"}, {"translation", {0, 8, 0}}}, tower);
    scene.addNode({{"name", "vane"}, {"mesh", scene.addWedge(1)}, {"translation", {0, 2, 0}}}, hub);
    const float half = 0.70710678F;
    scene.animate(hub, "rotation", {0, 0, 0, 1, 0, 0, half, half}); // by a right angle about z
    const fs::path file = scene.write(folder.path() / "pump.gltf");
    const auto read = readModel(file, {});
    ASSERT_TRUE(read) << read.error().text();
    ASSERT_EQ(read->size(), 1U);
    const ImportedSubject& pump = read->front();
    ASSERT_EQ(pump.rig.animations.size(), 1U);
    EXPECT_EQ(pump.source.things, 2U) << "what stands still can be taken from what moves";
    const Mesh& mesh = pump.levels.front().mesh;
    ASSERT_EQ(mesh.extras.joints.size(), mesh.vertexCount());
    const Mesh now = posed(mesh, poseAt(pump.rig, {0, 2}));
    // The tower's points come first, then the vane's: (10, 10, 0) turns about (10, 8, 0) to (8, 8, 0).
    for (std::uint32_t v = 0; v < 4; ++v)
        EXPECT_LT((now.positions[v] - mesh.positions[v]).norm(), 1e-5F);
    EXPECT_LT((mesh.positions[4] - Vec3f(10, 10, 0)).norm(), 1e-5F);
    EXPECT_LT((now.positions[4] - Vec3f(8, 8, 0)).norm(), 1e-4F);

    const auto apart = readModel(file, {}, Meshes::Apart);
    ASSERT_TRUE(apart);
    ASSERT_EQ(apart->size(), 2U);
    ASSERT_NE(named(*apart, "vane"), nullptr);
    EXPECT_FALSE(named(*apart, "vane")->rig.empty());
    EXPECT_EQ(named(*apart, "vane")->placed.size(), 1U);
    ASSERT_NE(named(*apart, "tower"), nullptr);
    EXPECT_TRUE(named(*apart, "tower")->rig.empty());
}

TEST(MovingParts, of_a_project_from_before_they_moved_have_their_levels_cut_anew) {
    const TempFolder folder;
    SceneFile scene;
    const int hub = scene.addNode({{"name", "hub"}});
    scene.addNode({{"name", "vane"}, {"mesh", scene.addWedge(1)}}, hub);
    scene.animate(hub, "translation", {0, 0, 0, 0, 0, 5});
    auto read = readModel(scene.write(folder.path() / "pump.gltf"), {});
    ASSERT_TRUE(read);
    // As such a file was read then: standing still, a level cut from that.
    read->front().rig = {};
    read->front().levels.front().mesh.extras = {};
    auto subject = makeSubject(std::move(read->front()), {});
    ASSERT_TRUE(subject);
    Mesh cut = *subject->mesh().source().mesh;
    cut.indices.resize(9);
    cut.parts.front().triangleCount = 3;
    for (const bool locked : {false, true}) {
        Level level = levelFrom(std::make_shared<const Mesh>(cut), {}, LevelOrigin::Collapsed);
        level.content = levelContent(level);
        level.locked = locked;
        Subject with = *subject;
        with.mesh().levels.push_back(level);
        Scene in;
        apply(in, addSubjects(in, {with}, "Add"));
        const fs::path project = folder.path() / (locked ? "locked.thicket.json" : "free.thicket.json");
        ASSERT_TRUE(writeProject(in, project, true));
        const auto load = readProject(project, {});
        ASSERT_TRUE(load) << load.error().text();
        const Subject& now = load->scene.subjects.front();
        EXPECT_NE(now.mesh().rig, nullptr);
        EXPECT_EQ(load->toCut.size(), locked ? 0U : 1U) << "a locked level is never made anew";
        EXPECT_EQ(now.mesh().levels[1].mesh != nullptr, locked);
    }
}

TEST(MovingParts, that_say_the_same_all_the_time_stand_still) {
    const TempFolder folder;
    SceneFile scene;
    const int post = scene.addNode({{"mesh", scene.addWedge(1)}, {"translation", {1, 2, 3}}});
    scene.animate(post, "translation", {1, 2, 3, 1, 2, 3});
    scene.animate(post, "rotation", {0, 0, 0, 1, 0, 0, 0, -1});
    const auto read = readModel(scene.write(folder.path() / "still.gltf"), {});
    ASSERT_TRUE(read) << read.error().text();
    EXPECT_TRUE(read->front().rig.empty());
    EXPECT_TRUE(read->front().levels.front().mesh.extras.joints.empty());
}

} // namespace thicket
