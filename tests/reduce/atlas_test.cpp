// Textures stay inside of their charts: what lies beside a chart in the atlas belongs to another.

#include "reduce/chain.h"
#include "reduce/record.h"
#include "support/shapes.h"

#include <cmath>
#include <gtest/gtest.h>
#include <random>

namespace thicket {
namespace {

constexpr int kStrips = 12;
constexpr int kAcross = 4; // squares a strip
constexpr int kAlong = 96;
constexpr double kChart = 0.05; // of the atlas: how wide a chart is, and what lies free beside it
constexpr double kGutter = 0.03;

/// A rough dome of narrow strips, each with a chart of its own.
Mesh stripedDome(unsigned seed) {
    std::mt19937 generator(seed);
    std::uniform_real_distribution<double> roughness(-0.004, 0.004);
    Mesh out;
    const int columns = kStrips * kAcross;
    std::vector<double> rough(static_cast<std::size_t>((columns + 1) * (kAlong + 1)));
    for (double& r : rough)
        r = roughness(generator);
    for (int s = 0; s < kStrips; ++s) {
        const auto base = static_cast<std::uint32_t>(out.positions.size());
        for (int z = 0; z <= kAlong; ++z)
            for (int x = 0; x <= kAcross; ++x) {
                const int column = s * kAcross + x;
                const double u = 2.0 * column / columns - 1;
                const double v = 2.0 * z / kAlong - 1;
                const double y = std::cos(1.4 * u) * std::cos(1.4 * v) + 0.03 * std::sin(19 * u) * std::cos(23 * v) +
                                 rough[static_cast<std::size_t>(column * (kAlong + 1) + z)];
                out.positions.emplace_back(static_cast<float>(u), static_cast<float>(y), static_cast<float>(v));
                out.normals.emplace_back(0.0F, 1.0F, 0.0F);
                out.uvs.emplace_back(static_cast<float>(s * (kChart + kGutter) + kChart * x / kAcross),
                                     static_cast<float>(0.1 + 0.8 * z / kAlong));
            }
        for (int z = 0; z < kAlong; ++z)
            for (int x = 0; x < kAcross; ++x) {
                const auto a = base + static_cast<std::uint32_t>(z * (kAcross + 1) + x);
                const auto b = a + kAcross + 1;
                out.indices.insert(out.indices.end(), {a, b, b + 1, a, b + 1, a + 1});
            }
    }
    shapes::onePart(out);
    return out;
}

/// How far a place in the atlas is from the nearest chart.
double besideCharts(const Vec2f& uv) {
    const double u = static_cast<double>(uv.x());
    const double v = static_cast<double>(uv.y());
    double nearest = 1e300;
    for (int s = 0; s < kStrips; ++s) {
        const double low = s * (kChart + kGutter);
        nearest = std::min(nearest, std::max({low - u, u - low - kChart, 0.0}));
    }
    return std::max({nearest, 0.1 - v, v - 0.9});
}

} // namespace

TEST(Atlas, no_level_shows_the_pixels_beside_its_charts) {
    for (const unsigned seed : {1U, 2U, 3U}) {
        const Mesh dome = stripedDome(seed);
        auto record = recordCollapses(dome, {}, {});
        ASSERT_TRUE(record);
        for (const std::uint32_t triangles : {6000U, 2000U, 700U, 250U}) {
            const Mesh level = cutRecord(*record, triangles);
            ASSERT_EQ(level.uvs.size(), level.positions.size());
            double most = 0;
            for (const Vec2f& uv : level.uvs)
                most = std::max(most, besideCharts(uv));
            EXPECT_LE(most, 1e-5) << triangles << " triangles, seed " << seed;
            // Each triangle lies in one chart.
            for (std::uint32_t t = 0; t < level.triangleCount(); ++t) {
                const auto chartOf = [&](std::uint32_t k) {
                    return std::floor(
                        static_cast<double>(level.uvs[level.indices[3 * t + k]].x()) / (kChart + kGutter) + 1e-4);
                };
                EXPECT_EQ(chartOf(0), chartOf(1));
                EXPECT_EQ(chartOf(0), chartOf(2));
            }
        }
    }
}

TEST(Atlas, colours_stay_between_those_that_they_replace) {
    Mesh dome = stripedDome(4);
    for (const Vec3f& p : dome.positions)
        dome.colors.emplace_back(p.x() < 0 ? 0.25F : 0.3F, 0.5F, 0.6F + 0.1F * p.z(), 1.0F);
    auto record = recordCollapses(dome, {}, {});
    ASSERT_TRUE(record);
    for (const std::uint32_t triangles : {4000U, 500U})
        for (const Vec4f& c : cutRecord(*record, triangles).colors) {
            EXPECT_GE(c.x(), 0.25F - 1e-5F);
            EXPECT_LE(c.x(), 0.3F + 1e-5F);
            EXPECT_GE(c.z(), 0.5F - 1e-5F);
            EXPECT_LE(c.z(), 0.7F + 1e-5F);
            EXPECT_NEAR(c.w(), 1, 1e-5);
        }
}

} // namespace thicket
