// Files that lie, lead elsewhere or are broken on purpose: one clear error, quickly, and nothing of anyone else's.

#include "base/file.h"
#include "io/import/import.h"
#include "io/ship/write_glb.h"
#include "support/shapes.h"
#include "support/temp_folder.h"

#include <chrono>
#include <fmt/format.h>
#include <fstream>
#include <gtest/gtest.h>
#include <limits>
#include <nlohmann/json.hpp>
#include <sys/resource.h>
#include <sys/stat.h>

namespace thicket {
namespace fs = std::filesystem;
using nlohmann::json;
namespace {

/// A triangle in `tri.bin`, and the glTF text that names it.
class Hostile : public ::testing::Test {
protected:
    TempFolder root;
    fs::path folder = root.path() / "models";
    json gltf;

    void SetUp() override {
        fs::create_directories(folder);
        const float corners[9] = {0, 0, 0, 1, 0, 0, 0, 1, 0};
        const std::uint16_t indices[3] = {0, 1, 2};
        std::ofstream out(folder / "tri.bin", std::ios::binary);
        out.write(reinterpret_cast<const char*>(corners), sizeof corners);
        out.write(reinterpret_cast<const char*>(indices), sizeof indices);
        gltf = {{"asset", {{"version", "2.0"}}},
                {"scene", 0},
                {"scenes", {{{"nodes", {0}}}}},
                {"nodes", {{{"mesh", 0}, {"name", "tri"}}}},
                {"meshes", {{{"primitives", {{{"attributes", {{"POSITION", 0}}}, {"indices", 1}}}}}}},
                {"buffers", {{{"uri", "tri.bin"}, {"byteLength", 42}}}},
                {"bufferViews",
                 {{{"buffer", 0}, {"byteOffset", 0}, {"byteLength", 36}},
                  {{"buffer", 0}, {"byteOffset", 36}, {"byteLength", 6}}}},
                {"accessors",
                 {{{"bufferView", 0},
                   {"componentType", 5126},
                   {"count", 3},
                   {"type", "VEC3"},
                   {"min", {0, 0, 0}},
                   {"max", {1, 1, 0}}},
                  {{"bufferView", 1}, {"componentType", 5123}, {"count", 3}, {"type", "SCALAR"}}}}};
    }
    Result<std::vector<ImportedSubject>> read(const json& text, const std::string& name = "a.gltf") {
        EXPECT_TRUE(writeTextFile(folder / name, text.dump()));
        return readModel(folder / name, {});
    }
    /// What is said when one value is another one; empty when it is read all the same.
    std::string damaged(const std::string& pointer, const json& value) {
        json other = gltf;
        other[json::json_pointer(pointer)] = value;
        const auto read = this->read(other);
        return read ? std::string() : read.error().what;
    }
    void withPicture(const std::string& uri) {
        gltf["images"] = {{{"uri", uri}}};
        gltf["textures"] = {{{"source", 0}}};
        gltf["materials"] = {{{"pbrMetallicRoughness", {{"baseColorTexture", {{"index", 0}}}}}}};
        gltf["meshes"][0]["primitives"][0]["material"] = 0;
    }
};

constexpr const char* kSecret = "the tide table of the harbour master, which is nobody's business";

bool holds(const std::vector<std::byte>& bytes, const std::string& text) {
    return std::search(bytes.begin(), bytes.end(), text.begin(), text.end(),
                       [](std::byte a, char b) { return a == std::byte(b); }) != bytes.end();
}

} // namespace

TEST_F(Hostile, the_sound_file_is_read) {
    const auto sound = read(gltf);
    ASSERT_TRUE(sound) << sound.error().text();
    EXPECT_EQ(sound->front().levels.front().mesh.triangleCount(), 1U);
}

TEST_F(Hostile, names_of_a_million_letters_are_read) {
    gltf["nodes"][0]["name"] = std::string(1'000'000, 'a') + "_LOD0";
    const auto read = this->read(gltf);
    ASSERT_TRUE(read) << read.error().text();
    EXPECT_EQ(read->front().levels.size(), 1U);
}

TEST_F(Hostile, a_hundred_thousand_corners_at_one_place_are_read_or_refused_at_once) {
    constexpr std::uint32_t kCorners = 99'999;
    // All but three at one place, each with a colour of its own; then all of them nowhere.
    for (const bool nowhere : {false, true}) {
        std::string text =
            fmt::format("ply\nformat binary_little_endian 1.0\nelement vertex {}\nproperty float x\nproperty float "
                        "y\nproperty float z\nproperty uchar red\nproperty uchar green\nproperty uchar blue\n"
                        "element face {}\nproperty list uchar int vertex_indices\nend_header\n",
                        kCorners, kCorners / 3);
        const auto add = [&text](const auto& value) {
            text.append(reinterpret_cast<const char*>(&value), sizeof value);
        };
        for (std::uint32_t v = 0; v < kCorners; ++v) {
            const auto x = static_cast<float>(v < 3 ? v : 0);
            for (const float c : {x, x * x, 0.0F})
                add(nowhere ? std::numeric_limits<float>::quiet_NaN() : c);
            for (const std::uint32_t shift : {0U, 8U, 16U})
                add(static_cast<std::uint8_t>(v >> shift));
        }
        for (std::uint32_t v = 0; v < kCorners; v += 3) {
            add(std::uint8_t{3});
            for (const std::uint32_t k : {0U, 1U, 2U})
                add(v + k);
        }
        ASSERT_TRUE(writeTextFile(folder / "heap.ply", text));
        const auto read = readModel(folder / "heap.ply", {});
        EXPECT_EQ(read.has_value(), !nowhere);
        if (read)
            EXPECT_EQ(read->front().levels.front().mesh.vertexCount(), kCorners);
        else
            EXPECT_NE(read.error().what.find("is not a number"), std::string::npos) << read.error().text();
    }
}

TEST_F(Hostile, no_picture_from_outside_its_folder_is_taken) {
    ASSERT_TRUE(writeTextFile(root.path() / "secret.txt", kSecret));
    ASSERT_TRUE(writeTextFile(folder / "notes.png", kSecret));
    fs::create_symlink(root.path() / "secret.txt", folder / "link.png");
    for (const std::string& uri :
         {std::string("../secret.txt"), (root.path() / "secret.txt").string(), std::string("sub/../../secret.txt"),
          std::string("..%2Fsecret.txt"), std::string("link.png"), std::string("notes.png")}) {
        withPicture(uri);
        const auto got = read(gltf);
        if (!got)
            continue;
        const Surfaces& surfaces = *got->front().surfaces;
        for (const Image& image : surfaces.images)
            EXPECT_TRUE(image.encoded.empty()) << uri;
        EXPECT_FALSE(got->front().notes.empty()) << uri << ": what was left out is said";
        const auto mesh = std::make_shared<const Mesh>(got->front().levels.front().mesh);
        EXPECT_FALSE(holds(encodeGlb("out", {mesh}, surfaces, GlbLevels::Named, {}), "tide table")) << uri;
    }
}

TEST_F(Hostile, no_buffer_from_outside_its_folder_is_taken) {
    ASSERT_TRUE(writeTextFile(root.path() / "tri.bin", std::string(42, 'x')));
    for (const std::string& uri : {std::string("../tri.bin"), (root.path() / "tri.bin").string()}) {
        const std::string what = damaged("/buffers/0/uri", uri);
        EXPECT_FALSE(what.empty()) << uri;
    }
    EXPECT_NE(damaged("/buffers/0/uri", "../tri.bin").find("leads out of the folder"), std::string::npos)
        << damaged("/buffers/0/uri", "../tri.bin");
}

TEST_F(Hostile, pipes_are_not_waited_for) {
    ASSERT_EQ(mkfifo((folder / "pipe.bin").c_str(), 0600), 0);
    ASSERT_EQ(mkfifo((folder / "pipe.glb").c_str(), 0600), 0);
    ASSERT_EQ(mkfifo((folder / "pipe.mtl").c_str(), 0600), 0);
    EXPECT_FALSE(damaged("/buffers/0/uri", "pipe.bin").empty());
    EXPECT_NE(readModel(folder / "pipe.glb", {}).error().what.find("a pipe or a device"), std::string::npos);
    ASSERT_TRUE(writeTextFile(folder / "a.obj", "mtllib pipe.mtl\nv 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n"));
    EXPECT_TRUE(readModel(folder / "a.obj", {}));
    EXPECT_EQ(readModel("/dev/zero", {}).error().code, ErrorCode::BadInput);
}

TEST_F(Hostile, materials_of_other_formats_stay_in_their_folder_too) {
    ASSERT_TRUE(writeTextFile(root.path() / "secret.png", "\x89PNG\r\n\x1a\n" + std::string(kSecret)));
    ASSERT_TRUE(writeTextFile(root.path() / "outer.mtl", "newmtl m\nmap_Kd secret.png\n"));
    ASSERT_TRUE(writeTextFile(folder / "inner.mtl", "newmtl m\nmap_Kd ../secret.png\n"));
    for (const std::string& library :
         {std::string("inner.mtl"), std::string("../outer.mtl"), (root.path() / "outer.mtl").string()}) {
        ASSERT_TRUE(writeTextFile(
            folder / "a.obj", "mtllib " + library + "\nv 0 0 0\nv 1 0 0\nv 0 1 0\nvt 0 0\nusemtl m\nf 1/1 2/1 3/1\n"));
        const auto got = readModel(folder / "a.obj", {});
        ASSERT_TRUE(got) << got.error().text();
        for (const Image& image : got->front().surfaces->images)
            EXPECT_FALSE(holds(image.encoded, "tide table")) << library;
    }
}

TEST_F(Hostile, values_of_the_wrong_kind_are_named) {
    const auto names = [&](const std::string& pointer, const json& value, const std::string& expected) {
        const std::string what = damaged(pointer, value);
        EXPECT_NE(what.find(expected), std::string::npos) << pointer << " " << value << " said \"" << what << "\"";
    };
    names("/bufferViews/0/byteOffset", -4, "bufferViews[0].byteOffset: -4 is not between");
    names("/accessors/0/byteOffset", -12, "accessors[0].byteOffset");
    names("/accessors/0/count", 2.5, "accessors[0].count: 2.5 is not a whole number");
    names("/accessors/0/count", 4'000'000'000LL, "more than the file holds");
    names("/nodes/0/children", json::array({0}), "a node is its own child");
    names("/nodes/0/children", json::array({7}), "nodes[0].children: there is no 7");
    names("/nodes/0/mesh", 3, "nodes[0].mesh: there is no 3");
    names("/scene", 5, "scene: there is no 5");
    names("/scenes/0/nodes", json::array({-1}), "scenes[0].nodes: there is no -1");
    names("/nodes/0/matrix", json::array({1, 0, 0}), "nodes[0].matrix: needs 16 numbers");
    names("/nodes/0/rotation", "upright", "nodes[0].rotation: is not a list");
    names("/nodes/0/translation", json::array({"a", "b", "c"}), "nodes[0].translation[0]: is not a number");
    names("/nodes", json::array({{{"children", {1}}}, {{"children", {2}}}, {{"children", {1}}, {"mesh", 0}}}),
          "has two parents");
    names("/nodes", json::array({{{"mesh", 0}}, {{"children", {2}}}, {{"children", {1}}}}), "is below itself");
    names("/asset/version", "1.0", "version 1.0");
    std::string text =
        "{\"asset\":{\"version\":\"2.0\"},\"extras\":" + std::string(200'000, '[') + std::string(200'000, ']') + "}";
    ASSERT_TRUE(writeTextFile(folder / "deep.gltf", text));
    EXPECT_NE(readModel(folder / "deep.gltf", {}).error().what.find("nested deeper"), std::string::npos);
}

TEST_F(Hostile, one_mesh_without_triangles_does_not_spoil_the_others) {
    json two = gltf;
    two["meshes"].push_back({{"name", "nothing"}, {"primitives", {{{"attributes", {{"POSITION", 2}}}}}}});
    two["accessors"].push_back({{"componentType", 5126}, {"count", 0}, {"type", "VEC3"}});
    two["meshes"].push_back({{"name", "dots"}, {"primitives", {{{"attributes", {{"POSITION", 0}}}, {"mode", 0}}}}});
    two["nodes"] = {{{"mesh", 1}}, {{"mesh", 0}}, {{"mesh", 2}}};
    two["scenes"][0]["nodes"] = {0, 1, 2};
    const auto got = read(two);
    ASSERT_TRUE(got) << got.error().text();
    ASSERT_EQ(got->size(), 1U);
    EXPECT_EQ(got->front().levels.front().mesh.triangleCount(), 1U);
    EXPECT_EQ(got->front().notes.size(), 2U) << "both are said";
}

TEST_F(Hostile, a_mesh_that_stands_many_times_is_kept_once_with_its_places) {
    constexpr int kTimes = 100'000;
    gltf["nodes"] = json::array();
    json nodes = json::array();
    for (int i = 0; i < kTimes; ++i) {
        gltf["nodes"].push_back(
            {{"mesh", 0}, {"name", "reed"}, {"translation", {i % 300, 0, i / 300}}, {"scale", {2, 2, 2}}});
        nodes.push_back(i);
    }
    gltf["scenes"][0]["nodes"] = nodes;
    const auto start = std::chrono::steady_clock::now();
    const auto got = read(gltf);
    ASSERT_TRUE(got) << got.error().text();
    ASSERT_EQ(got->size(), 1U);
    EXPECT_EQ(got->front().levels.front().mesh.triangleCount(), 1U);
    ASSERT_EQ(got->front().placed.size(), static_cast<std::size_t>(kTimes));
    EXPECT_EQ(got->front().placed[301].position, Vec3d(1, 0, 1));
    EXPECT_NEAR(got->front().placed[301].scale, 2, 1e-9);
    RecordProperty("seconds",
                   std::to_string(std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count()));
    const auto subject = makeSubject(std::move(const_cast<ImportedSubject&>(got->front())), {});
    ASSERT_TRUE(subject);
    EXPECT_EQ(subject->mesh().placed->size(), static_cast<std::size_t>(kTimes));
}

TEST_F(Hostile, wheels_stay_part_of_their_car) {
    gltf["nodes"] = json::array();
    for (int i = 0; i < 4; ++i)
        gltf["nodes"].push_back({{"mesh", 0}, {"translation", {i, 0, 0}}});
    gltf["scenes"][0]["nodes"] = {0, 1, 2, 3};
    const auto got = read(gltf);
    ASSERT_TRUE(got);
    EXPECT_EQ(got->front().levels.front().mesh.triangleCount(), 4U);
    EXPECT_TRUE(got->front().placed.empty());
}

TEST_F(Hostile, a_face_of_millions_of_corners_is_refused_at_once) {
    std::string text = "v 0 0 0\nv 1 0 0\nv 0 1 0\nf";
    for (int i = 0; i < 2'400'000; ++i)
        text += " 1 2 3";
    ASSERT_TRUE(writeTextFile(folder / "fan.obj", text + "\n"));
    EXPECT_NE(readModel(folder / "fan.obj", {}).error().what.find("line 4 is a face of 7200000 corners"),
              std::string::npos);
}

TEST_F(Hostile, what_claims_data_that_no_buffer_holds_is_refused_before_it_is_made) {
    json claims = gltf;
    claims["accessors"][0].erase("bufferView");
    claims["accessors"][0]["count"] = 90'000'000;
    const auto got = read(claims);
    ASSERT_FALSE(got);
    EXPECT_NE(got.error().what.find("more than the file holds"), std::string::npos) << got.error().what;
}

TEST_F(Hostile, a_gltf_file_of_more_than_four_gigabytes_is_refused_by_its_size) {
    std::ofstream(folder / "vast.glb").put('g');
    std::error_code ec;
    fs::resize_file(folder / "vast.glb", std::uintmax_t{5} << 30, ec);
    if (ec)
        GTEST_SKIP() << "no files of that size here";
    EXPECT_EQ(readModel(folder / "vast.glb", {}).error().code, ErrorCode::TooLarge);
}

} // namespace thicket
