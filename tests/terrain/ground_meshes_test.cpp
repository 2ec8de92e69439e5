// Meshes of ground as levels: within what was asked, everywhere, and refused before they are too large.

#include "terrain/ground_meshes.h"

#include "terrain/make_heights.h"

#include <algorithm>
#include <cmath>
#include <gtest/gtest.h>

namespace thicket {
namespace {

std::shared_ptr<const Heights> bumpy(unsigned seed) {
    GroundRecipe recipe;
    recipe.columns = recipe.rows = 129;
    recipe.spacing = 2;
    recipe.relief = 30;
    recipe.feature = 50;
    recipe.seed = seed;
    return std::make_shared<const Heights>(makeHeights(recipe));
}

/// How far a height is from a mesh above or below it, of all heights the largest by what is allowed there.
double worstOf(const Heights& h, const Mesh& mesh, const std::function<double(double, double)>& allowed) {
    double worst = 0;
    std::vector<bool> met(h.grid.size(), false);
    for (std::size_t t = 0; t < mesh.indices.size(); t += 3) {
        const Vec3d a = mesh.positions[mesh.indices[t]].cast<double>();
        const Vec3d b = mesh.positions[mesh.indices[t + 1]].cast<double>();
        const Vec3d c = mesh.positions[mesh.indices[t + 2]].cast<double>();
        const double area = (b.x() - a.x()) * (c.z() - a.z()) - (b.z() - a.z()) * (c.x() - a.x());
        const auto column = [&](double x) { return (x - h.origin.x()) / h.spacing; };
        const auto row = [&](double z) { return (z - h.origin.z()) / h.spacing; };
        for (auto y = std::lround(row(std::min({a.z(), b.z(), c.z()})));
             y <= std::lround(row(std::max({a.z(), b.z(), c.z()}))); ++y)
            for (auto x = std::lround(column(std::min({a.x(), b.x(), c.x()})));
                 x <= std::lround(column(std::max({a.x(), b.x(), c.x()}))); ++x) {
                const double px = h.origin.x() + static_cast<double>(x) * h.spacing;
                const double pz = h.origin.z() + static_cast<double>(y) * h.spacing;
                const double wb = ((px - a.x()) * (c.z() - a.z()) - (pz - a.z()) * (c.x() - a.x())) / area;
                const double wc = ((b.x() - a.x()) * (pz - a.z()) - (b.z() - a.z()) * (px - a.x())) / area;
                if (wb < -1e-9 || wc < -1e-9 || wb + wc > 1 + 1e-9)
                    continue;
                const double at = a.y() + (b.y() - a.y()) * wb + (c.y() - a.y()) * wc;
                const double own = h.origin.y() + static_cast<double>(h.at(static_cast<std::uint32_t>(x),
                                                                           static_cast<std::uint32_t>(y)));
                met[static_cast<std::size_t>(y) * h.columns + static_cast<std::size_t>(x)] = true;
                worst = std::max(worst, std::abs(at - own) / allowed(px, pz));
            }
    }
    EXPECT_TRUE(std::all_of(met.begin(), met.end(), [](bool m) { return m; })) << "all of the ground is there";
    return worst;
}

TEST(GroundMeshes, each_level_keeps_to_its_error_and_has_what_was_forecast) {
    const auto heights = bumpy(5);
    GroundMeshAsk ask;
    ask.errors = {0.2, 0.8, 3};
    const auto forecast = forecastMeshes(heights, ask, {});
    const auto meshes = makeGroundMeshes(heights, ask, 1'000'000, {});
    ASSERT_TRUE(forecast);
    ASSERT_TRUE(meshes);
    ASSERT_EQ(meshes->size(), 3U);
    for (std::size_t i = 0; i < 3; ++i) {
        const Mesh& mesh = *(*meshes)[i];
        EXPECT_EQ(mesh.triangleCount(), (*forecast)[i].triangles);
        EXPECT_EQ(mesh.vertexCount(), (*forecast)[i].vertices);
        EXPECT_LE(worstOf(*heights, mesh, [&](double, double) { return ask.errors[i]; }), 1 + 1e-4);
    }
    EXPECT_GT((*forecast)[0].triangles, 2 * (*forecast)[1].triangles);
}

TEST(GroundMeshes, away_from_a_place_they_may_be_off_by_more_and_have_fewer_triangles) {
    const auto heights = bumpy(6);
    GroundMeshAsk ask;
    ask.errors = {0.2};
    const auto even = makeGroundMeshes(heights, ask, 1'000'000, {});
    ask.falloff = MeshFalloff{{-100, 5, -100}, 4, 200, 2};
    const auto falling = makeGroundMeshes(heights, ask, 1'000'000, {});
    ASSERT_TRUE(even);
    ASSERT_TRUE(falling);
    EXPECT_LT((*falling)[0]->triangleCount(), (*even)[0]->triangleCount() / 2);
    EXPECT_LE(worstOf(*heights, *(*falling)[0],
                      [&](double x, double z) {
                          const Vec3d at(x, heights->heightAt(x, z).value_or(0), z);
                          const double share = std::clamp((at - ask.falloff->from).norm() / 200, 0.0, 1.0);
                          return 0.2 + 3.8 * share * share;
                      }),
              1.1)
        << "what is allowed is looked up at the points that are left out";
    // A power above one keeps what is near fine for longer.
    ask.falloff->power = 1;
    EXPECT_LT(forecastMeshes(heights, ask, {})->front().triangles, (*falling)[0]->triangleCount());
}

TEST(GroundMeshes, the_fewest_triangles_are_fewer) {
    const auto heights = bumpy(7);
    GroundMeshAsk ask;
    ask.errors = {0.5};
    const auto right = forecastMeshes(heights, ask, {});
    ask.fewest = true;
    const auto fewest = makeGroundMeshes(heights, ask, 1'000'000, {});
    ASSERT_TRUE(fewest) << fewest.error().text();
    EXPECT_LT((*fewest)[0]->triangleCount(), (*right)[0].triangles);
    EXPECT_LE(worstOf(*heights, *(*fewest)[0], [](double, double) { return 0.5; }), 1 + 1e-3);
}

TEST(GroundMeshes, what_makes_no_sense_or_is_too_large_is_refused) {
    const auto heights = bumpy(8);
    const auto said = [&](const GroundMeshAsk& ask, std::uint64_t most = 1'000'000) {
        const auto made = makeGroundMeshes(heights, ask, most, {});
        return made ? std::string() : made.error().what;
    };
    GroundMeshAsk ask;
    EXPECT_NE(said(ask), "");
    ask.errors = {-1};
    EXPECT_NE(said(ask), "");
    ask.errors = {0.5};
    EXPECT_EQ(said(ask), "");
    EXPECT_NE(said(ask, 10).find("would have"), std::string::npos);
    ask.falloff = MeshFalloff{{0, 0, 0}, 0, 10, 1};
    EXPECT_NE(said(ask), "");
    ask.falloff = MeshFalloff{};
    ask.fewest = true;
    EXPECT_NE(said(ask).find("fewest"), std::string::npos);
    ask.falloff.reset();
    ask.keepBorder = true;
    EXPECT_NE(said(ask).find("fewest"), std::string::npos);
    std::stop_source stop;
    stop.request_stop();
    ask.fewest = ask.keepBorder = false;
    const auto cancelled = makeGroundMeshes(heights, ask, 1000, {stop.get_token(), {}});
    ASSERT_FALSE(cancelled);
    EXPECT_EQ(cancelled.error().code, ErrorCode::Cancelled);
}

} // namespace
} // namespace thicket
