// How good levels are on surfaces with known curvature, in units of what is possible.

#include "measure/deviation.h"
#include "reduce/chain.h"
#include "support/shapes.h"

#include <cmath>
#include <gtest/gtest.h>
#include <numbers>

namespace thicket {
namespace {

/// The least deviation that N triangles can have where triangles are small: integral of sqrt|K| over the surface, by
/// 3 sqrt(3) N. For a unit sphere that is 4 pi / (3 sqrt(3) N).
double optimum(double integral, std::uint32_t triangles) {
    return integral / (3 * std::sqrt(3.0) * triangles);
}

double ratioAt(const Mesh& source, const Record& record, std::uint32_t count, double integral) {
    const Mesh level = *cutAndPolish(source, SurfaceQuery(source), record, count, {});
    EXPECT_TRUE(shapes::isClosed(level));
    DeviationOptions options;
    options.samples = 20'000;
    const auto deviation = measureDeviation(source, level, options, {});
    EXPECT_TRUE(deviation);
    return deviation->max() / optimum(integral, level.triangleCount());
}

TEST(Quality, ellipsoid_is_within_its_stated_figure) {
    const Vec3d half(1, 0.7, 0.45);
    Mesh mesh = shapes::sphere(120);
    for (Vec3f& p : mesh.positions)
        p = p.cwiseProduct(half.cast<float>());
    // K = 1 / (abc)^2 / (x^2/a^4 + y^2/b^4 + z^2/c^4)^2, summed over the dense mesh.
    double integral = 0;
    for (std::size_t c = 0; c < mesh.indices.size(); c += 3) {
        const Vec3d a = mesh.positions[mesh.indices[c]].cast<double>();
        const Vec3d b = mesh.positions[mesh.indices[c + 1]].cast<double>();
        const Vec3d d = mesh.positions[mesh.indices[c + 2]].cast<double>();
        const Vec3d m = (a + b + d) / 3;
        const double sum = (m.array().square() / half.array().pow(4)).sum();
        integral += (b - a).cross(d - a).norm() / 2 / (half.prod() * sum);
    }
    const auto record = recordCollapses(mesh, {}, {});
    ASSERT_TRUE(record);
    for (const std::uint32_t count : {4000U, 1000U}) {
        const double ratio = ratioAt(mesh, *record, count, integral);
        ::testing::Test::RecordProperty("ratio at " + std::to_string(count), std::to_string(ratio));
        EXPECT_LT(ratio, 2.2) << count;
    }
}

TEST(Quality, torus_is_within_its_stated_figure) {
    const double major = 1;
    const double minor = 0.4;
    const Mesh mesh = shapes::torus(500, 200, major, minor);
    // |K| = |cos t| / (r (R + r cos t)), dA = r (R + r cos t) dt du.
    double integral = 0;
    const int steps = 20'000;
    for (int i = 0; i < steps; ++i) {
        const double t = 2 * std::numbers::pi * (i + 0.5) / steps;
        integral += std::sqrt(std::abs(std::cos(t)) * minor * (major + minor * std::cos(t))) * 2 * std::numbers::pi /
                    steps * 2 * std::numbers::pi;
    }
    const auto record = recordCollapses(mesh, {}, {});
    ASSERT_TRUE(record);
    for (const std::uint32_t count : {4000U, 1000U}) {
        const double ratio = ratioAt(mesh, *record, count, integral);
        ::testing::Test::RecordProperty("ratio at " + std::to_string(count), std::to_string(ratio));
        EXPECT_LT(ratio, 2.6) << count;
    }
}

} // namespace
} // namespace thicket
