// How good levels are on surfaces with known curvature, in units of what is possible.

#include "measure/deviation.h"
#include "reduce/chain.h"
#include "support/shapes.h"

#include <array>
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

/// A sphere with spikes as a scan has them: towers of many small steps, hardly wider than a hair, from the middles of
/// some of its triangles.
Mesh spikedSphere(int splits, std::uint32_t spikes, float length) {
    constexpr int kSteps = 24;
    constexpr float kWidth = 0.004F; // of the triangle's
    Mesh mesh = shapes::sphere(splits);
    mesh.normals.clear();
    const std::uint32_t triangles = mesh.triangleCount();
    using Ring = std::array<std::uint32_t, 3>;
    for (std::uint32_t s = 0; s < spikes; ++s) {
        const std::size_t at = 3 * std::size_t{s * (triangles / spikes) + 7};
        const Ring outer{mesh.indices[at], mesh.indices[at + 1], mesh.indices[at + 2]};
        const Vec3f middle = (mesh.positions[outer[0]] + mesh.positions[outer[1]] + mesh.positions[outer[2]]) / 3.0F;
        std::vector<Ring> made;
        Ring ring = outer;
        for (int step = 0; step < kSteps; ++step) {
            const float height = static_cast<float>(step) / kSteps;
            Ring next{};
            for (std::size_t k = 0; k < 3; ++k) {
                next[k] = mesh.vertexCount();
                mesh.positions.push_back((middle + kWidth * (1 - height) * (mesh.positions[outer[k]] - middle)) *
                                         (1 + height * length));
            }
            for (std::size_t k = 0; k < 3; ++k) {
                const std::size_t l = (k + 1) % 3;
                made.push_back({ring[k], ring[l], next[l]});
                made.push_back({ring[k], next[l], next[k]});
            }
            ring = next;
        }
        const std::uint32_t tip = mesh.vertexCount();
        mesh.positions.push_back(middle * (1 + length));
        for (std::size_t k = 0; k < 3; ++k)
            made.push_back({ring[k], ring[(k + 1) % 3], tip});
        std::copy(made.front().begin(), made.front().end(), mesh.indices.begin() + static_cast<std::ptrdiff_t>(at));
        for (std::size_t i = 1; i < made.size(); ++i)
            mesh.indices.insert(mesh.indices.end(), made[i].begin(), made[i].end());
    }
    shapes::onePart(mesh);
    return mesh;
}

TEST(Quality, no_place_is_much_farther_off_than_nearly_all_others) {
    const Mesh mesh = spikedSphere(70, 30, 0.006F);
    ASSERT_TRUE(shapes::isClosed(mesh));
    const SurfaceQuery query(mesh);
    ReduceOptions blind;
    blind.farWeight = 0;
    const auto without = recordCollapses(mesh, blind, {});
    const auto with = recordCollapses(mesh, {}, {});
    ASSERT_TRUE(with && without);
    for (const double share : {0.5, 0.25, 0.1}) {
        const auto count = static_cast<std::uint32_t>(share * mesh.triangleCount());
        const auto d = measureDeviation(mesh, query, cutRecord(*with, count), {}, {});
        const auto before = measureDeviation(mesh, query, cutRecord(*without, count), {}, {});
        EXPECT_LT(d->max(), 10 * d->p99()) << share;
        EXPECT_GT(before->max(), 1.5 * d->max()) << share << ": what it is for";
        EXPECT_LT(d->rms(), 1.1 * before->rms()) << share << ": and it costs next to nothing";
    }
}

} // namespace
} // namespace thicket
