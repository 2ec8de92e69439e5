// Skeletons and animations of files that are not glTF, moved to places that are known beforehand.

#include "base/file.h"
#include "io/import/import.h"
#include "io/import/other_rig.h"
#include "io/ship/write_glb.h"
#include "mesh/pose.h"
#include "support/temp_folder.h"

#include <cmath>
#include <fmt/format.h>
#include <gtest/gtest.h>

namespace thicket {
namespace fs = std::filesystem;
namespace {

std::string source(const std::string& id, const std::string& kind, int count, const std::string& values, int stride,
                   const std::string& params) {
    return fmt::format("<source id=\"{0}\"><{1} id=\"{0}-array\" count=\"{2}\">{3}</{1}><technique_common><accessor "
                       "source=\"#{0}-array\" count=\"{4}\" stride=\"{5}\">{6}</accessor></technique_common></source>",
                       id, kind, count, values, count / stride, stride, params);
}

const std::string kXyz = "<param name=\"X\" type=\"float\"/><param name=\"Y\" type=\"float\"/><param name=\"Z\" "
                         "type=\"float\"/>";

/// A strip of two squares, from (0,0) to (1,2), in the x-y plane.
std::string strip() {
    return "<library_geometries><geometry id=\"strip\"><mesh>" +
           source("strip-places", "float_array", 18, "0 0 0 1 0 0 0 1 0 1 1 0 0 2 0 1 2 0", 3, kXyz) +
           "<vertices id=\"strip-vertices\"><input semantic=\"POSITION\" source=\"#strip-places\"/></vertices>"
           "<triangles count=\"4\"><input semantic=\"VERTEX\" source=\"#strip-vertices\" offset=\"0\"/>"
           "<p>0 1 3 0 3 2 2 3 5 2 5 4</p></triangles></mesh></geometry></library_geometries>";
}

std::string animated(const std::string& target, int stride, const std::string& values, const std::string& type) {
    return "<library_animations><animation id=\"move\">" +
           source("move-in", "float_array", 2, "0 2", 1, "<param name=\"TIME\" type=\"float\"/>") +
           source("move-out", "float_array", 2 * stride, values, stride,
                  "<param name=\"VALUE\" type=\"" + type + "\"/>") +
           source("move-how", "Name_array", 2, "LINEAR LINEAR", 1, "<param name=\"HOW\" type=\"name\"/>") +
           "<sampler id=\"move-sampler\"><input semantic=\"INPUT\" source=\"#move-in\"/><input semantic=\"OUTPUT\" "
           "source=\"#move-out\"/><input semantic=\"INTERPOLATION\" source=\"#move-how\"/></sampler><channel "
           "source=\"#move-sampler\" target=\"" +
           target + "\"/></animation></library_animations>";
}

std::string document(const std::string& metres, const std::string& libraries, const std::string& nodes) {
    return "<?xml version=\"1.0\"?><COLLADA xmlns=\"http://www.collada.org/2005/11/COLLADASchema\" "
           "version=\"1.4.1\"><asset><unit meter=\"" +
           metres + "\"/><up_axis>Y_UP</up_axis></asset>" + libraries +
           "<library_visual_scenes><visual_scene id=\"scene\">" + nodes +
           "</visual_scene></library_visual_scenes><scene><instance_visual_scene url=\"#scene\"/></scene></COLLADA>";
}

/// The strip on two bones: all below y = 1 on the first, at y = 1 half and half, above on the second, which stands at (0, 1)
/// and turns by a right angle within two seconds.
std::string bending(const std::string& metres, bool highFirst = false) {
    const std::string none = "1 0 0 0 0 1 0 0 0 0 1 0 0 0 0 1";
    const std::string up = "1 0 0 0 0 1 0 -1 0 0 1 0 0 0 0 1"; // from there down to the bone
    const std::string skin =
        "<library_controllers><controller id=\"skin\"><skin source=\"#strip\"><bind_shape_matrix>" + none +
        "</bind_shape_matrix>" +
        source("names", "Name_array", 2, highFirst ? "high low" : "low high", 1, "<param name=\"J\" type=\"name\"/>") +
        source("binds", "float_array", 32, highFirst ? up + " " + none : none + " " + up, 16,
               "<param name=\"T\" type=\"float4x4\"/>") +
        source("shares", "float_array", 2, "1 0.5", 1, "<param name=\"W\" type=\"float\"/>") +
        "<joints><input semantic=\"JOINT\" source=\"#names\"/><input semantic=\"INV_BIND_MATRIX\" source=\"#binds\"/>"
        "</joints><vertex_weights count=\"6\"><input semantic=\"JOINT\" source=\"#names\" offset=\"0\"/><input "
        "semantic=\"WEIGHT\" source=\"#shares\" offset=\"1\"/><vcount>1 1 2 2 1 1</vcount><v>" +
        (highFirst ? "1 0 1 0 1 1 0 1 1 1 0 1 0 0 0 0" : "0 0 0 0 0 1 1 1 0 1 1 1 1 0 1 0") +
        "</v></vertex_weights></skin></controller></library_controllers>";
    return document(metres, strip() + skin + animated("high/turn.ANGLE", 1, "0 90", "float"),
                    "<node id=\"low\" sid=\"low\" name=\"low\" type=\"JOINT\"><node id=\"high\" sid=\"high\" "
                    "name=\"high\" type=\"JOINT\"><translate>0 1 0</translate><rotate sid=\"turn\">0 0 1 0</rotate>"
                    "</node></node><node id=\"body\" name=\"body\"><instance_controller url=\"#skin\"><skeleton>#low"
                    "</skeleton></instance_controller></node>");
}

ImportedSubject readAs(const TempFolder& folder, const std::string& text) {
    EXPECT_TRUE(writeTextFile(folder.path() / "strip.dae", text));
    auto read = readModel(folder.path() / "strip.dae", {});
    EXPECT_TRUE(read) << (read ? "" : read.error().text());
    return read ? std::move(read->front()) : ImportedSubject();
}

/// The vertex of a mesh at rest that is nearest to a place, as it stands in a pose.
Vec3f movedFrom(const Mesh& rest, const Mesh& now, const Vec3f& place) {
    std::size_t best = 0;
    for (std::size_t v = 0; v < rest.positions.size(); ++v)
        if ((rest.positions[v] - place).norm() < (rest.positions[best] - place).norm())
            best = v;
    EXPECT_LT((rest.positions[best] - place).norm(), 1e-4F);
    return now.positions[best];
}

} // namespace

TEST(OtherRig, a_skin_bends_as_its_bones_say_in_metres) {
    const TempFolder folder;
    for (const auto& [unit, metre] : {std::pair{"1", 1.0F}, std::pair{"0.01", 0.01F}}) {
        const ImportedSubject subject = readAs(folder, bending(unit));
        ASSERT_EQ(subject.levels.size(), 1U);
        const Mesh& rest = subject.levels.front().mesh;
        ASSERT_EQ(subject.rig.joints.size(), 2U);
        ASSERT_EQ(subject.rig.animations.size(), 1U);
        EXPECT_NEAR(durationOf(subject.rig.animations.front()), 2, 1e-5);
        const Mesh still = posed(rest, poseAt(subject.rig, {0, 0}));
        for (std::size_t v = 0; v < rest.positions.size(); ++v)
            EXPECT_LT((still.positions[v] - rest.positions[v]).norm(), 1e-5F * metre);
        const Mesh now = posed(rest, poseAt(subject.rig, {0, 2}));
        // About (0, 1), a quarter round to the left: (1, 2) comes to (-1, 2), and half of (1, 1) to (0, 2).
        EXPECT_LT((movedFrom(rest, now, Vec3f(1, 2, 0) * metre) - Vec3f(-1, 2, 0) * metre).norm(), 1e-4F * metre);
        EXPECT_LT((movedFrom(rest, now, Vec3f(1, 0, 0) * metre) - Vec3f(1, 0, 0) * metre).norm(), 1e-4F * metre);
        EXPECT_LT((movedFrom(rest, now, Vec3f(1, 1, 0) * metre) - Vec3f(0.5, 1.5, 0) * metre).norm(), 1e-4F * metre);
    }
}

TEST(OtherRig, copies_of_a_mesh_keep_their_places_in_metres_when_they_are_taken_apart) {
    const TempFolder folder;
    for (const auto& [unit, metre] : {std::pair{"1", 1.0}, std::pair{"0.01", 0.01}}) {
        const std::string copy =
            "<node id=\"{0}\" name=\"{0}\"><translate>{1} 0 0</translate><rotate>0 1 0 {2}</rotate>"
            "<scale>2 2 2</scale><instance_geometry url=\"#strip\"/></node>";
        ASSERT_TRUE(writeTextFile(folder.path() / "strips.dae",
                                  document(unit, strip(),
                                           fmt::format(fmt::runtime(copy), "strip_1", 10, 0) +
                                               fmt::format(fmt::runtime(copy), "strip_2", 30, 90))));
        const auto read = readModel(folder.path() / "strips.dae", {}, Meshes::Apart);
        ASSERT_TRUE(read) << read.error().text();
        ASSERT_EQ(read->size(), 1U);
        EXPECT_EQ(read->front().name, "strip");
        const auto subject = makeSubject(read->front(), {});
        ASSERT_TRUE(subject);
        EXPECT_NEAR(subject->bounds.size().y(), 4 * metre, 1e-6) << "as large as it stands there";
        const Placements& placed = *subject->mesh().placed;
        ASSERT_EQ(placed.size(), 2U);
        EXPECT_NEAR(placed[0].position.x(), 10 * metre, 1e-6);
        EXPECT_NEAR(placed[1].position.x(), 30 * metre, 1e-6);
        EXPECT_NEAR(placed[1].scale, 1, 1e-6);
        EXPECT_LT((placed[1].rotation * Vec3d(1, 0, 0) - Vec3d(0, 0, -1)).norm(), 1e-5);
    }
}

TEST(OtherRig, what_hangs_on_an_animated_node_goes_with_it) {
    const TempFolder folder;
    const ImportedSubject subject =
        readAs(folder, document("1", strip() + animated("gate/slide.X", 1, "2 7", "float"),
                                "<node id=\"gate\" name=\"gate\"><translate sid=\"slide\">2 0 0</translate><node "
                                "id=\"leaf\" name=\"leaf\"><translate>0 3 0</translate><instance_geometry "
                                "url=\"#strip\"/></node></node>"));
    ASSERT_EQ(subject.levels.size(), 1U);
    const Mesh& rest = subject.levels.front().mesh;
    ASSERT_EQ(subject.rig.animations.size(), 1U);
    const Mesh now = posed(rest, poseAt(subject.rig, {0, 1}));
    for (std::size_t v = 0; v < rest.positions.size(); ++v)
        EXPECT_LT((now.positions[v] - rest.positions[v] - Vec3f(2.5, 0, 0)).norm(), 1e-4F);
    EXPECT_LT((movedFrom(rest, now, {2, 3, 0}) - Vec3f(4.5, 3, 0)).norm(), 1e-4F);
}

TEST(OtherRig, what_does_not_move_has_no_rig) {
    const TempFolder folder;
    const ImportedSubject subject =
        readAs(folder, document("1", strip() + animated("lamp/slide.X", 1, "2 7", "float"),
                                "<node id=\"lamp\" name=\"lamp\"><translate sid=\"slide\">2 0 0</translate></node>"
                                "<node id=\"leaf\" name=\"leaf\"><instance_geometry url=\"#strip\"/></node>"));
    ASSERT_EQ(subject.levels.size(), 1U);
    EXPECT_TRUE(subject.rig.empty());
    EXPECT_TRUE(subject.levels.front().mesh.extras.empty());
}

TEST(OtherRig, an_animation_that_says_where_things_stand_anyway_makes_no_rig) {
    const TempFolder folder;
    const auto gate = [&](const std::string& values) {
        return readAs(folder, document("1", strip() + animated("gate/slide.X", 1, values, "float"),
                                       "<node id=\"gate\" name=\"gate\"><translate sid=\"slide\">2 0 0</translate>"
                                       "<instance_geometry url=\"#strip\"/></node>"));
    };
    const ImportedSubject still = gate("2 2");
    EXPECT_TRUE(still.rig.empty());
    EXPECT_TRUE(still.levels.front().mesh.extras.empty());
    EXPECT_FALSE(gate("2 2.1").rig.empty());
}

TEST(OtherRig, bones_alone_are_no_mesh) {
    const TempFolder folder;
    ASSERT_TRUE(writeTextFile(folder.path() / "bones.dae",
                              document("1", "",
                                       "<node id=\"low\" name=\"low\" type=\"JOINT\"><node id=\"high\" "
                                       "name=\"high\" type=\"JOINT\"><translate>0 1 0</translate></node></node>")));
    const auto read = readModel(folder.path() / "bones.dae", {});
    ASSERT_FALSE(read);
    EXPECT_EQ(read.error().code, ErrorCode::BadInput);
    EXPECT_EQ(read.error().what, "holds no triangles");
}

TEST(OtherRig, it_goes_on_into_gltf_and_moves_there_as_before) {
    const TempFolder folder;
    const ImportedSubject subject = readAs(folder, bending("1"));
    const auto mesh = std::make_shared<const Mesh>(subject.levels.front().mesh);
    ASSERT_TRUE(writeFile(folder.path() / "strip.glb",
                          encodeGlb("strip", {mesh}, *subject.surfaces, GlbLevels::Named, {}, &subject.rig)));
    const auto back = readModel(folder.path() / "strip.glb", {});
    ASSERT_TRUE(back) << back.error().text();
    const Mesh& rest = back->front().levels.front().mesh;
    const Mesh now = posed(rest, poseAt(back->front().rig, {0, 2}));
    EXPECT_LT((movedFrom(rest, now, {1, 2, 0}) - Vec3f(-1, 2, 0)).norm(), 1e-4F);
}

TEST(OtherRig, levels_from_two_files_hang_on_the_same_bones) {
    const TempFolder folder;
    std::vector<ImportedSubject> all;
    for (const bool second : {false, true}) {
        const fs::path file = folder.path() / (second ? "strip_LOD1.dae" : "strip_LOD0.dae");
        ASSERT_TRUE(writeTextFile(file, bending("1", second)));
        auto read = readModel(file, {});
        ASSERT_TRUE(read) << read.error().text();
        all.push_back(std::move(read->front()));
    }
    const auto names = [](const Rig& rig) { return rig.nodes[static_cast<std::size_t>(rig.joints.front())].name; };
    ASSERT_NE(names(all[0].rig), names(all[1].rig)) << "the second has its bones in another order";
    const auto joined = joinFamilies(std::move(all));
    ASSERT_EQ(joined.size(), 1U);
    ASSERT_EQ(joined.front().levels.size(), 2U);
    EXPECT_EQ(joined.front().rig.joints.size(), 2U);
    for (const ImportedLevel& level : joined.front().levels) {
        ASSERT_TRUE(detail::isSound(level.mesh.extras, joined.front().rig));
        const Mesh now = posed(level.mesh, poseAt(joined.front().rig, {0, 2}));
        EXPECT_LT((movedFrom(level.mesh, now, {1, 2, 0}) - Vec3f(-1, 2, 0)).norm(), 1e-4F);
    }
}

TEST(OtherRig, what_names_joints_that_are_not_there_is_not_sound) {
    const TempFolder folder;
    const ImportedSubject subject = readAs(folder, bending("1"));
    const VertexExtras& extras = subject.levels.front().mesh.extras;
    ASSERT_TRUE(detail::isSound(subject.rig));
    ASSERT_TRUE(detail::isSound(extras, subject.rig));
    VertexExtras wrong = extras;
    wrong.joints[2][1] = 9;
    EXPECT_FALSE(detail::isSound(wrong, subject.rig));
    const auto unsound = [&subject](const auto& damage) {
        Rig rig = subject.rig;
        damage(rig);
        return !detail::isSound(rig);
    };
    EXPECT_TRUE(unsound([](Rig& r) { r.nodes[0].parent = 0; }));
    EXPECT_TRUE(unsound([](Rig& r) { r.joints[1] = 99; }));
    EXPECT_TRUE(unsound([](Rig& r) { r.inverseBind.pop_back(); }));
    EXPECT_TRUE(unsound([](Rig& r) { r.inverseBind[0][3] = std::nanf(""); }));
    EXPECT_TRUE(unsound([](Rig& r) { r.nodes[0].scale.x() = std::nanf(""); }));
    EXPECT_TRUE(unsound([](Rig& r) { r.animations[0].channels[0].values[0] = std::nanf(""); }));
    EXPECT_TRUE(unsound([](Rig& r) { r.animations[0].channels[0].node = -1; }));
    EXPECT_TRUE(unsound([](Rig& r) { r.animations[0].channels[0].values.pop_back(); }));
    EXPECT_TRUE(unsound([](Rig& r) { r.animations[0].channels[0].times = {3, 1}; }));
}

} // namespace thicket
