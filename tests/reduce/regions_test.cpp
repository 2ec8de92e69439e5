// The order of places along the curve, and regions cut from it.

#include "reduce/edge_batch.h"
#include "reduce/surface.h"
#include "support/shapes.h"

#include <algorithm>
#include <gtest/gtest.h>
#include <numeric>
#include <random>
#include <set>

namespace thicket::reduce {
namespace {

Surface prepared(const Mesh& mesh, Record& record) {
    Surface surface;
    EXPECT_TRUE(prepareSurface(mesh, {}, {}, surface, record));
    return surface;
}

/// Each triangle by the number it has in the record, with the places of its corners: the surface whatever its order.
std::vector<std::array<double, 10>> contents(const Surface& s) {
    std::vector<std::array<double, 10>> out;
    for (std::size_t t = 0; t < s.triangles(); ++t) {
        std::array<double, 10> one{static_cast<double>(s.corners[4 * t + 3])};
        for (std::size_t k = 0; k < 3; ++k)
            for (int i = 0; i < 3; ++i)
                one[1 + 3 * k + static_cast<std::size_t>(i)] = s.places[s.corners[4 * t + k]][i];
        out.push_back(one);
    }
    std::sort(out.begin(), out.end());
    return out;
}

TEST(Curve, orders_every_place_once_and_neighbours_together) {
    std::mt19937 random(4);
    std::uniform_real_distribution<double> share(-0.5, 0.5);
    BigVector<Vec3d> places;
    for (int i = 0; i < 4000; ++i)
        places.emplace_back(share(random), share(random), share(random));
    for (unsigned turn = 0; turn < 4; ++turn) {
        const BigVector<std::uint32_t> curve = curveOrder(places, turn);
        std::vector<std::uint32_t> order(curve.begin(), curve.end());
        double along = 0;
        for (std::size_t i = 1; i < order.size(); ++i)
            along += (places[order[i]] - places[order[i - 1]]).norm();
        EXPECT_LT(along / 4000, 0.15) << "random places are 0.66 apart";
        std::sort(order.begin(), order.end());
        std::vector<std::uint32_t> all(places.size());
        std::iota(all.begin(), all.end(), 0U);
        EXPECT_EQ(order, all);
    }
}

TEST(Regions, hold_every_point_once_and_lock_what_reaches_out) {
    const Mesh mesh = shapes::texturedSphere(120, 60);
    Record record;
    Surface s = prepared(mesh, record);
    const auto before = contents(s);
    for (unsigned turn = 0; turn < 3; ++turn) {
        const std::vector<Region> regions = arrange(s, turn, 500);
        ASSERT_GT(regions.size(), 5U);
        std::uint32_t point = 0;
        std::uint32_t triangle = 0;
        for (const Region& r : regions) {
            EXPECT_EQ(r.firstPoint, point);
            EXPECT_EQ(r.firstTriangle, triangle);
            point += r.points;
            triangle += r.triangles;
            for (std::size_t t = r.firstTriangle; t < std::size_t{r.firstTriangle} + r.triangles; ++t)
                for (std::size_t k = 0; k < 3; ++k) {
                    EXPECT_LT(s.corners[4 * t + k], r.points);
                    EXPECT_EQ(s.wedgePoint[r.firstWedge + s.cornerWedge[3 * t + k]],
                              r.firstPoint + s.corners[4 * t + k])
                        << "a wedge belongs to its point";
                }
        }
        EXPECT_EQ(point, s.places.size());
        // Those that reach out stand last, with numbers of the whole, and their points are locked; no others are.
        std::set<std::uint32_t> reaching;
        for (std::size_t t = triangle; t < s.triangles(); ++t)
            for (std::size_t k = 0; k < 3; ++k)
                reaching.insert(s.corners[4 * t + k]);
        EXPECT_FALSE(reaching.empty());
        for (std::uint32_t p = 0; p < s.places.size(); ++p)
            EXPECT_EQ((s.flags[p] & Surface::kLocked) != 0, reaching.contains(p));
        EXPECT_TRUE(std::is_sorted(s.wedgePoint.begin(), s.wedgePoint.end()));
        release(s, regions);
        EXPECT_EQ(contents(s), before) << "turn " << turn;
    }
}

/// The place an edge goes to that has this quadric and its middle here.
Vec3d bestPlace(const Quadric& q, const Vec3d& middle) {
    const Vec3d far(40, -70, 30);
    EdgeBatch batch;
    batch.begin(Quadric::zero(), middle - far);
    batch.add(q, middle + far);
    weighBatch(batch);
    return batch.placeOf(0);
}

TEST(Quadric, its_best_place_is_no_worse_than_any_nearby) {
    std::mt19937 random(9);
    std::normal_distribution<double> normal;
    for (int round = 0; round < 60; ++round) {
        Quadric q = Quadric::zero();
        const Vec3d common(normal(random), normal(random), normal(random));
        const int planes = 3 + round % 5;
        for (int i = 0; i < planes; ++i) {
            const Vec3d n = Vec3d(normal(random), normal(random), normal(random)).normalized();
            q.addPlane(n, -n.dot(common) + 0.1 * normal(random), 0.2 + std::abs(normal(random)));
        }
        const Vec3d best = bestPlace(q, common);
        const double least = q.at(best);
        EXPECT_GE(least, -1e-9);
        for (int i = 0; i < 200; ++i) {
            const Vec3d other = best + 0.05 * Vec3d(normal(random), normal(random), normal(random));
            EXPECT_GE(q.at(other), least - 1e-6);
        }
    }
}

TEST(Quadric, stays_close_where_the_surface_leaves_it_free) {
    // All of one plane: any place on it is as good; the one nearest to what was asked for is taken.
    Quadric q = Quadric::zero();
    const Vec3d n = Vec3d(1, 2, -1).normalized();
    for (int i = 0; i < 5; ++i)
        q.addPlane(n, -0.3, 1);
    const Vec3d near(0.4, -0.2, 0.7);
    const Vec3d best = bestPlace(q, near);
    EXPECT_NEAR(n.dot(best), 0.3, 1e-9);
    EXPECT_NEAR((best - (near + (0.3 - n.dot(near)) * n)).norm(), 0, 1e-5);
}

TEST(Quadric, a_sum_is_the_quadric_of_both) {
    Quadric a = Quadric::zero();
    Quadric b = Quadric::zero();
    a.addPlane(Vec3d(1, 0, 0), -1, 2);
    b.addPlane(Vec3d(0, 1, 0), -2, 3);
    a.weight = 2;
    b.weight = 3;
    const Vec3d at(4, 5, 6);
    const double sum = a.at(at) + b.at(at);
    a.add(b);
    EXPECT_NEAR(a.at(at), sum, 1e-12);
    EXPECT_EQ(a.weight, 5);
    EXPECT_NEAR(sum, 2 * 9 + 3 * 9, 1e-12);
}

} // namespace
} // namespace thicket::reduce
