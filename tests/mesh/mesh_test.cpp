#include "mesh/findings.h"
#include "support/shapes.h"

#include <gtest/gtest.h>
#include <limits>

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
    const Finding* duplicate = find(findings, FindingKind::DuplicateTriangles);
    EXPECT_NEAR(duplicate->place.norm(), 1, 0.1) << "the place lies on the sphere";
}

TEST(Findings, open_borders_are_counted) {
    const auto findings = findMeshProblems(shapes::plateWithHoles(8));
    const Finding* open = find(findings, FindingKind::OpenBorders);
    ASSERT_NE(open, nullptr);
    EXPECT_EQ(open->count, 4U * 8U + 12U);
}

} // namespace thicket
