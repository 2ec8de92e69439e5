// Closest points, neighbours and rays against looking at every triangle; places spread over a surface.

#include "measure/stratified.h"
#include "measure/surface_query.h"
#include "measure/surface_rays.h"
#include "support/shapes.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <gtest/gtest.h>
#include <random>

namespace thicket {
namespace {

Vec3d corner(const Mesh& mesh, std::uint32_t triangle, std::uint32_t k) {
    return mesh.positions[mesh.indices[3 * triangle + k]].cast<double>();
}

double distanceTo(const Mesh& mesh, const Vec3d& p, std::uint32_t t) {
    return (closestPointOnTriangle(p, corner(mesh, t, 0), corner(mesh, t, 1), corner(mesh, t, 2)) - p).norm();
}

std::vector<Mesh> someMeshes() {
    Mesh loose = shapes::plateWithHoles(9);
    shapes::append(loose, shapes::rod(5, 0.02, 9, 5), {0, 2, 0});
    return {shapes::bumpy(7, 3), shapes::box(3, {1, 20, 0.001}), loose};
}

} // namespace

TEST(SurfaceQuery, closest_points_are_those_of_looking_at_every_triangle) {
    std::mt19937 random(3);
    for (const Mesh& mesh : someMeshes()) {
        const SurfaceQuery query(mesh);
        const Bounds bounds = boundsOf(mesh);
        std::uniform_real_distribution<double> u(-1, 1);
        for (int i = 0; i < 200; ++i) {
            const Vec3d p = bounds.centre() + bounds.diagonal() * Vec3d(u(random), u(random), u(random));
            double least = 1e300;
            for (std::uint32_t t = 0; t < mesh.triangleCount(); ++t)
                least = std::min(least, distanceTo(mesh, p, t));
            const ClosestPoint found = query.closest(p);
            const double slack = 1e-6 * bounds.diagonal();
            EXPECT_NEAR(found.distance, least, slack);
            EXPECT_NEAR((found.point - p).norm(), found.distance, slack);
            EXPECT_NEAR(distanceTo(mesh, p, found.triangle), least, slack);
            const auto hint = static_cast<std::uint32_t>(random() % mesh.triangleCount());
            EXPECT_NEAR(query.closest(p, hint).distance, least, slack) << "whatever the hint";
            EXPECT_TRUE(query.isNear(p, least + slack));
            EXPECT_FALSE(query.isNear(p, least - slack) && least > slack);
        }
    }
}

TEST(SurfaceQuery, closest_points_hold_whatever_the_size_and_however_narrow_the_triangles) {
    std::mt19937 random(11);
    std::uniform_real_distribution<double> u(-1, 1);
    for (const double size : {1e-6, 1.0, 3e6}) {
        // Needles a millionth as wide as long among others, all round one place.
        Mesh mesh;
        for (std::uint32_t t = 0; t < 300; ++t) {
            const Vec3d a(u(random), u(random), u(random));
            const Vec3d along = Vec3d(u(random), u(random), u(random)).normalized();
            const double width = std::pow(10, -3 + 3 * u(random));
            for (const Vec3d& p : {a, Vec3d(a + along), Vec3d(a + 0.4 * along + width * along.unitOrthogonal())})
                mesh.positions.push_back((size * p).cast<float>());
            for (std::uint32_t k = 0; k < 3; ++k)
                mesh.indices.push_back(3 * t + k);
        }
        shapes::onePart(mesh);
        const SurfaceQuery query(mesh);
        for (int i = 0; i < 500; ++i) {
            // Near a triangle more often than not.
            const auto near = static_cast<std::uint32_t>(random() % 300);
            const Vec3d middle = (corner(mesh, near, 0) + corner(mesh, near, 1) + corner(mesh, near, 2)) / 3;
            const Vec3d p = middle + size * std::pow(10, -4 + 4 * u(random)) * Vec3d(u(random), u(random), u(random));
            double least = 1e300;
            for (std::uint32_t t = 0; t < 300; ++t)
                least = std::min(least, distanceTo(mesh, p, t));
            EXPECT_NEAR(query.closest(p).distance, least, 1e-6 * size);
        }
    }
}

TEST(SurfaceQuery, closest_of_those_that_face_a_way_is_that_of_looking_at_every_triangle) {
    std::mt19937 random(21);
    std::uniform_real_distribution<double> u(-1, 1);
    for (const Mesh& mesh : someMeshes()) {
        const SurfaceQuery query(mesh);
        const Bounds bounds = boundsOf(mesh);
        int found = 0;
        for (int i = 0; i < 100; ++i) {
            const Vec3d p = bounds.centre() + bounds.diagonal() * Vec3d(u(random), u(random), u(random));
            const Vec3d way = Vec3d(u(random), u(random), u(random)).normalized();
            const double limit = bounds.diagonal() * std::abs(u(random));
            double least = limit;
            for (std::uint32_t t = 0; t < mesh.triangleCount(); ++t) {
                const Vec3d a = corner(mesh, t, 0);
                const Vec3d normal = (corner(mesh, t, 1) - a).cross(corner(mesh, t, 2) - a).normalized();
                if (normal.dot(way) > 0.3)
                    least = std::min(least, distanceTo(mesh, p, t));
            }
            const auto hit = query.closestFacing(p, limit, way);
            ASSERT_EQ(hit.has_value(), least < limit);
            if (hit) {
                EXPECT_NEAR(hit->distance, least, 1e-6 * bounds.diagonal());
                ++found;
            }
        }
        EXPECT_GT(found, 10);
    }
}

TEST(SurfaceQuery, within_finds_all_that_are_so_near_and_no_other) {
    std::mt19937 random(8);
    for (const Mesh& mesh : someMeshes()) {
        const SurfaceQuery query(mesh);
        const Bounds bounds = boundsOf(mesh);
        std::uniform_real_distribution<double> u(-0.6, 0.6);
        std::size_t most = 0;
        for (int i = 0; i < 60; ++i) {
            const Vec3d p = bounds.centre() + bounds.size().cwiseProduct(Vec3d(u(random), u(random), u(random)));
            const double radius = bounds.diagonal() * (0.02 + 0.1 * std::abs(u(random)));
            std::vector<std::uint32_t> found;
            query.within(p, radius, mesh.triangleCount(), found);
            std::sort(found.begin(), found.end());
            EXPECT_EQ(std::adjacent_find(found.begin(), found.end()), found.end()) << "each once";
            most = std::max(most, found.size());
            const double slack = 1e-6 * bounds.diagonal();
            for (std::uint32_t t = 0; t < mesh.triangleCount(); ++t) {
                const double d = distanceTo(mesh, p, t);
                if (std::abs(d - radius) < slack)
                    continue;
                EXPECT_EQ(std::binary_search(found.begin(), found.end(), t), d < radius) << d << " " << radius;
            }
        }
        EXPECT_GT(most, 3U);
    }
}

TEST(SurfaceRays, rays_meet_the_first_surface_on_their_way) {
    const Mesh mesh = shapes::sphere(24, 2);
    const SurfaceRays rays(mesh);
    std::mt19937 random(5);
    std::normal_distribution<double> n;
    for (int i = 0; i < 300; ++i) {
        const Vec3d way = Vec3d(n(random), n(random), n(random)).normalized();
        const auto in = rays.cast(-5 * way, way);
        ASSERT_TRUE(in);
        EXPECT_NEAR(in->distance, 3, 0.01) << "the near side of a ball of two metres";
        const auto out = rays.cast({0, 0, 0}, way);
        ASSERT_TRUE(out);
        EXPECT_NEAR(out->distance, 2, 0.01);
        const Vec3d at = (1 - in->u - in->v) * corner(mesh, in->triangle, 0) + in->u * corner(mesh, in->triangle, 1) +
                         in->v * corner(mesh, in->triangle, 2);
        EXPECT_LT((at - (-5 * way + in->distance * way)).norm(), 1e-4);
        EXPECT_FALSE(rays.cast(-5 * way, -way));
    }
}

TEST(Stratified, places_are_spread_by_area_and_evenly) {
    // Two squares, one nine times as large as the other: nine times the places, give or take one stratum.
    Mesh mesh = shapes::box(1, {1, 1, 1});
    mesh.positions = {{0, 0, 0}, {3, 0, 0}, {3, 3, 0}, {0, 3, 0}, {10, 0, 0}, {11, 0, 0}, {11, 1, 0}, {10, 1, 0}};
    mesh.indices = {0, 1, 2, 0, 2, 3, 4, 5, 6, 4, 6, 7};
    shapes::onePart(mesh);
    constexpr std::uint32_t kCount = 1000;
    const StratifiedPlaces places(mesh, kCount);
    ASSERT_TRUE(places.any());
    EXPECT_NEAR(places.area(), 10, 1e-6);
    EXPECT_NEAR(places.spacing(), std::sqrt(10.0 / kCount), 0.3 * std::sqrt(10.0 / kCount));
    int large = 0;
    Vec3d mean(0, 0, 0);
    std::array<int, 9> cells{};
    for (std::uint32_t i = 0; i < kCount; ++i) {
        const SurfacePlace place = places.place(i);
        EXPECT_GE(place.u, 0);
        EXPECT_GE(place.v, 0);
        EXPECT_LE(place.u + place.v, 1 + 1e-12);
        const Vec3d p = valueAt(mesh, mesh.positions, place).cast<double>();
        if (place.triangle < 2) {
            ++large;
            mean += p;
            ++cells[static_cast<std::size_t>(std::min(2.0, p.x())) +
                    3 * static_cast<std::size_t>(std::min(2.0, p.y()))];
        }
        EXPECT_EQ(places.place(i).u, place.u) << "the same every time";
    }
    EXPECT_NEAR(large, 900, 2);
    EXPECT_LT((mean / large - Vec3d(1.5, 1.5, 0)).norm(), 0.1);
    for (const int count : cells)
        EXPECT_NEAR(count, 100, 40);
    Mesh flat = mesh;
    for (Vec3f& p : flat.positions)
        p = {1, 2, 3};
    EXPECT_FALSE(StratifiedPlaces(flat, 5).any());
}

TEST(SurfaceQuery, eight_points_at_once_are_as_far_as_each_by_itself) {
    std::mt19937 random(17);
    std::uniform_real_distribution<double> u(-1, 1);
    // Some are needles, a line, a point, far from the origin.
    Mesh mesh = shapes::bumpy(4, 8);
    shapes::append(mesh, shapes::box(2, {1, 20, 0.0001}), {0, 0, 0});
    shapes::append(mesh, shapes::bumpy(2, 4), {900, 20, -300});
    const auto first = static_cast<std::uint32_t>(mesh.positions.size());
    mesh.positions.insert(mesh.positions.end(), {{1, 2, 3}, {2, 3, 4}, {3, 4, 5}});
    mesh.indices.insert(mesh.indices.end(), {first, first + 1, first + 2, first, first, first});
    const SurfaceQuery query(mesh);
    for (std::uint32_t t = 0; t < mesh.triangleCount(); ++t) {
        PointLanes lanes;
        std::array<Vec3d, PointLanes::kLanes> points;
        for (std::size_t i = 0; i < points.size(); ++i) {
            const double a = u(random);
            const double b = u(random);
            points[i] = (1 - a - b) * corner(mesh, t, 0) + a * corner(mesh, t, 1) + b * corner(mesh, t, 2) +
                        (i < 4 ? 0.3 : 1e-4) * Vec3d(u(random), u(random), u(random));
            lanes.set(i, points[i]);
        }
        PointLanes::Row found;
        query.distancesToTriangle(lanes, t, found);
        for (std::size_t i = 0; i < points.size(); ++i)
            EXPECT_NEAR(found[i], query.distanceToTriangle(points[i], t), 1e-9) << t;
    }
}

} // namespace thicket
