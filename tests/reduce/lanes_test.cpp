// What the collapse does for many edges or triangles at once, against doing it one at a time.

#include "measure/surface_query.h"
#include "reduce/cost_queue.h"
#include "reduce/edge_batch.h"
#include "reduce/fan.h"
#include "reduce/ring.h"

#include <Eigen/Dense>
#include <bit>
#include <cmath>
#include <gtest/gtest.h>
#include <map>
#include <random>

namespace thicket::reduce {
namespace {

Vec3d anyVector(std::mt19937& random) {
    std::normal_distribution<double> normal;
    return {normal(random), normal(random), normal(random)};
}

Quadric anyQuadric(std::mt19937& random, int planes) {
    Quadric q = Quadric::zero();
    for (int i = 0; i < planes; ++i) {
        const Vec3d n = anyVector(random).normalized();
        q.addPlane(n, 0.3 * anyVector(random).x(), 1);
        q.weight += 1;
    }
    return q;
}

TEST(EdgeBatch, every_edge_gets_what_a_plain_solver_finds) {
    std::mt19937 random(11);
    for (int round = 0; round < 200; ++round) {
        EdgeBatch batch;
        const Quadric own = anyQuadric(random, 4);
        const Vec3d from = anyVector(random);
        batch.begin(own, from);
        const std::size_t count = 1 + random() % EdgeBatch::kLanes;
        std::vector<Quadric> other;
        std::vector<Vec3d> to;
        for (std::size_t i = 0; i < count; ++i) {
            other.push_back(anyQuadric(random, 3));
            to.push_back(anyVector(random));
            batch.add(other[i], to[i]);
        }
        weighBatch(batch);
        for (std::size_t i = 0; i < count; ++i) {
            Quadric sum = own;
            sum.add(other[i]);
            Eigen::Matrix3d a;
            a << sum.a[0], sum.a[1], sum.a[2], sum.a[1], sum.a[3], sum.a[4], sum.a[2], sum.a[4], sum.a[5];
            const Vec3d exact = a.fullPivLu().solve(Vec3d(-sum.b));
            const Vec3d middle = (from + to[i]) / 2;
            const Vec3d place = batch.placeOf(i);
            const bool near = (exact - middle).norm() < 1.99 * (to[i] - from).norm();
            const bool far = (exact - middle).norm() > 2.01 * (to[i] - from).norm();
            if (near) {
                EXPECT_NEAR((place - exact).norm(), 0, 1e-6 * (1 + exact.norm()));
            }
            if (far) {
                EXPECT_TRUE(place == middle || place == from || place == to[i]);
                EXPECT_LE(sum.at(place), std::min({sum.at(middle), sum.at(from), sum.at(to[i])}) + 1e-9);
            }
            const double cost = (std::max(sum.at(place), 0.0) + 1e-11 * (to[i] - from).squaredNorm() * sum.weight) /
                                std::sqrt(sum.weight);
            EXPECT_NEAR(batch.cost[i], cost, 1e-9 * (1 + std::abs(cost)));
        }
    }
}

TEST(EdgeBatch, an_edge_costs_the_same_alone_and_among_others) {
    std::mt19937 random(12);
    for (int round = 0; round < 50; ++round) {
        EdgeBatch all{}; // copied before all of it is worked out
        EdgeBatch one;
        const Quadric own = anyQuadric(random, 5);
        const Vec3d from = anyVector(random);
        all.begin(own, from);
        for (std::size_t i = 0; i < EdgeBatch::kLanes; ++i)
            all.add(anyQuadric(random, 4), anyVector(random));
        const auto before = all;
        weighBatch(all);
        for (std::size_t i = 0; i < EdgeBatch::kLanes; ++i) {
            Quadric q = before.quadricOf(i);
            one.begin(Quadric::zero(), from);
            one.add(q, {before.to[0][i], before.to[1][i], before.to[2][i]});
            weighBatch(one);
            EXPECT_EQ(one.placeOf(0), all.placeOf(i));
            EXPECT_EQ(one.cost[0], all.cost[i]);
        }
    }
}

TEST(CostQueue, gives_members_by_cost_and_those_of_like_cost_in_turn) {
    std::mt19937 random(13);
    constexpr std::uint32_t kCount = 300;
    CostQueue queue;
    queue.reset(kCount);
    std::map<std::uint32_t, std::uint32_t> bucket; // the slow one: a member's bucket
    std::map<std::uint32_t, std::uint64_t> since;
    std::uniform_real_distribution<float> exponent(-30, 3);
    for (std::uint64_t step = 0; step < 20'000; ++step) {
        const auto member = static_cast<std::uint32_t>(random() % kCount);
        if (random() % 3 != 0) {
            const auto bits = std::bit_cast<std::uint32_t>(random() % 20 == 0 ? 0.0F : std::exp(exponent(random)));
            queue.put(member, bits);
            bucket[member] = CostQueue::bucketOf(bits);
            since[member] = step;
        } else {
            queue.remove(member);
            bucket.erase(member);
        }
        std::uint32_t expected = kNone;
        for (const auto& [m, b] : bucket)
            if (expected == kNone || b < bucket[expected] || (b == bucket[expected] && since[m] < since[expected]))
                expected = m;
        ASSERT_EQ(queue.first(), expected) << "step " << step;
        ASSERT_EQ(queue.holds(member), bucket.count(member) == 1);
    }
}

TEST(CostQueue, tells_costs_apart_by_three_in_a_hundred_and_takes_any_float) {
    const auto bucketOf = [](float cost) { return CostQueue::bucketOf(std::bit_cast<std::uint32_t>(cost)); };
    EXPECT_LT(bucketOf(1.0F), bucketOf(1.035F));
    EXPECT_LT(bucketOf(0.0F), bucketOf(1e-30F));
    CostQueue queue;
    queue.reset(2);
    queue.put(0, std::bit_cast<std::uint32_t>(HUGE_VALF));
    queue.put(1, std::bit_cast<std::uint32_t>(3.4e38F));
    EXPECT_EQ(queue.first(), 1U);
    queue.remove(1);
    EXPECT_EQ(queue.first(), 0U);
    queue.remove(0);
    EXPECT_EQ(queue.first(), kNone);
}

/// A fan of triangles round (0, 0, 0) in the plane z = 0, counter-clockwise, of this radius.
Ring fan(int corners, double radius) {
    Ring ring;
    const auto at = [&](int i) {
        const double angle = 2 * M_PI * i / corners;
        return Vec3d(radius * std::cos(angle), radius * std::sin(angle), 0);
    };
    for (int i = 0; i < corners; ++i)
        ring.set(ring.count++, 4 * static_cast<std::uint32_t>(i), Vec3d::Zero(), at(i), at(i + 1));
    findCrosses(ring);
    return ring;
}

TEST(Ring, faces_hold_inside_the_fan_and_turn_over_outside) {
    for (const int corners : {3, 6, 7, 13, 63}) {
        Ring ring = fan(corners, 2);
        const double inside = 2 * std::cos(M_PI / corners); // of the fan's inner circle
        EXPECT_TRUE(facesHold(ring, {0.5 * inside, 0, 0})) << corners;
        EXPECT_TRUE(facesHold(ring, {0, 0, 0.4 * inside})) << corners;
        EXPECT_FALSE(facesHold(ring, {2.5, 0, 0})) << corners;
        EXPECT_FALSE(facesHold(ring, {0, 0, 60})) << corners << ": turned by more than 78 degrees";
    }
    Ring one = fan(6, 1);
    EXPECT_FALSE(facesHold(one, {std::cos(M_PI / 6) * 0.999999, std::sin(M_PI / 6) * 0.5, 0}))
        << "a sliver along a side";
}

TEST(Ring, volume_under_a_raised_fan_is_a_pyramids) {
    const Ring ring = fan(8, 1);
    Vec3d crosses;
    const double six = volumeUnder(ring, {0.1, -0.2, 0.7}, crosses);
    const double area = 8 * std::sin(2 * M_PI / 8) / 2;
    EXPECT_NEAR(six / 6, area * 0.7 / 3, 1e-12);
    EXPECT_NEAR((crosses - Vec3d(0, 0, 2 * area)).norm(), 0, 1e-12);
}

TEST(Ring, edges_of_an_even_fan_are_as_long_as_their_mean) {
    Ring ring = fan(10, 3);
    EXPECT_NEAR(longestOverMean(ring, Vec3d::Zero()), 1, 1e-12);
    EXPECT_NEAR(longestOverMean(ring, {3, 0, 0}), 36.0 / 18, 1e-9);
    ring.count = 0;
    EXPECT_EQ(longestOverMean(ring, Vec3d::Zero()), 0);
}

TEST(Ring, distance_to_a_fan_is_that_to_the_nearest_of_its_triangles) {
    std::mt19937 random(5);
    for (const int corners : {3, 4, 6, 7, 13, 63})
        for (int round = 0; round < 40; ++round) {
            const Ring ring = fan(corners, 2);
            const Vec3d place = 0.7 * anyVector(random);
            const Vec3d point = 1.5 * anyVector(random);
            double least = 1e300;
            for (std::size_t i = 0; i < ring.count; ++i) {
                const Vec3d on =
                    closestPointOnTriangle(point, place, Ring::placeIn(ring.x, i), Ring::placeIn(ring.y, i));
                least = std::min(least, (on - point).squaredNorm());
            }
            Fan at;
            makeFan(ring, place, at);
            EXPECT_NEAR(squaredDistance(at, point), least, 1e-12 * (1 + least));
        }
    Ring none = fan(6, 1);
    none.count = 0;
    Fan place;
    makeFan(none, {1, 0, 0}, place);
    EXPECT_DOUBLE_EQ(squaredDistance(place, {1, 2, 0}), 4) << "the place alone";
}

} // namespace
} // namespace thicket::reduce
