#include "measure/deviation.h"
#include "support/shapes.h"

#include <array>
#include <gtest/gtest.h>
#include <random>

namespace thicket {
namespace {

/// The slow, obvious reference: every triangle is tried.
double bruteForce(const Mesh& mesh, const Vec3d& p) {
    double best = 1e300;
    for (std::uint32_t t = 0; t < mesh.triangleCount(); ++t) {
        const Vec3d q = closestPointOnTriangle(p, mesh.positions[mesh.indices[3 * t]].cast<double>(),
                                               mesh.positions[mesh.indices[3 * t + 1]].cast<double>(),
                                               mesh.positions[mesh.indices[3 * t + 2]].cast<double>());
        best = std::min(best, (q - p).norm());
    }
    return best;
}

} // namespace

TEST(ClosestPoint, agrees_with_brute_force) {
    const Mesh mesh = shapes::bumpy(8, 5);
    const SurfaceQuery query(mesh);
    std::mt19937 random(11);
    std::uniform_real_distribution<double> u(-2, 2);
    std::uint32_t hint = 0;
    for (int i = 0; i < 500; ++i) {
        const Vec3d p(u(random), u(random), u(random));
        const double expected = bruteForce(mesh, p);
        EXPECT_NEAR(query.closest(p).distance, expected, 1e-6);
        const ClosestPoint hinted = query.closest(p, hint);
        EXPECT_NEAR(hinted.distance, expected, 1e-6) << "whatever the hint";
        hint = hinted.triangle;
    }
}

TEST(Deviation, of_a_mesh_from_itself_is_nothing) {
    const Mesh mesh = shapes::torus(40, 20, 3, 1);
    const auto d = measureDeviation(mesh, mesh, {}, {});
    ASSERT_TRUE(d);
    EXPECT_LT(d->max(), 1e-6);
    EXPECT_LT(d->rms(), 1e-6);
}

/// A sheet of so many squares each way, cut along one diagonal or the other.
Mesh sheet(int squares, bool otherWay, double shift, double height) {
    Mesh mesh;
    for (int y = 0; y <= squares; ++y)
        for (int x = 0; x <= squares; ++x) {
            const bool edge = x == 0 || y == 0 || x == squares || y == squares;
            mesh.positions.emplace_back(static_cast<float>(x + (edge ? 0 : shift)), static_cast<float>(height),
                                        static_cast<float>(y + (edge ? 0 : shift)));
        }
    const auto at = [squares](int x, int y) { return static_cast<std::uint32_t>(y * (squares + 1) + x); };
    for (int y = 0; y < squares; ++y)
        for (int x = 0; x < squares; ++x) {
            const std::array<std::uint32_t, 4> c{at(x, y), at(x, y + 1), at(x + 1, y + 1), at(x + 1, y)};
            for (const std::size_t k : {std::size_t{0}, std::size_t{2}})
                for (const std::size_t by : {0, 1, 2})
                    mesh.indices.push_back(c[(k + by + (otherWay ? 1 : 0)) % 4]);
        }
    return mesh;
}

TEST(Deviation, of_one_sheet_cut_up_in_two_ways_is_proven_not_only_found) {
    // Nothing is farther than a hundredth of a square, and every triangle of one lies across several of the other.
    const auto d = measureDeviation(sheet(9, false, 0, 0), sheet(9, true, 0.3, 0.01), {}, {});
    ASSERT_TRUE(d);
    EXPECT_NEAR(d->max(), 0.01, 1e-5);
    EXPECT_LE(d->bound(), 0.01051);
}

TEST(Deviation, of_two_parallel_plates_is_their_distance) {
    const Mesh a = shapes::plateWithHoles(2);
    Mesh b = a;
    for (Vec3f& p : b.positions)
        p.y() += 0.25F;
    const auto d = measureDeviation(a, b, {}, {});
    ASSERT_TRUE(d);
    EXPECT_NEAR(d->max(), 0.25, 1e-6);
    EXPECT_NEAR(d->p99(), 0.25, 1e-6);
    EXPECT_NEAR(d->rms(), 0.25, 1e-6);
    EXPECT_GE(d->bound(), d->max());
}

TEST(Deviation, sees_what_only_one_direction_sees) {
    const Mesh plate = shapes::plateWithHoles(2);
    Mesh spiked = plate;
    spiked.positions.emplace_back(1.0F, 3.0F, 1.0F);
    spiked.indices.insert(spiked.indices.end(), {0, 1, spiked.vertexCount() - 1});
    shapes::onePart(spiked);
    const auto d = measureDeviation(plate, spiked, {}, {});
    ASSERT_TRUE(d);
    EXPECT_LT(d->there.max, 1e-6);
    EXPECT_NEAR(d->back.max, 3, 1e-5);
    EXPECT_NEAR(d->max(), 3, 1e-5);
}

TEST(Deviation, of_a_coarse_sphere_matches_the_sagitta) {
    const Mesh fine = shapes::sphere(120);
    const Mesh coarse = shapes::sphere(6);
    // The largest gap is the largest distance of a coarse triangle's plane from the unit sphere: found by brute
    // sampling.
    double deepest = 0;
    for (std::uint32_t t = 0; t < coarse.triangleCount(); ++t)
        for (int i = 0; i <= 60; ++i)
            for (int j = 0; j <= 60 - i; ++j) {
                const Vec3f p = (coarse.positions[coarse.indices[3 * t]] * static_cast<float>(i) +
                                 coarse.positions[coarse.indices[3 * t + 1]] * static_cast<float>(j) +
                                 coarse.positions[coarse.indices[3 * t + 2]] * static_cast<float>(60 - i - j)) /
                                60;
                deepest = std::max(deepest, 1 - static_cast<double>(p.norm()));
            }
    const auto d = measureDeviation(fine, coarse, {}, {});
    ASSERT_TRUE(d);
    EXPECT_NEAR(d->max(), deepest, 0.02 * deepest);
    EXPECT_GE(d->promised(), deepest * 0.999);
    EXPECT_GT(d->p99(), d->rms());
    EXPECT_LE(d->p99(), d->max());
}

TEST(Deviation, promised_covers_an_independent_dense_sampling) {
    std::mt19937 random(3);
    for (unsigned seed = 1; seed <= 3; ++seed) {
        const Mesh fine = shapes::bumpy(30, seed);
        const Mesh coarse = shapes::bumpy(5, seed);
        const auto d = measureDeviation(fine, coarse, {}, {});
        ASSERT_TRUE(d);
        const SurfaceQuery query(fine);
        double found = 0;
        std::uniform_real_distribution<float> u(0, 1);
        for (std::uint32_t t = 0; t < coarse.triangleCount(); ++t)
            for (int i = 0; i < 400; ++i) {
                float a = u(random);
                float b = u(random);
                if (a + b > 1) {
                    a = 1 - a;
                    b = 1 - b;
                }
                const Vec3f p = coarse.positions[coarse.indices[3 * t]] * (1 - a - b) +
                                coarse.positions[coarse.indices[3 * t + 1]] * a +
                                coarse.positions[coarse.indices[3 * t + 2]] * b;
                found = std::max(found, query.closest(p.cast<double>()).distance);
            }
        EXPECT_LE(found, d->promised()) << "seed " << seed;
        EXPECT_GE(found, 0.9 * d->back.max) << "seed " << seed;
    }
}

TEST(Deviation, far_from_the_origin_keeps_its_precision) {
    Mesh a = shapes::sphere(10);
    for (Vec3f& p : a.positions)
        p += Vec3f(100000, 0, -50000);
    EXPECT_LT(measureDeviation(a, a, {}, {})->max(), 1e-6);
}

TEST(Deviation, can_be_cancelled) {
    const Mesh mesh = shapes::sphere(30);
    std::stop_source stop;
    stop.request_stop();
    const auto d = measureDeviation(mesh, mesh, {}, {stop.get_token(), {}, 0, 1});
    ASSERT_FALSE(d);
    EXPECT_EQ(d.error().code, ErrorCode::Cancelled);
}

} // namespace thicket
