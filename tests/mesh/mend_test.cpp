// Mends: what was planted is found, goes, and takes nothing else with it.

#include "mesh/mend.h"

#include "mesh/mesh_checks.h"
#include "support/shapes.h"

#include <algorithm>
#include <cmath>
#include <gtest/gtest.h>
#include <numbers>
#include <random>

namespace thicket {
namespace {

std::uint32_t countOf(const Mesh& mesh, FindingKind kind) {
    for (const Finding& f : findMeshProblems(mesh))
        if (f.kind == kind)
            return f.count;
    return 0;
}

void addTriangle(Mesh& mesh, std::uint32_t a, std::uint32_t b, std::uint32_t c) {
    mesh.indices.insert(mesh.indices.end(), {a, b, c});
    ++mesh.parts.back().triangleCount;
}

double volumeOf(const Mesh& mesh) {
    double out = 0;
    for (std::size_t i = 0; i < mesh.indices.size(); i += 3) {
        const auto at = [&](std::size_t k) { return Vec3d(mesh.positions[mesh.indices[i + k]].cast<double>()); };
        out += at(0).dot(at(1).cross(at(2))) / 6;
    }
    return out;
}

std::uint32_t mended(Mesh& mesh, Mend mend) {
    const auto count = mendMesh(mesh, mend);
    EXPECT_TRUE(count);
    EXPECT_TRUE(checkMesh(mesh, "mended"));
    return count ? *count : 0;
}

TEST(Mend, area_and_duplicates_leave_the_surface_as_it_was) {
    for (const unsigned seed : {1U, 2U, 3U}) {
        const Mesh sound = shapes::bumpy(12, seed);
        Mesh mesh = sound;
        std::mt19937 random(seed);
        for (int i = 0; i < 20; ++i) {
            const std::uint32_t t = static_cast<std::uint32_t>(random() % sound.triangleCount());
            addTriangle(mesh, sound.indices[3 * t + 1], sound.indices[3 * t + 2], sound.indices[3 * t]);
            addTriangle(mesh, sound.indices[3 * t], sound.indices[3 * t + 1], sound.indices[3 * t]);
        }
        EXPECT_EQ(countOf(mesh, FindingKind::DegenerateTriangles), 20U);
        EXPECT_EQ(mended(mesh, {MendKind::Area}), 20U);
        EXPECT_EQ(mended(mesh, {MendKind::Duplicates}), 20U);
        EXPECT_EQ(shapeOf(mesh), shapeOf(sound));
        EXPECT_EQ(mended(mesh, {MendKind::Duplicates}), 0U) << "once is enough";
    }
}

TEST(Mend, a_sheet_that_is_doubled_for_its_other_side_keeps_both) {
    Mesh mesh = shapes::plateWithHoles(9);
    const std::size_t count = mesh.indices.size();
    for (std::size_t i = 0; i < count; i += 3)
        addTriangle(mesh, mesh.indices[i], mesh.indices[i + 2], mesh.indices[i + 1]);
    EXPECT_EQ(countOf(mesh, FindingKind::DuplicateTriangles), 0U);
    EXPECT_EQ(mended(mesh, {MendKind::Duplicates}), 0U);
    EXPECT_EQ(mended(mesh, {MendKind::Flipped}), 0U);
}

TEST(Mend, borders_that_nearly_meet_are_closed) {
    // Every triangle of a ball by itself, its corners a little off.
    const Mesh ball = shapes::sphere(8);
    Mesh mesh;
    std::mt19937 random(7);
    std::uniform_real_distribution<float> off(-2e-6F, 2e-6F);
    for (const std::uint32_t v : ball.indices) {
        mesh.indices.push_back(mesh.vertexCount());
        mesh.positions.push_back(ball.positions[v] + Vec3f(off(random), off(random), off(random)));
    }
    shapes::onePart(mesh);
    EXPECT_FALSE(shapes::isClosed(mesh));
    EXPECT_GT(countOf(mesh, FindingKind::UnweldedPoints), ball.vertexCount());
    const auto mend = mendFor(FindingKind::UnweldedPoints, boundsOf(mesh).diagonal());
    ASSERT_TRUE(mend);
    mended(mesh, *mend);
    EXPECT_TRUE(shapes::isClosed(mesh));
    EXPECT_EQ(mesh.triangleCount(), ball.triangleCount());
    EXPECT_EQ(countOf(mesh, FindingKind::OpenBorders), 0U);
    EXPECT_NEAR(volumeOf(mesh), volumeOf(ball), 1e-3 * volumeOf(ball));
}

TEST(Mend, gaps_wider_than_asked_stay_open) {
    Mesh mesh = shapes::box(3, {1, 1, 1});
    shapes::append(mesh, shapes::box(3, {1, 1, 1}), {1.01, 0, 0});
    EXPECT_EQ(mended(mesh, {MendKind::Unwelded, 0.001}), 0U) << "closed pieces have no borders to weld";
}

TEST(Mend, what_faces_the_wrong_way_is_turned_with_its_normals) {
    Mesh sound = shapes::sphere(10);
    makeNormals(sound, std::numbers::pi);
    const Mesh before = sound;
    for (const int part : {3, 1}) { // a third of the triangles, then all of them
        Mesh mesh = before;
        std::uint32_t turned = 0;
        for (std::uint32_t t = 0; t < mesh.triangleCount(); t += static_cast<std::uint32_t>(part), ++turned)
            std::swap(mesh.indices[3 * t + 1], mesh.indices[3 * t + 2]);
        if (part == 1)
            for (Vec3f& n : mesh.normals)
                n = -n;
        EXPECT_EQ(countOf(mesh, FindingKind::FlippedTriangles), turned);
        EXPECT_EQ(mended(mesh, {MendKind::Flipped}), turned);
        EXPECT_TRUE(shapes::isClosed(mesh));
        EXPECT_NEAR(volumeOf(mesh), volumeOf(before), 1e-9);
        for (std::uint32_t v = 0; v < mesh.vertexCount(); ++v)
            EXPECT_GT(mesh.normals[v].dot(mesh.positions[v]), 0) << v;
    }
}

TEST(Mend, a_hollow_inside_stays_a_hollow) {
    Mesh mesh = shapes::sphere(10);
    Mesh hollow = shapes::sphere(10, 0.5);
    for (std::size_t i = 0; i < hollow.indices.size(); i += 3)
        std::swap(hollow.indices[i + 1], hollow.indices[i + 2]);
    shapes::append(mesh, hollow, {0, 0, 0});
    EXPECT_EQ(countOf(mesh, FindingKind::FlippedTriangles), 0U);
    Mesh beside = shapes::sphere(10);
    shapes::append(beside, hollow, {3, 0, 0});
    EXPECT_EQ(countOf(beside, FindingKind::FlippedTriangles), hollow.triangleCount()) << "there it is inside out";
}

TEST(Mend, specks_go_and_what_is_larger_stays) {
    Mesh mesh = shapes::sphere(10);
    const std::uint32_t whole = mesh.triangleCount();
    for (int i = 0; i < 30; ++i)
        shapes::append(mesh, shapes::sphere(1, 0.003), {2.0 + 0.05 * i, 0, 0});
    shapes::append(mesh, shapes::sphere(1, 0.1), {0, 2, 0});
    EXPECT_EQ(countOf(mesh, FindingKind::LooseSpecks), 600U);
    EXPECT_EQ(mended(mesh, {MendKind::Specks, kSpeckShare}), 600U);
    EXPECT_EQ(mesh.triangleCount(), whole + 20);
    EXPECT_EQ(mesh.vertexCount(), shapes::sphere(10).vertexCount() + 12U) << "vertices go with their triangles";
    // Of nothing but specks the largest stay, so that something is left.
    Mesh dust = shapes::sphere(1, 0.001);
    shapes::append(dust, shapes::sphere(1, 0.002), {1, 0, 0});
    EXPECT_EQ(mended(dust, {MendKind::Specks, 0.5}), 20U);
    EXPECT_EQ(dust.triangleCount(), 20U);
}

TEST(Mend, needles_go_and_what_was_closed_stays_closed) {
    // A rod of so many sides that each end is a fan of needles.
    Mesh mesh = shapes::rod(1, 0.2, 4, 2000);
    ASSERT_TRUE(shapes::isClosed(mesh));
    const double before = volumeOf(mesh);
    ASSERT_GT(countOf(mesh, FindingKind::Needles), 1000U);
    EXPECT_GT(mended(mesh, {MendKind::Needles, kNeedleShare}), 0U);
    // What is left lies flat along the rims, with no short side to close, and turning it would not help.
    EXPECT_LT(countOf(mesh, FindingKind::Needles), 250U);
    EXPECT_TRUE(shapes::isClosed(mesh));
    EXPECT_NEAR(volumeOf(mesh), before, 2e-3 * before);
    EXPECT_GT(mesh.triangleCount(), 1000U) << "the rim is thinned out, not drawn together";
}

TEST(Mend, a_flat_needle_is_turned_into_its_neighbour) {
    // Two triangles of a square; the third corner of one lies nearly on their common side.
    Mesh mesh;
    mesh.positions = {{0, 0, 0}, {1, 0, 0}, {0.5F, 0.001F, 0}, {0.5F, -1, 0}};
    mesh.indices = {0, 1, 2, 1, 0, 3};
    shapes::onePart(mesh);
    EXPECT_EQ(countOf(mesh, FindingKind::Needles), 1U);
    EXPECT_EQ(mended(mesh, {MendKind::Needles, kNeedleShare}), 1U);
    EXPECT_EQ(mesh.triangleCount(), 2U);
    EXPECT_EQ(countOf(mesh, FindingKind::Needles), 0U);
    EXPECT_GT((mesh.positions[mesh.indices[1]] - mesh.positions[mesh.indices[0]])
                  .cross(mesh.positions[mesh.indices[2]] - mesh.positions[mesh.indices[0]])
                  .z(),
              0);
}

TEST(Mend, normals_are_smooth_up_to_their_angle) {
    Mesh box = shapes::box(4, {1, 1, 1});
    box.normals.clear();
    ASSERT_EQ(countOf(box, FindingKind::MissingNormals), 1U);
    Mesh hard = box;
    mended(hard, *mendFor(FindingKind::MissingNormals, 1));
    for (const Vec3f& n : hard.normals)
        EXPECT_NEAR(n.cwiseAbs().maxCoeff(), 1, 1e-5) << "edges of a box stay hard";
    Mesh smooth = box;
    mended(smooth, {MendKind::Normals, 180});
    EXPECT_LT(smooth.vertexCount(), hard.vertexCount());
    EXPECT_EQ(countOf(hard, FindingKind::MissingNormals), 0U);
}

TEST(Mend, a_unit_changes_lengths_alone) {
    Mesh mesh = shapes::sphere(6, 2000);
    EXPECT_EQ(countOf(mesh, FindingKind::UnusualSize), 1U);
    const double before = boundsOf(mesh).diagonal();
    mended(mesh, {MendKind::Unit, 0.001});
    EXPECT_NEAR(boundsOf(mesh).diagonal(), before / 1000, 1e-6);
    EXPECT_EQ(countOf(mesh, FindingKind::UnusualSize), 0U);
    EXPECT_DOUBLE_EQ(*unitMetres("inch"), 0.0254);
    EXPECT_DOUBLE_EQ(*unitMetres("0.3048"), 0.3048);
    for (const char* none : {"", "feet", "-1", "0", "1e9", "1m", "nan"})
        EXPECT_FALSE(unitMetres(none)) << none;
}

TEST(Mend, parts_stay_whole_where_triangles_go) {
    Mesh mesh = shapes::sphere(4);
    const std::uint32_t own = mesh.triangleCount();
    mesh.parts = {{0, 10, 0}, {10, 1, 1}, {11, own - 11, 2}};
    mesh.indices[31] = mesh.indices[30]; // all there is of the second
    EXPECT_EQ(mended(mesh, {MendKind::Area}), 1U);
    ASSERT_EQ(mesh.parts.size(), 2U);
    EXPECT_EQ(mesh.parts[1].material, 2U);
    EXPECT_EQ(mesh.parts[1].firstTriangle, 10U);
    EXPECT_EQ(mesh.parts[1].triangleCount, own - 11);
}

TEST(Mend, nothing_is_taken_when_nothing_would_be_left) {
    Mesh mesh;
    mesh.positions = {{0, 0, 0}, {1, 0, 0}, {2, 0, 0}};
    mesh.indices = {0, 1, 2};
    shapes::onePart(mesh);
    const auto done = mendMesh(mesh, {MendKind::Area});
    ASSERT_FALSE(done);
    EXPECT_EQ(done.error().code, ErrorCode::BadInput);
    EXPECT_EQ(mesh.triangleCount(), 1U);
}

/// Triangles between random points of a coarse grid, so that all that can be wrong is.
Mesh soup(unsigned seed) {
    std::mt19937 random(seed);
    Mesh mesh;
    std::uniform_int_distribution<int> place(0, 5);
    for (int i = 0; i < 60; ++i)
        mesh.positions.emplace_back(static_cast<float>(place(random)), static_cast<float>(place(random)),
                                    1e-6F * static_cast<float>(place(random)) + static_cast<float>(place(random) / 3));
    for (int i = 0; i < 120; ++i)
        for (int k = 0; k < 3; ++k)
            mesh.indices.push_back(static_cast<std::uint32_t>(random() % mesh.positions.size()));
    for (const Vec3f& p : mesh.positions) {
        mesh.normals.push_back(Vec3f(p.x() + 1, 1, p.z()).normalized());
        mesh.uvs.emplace_back(p.x(), p.y());
    }
    shapes::onePart(mesh);
    mesh.parts = {{0, 40, 0}, {40, 80, 1}};
    return mesh;
}

TEST(Mend, any_mesh_stays_a_mesh_and_a_second_time_there_is_nothing_to_do) {
    for (unsigned seed = 1; seed <= 60; ++seed)
        for (const Mend& mend : {Mend{MendKind::Area}, Mend{MendKind::Duplicates}, Mend{MendKind::Unwelded, 1e-4},
                                 Mend{MendKind::Specks, 0.2}, Mend{MendKind::Needles, 0.1}, Mend{MendKind::Flipped}}) {
            Mesh mesh = soup(seed);
            const std::uint32_t before = mesh.triangleCount();
            ASSERT_TRUE(checkMesh(mesh, "soup"));
            const auto first = mendMesh(mesh, mend);
            ASSERT_TRUE(first) << seed << ' ' << keyOf(mend.kind);
            ASSERT_TRUE(checkMesh(mesh, "soup")) << seed << ' ' << keyOf(mend.kind);
            EXPECT_LE(mesh.triangleCount(), before);
            EXPECT_EQ(mesh.normals.size(), mesh.positions.size());
            Mesh again = mesh;
            const auto second = mendMesh(again, mend);
            ASSERT_TRUE(second);
            // What is closed may bring more within reach, or make other needles.
            if (mend.kind != MendKind::Needles && mend.kind != MendKind::Unwelded) {
                EXPECT_EQ(*second, 0U) << seed << ' ' << keyOf(mend.kind);
            }
        }
}

TEST(Mend, what_a_vertex_carries_goes_with_it) {
    Mesh carrying = shapes::texturedSphere(16, 8);
    carrying.extras.uvs2 = carrying.uvs;
    carrying.extras.morphs.push_back({"lean", std::vector<Vec3f>(carrying.positions.size(), Vec3f(1, 2, 3)), {}});
    carrying.indices[1] = carrying.indices[0];
    mended(carrying, {MendKind::Area});
    EXPECT_EQ(carrying.extras.uvs2.size(), carrying.positions.size());
    EXPECT_EQ(carrying.extras.morphs[0].moves.size(), carrying.positions.size());
    mended(carrying, {MendKind::Unit, 0.01});
    EXPECT_EQ(carrying.extras.morphs[0].moves[0], Vec3f(0.01F, 0.02F, 0.03F)) << "lengths all the same";
    for (std::size_t v = 0; v < carrying.positions.size(); ++v)
        EXPECT_EQ(carrying.extras.uvs2[v], carrying.uvs[v]);
}

} // namespace
} // namespace thicket
