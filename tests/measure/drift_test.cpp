// Texture and normal drift, on surfaces where both are known.

#include "measure/drift.h"
#include "support/shapes.h"

#include <gtest/gtest.h>
#include <numbers>

namespace thicket {
namespace {

/// A flat square of 2 m with its texture once over it, as n x n squares; `shift` moves the texture along u.
Mesh square(int n, float shift, float tilt = 0) {
    Mesh mesh;
    for (int j = 0; j <= n; ++j)
        for (int i = 0; i <= n; ++i) {
            const float x = static_cast<float>(i) / static_cast<float>(n);
            const float y = static_cast<float>(j) / static_cast<float>(n);
            mesh.positions.emplace_back(2 * x, 0, 2 * y);
            mesh.uvs.emplace_back(x + shift, y);
            mesh.normals.emplace_back(std::sin(tilt), std::cos(tilt), 0);
        }
    const auto at = [n](int i, int j) { return static_cast<std::uint32_t>(j * (n + 1) + i); };
    for (int j = 0; j < n; ++j)
        for (int i = 0; i < n; ++i)
            for (const std::uint32_t v :
                 {at(i, j), at(i, j + 1), at(i + 1, j), at(i + 1, j), at(i, j + 1), at(i + 1, j + 1)})
                mesh.indices.push_back(v);
    shapes::onePart(mesh);
    return mesh;
}

TEST(Drift, is_nothing_for_the_same_surface_cut_otherwise) {
    const Mesh reference = square(40, 0);
    const SurfaceQuery query(reference);
    const auto drift = measureDrift(reference, query, square(3, 0), {}, {});
    ASSERT_TRUE(drift);
    EXPECT_LT(drift->textureMetres->max, 1e-5);
    EXPECT_LT(drift->normalDegrees->max, 0.05);
    EXPECT_FALSE(drift->textureTexels) << "there is no picture";
}

TEST(Drift, is_the_way_that_a_texture_was_shifted) {
    const Mesh reference = square(40, 0);
    const SurfaceQuery query(reference);
    const int texels[] = {512};
    DriftOptions options;
    options.texelsAcross = texels;
    const auto drift = measureDrift(reference, query, square(5, 0.01F, 0.1F), options, {});
    ASSERT_TRUE(drift);
    // A hundredth of the texture is 2 cm and 5.12 texels. The hundredth at the far edge shows what is nowhere in the
    // reference: there the search's reach counts, a twentieth of the diagonal.
    const double reach = 0.05 * std::sqrt(8.0);
    const double expected = std::sqrt(0.99 * 0.02 * 0.02 + 0.01 * reach * reach);
    EXPECT_NEAR(drift->textureMetres->rms, expected, 0.001);
    EXPECT_GT(drift->textureMetres->p99, 0.0199);
    EXPECT_NEAR(drift->textureTexels->rms, expected * 256, 0.3);
    EXPECT_NEAR(drift->normalDegrees->rms, 0.1 * 180 / std::numbers::pi, 0.01);
}

TEST(Drift, does_not_see_a_seam_or_a_hard_edge_as_drift) {
    const Mesh reference = shapes::texturedSphere(200, 100);
    const SurfaceQuery query(reference);
    const auto same = measureDrift(reference, query, reference, {}, {});
    ASSERT_TRUE(same);
    EXPECT_LT(same->textureMetres->max, 2e-3);
    EXPECT_LT(same->normalDegrees->max, 0.1);
    Mesh box = shapes::box(6, {1, 1, 1});
    makeNormals(box, 0.5);
    const auto hard = measureDrift(box, SurfaceQuery(box), box, {}, {});
    EXPECT_LT(hard->normalDegrees->max, 0.1);
}

TEST(Drift, of_what_carries_nothing_is_not_made_up) {
    const Mesh sphere = shapes::sphere(5);
    const auto drift = measureDrift(sphere, SurfaceQuery(sphere), sphere, {}, {});
    ASSERT_TRUE(drift);
    EXPECT_FALSE(drift->textureMetres);
    EXPECT_FALSE(drift->normalDegrees);
    std::stop_source stop;
    stop.request_stop();
    const Mesh textured = shapes::texturedSphere(20, 10);
    EXPECT_FALSE(measureDrift(textured, SurfaceQuery(textured), textured, {}, {stop.get_token(), {}}));
}

} // namespace
} // namespace thicket
