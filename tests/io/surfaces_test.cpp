// Materials, pictures and units of files that are not glTF.

#include "base/file.h"
#include "image/image.h"
#include "io/import/import.h"
#include "io/project/project.h"
#include "support/temp_folder.h"

#include <fmt/format.h>
#include <gtest/gtest.h>
#include <webp/encode.h>

namespace thicket {
namespace fs = std::filesystem;
namespace {

Pixels plain(int side, std::array<std::uint8_t, 4> color) {
    Pixels p{side, side, {}};
    for (int i = 0; i < side * side; ++i)
        p.rgba.insert(p.rgba.end(), color.begin(), color.end());
    return p;
}

void writePng(const fs::path& file, const Pixels& pixels) {
    ASSERT_TRUE(writeFile(file, encodePng(pixels, "p").encoded));
}

/// A square with a material; `lines` are those of its MTL.
fs::path plateWith(const fs::path& folder, const std::string& lines) {
    EXPECT_TRUE(writeTextFile(folder / "plate.mtl", "newmtl paint\nKd 1 1 1\n" + lines));
    EXPECT_TRUE(writeTextFile(folder / "plate.obj", "mtllib plate.mtl\nv 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\n"
                                                    "vt 0 0\nvt 1 0\nvt 1 1\nvt 0 1\nvn 0 0 1\nusemtl paint\n"
                                                    "f 1/1/1 2/2/1 3/3/1\nf 1/1/1 3/3/1 4/4/1\n"));
    return folder / "plate.obj";
}

const Material& paintOf(const ImportedSubject& subject) {
    for (const Material& m : subject.surfaces->materials)
        if (m.name == "paint")
            return m;
    return subject.surfaces->materials.front();
}

Pixels pixelsAt(const ImportedSubject& subject, int image) {
    return image < 0 ? Pixels{} : *decodeImage(subject.surfaces->images[static_cast<std::size_t>(image)]);
}

/// Two triangles in a file whose lengths are so many centimetres.
std::string plateInUnits(double centimetres) {
    return fmt::format(
        "; FBX 7.4.0 project file\nFBXHeaderExtension:  {{\n\tFBXHeaderVersion: 1003\n\tFBXVersion: 7400\n}}\n"
        "GlobalSettings:  {{\n\tVersion: 1000\n\tProperties70:  {{\n\t\tP: \"UnitScaleFactor\", \"double\", "
        "\"Number\", "
        "\"\",{}\n\t}}\n}}\n"
        "Objects:  {{\n\tGeometry: 100, \"Geometry::plate\", \"Mesh\" {{\n\t\tVertices: *12 {{\n\t\t\ta: "
        "0,0,0,200,0,0,200,100,0,0,100,0\n\t\t}}\n\t\tPolygonVertexIndex: *6 {{\n\t\t\ta: 0,1,-3,0,2,-4\n\t\t}}\n"
        "\t\tGeometryVersion: 124\n\t}}\n"
        "\tModel: 200, \"Model::plate\", \"Mesh\" {{\n\t\tVersion: 232\n\t}}\n}}\n"
        "Connections:  {{\n\tC: \"OO\",200,0\n\tC: \"OO\",100,200\n}}\n",
        centimetres);
}

} // namespace

TEST(OtherSurfaces, pictures_are_found_in_other_letters_and_in_the_folder_for_them) {
    const TempFolder folder;
    fs::create_directories(folder.path() / "Textures");
    writePng(folder.path() / "Textures" / "Wood.PNG", plain(8, {90, 60, 30, 255}));
    const auto read = readModel(plateWith(folder.path(), "map_Kd D:\\work\\wood.png\n"), {});
    ASSERT_TRUE(read) << read.error().text();
    const Pixels wood = pixelsAt(read->front(), paintOf(read->front()).baseColorImage);
    ASSERT_FALSE(wood.rgba.empty()) << (read->front().notes.empty() ? "" : read->front().notes.front());
    EXPECT_EQ(wood.rgba[0], 90);
}

TEST(OtherSurfaces, nothing_outside_of_the_folder_is_looked_at) {
    const TempFolder folder;
    const fs::path inside = folder.path() / "inside";
    fs::create_directories(inside);
    writePng(folder.path() / "wood.png", plain(8, {90, 60, 30, 255}));
    fs::create_symlink(folder.path(), inside / "textures");
    for (const char* name : {"../wood.png", "wood.png", "textures/wood.png"}) {
        const auto read = readModel(plateWith(inside, std::string("map_Kd ") + name + "\n"), {});
        ASSERT_TRUE(read) << read.error().text();
        EXPECT_TRUE(read->front().surfaces->images.empty()) << name;
        EXPECT_FALSE(read->front().notes.empty()) << name;
    }
}

TEST(OtherSurfaces, cover_goes_into_the_colours_alpha_and_is_tested) {
    const TempFolder folder;
    writePng(folder.path() / "leaf.png", plain(8, {20, 120, 40, 255}));
    Pixels cover = plain(4, {255, 255, 255, 255});
    for (int y = 0; y < 4; ++y) // the left half is clear
        for (int x = 0; x < 2; ++x)
            std::fill_n(cover.at(x, y), 3, std::uint8_t{0});
    writePng(folder.path() / "cover.png", cover);
    const auto read = readModel(plateWith(folder.path(), "map_Kd leaf.png\nmap_d cover.png\n"), {});
    ASSERT_TRUE(read) << read.error().text();
    const Material& paint = paintOf(read->front());
    EXPECT_EQ(paint.alphaMode, AlphaMode::Mask);
    EXPECT_EQ(read->front().surfaces->images.size(), 1U) << "what went into another is not kept besides";
    const Pixels leaf = pixelsAt(read->front(), paint.baseColorImage);
    ASSERT_EQ(leaf.width, 8);
    EXPECT_EQ(leaf.at(1, 3)[3], 0);
    EXPECT_EQ(leaf.at(6, 3)[3], 255);
    EXPECT_EQ(leaf.at(6, 3)[1], 120);
}

TEST(OtherSurfaces, a_colour_with_its_own_cover_is_tested_only_where_it_has_holes) {
    const TempFolder folder;
    for (const std::uint8_t alpha : {std::uint8_t{0}, std::uint8_t{255}}) {
        Pixels leaf = plain(8, {20, 120, 40, 255});
        leaf.at(3, 3)[3] = alpha;
        writePng(folder.path() / "leaf.png", leaf);
        const auto read = readModel(plateWith(folder.path(), "map_Kd leaf.png\nmap_d leaf.png\n"), {});
        ASSERT_TRUE(read) << read.error().text();
        EXPECT_EQ(paintOf(read->front()).alphaMode, alpha == 0 ? AlphaMode::Mask : AlphaMode::Opaque);
    }
}

TEST(OtherSurfaces, a_bump_map_that_holds_normals_is_a_normal_map) {
    const TempFolder folder;
    writePng(folder.path() / "leaf.png", plain(8, {20, 120, 40, 255}));
    for (const bool normals : {true, false}) {
        writePng(folder.path() / "bump.png", normals ? plain(8, {131, 125, 252, 255}) : plain(8, {140, 140, 140, 255}));
        const auto read = readModel(plateWith(folder.path(), "map_Kd leaf.png\nmap_Bump bump.png\n"), {});
        ASSERT_TRUE(read) << read.error().text();
        EXPECT_EQ(paintOf(read->front()).normalImage >= 0, normals);
        EXPECT_EQ(read->front().notes.empty(), normals) << "what was left out is said";
        EXPECT_EQ(read->front().surfaces->images.size(), normals ? 2U : 1U);
    }
}

TEST(OtherSurfaces, what_shines_through_and_what_glows_stays_so) {
    const TempFolder folder;
    const auto read = readModel(plateWith(folder.path(), "d 0.4\nKe 0.5 0.25 0\n"), {});
    ASSERT_TRUE(read) << read.error().text();
    const Material& paint = paintOf(read->front());
    EXPECT_EQ(paint.alphaMode, AlphaMode::Blend);
    EXPECT_NEAR(paint.baseColor.w(), 0.4, 1e-6);
    EXPECT_NEAR(paint.emissive.y(), 0.25, 1e-6);
}

TEST(Units, a_file_in_other_units_comes_in_in_metres_as_a_mend) {
    const TempFolder folder;
    for (const auto& [centimetres, wide] : {std::pair{1.0, 2.0}, std::pair{100.0, 200.0}, std::pair{2.54, 5.08}}) {
        const fs::path file = folder.path() / "plate.fbx";
        ASSERT_TRUE(writeTextFile(file, plateInUnits(centimetres)));
        auto read = readModel(file, {});
        ASSERT_TRUE(read) << read.error().text();
        EXPECT_EQ(read->front().notes.empty(), centimetres == 100.0);
        const auto subject = makeSubject(std::move(read->front()), {});
        ASSERT_TRUE(subject);
        EXPECT_NEAR(subject->bounds.size().x(), wide, 1e-4 * wide);
        EXPECT_EQ(subject->mesh().mends.size(), centimetres == 100.0 ? 0U : 1U);
        // The project reads the file again, and has it as large.
        Scene scene;
        scene.subjects.push_back(*subject);
        scene.subjects.back().id = 1;
        const fs::path project = folder.path() / "p.thicket.json";
        ASSERT_TRUE(writeProject(scene, project, true));
        const auto opened = readProject(project, {});
        ASSERT_TRUE(opened) << opened.error().text();
        EXPECT_NEAR(opened->scene.subjects.front().bounds.size().x(), wide, 1e-4 * wide);
    }
}

TEST(Units, levels_from_files_in_different_units_are_of_one_size) {
    const TempFolder folder;
    ASSERT_TRUE(writeTextFile(folder.path() / "plate_LOD0.fbx", plateInUnits(1)));
    const fs::path obj = plateWith(folder.path(), "");
    fs::rename(obj, folder.path() / "plate_LOD1.obj");
    std::vector<ImportedSubject> all;
    for (const char* name : {"plate_LOD0.fbx", "plate_LOD1.obj"}) {
        auto read = readModel(folder.path() / name, {});
        ASSERT_TRUE(read) << read.error().text();
        all.push_back(std::move(read->front()));
    }
    const auto joined = joinFamilies(std::move(all));
    ASSERT_EQ(joined.size(), 1U);
    std::vector<double> wide;
    for (const ImportedLevel& level : joined.front().levels)
        wide.push_back(boundsOf(level.mesh).size().x() * joined.front().metresPerUnit);
    std::sort(wide.begin(), wide.end());
    ASSERT_EQ(wide.size(), 2U);
    EXPECT_NEAR(wide[0], 1, 1e-4);
    EXPECT_NEAR(wide[1], 2, 1e-4);
}

TEST(OtherSurfaces, webp_in_gltf_is_read) {
    const TempFolder folder;
    const Pixels shell = plain(8, {200, 150, 100, 255});
    std::uint8_t* data = nullptr;
    const std::size_t size = WebPEncodeLosslessRGBA(shell.rgba.data(), 8, 8, 32, &data);
    ASSERT_TRUE(writeFile(folder.path() / "shell.webp", {reinterpret_cast<std::byte*>(data), size}));
    WebPFree(data);
    std::vector<std::byte> corners(42);
    const float places[9] = {0, 0, 0, 1, 0, 0, 0, 1, 0};
    const std::uint16_t indices[3] = {0, 1, 2};
    std::memcpy(corners.data(), places, 36);
    std::memcpy(corners.data() + 36, indices, 6);
    ASSERT_TRUE(writeFile(folder.path() / "tri.bin", corners));
    const fs::path file = folder.path() / "tri.gltf";
    ASSERT_TRUE(writeTextFile(
        file,
        R"({"asset":{"version":"2.0"},"extensionsRequired":["EXT_texture_webp"],"scene":0,"scenes":[{"nodes":[0]}],
"nodes":[{"mesh":0}],"meshes":[{"primitives":[{"attributes":{"POSITION":0},"indices":1,"material":0}]}],
"materials":[{"pbrMetallicRoughness":{"baseColorTexture":{"index":0}}}],
"textures":[{"extensions":{"EXT_texture_webp":{"source":0}}}],"images":[{"uri":"shell.webp"}],
"buffers":[{"uri":"tri.bin","byteLength":42}],
"bufferViews":[{"buffer":0,"byteOffset":0,"byteLength":36},{"buffer":0,"byteOffset":36,"byteLength":6}],
"accessors":[{"bufferView":0,"componentType":5126,"count":3,"type":"VEC3","min":[0,0,0],"max":[1,1,0]},
{"bufferView":1,"componentType":5123,"count":3,"type":"SCALAR"}]})"));
    const auto read = readModel(file, {});
    ASSERT_TRUE(read) << read.error().text();
    const ImportedSubject& subject = read->front();
    const Pixels back = pixelsAt(subject, subject.surfaces->materials.front().baseColorImage);
    ASSERT_FALSE(back.rgba.empty());
    EXPECT_EQ(back.rgba, shell.rgba);
}

} // namespace thicket
