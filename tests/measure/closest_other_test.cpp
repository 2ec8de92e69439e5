// The closest point on another piece, against trying every triangle.

#include "measure/surface_query.h"
#include "support/shapes.h"

#include <gtest/gtest.h>
#include <random>

namespace thicket {
namespace {

TEST(ClosestOther, is_what_trying_every_triangle_finds) {
    Mesh mesh;
    std::vector<std::uint32_t> group;
    std::mt19937 random(6);
    std::uniform_real_distribution<double> share(-1, 1);
    constexpr std::uint32_t kGroups = 12;
    for (std::uint32_t g = 0; g < kGroups; ++g) {
        shapes::append(mesh, shapes::sphere(2, 0.2), {share(random), share(random), share(random)});
        group.resize(mesh.triangleCount(), g);
    }
    const SurfaceQuery query(mesh);
    std::vector<std::uint8_t> gone(kGroups, 0);
    gone[3] = gone[7] = 1;
    int none = 0;
    for (int i = 0; i < 300; ++i) {
        const Vec3d point(share(random), share(random), share(random));
        const std::uint32_t own = static_cast<std::uint32_t>(i) % kGroups;
        const double limit = 0.15 + 0.5 * std::abs(share(random));
        double nearest = limit;
        bool found = false;
        for (std::uint32_t t = 0; t < mesh.triangleCount(); ++t)
            if (group[t] != own && gone[group[t]] == 0)
                if (const double d = query.distanceToTriangle(point, t); d < nearest) {
                    nearest = d;
                    found = true;
                }
        const auto hit = query.closestOther(point, limit, group, own, gone);
        ASSERT_EQ(hit.has_value(), found);
        none += found ? 0 : 1;
        if (hit) {
            EXPECT_NEAR(hit->distance, nearest, 1e-6);
            EXPECT_NE(group[hit->triangle], own);
            EXPECT_EQ(gone[group[hit->triangle]], 0);
        }
    }
    EXPECT_GT(none, 5) << "the limit was met";
}

} // namespace
} // namespace thicket
