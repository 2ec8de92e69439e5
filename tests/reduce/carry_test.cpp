// What vertices carry along survives every cut.

#include "reduce/record.h"
#include "support/shapes.h"

#include <gtest/gtest.h>

namespace thicket {
namespace {

/// A sphere whose extras are linear or known functions of the place.
Mesh laden(int splits) {
    Mesh mesh = shapes::sphere(splits);
    VertexExtras& e = mesh.extras;
    e.morphs.resize(1);
    e.morphs[0].name = "wide";
    for (const Vec3f& p : mesh.positions) {
        e.uvs2.emplace_back(0.5F + 0.25F * p.x(), 0.5F + 0.25F * p.y());
        const Vec3f along = Vec3f(-p.z(), 0.001F, p.x()).normalized();
        e.tangents.emplace_back(along.x(), along.y(), along.z(), 1);
        const float upper = std::clamp(0.5F + p.y(), 0.0F, 1.0F);
        e.joints.push_back({3, 7, 0, 0});
        e.weights.emplace_back(upper, 1 - upper, 0, 0);
        e.morphs[0].moves.emplace_back(0.3F * p.x(), 0, 0);
    }
    return mesh;
}

TEST(Carry, every_extra_survives_every_cut_and_stays_what_it_means) {
    const Mesh mesh = laden(40);
    const auto record = recordCollapses(mesh, {}, {});
    ASSERT_TRUE(record);
    for (const std::uint32_t count : {20'000U, 3000U, 400U}) {
        const Mesh level = cutRecord(*record, count);
        ASSERT_TRUE(checkMesh(level, "level"));
        const VertexExtras& e = level.extras;
        ASSERT_EQ(e.morphs.size(), 1U);
        EXPECT_EQ(e.morphs[0].name, "wide");
        const std::size_t n = level.positions.size();
        ASSERT_EQ(e.uvs2.size(), n);
        ASSERT_EQ(e.tangents.size(), n);
        ASSERT_EQ(e.joints.size(), n);
        ASSERT_EQ(e.weights.size(), n);
        ASSERT_EQ(e.morphs[0].moves.size(), n);
        const double off = count > 1000 ? 0.03 : 0.12;
        for (std::size_t v = 0; v < n; ++v) {
            const Vec3f& p = level.positions[v];
            EXPECT_NEAR(e.uvs2[v].x(), 0.5F + 0.25F * p.x(), off);
            EXPECT_NEAR(e.uvs2[v].y(), 0.5F + 0.25F * p.y(), off);
            EXPECT_NEAR(e.tangents[v].head<3>().norm(), 1, 1e-4);
            EXPECT_NEAR(e.weights[v].sum(), 1, 1e-5);
            EXPECT_NEAR(e.morphs[0].moves[v].x(), 0.3F * p.x(), off);
            double upper = 0;
            for (int k = 0; k < 4; ++k)
                if (e.joints[v][static_cast<std::size_t>(k)] == 3)
                    upper += static_cast<double>(e.weights[v][k]);
            EXPECT_NEAR(upper, std::clamp(0.5 + static_cast<double>(p.y()), 0.0, 1.0), 2 * off);
        }
    }
}

TEST(Carry, no_more_than_four_joints_stay_and_they_sum_to_one) {
    VertexExtras e;
    e.joints = {{1, 2, 3, 4}, {5, 6, 2, 1}};
    e.weights = {Vec4f(0.4F, 0.3F, 0.2F, 0.1F), Vec4f(0.4F, 0.3F, 0.2F, 0.1F)};
    const std::uint32_t both[] = {0, 1};
    const double shares[] = {0.5, 0.5};
    e.addMean(e, both, shares, 2);
    ASSERT_EQ(e.joints.size(), 3U);
    EXPECT_NEAR(e.weights[2].sum(), 1, 1e-6);
    for (int k = 1; k < 4; ++k)
        EXPECT_LE(e.weights[2][k], e.weights[2][k - 1]) << "the largest come first";
    EXPECT_TRUE(std::find(e.joints[2].begin(), e.joints[2].end(), 4) == e.joints[2].end()) << "the weakest went";
}

TEST(Carry, a_seam_of_the_second_uvs_does_not_tear) {
    Mesh mesh = shapes::box(12, {1, 1, 1});
    // Two charts that meet at x = 0: vertices there are doubled, as exporters do it.
    const std::size_t before = mesh.positions.size();
    std::vector<std::uint32_t> other(before);
    for (std::uint32_t v = 0; v < before; ++v) {
        mesh.extras.uvs2.emplace_back(0.2F * mesh.positions[v].x(), mesh.positions[v].y());
        other[v] = v;
    }
    for (std::uint32_t v = 0; v < before; ++v)
        if (std::abs(mesh.positions[v].x()) < 1e-6F) {
            other[v] = mesh.vertexCount();
            mesh.positions.push_back(Vec3f(mesh.positions[v]));
            mesh.extras.uvs2.emplace_back(10 + 0.2F * mesh.positions[v].x(), mesh.positions[v].y());
        } else if (mesh.positions[v].x() > 0) {
            mesh.extras.uvs2[v].x() += 10;
        }
    for (std::size_t c = 0; c < mesh.indices.size(); c += 3) {
        bool right = false;
        for (std::size_t k = 0; k < 3; ++k)
            right |= mesh.positions[mesh.indices[c + k]].x() > 1e-6F;
        for (std::size_t k = 0; k < 3 && right; ++k)
            mesh.indices[c + k] = other[mesh.indices[c + k]];
    }
    const auto record = recordCollapses(mesh, {}, {});
    ASSERT_TRUE(record);
    const Mesh level = cutRecord(*record, mesh.triangleCount() / 6);
    EXPECT_TRUE(shapes::isClosed(level));
    for (std::size_t c = 0; c < level.indices.size(); c += 3) {
        const float u = level.extras.uvs2[level.indices[c]].x();
        for (std::size_t k = 1; k < 3; ++k)
            EXPECT_LT(std::abs(level.extras.uvs2[level.indices[c + k]].x() - u), 5) << "a triangle spans two charts";
    }
}

TEST(Carry, what_moves_with_other_joints_keeps_its_triangles) {
    // A straight rod whose middle bends: flat in rest, so that only the joints tell the middle apart.
    const auto withJoints = [](float low, float high) {
        Mesh mesh = shapes::rod(4, 0.3, 80, 24);
        for (const Vec3f& p : mesh.positions) {
            const float bend = std::clamp((p.x() - low) / (high - low), 0.0F, 1.0F);
            mesh.extras.joints.push_back({0, 1, 0, 0});
            // A smooth, not a linear, course: linear ones cost nothing.
            const float smooth = bend * bend * (3 - 2 * bend);
            mesh.extras.weights.emplace_back(1 - smooth, smooth, 0, 0);
        }
        return mesh;
    };
    const auto inMiddle = [](const Mesh& mesh) {
        std::uint32_t count = 0;
        for (const Vec3f& p : mesh.positions)
            count += std::abs(p.x()) < 0.45F ? 1 : 0;
        return count;
    };
    const Mesh bending = withJoints(-0.4F, 0.4F);
    Mesh stiff = bending;
    stiff.extras = {};
    const auto a = recordCollapses(bending, {}, {});
    const auto b = recordCollapses(stiff, {}, {});
    ASSERT_TRUE(a && b);
    EXPECT_GT(inMiddle(cutRecord(*a, 400)), 2 * inMiddle(cutRecord(*b, 400)));
}

} // namespace
} // namespace thicket
