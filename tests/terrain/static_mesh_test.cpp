// Meshes of a terrain within an error.

#include "terrain/static_mesh.h"

#include "terrain/greedy_mesh.h"
#include "terrain/make_heights.h"

#include <algorithm>
#include <cmath>
#include <gtest/gtest.h>
#include <map>

namespace thicket {
namespace {

std::shared_ptr<const Heights> ground(std::uint32_t columns, std::uint32_t rows) {
    GroundRecipe recipe;
    recipe.columns = columns;
    recipe.rows = rows;
    recipe.feature = 60;
    recipe.relief = 30;
    recipe.spacing = 2;
    return std::make_shared<const Heights>(makeHeights(recipe));
}

/// Largest distance of the heights from the mesh, and how many of them no triangle covers.
std::pair<double, int> offBy(const Heights& h, const Mesh& mesh) {
    std::vector<double> off(h.grid.size(), -1);
    for (std::size_t t = 0; t < mesh.indices.size(); t += 3) {
        Vec3d p[3];
        for (std::size_t k = 0; k < 3; ++k) {
            p[k] = mesh.positions[mesh.indices[t + k]].cast<double>();
            p[k].x() = (p[k].x() - h.origin.x()) / h.spacing;
            p[k].z() = (p[k].z() - h.origin.z()) / h.spacing;
        }
        const double area =
            (p[1].x() - p[0].x()) * (p[2].z() - p[0].z()) - (p[1].z() - p[0].z()) * (p[2].x() - p[0].x());
        EXPECT_LT(area, 0);
        for (long y = std::lround(std::min({p[0].z(), p[1].z(), p[2].z()}));
             y <= std::lround(std::max({p[0].z(), p[1].z(), p[2].z()})); ++y)
            for (long x = std::lround(std::min({p[0].x(), p[1].x(), p[2].x()}));
                 x <= std::lround(std::max({p[0].x(), p[1].x(), p[2].x()})); ++x) {
                const double dx = static_cast<double>(x) - p[0].x();
                const double dz = static_cast<double>(y) - p[0].z();
                const double b = (dx * (p[2].z() - p[0].z()) - dz * (p[2].x() - p[0].x())) / area;
                const double c = ((p[1].x() - p[0].x()) * dz - (p[1].z() - p[0].z()) * dx) / area;
                if (b < -1e-9 || c < -1e-9 || b + c > 1 + 1e-9)
                    continue;
                double& o = off[static_cast<std::size_t>(y) * h.columns + static_cast<std::size_t>(x)];
                o = std::max(o, std::abs(p[0].y() + (p[1].y() - p[0].y()) * b + (p[2].y() - p[0].y()) * c -
                                         static_cast<double>(
                                             h.at(static_cast<std::uint32_t>(x), static_cast<std::uint32_t>(y)))));
            }
    }
    return {*std::max_element(off.begin(), off.end()),
            static_cast<int>(std::count_if(off.begin(), off.end(), [](double o) { return o < 0; }))};
}

/// Edges that belong to one triangle lie on the outer border.
void expectClosed(const Heights& h, const Mesh& mesh) {
    std::map<std::pair<std::uint32_t, std::uint32_t>, int> edges;
    for (std::size_t t = 0; t < mesh.indices.size(); t += 3)
        for (std::size_t k = 0; k < 3; ++k) {
            const std::uint32_t a = mesh.indices[t + k];
            const std::uint32_t b = mesh.indices[t + (k + 1) % 3];
            edges[{std::min(a, b), std::max(a, b)}] += 1;
        }
    for (const auto& [edge, uses] : edges) {
        ASSERT_LE(uses, 2);
        if (uses == 2)
            continue;
        const Vec3d middle = (mesh.positions[edge.first] + mesh.positions[edge.second]).cast<double>() / 2;
        const double toBorder = std::min({middle.x() - h.origin.x(), h.origin.x() + h.width() - middle.x(),
                                          middle.z() - h.origin.z(), h.origin.z() + h.depth() - middle.z()});
        ASSERT_NEAR(toBorder, 0, 1e-3) << "a crack at " << middle.transpose();
    }
}

} // namespace

TEST(StaticMesh, keeps_to_its_error_without_cracks_whatever_the_size) {
    for (const auto& [columns, rows] :
         {std::pair{129U, 129U}, {100U, 77U}, {33U, 140U}, {2U, 2U}, {3U, 2U}, {200U, 5U}}) {
        const auto h = ground(columns, rows);
        const auto network = RightTriangles::measure(h, {});
        ASSERT_TRUE(network);
        std::uint32_t before = ~0U;
        for (const double error : {0.0, 0.05, 0.3, 1.5}) {
            const auto mesh = network->mesh({error, {}, false}, 1'000'000, {});
            ASSERT_TRUE(mesh);
            const auto [off, bare] = offBy(*h, *mesh);
            EXPECT_LE(off, error + 1e-4) << columns << " x " << rows;
            EXPECT_EQ(bare, 0);
            expectClosed(*h, *mesh);
            EXPECT_LE(mesh->triangleCount(), before);
            before = mesh->triangleCount();
            const auto count = network->count({error, {}, false});
            EXPECT_EQ(count.triangles, mesh->triangleCount()) << columns << " x " << rows << " at " << error;
            EXPECT_EQ(count.vertices, mesh->vertexCount());
        }
    }
}

TEST(StaticMesh, far_ground_may_be_coarser_and_borders_can_be_kept) {
    const auto h = ground(129, 129);
    const auto network = RightTriangles::measure(h, {});
    RightTriangles::Bound bound;
    bound.errorAt = [](double x, double z) { return 0.02 + 0.02 * std::hypot(x + 100, z + 100); };
    const auto far = network->mesh(bound, 1'000'000, {});
    expectClosed(*h, *far);
    EXPECT_LT(far->triangleCount(), network->count({0.02, {}, false}).triangles);
    EXPECT_EQ(far->triangleCount(), network->count(bound).triangles);
    const auto kept = network->mesh({2.0, {}, true}, 1'000'000, {});
    expectClosed(*h, *kept);
    int onBorder = 0;
    for (const Vec3f& p : kept->positions)
        onBorder += std::abs(std::abs(static_cast<double>(p.x())) - 128) < 1e-3 ||
                    std::abs(std::abs(static_cast<double>(p.z())) - 128) < 1e-3;
    EXPECT_EQ(onBorder, 4 * 128);
    EXPECT_FALSE(network->mesh({0, {}, false}, 1000, {})) << "more than was asked for is refused";
}

TEST(StaticMesh, a_plane_takes_few_triangles_and_holes_stay_open) {
    Heights flat = *ground(129, 129);
    for (std::uint32_t y = 0; y < 129; ++y)
        for (std::uint32_t x = 0; x < 129; ++x)
            flat.grid.edit(y)[x] = 0.25F * static_cast<float>(x) - 0.5F * static_cast<float>(y);
    const auto plane = RightTriangles::measure(std::make_shared<const Heights>(flat), {});
    EXPECT_EQ(plane->mesh({0.001, {}, false}, 1000, {})->triangleCount(), 2U);
    std::vector<bool> missing(flat.grid.size(), false);
    missing[129 * 60 + 70] = true;
    ASSERT_EQ(*makeHoles(flat, missing, "flat"), 1U);
    const auto holed =
        RightTriangles::measure(std::make_shared<const Heights>(flat), {})->mesh({0.001, {}, false}, 10000, {});
    double area = 0;
    for (std::size_t t = 0; t < holed->indices.size(); t += 3) {
        const Vec3f a = holed->positions[holed->indices[t]];
        const Vec3f u = holed->positions[holed->indices[t + 1]] - a;
        const Vec3f v = holed->positions[holed->indices[t + 2]] - a;
        area += static_cast<double>(u.z() * v.x() - u.x() * v.z()) / 2;
    }
    EXPECT_NEAR(area, 256.0 * 256 - 4 * 4, 1e-3) << "four cells of two metres are gone";
}

TEST(StaticMesh, put_in_point_by_point_it_has_fewer_triangles_for_the_same_error) {
    for (const auto& [columns, rows] : {std::pair{129U, 129U}, {100U, 77U}, {3U, 2U}, {200U, 5U}}) {
        const auto h = ground(columns, rows);
        const auto network = RightTriangles::measure(h, {});
        for (const double error : {0.0, 0.1, 0.6, 3.0}) {
            const auto mesh = greedyMesh(*h, error, 1'000'000, {});
            ASSERT_TRUE(mesh);
            const auto [off, bare] = offBy(*h, *mesh);
            EXPECT_LE(off, error + 1e-4) << columns << " x " << rows;
            EXPECT_EQ(bare, 0);
            expectClosed(*h, *mesh);
            if (columns > 50 && rows > 50 && error >= 0.1) {
                EXPECT_LT(mesh->triangleCount(), (error < 0.5 ? 0.8 : 1.0) *
                                                     network->mesh({error, {}, false}, 1'000'000, {})->triangleCount());
            }
        }
    }
    EXPECT_FALSE(greedyMesh(*ground(129, 129), 0, 500, {}));
}

} // namespace thicket
