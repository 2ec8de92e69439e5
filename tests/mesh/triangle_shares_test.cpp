// Where in a triangle a place is, tried against places put together from their shares.

#include "mesh/triangle_shares.h"

#include <cmath>
#include <gtest/gtest.h>
#include <random>

namespace thicket {
namespace {

Mesh triangleOf(const Vec3f& a, const Vec3f& b, const Vec3f& c) {
    Mesh out;
    out.positions = {Vec3f(9, 9, 9), a, b, c};
    out.indices = {0, 1, 2, 1, 2, 3};
    out.parts = {{0, 2, 0}};
    return out;
}

} // namespace

TEST(TriangleShares, give_back_what_a_place_was_put_together_from) {
    std::mt19937 random(5);
    std::uniform_real_distribution<float> any(-3, 3);
    std::uniform_real_distribution<double> share(-0.5, 1.5);
    const auto vector = [&] { return Vec3f(any(random), any(random), any(random)); };
    for (int round = 0; round < 300; ++round) {
        const Mesh mesh = triangleOf(vector(), vector(), vector());
        const Vec3d a = mesh.positions[1].cast<double>();
        const Vec3d e = mesh.positions[2].cast<double>() - a;
        const Vec3d f = mesh.positions[3].cast<double>() - a;
        const double area = e.cross(f).norm();
        if (area < 0.1)
            continue;
        const double u = share(random);
        const double v = share(random);
        // What lies over the triangle has the shares of what lies below it.
        const Vec3d place = a + u * e + v * f + share(random) * e.cross(f);
        const Vec2d got = triangleShares(mesh, 1, place);
        EXPECT_NEAR(got.x(), u, 1e-9 * (1 + 100 / area));
        EXPECT_NEAR(got.y(), v, 1e-9 * (1 + 100 / area));
    }
}

TEST(TriangleShares, of_a_triangle_without_area_are_all_of_its_first_corner) {
    const Vec3f at(1, 2, 3);
    EXPECT_EQ(triangleShares(triangleOf(at, at, at), 1, {5, 5, 5}), Vec2d(0, 0));
    EXPECT_EQ(triangleShares(triangleOf(at, at * 2, at * 3), 1, {5, 5, 5}), Vec2d(0, 0)) << "a line";
}

} // namespace thicket
