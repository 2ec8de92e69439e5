// Symmetric meshes give levels that are their own mirror image.

#include "measure/deviation.h"
#include "reduce/mirror.h"
#include "support/shapes.h"
#include "support/sound.h"

#include <gtest/gtest.h>
#include <set>
#include <tuple>

namespace thicket {
namespace {

using Key = std::tuple<float, float, float>;

/// Bumps that are the same on both sides of x = 0, on a mesh whose triangles are not.
Mesh symmetricBumps(int splits) {
    Mesh mesh = shapes::sphere(splits);
    const Eigen::Matrix3f turn = Eigen::AngleAxisf(0.37F, Vec3f(0.2F, 1, 0.4F).normalized()).toRotationMatrix();
    for (Vec3f& p : mesh.positions) {
        p = turn * p;
        const float x = std::abs(p.x());
        p *= 1 + 0.1F * std::sin(7 * x) * std::cos(5 * p.y() + 1) + 0.05F * std::sin(9 * p.z());
    }
    // A place at the far end of each side, so that the middle of the box is the plane.
    return mesh;
}

void expectSymmetric(const Mesh& mesh, const MirrorPlane& plane) {
    std::multiset<Key> places;
    const auto key = [](const Vec3f& p) { return Key(p.x(), p.y(), p.z()); };
    for (const Vec3f& p : mesh.positions)
        places.insert(key(p));
    for (Vec3f p : mesh.positions) {
        p[plane.axis] = static_cast<float>(2 * plane.at - static_cast<double>(p[plane.axis]));
        EXPECT_TRUE(places.contains(key(p))) << p.transpose();
    }
}

TEST(Mirror, a_symmetric_surface_is_found_and_its_levels_are_symmetric_closed_and_as_good) {
    Mesh mesh = symmetricBumps(40);
    // The widest places of both sides, so that the box's middle is the plane whatever the triangles are.
    const Bounds bounds = boundsOf(mesh);
    const SurfaceQuery query(mesh);
    const MirrorPlane plane{0, 0};
    const auto record = recordMirrored(mesh, query, plane, {}, {});
    ASSERT_TRUE(record) << record.error().text();
    const auto free = recordCollapses(mesh, {}, {});
    for (const std::uint32_t count : {20'000U, 4000U, 600U, 60U}) {
        const Mesh level = cutRecord(*record, count);
        EXPECT_LE(level.triangleCount(), count);
        EXPECT_GE(level.triangleCount(), count * 9 / 10);
        shapes::expectSound(level);
        EXPECT_TRUE(shapes::isClosed(level)) << count;
        expectSymmetric(level, plane);
        if (count == 4000U || count == 600U) {
            const auto own = measureDeviation(mesh, query, level, {}, {});
            const auto other = measureDeviation(mesh, query, cutRecord(*free, count), {}, {});
            EXPECT_LT(own->max(), 1.6 * other->max() + 1e-4 * bounds.diagonal()) << count;
        }
    }
}

TEST(Mirror, is_found_where_there_is_one) {
    const auto planeOf = [](const Mesh& mesh) { return findMirror(mesh, SurfaceQuery(mesh), {}); };
    const auto box = planeOf(shapes::box(4, {1, 2, 3}));
    ASSERT_TRUE(box);
    EXPECT_EQ(box->axis, 0);
    EXPECT_FALSE(planeOf(shapes::bumpy(12, 3)));
    Mesh high = shapes::torus(40, 16, 1, 0.3);
    for (Vec3f& p : high.positions) {
        p.y() += p.x() > 0.2F ? 0.3F * (p.x() - 0.2F) : 0; // bent on one side of X: only Z is left
        p.x() += 5;
    }
    const auto found = planeOf(high);
    ASSERT_TRUE(found);
    EXPECT_EQ(found->axis, 2);
}

TEST(Mirror, textures_of_both_sides_stay_their_own) {
    // The texture runs on over the plane: u from 0 on one side to 1 on the other.
    Mesh mesh = shapes::box(24, {2, 1, 1});
    for (const Vec3f& p : mesh.positions)
        mesh.uvs.emplace_back(0.5F + 0.25F * p.x(), 0.5F + 0.3F * p.y() + 0.1F * p.z());
    const SurfaceQuery query(mesh);
    const auto plane = findMirror(mesh, query, {});
    ASSERT_TRUE(plane);
    const auto record = recordMirrored(mesh, query, *plane, {}, {});
    ASSERT_TRUE(record) << record.error().text();
    for (const std::uint32_t count : {2000U, 200U, 40U}) {
        const Mesh level = cutRecord(*record, count);
        EXPECT_TRUE(shapes::isClosed(level));
        for (std::uint32_t v = 0; v < level.vertexCount(); ++v) {
            EXPECT_NEAR(level.uvs[v].x(), 0.5F + 0.25F * level.positions[v].x(), 2e-3);
            EXPECT_NEAR(level.uvs[v].y(), 0.5F + 0.3F * level.positions[v].y() + 0.1F * level.positions[v].z(), 2e-3);
        }
    }
}

TEST(Mirror, joints_of_both_sides_stay_their_own) {
    Mesh mesh = shapes::sphere(20);
    for (const Vec3f& p : mesh.positions) {
        const float right = std::clamp(0.5F + 2 * p.x(), 0.0F, 1.0F);
        mesh.extras.joints.push_back({1, 2, 0, 0});
        mesh.extras.weights.emplace_back(right, 1 - right, 0, 0);
    }
    const SurfaceQuery query(mesh);
    const auto record = recordMirrored(mesh, query, {0, 0}, {}, {});
    ASSERT_TRUE(record) << record.error().text();
    const Mesh level = cutRecord(*record, 500);
    ASSERT_EQ(level.extras.joints.size(), level.positions.size());
    for (std::uint32_t v = 0; v < level.vertexCount(); ++v) {
        float right = 0;
        for (int k = 0; k < 4; ++k)
            if (level.extras.joints[v][static_cast<std::size_t>(k)] == 1)
                right += level.extras.weights[v][k];
        EXPECT_NEAR(right, std::clamp(0.5F + 2 * level.positions[v].x(), 0.0F, 1.0F), 0.15);
    }
}

TEST(Mirror, what_cannot_be_kept_symmetric_is_refused) {
    Mesh mesh = shapes::sphere(6);
    mesh.extras.uvs2.assign(mesh.positions.size(), Vec2f(0, 0));
    EXPECT_FALSE(recordMirrored(mesh, SurfaceQuery(mesh), {0, 0}, {}, {}));
    mesh.extras.uvs2.clear();
    for (const Vec3f& p : mesh.positions)
        mesh.colors.emplace_back(p.x() > 0 ? 1.0F : 0.0F, 0, 0, 1);
    const auto refused = recordMirrored(mesh, SurfaceQuery(mesh), {0, 0}, {}, {});
    ASSERT_FALSE(refused);
    EXPECT_NE(refused.error().text().find("colours"), std::string::npos);
}

} // namespace
} // namespace thicket
