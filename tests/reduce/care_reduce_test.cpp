// What is painted keeps its triangles, and says how far it is off.

#include "mesh/care.h"
#include "reduce/chain.h"
#include "support/shapes.h"

#include <gtest/gtest.h>

namespace thicket {
namespace {

/// Triangles whose middle lies on the side where x is positive, as a share of all.
double shareOnRight(const Mesh& mesh) {
    std::uint32_t right = 0;
    for (std::size_t c = 0; c < mesh.indices.size(); c += 3) {
        float x = 0;
        for (std::size_t k = 0; k < 3; ++k)
            x += mesh.positions[mesh.indices[c + k]].x();
        right += x > 0 ? 1 : 0;
    }
    return static_cast<double>(right) / mesh.triangleCount();
}

std::vector<float> careOnRight(const Mesh& mesh) {
    std::vector<float> care;
    for (const Vec3f& p : mesh.positions)
        care.push_back(p.x() > 0 ? 1.0F : 0.0F);
    return care;
}

TEST(CareReduce, a_painted_half_keeps_most_of_the_triangles) {
    const Mesh mesh = shapes::sphere(50);
    const std::vector<float> care = careOnRight(mesh);
    ReduceOptions options;
    options.care = care;
    const auto plain = recordCollapses(mesh, {}, {});
    const auto careful = recordCollapses(mesh, options, {});
    ASSERT_TRUE(plain && careful);
    EXPECT_NEAR(shareOnRight(cutRecord(*plain, 3000)), 0.5, 0.05);
    const Mesh level = cutRecord(*careful, 3000);
    EXPECT_GT(shareOnRight(level), 0.85);
    EXPECT_TRUE(shapes::isClosed(level));
}

TEST(CareReduce, a_painted_flat_area_keeps_triangles_too) {
    const Mesh mesh = shapes::box(40, {2, 0.2, 2});
    const std::vector<float> care = careOnRight(mesh);
    ReduceOptions options;
    options.care = care;
    const auto careful = recordCollapses(mesh, options, {});
    ASSERT_TRUE(careful);
    EXPECT_GT(shareOnRight(cutRecord(*careful, mesh.triangleCount() / 3)), 0.8);
    EXPECT_LE(cutRecord(*careful, 0).triangleCount(), 12U) << "in the end all of it may go";
}

TEST(CareReduce, no_care_changes_nothing) {
    const Mesh mesh = shapes::bumpy(24, 3);
    const std::vector<float> none(mesh.positions.size(), 0.0F);
    ReduceOptions options;
    options.care = none;
    EXPECT_EQ(recordCollapses(mesh, options, {})->death, recordCollapses(mesh, {}, {})->death);
}

TEST(CareReduce, vertices_that_two_materials_share_bring_their_care) {
    Mesh mesh = shapes::sphere(40);
    const std::uint32_t half = mesh.triangleCount() / 2;
    mesh.parts = {{0, half, 0}, {half, mesh.triangleCount() - half, 1}};
    const std::vector<float> care = careOnRight(mesh);
    ReduceOptions options;
    options.care = care;
    const auto careful = recordCollapses(mesh, options, {});
    ASSERT_TRUE(careful);
    EXPECT_GT(shareOnRight(cutRecord(*careful, 2000)), 0.75);
}

TEST(CareReduce, the_curve_tells_how_far_painted_areas_are_off) {
    const Mesh mesh = shapes::bumpy(40, 5);
    const std::vector<float> care = careOnRight(mesh);
    ReduceOptions options;
    options.care = care;
    const SurfaceQuery query(mesh);
    const auto record = recordCollapses(mesh, options, {});
    const auto curve = measureCurve(mesh, query, *record, {}, care);
    ASSERT_TRUE(curve);
    ASSERT_EQ(curve->careful.size(), curve->deviation.size());
    double shares = 0;
    for (std::size_t i = 1; i < curve->careful.size(); ++i) {
        EXPECT_LE(curve->careful[i], curve->deviation[i] * 1.000001);
        shares += curve->careful[i] / curve->deviation[i];
    }
    EXPECT_LT(shares / static_cast<double>(curve->careful.size() - 1), 0.55)
        << "painted areas are off by half as much as the rest";
}

} // namespace
} // namespace thicket
