// Triangles that a glTF file holds packed: read as if they stood in it as they are, and never worse than an error where they
// are damaged.

#include "base/file.h"
#include "io/import/import.h"
#include "support/shapes.h"
#include "support/temp_folder.h"

#include <array>
#include <cmath>
#include <draco/compression/encode.h>
#include <fmt/format.h>
#include <gtest/gtest.h>
#include <nlohmann/json.hpp>
#include <random>

namespace thicket {
namespace {

using nlohmann::json;

/// What a packer makes of a mesh: its attributes numbered other than in order; colours in bytes.
struct Packed {
    std::vector<char> bytes;
    static constexpr int kPosition = 7;
    static constexpr int kNormal = 5;
    static constexpr int kUv = 3;
    static constexpr int kColor = 9;
    std::uint32_t points = 0;
};

Packed packed(const Mesh& mesh, int method) {
    draco::Mesh out;
    out.set_num_points(mesh.vertexCount());
    const auto add = [&](draco::GeometryAttribute::Type type, const auto& values, int id) {
        constexpr auto kComponents = std::decay_t<decltype(values[0])>::SizeAtCompileTime;
        draco::GeometryAttribute attribute;
        attribute.Init(type, nullptr, kComponents, draco::DT_FLOAT32, false, sizeof(float) * kComponents, 0);
        const int at = out.AddAttribute(attribute, true, mesh.vertexCount());
        out.attribute(at)->set_unique_id(static_cast<std::uint32_t>(id));
        for (std::uint32_t v = 0; v < mesh.vertexCount(); ++v)
            out.attribute(at)->SetAttributeValue(draco::AttributeValueIndex(v), values[v].data());
    };
    add(draco::GeometryAttribute::POSITION, mesh.positions, Packed::kPosition);
    if (!mesh.normals.empty())
        add(draco::GeometryAttribute::NORMAL, mesh.normals, Packed::kNormal);
    if (!mesh.uvs.empty())
        add(draco::GeometryAttribute::TEX_COORD, mesh.uvs, Packed::kUv);
    if (!mesh.colors.empty()) {
        draco::GeometryAttribute attribute;
        attribute.Init(draco::GeometryAttribute::COLOR, nullptr, 3, draco::DT_UINT8, true, 3, 0);
        const int at = out.AddAttribute(attribute, true, mesh.vertexCount());
        out.attribute(at)->set_unique_id(Packed::kColor);
        for (std::uint32_t v = 0; v < mesh.vertexCount(); ++v) {
            std::array<std::uint8_t, 3> bytes{};
            for (std::size_t k = 0; k < 3; ++k)
                bytes[k] = static_cast<std::uint8_t>(std::lround(255 * mesh.colors[v][static_cast<int>(k)]));
            out.attribute(at)->SetAttributeValue(draco::AttributeValueIndex(v), bytes.data());
        }
    }
    for (std::uint32_t t = 0; t < mesh.triangleCount(); ++t)
        out.AddFace({draco::PointIndex(mesh.indices[3 * t]), draco::PointIndex(mesh.indices[3 * t + 1]),
                     draco::PointIndex(mesh.indices[3 * t + 2])});
    draco::Encoder encoder;
    encoder.SetEncodingMethod(method);
    encoder.SetAttributeQuantization(draco::GeometryAttribute::POSITION, 16);
    encoder.SetAttributeQuantization(draco::GeometryAttribute::NORMAL, 12);
    encoder.SetAttributeQuantization(draco::GeometryAttribute::TEX_COORD, 14);
    encoder.SetTrackEncodedProperties(true);
    draco::EncoderBuffer buffer;
    EXPECT_TRUE(encoder.EncodeMeshToBuffer(out, &buffer).ok());
    return {{buffer.data(), buffer.data() + buffer.size()}, static_cast<std::uint32_t>(encoder.num_encoded_points())};
}

std::vector<char> binaryOf(json tree, std::vector<char> bytes) {
    tree["buffers"][0].erase("uri");
    bytes.resize((bytes.size() + 3) / 4 * 4, 0);
    std::string text = tree.dump();
    text.resize((text.size() + 3) / 4 * 4, ' ');
    std::vector<char> out;
    const auto word = [&out](std::uint32_t value) {
        out.insert(out.end(), reinterpret_cast<char*>(&value), reinterpret_cast<char*>(&value) + 4);
    };
    word(0x46546C67);
    word(2);
    word(static_cast<std::uint32_t>(28 + text.size() + bytes.size()));
    word(static_cast<std::uint32_t>(text.size()));
    word(0x4E4F534A);
    out.insert(out.end(), text.begin(), text.end());
    word(static_cast<std::uint32_t>(bytes.size()));
    word(0x004E4942);
    out.insert(out.end(), bytes.begin(), bytes.end());
    return out;
}

/// The tree of a file of one mesh that is packed; its bytes are in `data.bin`.
json treeOf(const Packed& what, std::size_t triangles) {
    const auto accessor = [&](const char* type) {
        return json{{"componentType", 5126}, {"count", what.points}, {"type", type}};
    };
    json tree{{"asset", {{"version", "2.0"}}},
              {"extensionsUsed", {"KHR_draco_mesh_compression"}},
              {"extensionsRequired", {"KHR_draco_mesh_compression"}},
              {"scene", 0},
              {"scenes", {{{"nodes", {0}}}}},
              {"nodes", {{{"mesh", 0}, {"name", "Buoy"}}}},
              {"buffers", {{{"uri", "data.bin"}, {"byteLength", what.bytes.size()}}}},
              {"bufferViews", {{{"buffer", 0}, {"byteOffset", 0}, {"byteLength", what.bytes.size()}}}}};
    tree["accessors"] = {accessor("VEC3"), accessor("VEC3"), accessor("VEC2"),
                         json{{"componentType", 5125}, {"count", 3 * triangles}, {"type", "SCALAR"}}};
    tree["accessors"][0]["min"] = {-1, -1, -1};
    tree["accessors"][0]["max"] = {1, 1, 1};
    json primitive{{"attributes", {{"POSITION", 0}, {"NORMAL", 1}, {"TEXCOORD_0", 2}}}, {"indices", 3}, {"mode", 4}};
    primitive["extensions"]["KHR_draco_mesh_compression"] = {
        {"bufferView", 0},
        {"attributes", {{"POSITION", Packed::kPosition}, {"NORMAL", Packed::kNormal}, {"TEXCOORD_0", Packed::kUv}}}};
    tree["meshes"] = {{{"primitives", {primitive}}}};
    return tree;
}

Result<std::vector<ImportedSubject>> readTree(const std::filesystem::path& folder, const json& tree,
                                              const std::vector<char>& bytes, const JobContext& job = {}) {
    EXPECT_TRUE(writeFile(folder / "data.bin", std::as_bytes(std::span(bytes))));
    EXPECT_TRUE(writeTextFile(folder / "buoy.gltf", tree.dump()));
    return readModel(folder / "buoy.gltf", job);
}

TEST(Packed, triangles_are_read_as_if_they_stood_open) {
    const TempFolder folder;
    const Mesh ball = shapes::texturedSphere(48, 24);
    for (const int method : {draco::MESH_SEQUENTIAL_ENCODING, draco::MESH_EDGEBREAKER_ENCODING}) {
        const Packed what = packed(ball, method);
        const auto read = readTree(folder.path(), treeOf(what, ball.triangleCount()), what.bytes);
        ASSERT_TRUE(read) << read.error().text();
        const Mesh& mesh = read->front().levels.front().mesh;
        const std::vector<char> binary = binaryOf(treeOf(what, ball.triangleCount()), what.bytes);
        ASSERT_TRUE(writeFile(folder.path() / "buoy.glb", std::as_bytes(std::span(binary))));
        const auto same = readModel(folder.path() / "buoy.glb", {});
        ASSERT_TRUE(same) << same.error().text();
        EXPECT_EQ(contentOf(same->front().levels.front().mesh), contentOf(mesh));
        EXPECT_EQ(mesh.triangleCount(), ball.triangleCount());
        ASSERT_EQ(mesh.normals.size(), mesh.positions.size());
        ASSERT_EQ(mesh.uvs.size(), mesh.positions.size());
        double area = 0;
        double uvArea = 0;
        for (std::uint32_t t = 0; t < mesh.triangleCount(); ++t) {
            const std::uint32_t* c = &mesh.indices[3 * std::size_t{t}];
            const Vec3f across =
                (mesh.positions[c[1]] - mesh.positions[c[0]]).cross(mesh.positions[c[2]] - mesh.positions[c[0]]);
            EXPECT_GT(across.dot(mesh.positions[c[0]] + mesh.positions[c[1]] + mesh.positions[c[2]]), 0)
                << "it faces outwards";
            area += static_cast<double>(across.norm()) / 2;
            const Vec2f u = mesh.uvs[c[1]] - mesh.uvs[c[0]];
            const Vec2f v = mesh.uvs[c[2]] - mesh.uvs[c[0]];
            uvArea += std::abs(static_cast<double>(u.x() * v.y() - u.y() * v.x())) / 2;
        }
        EXPECT_NEAR(area, 4 * 3.14159, 0.15);
        EXPECT_GT(uvArea, 0.9);
        EXPECT_LT(uvArea, 1.1);
        for (std::size_t v = 0; v < mesh.positions.size(); ++v) {
            EXPECT_NEAR(mesh.positions[v].norm(), 1, 1e-3);
            EXPECT_GT(mesh.normals[v].dot(mesh.positions[v]), 0.99F);
        }
    }
}

TEST(Packed, primitives_may_share_what_the_file_says_of_them) {
    const TempFolder folder;
    Mesh ball = shapes::texturedSphere(12, 6);
    for (const Vec3f& p : ball.positions)
        ball.colors.emplace_back((p.x() + 1) / 2, (p.y() + 1) / 2, (p.z() + 1) / 2, 1.0F);
    const Packed what = packed(ball, draco::MESH_EDGEBREAKER_ENCODING);
    json tree = treeOf(what, ball.triangleCount());
    tree["accessors"].push_back(
        {{"componentType", 5121}, {"normalized", true}, {"count", what.points}, {"type", "VEC3"}});
    json& first = tree["meshes"][0]["primitives"][0];
    first["attributes"]["COLOR_0"] = 4;
    first["extensions"]["KHR_draco_mesh_compression"]["attributes"]["COLOR_0"] = Packed::kColor;
    tree["meshes"][0]["primitives"].push_back(tree["meshes"][0]["primitives"][0]);
    const auto read = readTree(folder.path(), tree, what.bytes);
    ASSERT_TRUE(read) << read.error().text();
    const Mesh& mesh = read->front().levels.front().mesh;
    ASSERT_EQ(mesh.triangleCount(), 2 * ball.triangleCount());
    for (std::size_t i = 0; i < 3 * std::size_t{ball.triangleCount()}; ++i)
        EXPECT_EQ(mesh.positions[mesh.indices[i]], mesh.positions[mesh.indices[3 * ball.triangleCount() + i]]);
    ASSERT_EQ(mesh.colors.size(), mesh.positions.size());
    for (std::size_t v = 0; v < mesh.colors.size(); ++v)
        for (int k = 0; k < 3; ++k)
            EXPECT_NEAR(mesh.colors[v][k], (mesh.positions[v][k] + 1) / 2, 0.01F) << "bytes are shares of one";
}

TEST(Packed, what_stands_open_besides_is_not_unpacked) {
    const TempFolder folder;
    const Mesh ball = shapes::sphere(2);
    std::vector<char> bytes(ball.positions.size() * sizeof(Vec3f) + ball.indices.size() * sizeof(std::uint32_t));
    std::memcpy(bytes.data(), ball.positions.data(), ball.positions.size() * sizeof(Vec3f));
    std::memcpy(bytes.data() + ball.positions.size() * sizeof(Vec3f), ball.indices.data(),
                ball.indices.size() * sizeof(std::uint32_t));
    json tree = treeOf({bytes, ball.vertexCount()}, ball.triangleCount());
    tree.erase("extensionsRequired");
    const std::size_t positions = ball.positions.size() * sizeof(Vec3f);
    tree["bufferViews"] = {json{{"buffer", 0}, {"byteOffset", 0}, {"byteLength", positions}},
                           json{{"buffer", 0}, {"byteOffset", positions}, {"byteLength", bytes.size() - positions}}};
    tree["accessors"][0]["bufferView"] = 0;
    tree["accessors"][3]["bufferView"] = 1;
    tree["meshes"][0]["primitives"][0]["attributes"] = {{"POSITION", 0}};
    const auto read = readTree(folder.path(), tree, bytes);
    ASSERT_TRUE(read) << read.error().text();
    EXPECT_EQ(read->front().levels.front().mesh.triangleCount(), ball.triangleCount());
}

TEST(Packed, what_does_not_fit_gives_one_clear_error) {
    const TempFolder folder;
    const Mesh ball = shapes::texturedSphere(12, 6);
    const Packed what = packed(ball, draco::MESH_EDGEBREAKER_ENCODING);
    const json whole = treeOf(what, ball.triangleCount());
    const auto error = [&](const char* pointer, const json& value) {
        json tree = whole;
        tree[json::json_pointer(pointer)] = value;
        const auto read = readTree(folder.path(), tree, what.bytes);
        EXPECT_FALSE(read) << pointer << " " << value;
        return read ? std::string() : read.error().text();
    };
    const std::string at = "/meshes/0/primitives/0/extensions/KHR_draco_mesh_compression";
    EXPECT_NE(error((at + "/bufferView").c_str(), 3).find("packed triangles that do not exist"), std::string::npos);
    EXPECT_NE(error((at + "/bufferView").c_str(), "x").find("packed triangles that do not exist"), std::string::npos);
    EXPECT_NE(error(at.c_str(), 1).find("is not a readable glTF file"), std::string::npos);
    EXPECT_NE(error((at + "/attributes/NORMAL").c_str(), 4).find("an attribute is missing"), std::string::npos);
    EXPECT_NE(error((at + "/attributes/NORMAL").c_str(), -1).find("describes its packed NORMAL wrongly"),
              std::string::npos);
    json onlyNormals = whole[json::json_pointer(at)];
    onlyNormals["attributes"].erase("POSITION");
    EXPECT_NE(error(at.c_str(), onlyNormals).find("describes its packed POSITION wrongly"), std::string::npos);
    EXPECT_FALSE(error("/accessors/0/bufferView", 0).empty()) << "places stand open, their corners nowhere";
    EXPECT_NE(error("/bufferViews/0/byteLength", what.bytes.size() + 9).find("beyond"), std::string::npos);
    EXPECT_NE(error("/bufferViews/0/byteLength", 20).find("cannot be unpacked"), std::string::npos);
    std::stop_source stop;
    stop.request_stop();
    const auto cancelled = readTree(folder.path(), whole, what.bytes, {stop.get_token(), {}});
    ASSERT_FALSE(cancelled);
    EXPECT_EQ(cancelled.error().code, ErrorCode::Cancelled);
}

TEST(Packed, sixty_damaged_files_are_survived) {
    const TempFolder folder;
    const Mesh ball = shapes::texturedSphere(12, 6);
    std::mt19937 random(7);
    std::size_t refused = 0;
    for (int i = 0; i < 60; ++i) {
        Packed what = packed(ball, i % 2 == 0 ? draco::MESH_EDGEBREAKER_ENCODING : draco::MESH_SEQUENTIAL_ENCODING);
        const json tree = treeOf(what, ball.triangleCount());
        for (int k = 0; k <= i % 3; ++k)
            what.bytes[random() % what.bytes.size()] = static_cast<char>(random());
        const auto read = readTree(folder.path(), tree, what.bytes);
        if (!read) {
            ++refused;
            EXPECT_FALSE(read.error().remedy.empty());
            continue;
        }
        for (const std::uint32_t v : read->front().levels.front().mesh.indices)
            EXPECT_LT(v, read->front().levels.front().mesh.vertexCount());
    }
    EXPECT_GT(refused, 5U);
}

} // namespace
} // namespace thicket
