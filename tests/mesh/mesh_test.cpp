#include "mesh/findings.h"
#include "support/shapes.h"

#include <array>
#include <gtest/gtest.h>
#include <limits>
#include <map>
#include <random>

namespace thicket {
namespace {
const Finding* find(const std::vector<Finding>& findings, FindingKind kind) {
    for (const Finding& f : findings)
        if (f.kind == kind)
            return &f;
    return nullptr;
}
} // namespace

TEST(Check, names_the_first_bad_element) {
    Mesh mesh = shapes::sphere(3);
    ASSERT_TRUE(checkMesh(mesh, "a.glb"));
    Mesh bad = mesh;
    bad.positions[7].y() = std::numeric_limits<float>::quiet_NaN();
    EXPECT_EQ(checkMesh(bad, "a.glb").error().text(),
              "a.glb: the position of vertex 7 is not a number; repair the mesh where it was made");
    bad = mesh;
    bad.indices[10] = 100000;
    EXPECT_EQ(checkMesh(bad, "a.glb").error().text(),
              "a.glb: triangle 3 uses vertex 100000, but there are only 92; export the file again");
    bad = mesh;
    bad.indices.clear();
    EXPECT_EQ(checkMesh(bad, "a.glb").error().what, "holds no triangles");
    bad = mesh;
    bad.parts[0].triangleCount -= 1;
    EXPECT_FALSE(checkMesh(bad, "a.glb"));
    bad = mesh;
    bad.uvs.resize(5);
    EXPECT_FALSE(checkMesh(bad, "a.glb"));
}

TEST(Weld, joins_equal_positions_only) {
    const Mesh textured = shapes::texturedSphere(16, 8);
    const Weld points = weldPositions(textured);
    // Poles are one point each, the seam column joins the first.
    EXPECT_EQ(points.pointCount, 2U + 7U * 16U);
    const Weld vertices = weldVertices(textured, std::vector<std::uint32_t>(textured.vertexCount(), 0));
    EXPECT_EQ(vertices.pointCount, textured.vertexCount()) << "UVs differ along the seam and at the poles";
}

TEST(Weld, minus_zero_is_zero) {
    Mesh mesh;
    mesh.positions = {{0, 1, 0}, {-0.0F, 1, -0.0F}};
    EXPECT_EQ(weldPositions(mesh).pointCount, 1U);
}

TEST(Weld, hundreds_of_thousands_at_one_place_are_told_apart_by_what_they_carry) {
    // Compared one with all others, these would take minutes.
    constexpr std::uint32_t kMany = 200'000;
    Mesh mesh;
    mesh.positions.assign(kMany, Vec3f(1, 2, 3));
    const std::vector<std::uint32_t> one(kMany, 0);
    for (std::uint32_t i = 0; i < kMany; ++i)
        mesh.colors.emplace_back(static_cast<float>(i % 1000), static_cast<float>(i / 1000), 0.0F, 1.0F);
    EXPECT_EQ(weldVertices(mesh, one).pointCount, kMany);
    mesh.colors.clear();
    for (std::uint32_t i = 0; i < kMany; ++i)
        mesh.extras.uvs2.emplace_back(static_cast<float>(i % 1000), static_cast<float>(i / 1000));
    EXPECT_EQ(weldVertices(mesh, one).pointCount, kMany);
    mesh.extras.uvs2.clear();
    mesh.extras.morphs.resize(1);
    for (std::uint32_t i = 0; i < kMany; ++i)
        mesh.extras.morphs[0].moves.emplace_back(static_cast<float>(i % 1000), static_cast<float>(i / 1000), 0.0F);
    EXPECT_EQ(weldVertices(mesh, one).pointCount, kMany);
    // What is not a number is one thing too.
    constexpr float kNone = std::numeric_limits<float>::quiet_NaN();
    mesh.extras.morphs.clear();
    mesh.positions.assign(kMany, Vec3f(kNone, 0, kNone));
    mesh.normals.assign(kMany, Vec3f(kNone, kNone, kNone));
    EXPECT_EQ(weldPositions(mesh).pointCount, 1U);
    EXPECT_EQ(weldVertices(mesh, one).pointCount, 1U);
}

TEST(Weld, joined_vertices_leave_every_corner_what_it_has) {
    std::mt19937 random(3);
    const auto upTo = [&random](std::uint32_t n) { return static_cast<std::uint32_t>(random() % n); };
    for (int round = 0; round < 200; ++round) {
        Mesh mesh;
        const std::uint32_t count = 1 + upTo(60);
        std::vector<std::uint32_t> group;
        for (std::uint32_t i = 0; i < count; ++i) {
            mesh.positions.emplace_back(static_cast<float>(upTo(3)), static_cast<float>(upTo(3)), 0.0F);
            mesh.normals.emplace_back(0.0F, 0.0F, upTo(2) == 0 ? 1.0F : -1.0F);
            group.push_back(upTo(2));
        }
        const std::uint32_t corners = 3 * upTo(40);
        for (std::uint32_t c = 0; c < corners; ++c)
            mesh.indices.push_back(upTo(count));
        shapes::onePart(mesh);
        Mesh joined = mesh;
        joinVertices(joined, weldVertices(mesh, group));
        ASSERT_EQ(joined.indices.size(), mesh.indices.size());
        std::map<std::array<float, 4>, std::array<std::int64_t, 2>>
            places; // what a corner has: a vertex for each group
        for (std::size_t c = 0; c < mesh.indices.size(); ++c) {
            const Vec3f& p = joined.positions[joined.indices[c]];
            const Vec3f& n = joined.normals[joined.indices[c]];
            ASSERT_EQ(p, mesh.positions[mesh.indices[c]]);
            ASSERT_EQ(n, mesh.normals[mesh.indices[c]]);
            const auto at = places.try_emplace({p.x(), p.y(), p.z(), n.z()}, std::array<std::int64_t, 2>{-1, -1});
            std::int64_t& known = at.first->second[group[mesh.indices[c]]];
            ASSERT_TRUE(known < 0 || known == joined.indices[c]) << "alike, and two";
            known = joined.indices[c];
        }
        EXPECT_EQ(dropUnusedVertices(joined), 0U);
    }
}

TEST(Unused, vertices_go_and_the_surface_stays) {
    Mesh mesh = shapes::texturedSphere(8, 4);
    const Mesh before = mesh;
    mesh.positions.insert(mesh.positions.begin(), Vec3f(9, 9, 9));
    mesh.normals.insert(mesh.normals.begin(), Vec3f(0, 1, 0));
    mesh.uvs.insert(mesh.uvs.begin(), Vec2f(0, 0));
    for (auto& v : mesh.indices)
        ++v;
    EXPECT_GE(dropUnusedVertices(mesh), 1U);
    ASSERT_EQ(mesh.indices.size(), before.indices.size());
    for (std::size_t c = 0; c < mesh.indices.size(); ++c) {
        EXPECT_EQ(mesh.positions[mesh.indices[c]], before.positions[before.indices[c]]);
        EXPECT_EQ(mesh.uvs[mesh.indices[c]], before.uvs[before.indices[c]]);
    }
}

TEST(Normals, of_a_box_are_hard_and_of_a_sphere_smooth) {
    Mesh box = shapes::box(4, {1, 2, 3});
    makeNormals(box, 0.6);
    for (std::size_t c = 0; c < box.indices.size(); ++c) {
        const Vec3f n = box.normals[box.indices[c]];
        EXPECT_NEAR(n.cwiseAbs().maxCoeff(), 1, 1e-5);
    }
    Mesh ball = shapes::sphere(12);
    makeNormals(ball, 0.6);
    for (std::size_t v = 0; v < ball.positions.size(); ++v)
        EXPECT_GT(ball.normals[v].dot(ball.positions[v].normalized()), 0.995F);
}

TEST(Findings, sound_meshes_have_none_that_are_serious) {
    for (const Finding& f : findMeshProblems(shapes::texturedSphere(32, 16)))
        EXPECT_FALSE(f.serious) << f.text();
}

TEST(Findings, are_counted_and_placed) {
    Mesh mesh = shapes::sphere(6);
    // Two degenerate triangles, one duplicate, and a fin on an edge.
    const auto i = mesh.indices;
    mesh.indices.insert(mesh.indices.end(), {i[0], i[0], i[1]});
    mesh.indices.insert(mesh.indices.end(), {i[3], i[4], i[4]});
    mesh.indices.insert(mesh.indices.end(), {i[30], i[31], i[32]});
    mesh.positions.emplace_back(0, 5, 0);
    mesh.indices.insert(mesh.indices.end(), {i[60], i[61], mesh.vertexCount() - 1});
    shapes::onePart(mesh);
    const auto findings = findMeshProblems(mesh);
    ASSERT_NE(find(findings, FindingKind::DegenerateTriangles), nullptr);
    EXPECT_EQ(find(findings, FindingKind::DegenerateTriangles)->count, 2U);
    ASSERT_NE(find(findings, FindingKind::DuplicateTriangles), nullptr);
    EXPECT_EQ(find(findings, FindingKind::DuplicateTriangles)->count, 1U);
    ASSERT_NE(find(findings, FindingKind::NonManifoldEdges), nullptr);
    EXPECT_GE(find(findings, FindingKind::NonManifoldEdges)->count, 1U);
    EXPECT_NE(find(findings, FindingKind::MissingNormals), nullptr);
}

TEST(Findings, open_borders_are_counted) {
    const auto findings = findMeshProblems(shapes::plateWithHoles(8));
    const Finding* open = find(findings, FindingKind::OpenBorders);
    ASSERT_NE(open, nullptr);
    EXPECT_EQ(open->count, 4U * 8U + 12U);
}

} // namespace thicket
