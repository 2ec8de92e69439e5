#include "reduce/measure_surface.h"
#include "support/shapes.h"

#include <algorithm>
#include <array>
#include <chrono>
#include <cmath>
#include <gtest/gtest.h>
#include <stop_token>
#include <thread>

namespace thicket::reduce {
namespace {

TEST(Corners, go_round_their_triangle_and_know_its_places) {
    for (std::uint32_t t = 0; t < 5; ++t)
        for (std::uint32_t k = 0; k < 3; ++k) {
            const std::uint32_t c = 4 * t + k;
            EXPECT_EQ(cornerAfter(c), 4 * t + (k + 1) % 3);
            EXPECT_EQ(cornerBefore(c), 4 * t + (k + 2) % 3);
            EXPECT_EQ(wedgeAt(c), 3 * t + k);
            EXPECT_EQ(sourceAt(c), 4 * t + 3);
        }
}

struct Prepared {
    Surface surface;
    Record record;
};

Prepared prepared(const Mesh& mesh, const ReduceOptions& options = {}) {
    Prepared out;
    EXPECT_TRUE(prepareSurface(mesh, options, {}, out.surface, out.record));
    return out;
}

/// Area of all triangles at each point, and the sum of squared distances of `at` to their planes, by area.
struct ByHand {
    std::vector<double> area;
    std::vector<double> value;
};
ByHand byHand(const Surface& s, const Vec3d& at) {
    ByHand out{std::vector<double>(s.places.size(), 0), std::vector<double>(s.places.size(), 0)};
    for (std::size_t t = 0; t < s.triangles(); ++t) {
        const Vec3d& a = s.places[s.corners[4 * t]];
        const Vec3d cross = (s.places[s.corners[4 * t + 1]] - a).cross(s.places[s.corners[4 * t + 2]] - a);
        const double area = cross.norm() / 2;
        const double distance = (at - a).dot(cross.normalized());
        for (std::size_t k = 0; k < 3; ++k) {
            out.area[s.corners[4 * t + k]] += area;
            out.value[s.corners[4 * t + k]] += area * distance * distance;
        }
    }
    return out;
}

TEST(Measure, every_point_has_all_planes_round_it_once) {
    // Many more points than are measured at a time, so that most stretches share triangles with others.
    const Mesh mesh = shapes::torus(150, 100, 3, 1);
    const Surface s = prepared(mesh).surface;
    ASSERT_EQ(s.places.size(), 15'000U);
    const Vec3d at(0.11, -0.07, 0.23);
    const ByHand expected = byHand(s, at);
    for (std::size_t p = 0; p < s.places.size(); ++p) {
        EXPECT_NEAR(s.quadrics[p].weight, expected.area[p], 1e-12);
        EXPECT_NEAR(s.quadrics[p].at(at), expected.value[p], 1e-4 * expected.value[p] + 1e-12) << "tips hardly count";
        EXPECT_NEAR(s.quadrics[p].at(s.places[p]), 0, 1e-12) << "it lies on its own planes";
        EXPECT_EQ(s.flags[p], 0) << "a closed surface";
    }
}

TEST(Measure, attributes_count_the_same_triangles) {
    const Mesh mesh = shapes::texturedSphere(160, 80);
    Surface s = prepared(mesh).surface;
    ASSERT_EQ(s.attributes, 5);
    ASSERT_GT(s.wedgePoint.size(), s.places.size()) << "a seam";
    std::vector<double> area(s.wedgePoint.size(), 0);
    for (std::uint32_t c = 0; c < s.corners.size(); ++c)
        if (c % 4 != 3)
            area[s.cornerWedge[wedgeAt(c)]] += areaOf(s, c / 4);
    double all = 0;
    for (std::uint32_t w = 0; w < area.size(); ++w) {
        const AttributeSpan span{s.attributesOf(w), s.attributes};
        EXPECT_NEAR(span.weight(), area[w], 1e-12);
        all += area[w];
        if (area[w] == 0)
            continue; // at the poles some stand in triangles without extent alone
        // Where the vertex stands, the values that fit best are near its own.
        const Vec3d& place = s.places[s.wedgePoint[w]];
        const Vec3d normal(span.valueAt(0, place), span.valueAt(1, place), span.valueAt(2, place));
        EXPECT_GT(normal.normalized().dot(s.wedgeNormal[w].cast<double>()), 0.99);
    }
    EXPECT_NEAR(all, 3 * 4 * M_PI * 0.25 / 3, 0.02)
        << "a sphere whose box has a diagonal of 1, counted at three corners";
}

/// Squares of two triangles each in the plane z = 0.
Mesh openPlate(std::uint32_t squares) {
    Mesh mesh;
    const std::uint32_t row = squares + 1;
    for (std::uint32_t i = 0; i < row * row; ++i)
        mesh.positions.emplace_back(static_cast<float>(i % row), static_cast<float>(i / row), 0.0F);
    for (std::uint32_t y = 0; y < squares; ++y)
        for (std::uint32_t x = 0; x < squares; ++x) {
            const std::uint32_t a = y * row + x;
            for (const std::uint32_t v : {a, a + 1, a + row + 1, a, a + row + 1, a + row})
                mesh.indices.push_back(v);
        }
    mesh.parts = {{0, mesh.triangleCount(), 0}};
    return mesh;
}

TEST(Measure, an_open_border_is_found_and_held) {
    const Mesh mesh = openPlate(40);
    const Surface s = prepared(mesh).surface;
    const auto onRim = [&](const Vec3d& p) {
        const Vec3d far = p.cwiseAbs();
        std::array<double, 3> sides{far.x(), far.y(), far.z()};
        std::sort(sides.begin(), sides.end());
        return sides[2] > 0.5 / std::sqrt(2.0) - 1e-9; // half the side of a square whose diagonal is 1
    };
    std::size_t rim = 0;
    for (std::size_t p = 0; p < s.places.size(); ++p) {
        EXPECT_EQ((s.flags[p] & Surface::kBorder) != 0, onRim(s.places[p]));
        rim += onRim(s.places[p]) ? 1 : 0;
        // Inside, moving along the plate costs nothing; at the rim, moving inwards does.
        const double inwards = s.quadrics[p].at(s.places[p] * 0.99);
        if (onRim(s.places[p]))
            EXPECT_GT(inwards, 1e-12);
        else
            EXPECT_NEAR(inwards, 0, 1e-12);
    }
    EXPECT_EQ(rim, 160U);
}

/// A bull's head, as far as this matters: a ball with two bent horns that end in a point each.
Mesh hornedBall(std::vector<Vec3d>& tips) {
    Mesh mesh = shapes::sphere(24);
    for (const double side : {-1.0, 1.0}) {
        constexpr std::uint32_t kRound = 6;
        constexpr std::uint32_t kRings = 10;
        const auto first = static_cast<std::uint32_t>(mesh.positions.size());
        const auto middle = [side](double t) { return Vec3d(side * (0.7 + 0.8 * t), 0.5 + 0.5 * t * t, 0); };
        for (std::uint32_t i = 0; i < kRings; ++i)
            for (std::uint32_t j = 0; j < kRound; ++j) {
                const double t = static_cast<double>(i) / kRings;
                const double angle = 2 * M_PI * j / kRound;
                const double radius = 0.05 * (1 - t);
                mesh.positions.push_back(
                    (middle(t) + Vec3d(0, radius * std::sin(angle), side * radius * std::cos(angle))).cast<float>());
            }
        tips.push_back(middle(1));
        const auto tip = static_cast<std::uint32_t>(mesh.positions.size());
        mesh.positions.push_back(middle(1).cast<float>());
        for (std::uint32_t i = 0; i < kRings; ++i)
            for (std::uint32_t j = 0; j < kRound; ++j) {
                const std::uint32_t a = first + i * kRound + j;
                const std::uint32_t b = first + i * kRound + (j + 1) % kRound;
                if (i + 1 == kRings)
                    mesh.indices.insert(mesh.indices.end(), {a, b, tip});
                else
                    mesh.indices.insert(mesh.indices.end(), {a, b, b + kRound, a, b + kRound, a + kRound});
            }
    }
    mesh.parts = {{0, mesh.triangleCount(), 0}};
    return mesh;
}

TEST(Record, may_be_cancelled_at_any_moment) {
    const Mesh mesh = shapes::texturedSphere(400, 200);
    int cancelled = 0;
    for (int moment = 0; moment < 60; ++moment) {
        std::stop_source stop;
        std::jthread other([&stop, moment] {
            std::this_thread::sleep_for(std::chrono::microseconds(700 * moment));
            stop.request_stop();
        });
        const auto record = recordCollapses(mesh, {}, {stop.get_token(), {}});
        if (!record) {
            EXPECT_EQ(record.error().code, ErrorCode::Cancelled);
            ++cancelled;
        }
    }
    EXPECT_GT(cancelled, 10);
}

TEST(Measure, a_horn_keeps_its_tip) {
    std::vector<Vec3d> tips;
    const Mesh mesh = hornedBall(tips);
    const auto record = recordCollapses(mesh, {}, {});
    ASSERT_TRUE(record);
    for (const double share : {0.5, 0.25, 0.1, 0.05}) {
        const Mesh level = cutRecord(*record, static_cast<std::uint32_t>(share * mesh.triangleCount()));
        for (const Vec3d& tip : tips) {
            double nearest = 1e9;
            for (const Vec3f& p : level.positions)
                nearest = std::min(nearest, (p.cast<double>() - tip).norm());
            EXPECT_LT(nearest, 0.02) << share << " of the triangles, horns of 1";
        }
    }
}

} // namespace
} // namespace thicket::reduce
