// What samples see, against rays through them.

#include "bake/sample_grid.h"

#include "support/shapes.h"

#include <gtest/gtest.h>
#include <random>

namespace thicket {
namespace {

SampleGrid looking(const Vec3d& eye, const Vec3d& at, double step, int side) {
    SampleGrid grid;
    grid.eye = eye;
    grid.ahead = (at - eye).normalized();
    grid.right = grid.ahead.cross(kUp).normalized();
    grid.up = grid.right.cross(grid.ahead);
    grid.step = step;
    grid.across = side;
    grid.down = side - 7;
    return grid;
}

/// Samples that see something else than a ray does: another distance, or something in place of nothing.
std::size_t differing(const Appearance& what, const SampleGrid& grid, std::size_t& met) {
    const std::vector<std::uint32_t> first = firstTriangles(what, grid);
    EXPECT_EQ(first.size(), static_cast<std::size_t>(grid.across) * static_cast<std::size_t>(grid.down));
    std::size_t out = 0;
    met = 0;
    for (int y = 0; y < grid.down; ++y)
        for (int x = 0; x < grid.across; ++x) {
            const std::uint32_t triangle = first[static_cast<std::size_t>(y) * static_cast<std::size_t>(grid.across) +
                                                 static_cast<std::size_t>(x)];
            const Vec3d way = grid.towards(x, y).normalized();
            const auto ray = what.look(grid.eye, way);
            met += ray ? 1 : 0;
            if (ray.has_value() != (triangle != kNoTriangle)) {
                ++out;
                continue;
            }
            if (!ray)
                continue;
            const auto seen = what.seenOn(triangle, grid.eye, way);
            const bool same = std::abs(seen.distance - ray->distance) < 1e-4 * ray->distance &&
                              (seen.color - ray->color).norm() < 1e-2F && (seen.normal - ray->normal).norm() < 1e-2;
            out += same ? 0 : 1;
        }
    return out;
}

/// Triangles of all sizes and ways, many through each other.
Mesh heap(unsigned seed, int count) {
    std::mt19937 dice(seed);
    std::uniform_real_distribution<float> place(-1, 1);
    std::uniform_real_distribution<float> size(0.005F, 0.6F);
    Mesh mesh;
    for (int t = 0; t < count; ++t) {
        const Vec3f middle(place(dice), place(dice), place(dice));
        const float wide = size(dice);
        for (int k = 0; k < 3; ++k) {
            mesh.positions.push_back(middle + wide * Vec3f(place(dice), place(dice), place(dice)));
            mesh.indices.push_back(static_cast<std::uint32_t>(mesh.indices.size()));
        }
    }
    mesh.parts = {{0, mesh.triangleCount(), 0}};
    return mesh;
}

TEST(SampleGrid, sees_what_rays_see) {
    const Surfaces surfaces = shapes::white();
    for (unsigned seed = 1; seed <= 6; ++seed) {
        const Mesh mesh = heap(seed, seed % 2 == 0 ? 40 : 900);
        const Appearance what(mesh, surfaces);
        const double turn = seed;
        const SampleGrid grid = looking(4 * Vec3d(std::sin(turn), 0.4, std::cos(turn)), {0, 0, 0}, 0.004, 160);
        std::size_t met = 0;
        const std::size_t wrong = differing(what, grid, met);
        EXPECT_GT(met, 500U);
        EXPECT_LE(wrong, met / 500) << "seed " << seed << ": but for samples on an edge";
    }
}

TEST(SampleGrid, leaves_no_gap_between_triangles_that_share_an_edge) {
    const Mesh mesh = shapes::texturedSphere(90, 60);
    const Surfaces surfaces = shapes::white();
    const Appearance what(mesh, surfaces);
    const SampleGrid grid = looking({0.3, 0.2, 3}, {0, 0, 0}, 0.0037, 200);
    const auto first = firstTriangles(what, grid);
    std::size_t inside = 0;
    for (int y = 0; y < grid.down; ++y)
        for (int x = 0; x < grid.across; ++x) {
            const Vec3d way = grid.towards(x, y).normalized();
            const double past = (grid.eye - grid.eye.dot(way) * way).norm(); // how far the ray passes the middle
            if (past > 0.99)
                continue;
            ++inside;
            const std::uint32_t triangle = first[static_cast<std::size_t>(y) * static_cast<std::size_t>(grid.across) +
                                                 static_cast<std::size_t>(x)];
            ASSERT_NE(triangle, kNoTriangle) << x << ", " << y;
            EXPECT_LT(what.seenOn(triangle, grid.eye, way).distance, 3.0) << "not the far side";
        }
    EXPECT_GT(inside, 10'000U);
}

TEST(SampleGrid, from_within_cuts_off_what_is_behind) {
    const Surfaces surfaces = shapes::white();
    const Mesh around = shapes::sphere(4);
    const Mesh rods = heap(11, 300);
    for (const Mesh* mesh : {&around, &rods}) {
        const Appearance what(*mesh, surfaces);
        std::size_t met = 0;
        const std::size_t wrong = differing(what, looking({0.1, 0.05, 0.2}, {0.4, 0.1, -1}, 0.012, 120), met);
        EXPECT_GT(met, 1000U);
        EXPECT_LE(wrong, met / 200);
    }
}

TEST(SampleGrid, what_reaches_far_beyond_the_picture_is_drawn_within_it) {
    // A ground to the horizon, a rod that passes over the picture far to both sides, and sails far off to one side of it.
    Mesh mesh;
    constexpr float kWide = 1e9F;
    constexpr float kDeep = 1e3F;
    mesh.positions = {{-kWide, -1, kDeep}, {kWide, -1, kDeep}, {kWide, -1, -kDeep}, {-kWide, -1, -kDeep},
                      {-kWide, 0.2F, 0},   {kWide, 0.2F, 0},   {0, 0.3F, 0}};
    mesh.indices = {0, 1, 2, 0, 2, 3, 4, 5, 6};
    for (const float side : {-1.0F, 1.0F}) {
        mesh.positions.insert(mesh.positions.end(),
                              {{side * kWide / 2, -1, 0}, {side * kWide, -1, 0}, {side * kWide, 1, 0}});
        const auto last = static_cast<std::uint32_t>(mesh.positions.size());
        mesh.indices.insert(mesh.indices.end(), {last - 3, last - 2, last - 1});
    }
    mesh.parts = {{0, mesh.triangleCount(), 0}};
    const Surfaces surfaces = shapes::white();
    const Appearance what(mesh, surfaces);
    const SampleGrid grid = looking({0, 0, 1.5}, {0, 0, 0}, 1e-3, 90);
    const auto first = firstTriangles(what, grid);
    const auto at = [&](int x, int y) {
        return first[static_cast<std::size_t>(y) * static_cast<std::size_t>(grid.across) + static_cast<std::size_t>(x)];
    };
    for (int x = 0; x < grid.across; ++x) {
        EXPECT_LT(at(x, grid.down - 1), 2U) << "ground below, at " << x;
        EXPECT_EQ(at(x, 0), kNoTriangle) << "sky above";
    }
}

TEST(SampleGrid, sees_through_what_alpha_leaves_out) {
    // A sheet whose picture is clear on the left, before another one.
    Mesh mesh;
    for (const float z : {0.0F, -1.0F}) {
        const auto base = static_cast<std::uint32_t>(mesh.positions.size());
        for (const float y : {-1.0F, 1.0F})
            for (const float x : {-1.0F, 1.0F}) {
                mesh.positions.emplace_back(x, y, z);
                mesh.uvs.emplace_back((x + 1) / 2, (y + 1) / 2);
            }
        mesh.indices.insert(mesh.indices.end(), {base, base + 1, base + 3, base, base + 3, base + 2});
    }
    mesh.parts = {{0, 2, 0}, {2, 2, 1}};
    Pixels picture{64, 64, std::vector<std::uint8_t>(std::size_t{64} * 64 * 4, 255)};
    for (int y = 0; y < 64; ++y)
        for (int x = 0; x < 32; ++x)
            picture.at(x, y)[3] = 0;
    Surfaces surfaces;
    surfaces.images = {encodePng(picture, "half")};
    surfaces.materials.resize(2);
    surfaces.materials[0].baseColorImage = 0;
    surfaces.materials[0].alphaMode = AlphaMode::Mask;
    surfaces.materials[0].alphaCutoff = 0.5F;
    const Appearance what(mesh, surfaces);
    const SampleGrid grid = looking({0, 0, 4}, {0, 0, 0}, 0.004, 100);
    const auto first = firstTriangles(what, grid);
    const auto at = [&](int x, int y) {
        return first[static_cast<std::size_t>(y) * static_cast<std::size_t>(grid.across) + static_cast<std::size_t>(x)];
    };
    EXPECT_GE(at(30, 46), 2U) << "the sheet behind";
    EXPECT_LT(at(70, 46), 2U);
    std::size_t met = 0;
    EXPECT_LE(differing(what, grid, met), met / 50) << "but for where the picture's edge is";
}

} // namespace
} // namespace thicket
