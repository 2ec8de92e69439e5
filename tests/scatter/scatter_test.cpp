// Scattering: as dense as asked for, evenly at every share, and only where the recipe lets it.

#include "scatter/scatter.h"

#include "scatter/spread_order.h"

#include <algorithm>
#include <cmath>
#include <gtest/gtest.h>

namespace thicket {
namespace {

ScatterRecipe meadow(double density = 2) {
    ScatterRecipe r;
    r.lowX = -20;
    r.highX = 40;
    r.lowZ = -10;
    r.highZ = 30;
    r.groundHeight = 3;
    r.density = density;
    r.assets = {{7, 3, 0.5, 1.5, 360, 4, 0}, {8, 1, 1, 1, 0, 0, 0}};
    return r;
}

Placements scattered(const ScatterRecipe& recipe, const ScatterGround& ground) {
    auto made = scatter(recipe, ground, {});
    EXPECT_TRUE(made) << (made ? "" : made.error().text());
    return made ? *made : Placements();
}

/// How unevenly the first copies lie: the number in each of 6 x 4 fields against that of chance (1: as chance would).
double unevenness(const Placements& copies, std::size_t count, const ScatterRecipe& r) {
    std::array<double, 24> in{};
    for (std::size_t i = 0; i < count; ++i) {
        const int c = std::min(5, static_cast<int>((copies[i].position.x() - r.lowX) / (r.highX - r.lowX) * 6));
        const int w = std::min(3, static_cast<int>((copies[i].position.z() - r.lowZ) / (r.highZ - r.lowZ) * 4));
        ++in[static_cast<std::size_t>(6 * w + c)];
    }
    const double mean = static_cast<double>(count) / 24;
    double squares = 0;
    for (const double n : in)
        squares += (n - mean) * (n - mean);
    return squares / 23 / mean;
}

} // namespace

TEST(Scatter, is_as_dense_as_asked_for_and_stays_on_its_ground) {
    const ScatterRecipe r = meadow();
    const Placements copies = scattered(r, levelGround(r));
    EXPECT_NEAR(static_cast<double>(copies.size()), 2.0 * 60 * 40, 0.01 * 4800);
    for (const Placement& p : copies) {
        EXPECT_EQ(p.position.y(), 3);
        EXPECT_TRUE(p.position.x() >= -20 && p.position.x() <= 40 && p.position.z() >= -10 && p.position.z() <= 30);
        EXPECT_NEAR(p.rotation.norm(), 1, 1e-12);
    }
}

TEST(Scatter, every_beginning_is_spread_more_evenly_than_chance) {
    const ScatterRecipe r = meadow();
    const Placements copies = scattered(r, levelGround(r));
    for (const double share : {0.03, 0.1, 0.25, 0.5, 1.0}) {
        const auto count = static_cast<std::size_t>(share * static_cast<double>(copies.size()));
        EXPECT_LT(unevenness(copies, count, r), 0.35) << "the first " << count;
    }
}

TEST(Scatter, neighbours_keep_apart_at_every_share) {
    const ScatterRecipe r = meadow();
    const Placements copies = scattered(r, levelGround(r));
    for (const std::size_t count : {50UL, 400UL, 2000UL, copies.size()}) {
        double nearest = 1e9;
        for (std::size_t i = 0; i < count; ++i)
            for (std::size_t k = 0; k < i; ++k)
                nearest = std::min(nearest, (copies[i].position - copies[k].position).norm());
        // The closest that so many can all be kept from each other, in a lattice of triangles.
        const double best = std::sqrt(2 / std::sqrt(3.0) * 60 * 40 / static_cast<double>(count));
        EXPECT_GT(nearest, 0.42 * best) << "the first " << count;
    }
}

TEST(Scatter, the_same_recipe_gives_the_same_copies_and_another_seed_others) {
    ScatterRecipe r = meadow();
    const Placements a = scattered(r, levelGround(r));
    EXPECT_EQ(a, scattered(r, levelGround(r)));
    r.seed = 2;
    EXPECT_NE(a, scattered(r, levelGround(r)));
}

TEST(Scatter, assets_come_by_weight_in_their_sizes_and_leans) {
    const ScatterRecipe r = meadow();
    const Placements copies = scattered(r, levelGround(r));
    double first = 0;
    double smallest = 9;
    double largest = 0;
    for (const Placement& p : copies) {
        const double lean = std::acos(std::min(1.0, (p.rotation * kUp).y())) * 180 / M_PI;
        if (p.asset == 0) {
            ++first;
            smallest = std::min(smallest, p.scale);
            largest = std::max(largest, p.scale);
            EXPECT_LE(lean, 4.0001);
        } else {
            EXPECT_EQ(p.scale, 1);
            EXPECT_NEAR(lean, 0, 1e-5);
        }
    }
    EXPECT_NEAR(first / static_cast<double>(copies.size()), 0.75, 0.03);
    EXPECT_GE(smallest, 0.5);
    EXPECT_LT(smallest, 0.52);
    EXPECT_LE(largest, 1.5);
    EXPECT_GT(largest, 1.48);
}

TEST(Scatter, slopes_heights_and_outlines_limit_where) {
    ScatterRecipe r = meadow(4);
    ScatterGround ground;
    // A flat square, and a slope of 45 degrees that rises from its edge.
    ground.points = {{0, 0, 0}, {10, 0, 0}, {10, 0, 10}, {0, 0, 10}, {20, 10, 0}, {20, 10, 10}};
    ground.triangles = {{0, 2, 1}, {0, 3, 2}, {1, 5, 4}, {1, 2, 5}};
    const Placements everywhere = scattered(r, ground);
    const auto onSlope =
        std::count_if(everywhere.begin(), everywhere.end(), [](const Placement& p) { return p.position.x() > 10; });
    EXPECT_NEAR(static_cast<double>(onSlope), 4 * 100 * std::sqrt(2.0), 30) << "a slope has more surface than its map";
    r.mostSlope = 30;
    for (const Placement& p : scattered(r, ground))
        EXPECT_LE(p.position.x(), 10);
    r.mostSlope = 90;
    r.leastHeight = 2;
    r.mostHeight = 5;
    for (const Placement& p : scattered(r, ground)) {
        EXPECT_GE(p.position.y(), 2);
        EXPECT_LE(p.position.y(), 5);
    }
    r.leastHeight = -1e9;
    r.mostHeight = 1e9;
    ground.outlines.push_back({{{0, 5}, {20, 5}}, {}, 2, 4});
    ground.outlines.push_back({{}, {{{10, 5}, 3}}, 1, 1e9});
    for (const Placement& p : scattered(r, ground)) {
        const double fromLine = std::abs(p.position.z() - 5);
        EXPECT_TRUE(fromLine >= 2 && fromLine <= 4);
        EXPECT_GE(Vec2d(p.position.x() - 10, p.position.z() - 5).norm(), 4);
    }
}

TEST(Scatter, a_mask_thins_by_its_grey) {
    const ScatterRecipe r = meadow(8);
    ScatterGround ground = levelGround(r);
    ground.mask = {2, 1, {0, 255}};
    double left = 0;
    double right = 0;
    double middle = 0;
    for (const Placement& p : scattered(r, ground)) {
        const double at = (p.position.x() + 20) / 60;
        left += at < 0.25 ? 1 : 0;
        right += at > 0.75 ? 1 : 0;
        middle += at > 0.45 && at < 0.55 ? 1 : 0;
    }
    EXPECT_EQ(left, 0);
    EXPECT_NEAR(right, 8 * 15 * 40, 0.06 * 8 * 15 * 40);
    EXPECT_NEAR(middle, 0.5 * 8 * 6 * 40, 0.15 * 8 * 6 * 40);
}

TEST(Scatter, refuses_what_cannot_be_before_it_takes_memory) {
    ScatterRecipe r = meadow(1e6);
    auto made = scatter(r, levelGround(r), {});
    ASSERT_FALSE(made);
    EXPECT_EQ(made.error().code, ErrorCode::TooLarge);
    EXPECT_NE(made.error().what.find("2,400,000,000"), std::string::npos) << made.error().what;
    r = meadow();
    r.assets.clear();
    EXPECT_FALSE(scatter(r, levelGround(r), {}));
    r = meadow();
    r.mostHeight = 0;
    made = scatter(r, levelGround(r), {});
    ASSERT_FALSE(made);
    EXPECT_NE(made.error().what.find("no place"), std::string::npos);
    r = meadow(-1);
    EXPECT_FALSE(scatter(r, levelGround(r), {}));
}

TEST(Scatter, stops_when_it_is_cancelled) {
    std::stop_source stop;
    JobContext job;
    job.stop = stop.get_token();
    job.progress = [&stop](double, std::string_view) { stop.request_stop(); };
    const ScatterRecipe r = meadow(20);
    const auto made = scatter(r, levelGround(r), job);
    ASSERT_FALSE(made);
    EXPECT_EQ(made.error().code, ErrorCode::Cancelled);
}

TEST(SpreadOrder, names_every_point_once_even_when_many_lie_in_one_place) {
    std::vector<Vec3d> points;
    for (int i = 0; i < 500; ++i)
        points.emplace_back(i % 50 == 0 ? 3.0 : share(5, static_cast<std::uint64_t>(i)) * 10, 0,
                            i % 50 == 0 ? 3.0 : share(6, static_cast<std::uint64_t>(i)) * 10);
    auto order = spreadOrder(points, {}, points.size(), 1, {});
    ASSERT_TRUE(order);
    std::vector<std::uint32_t> sorted = *order;
    std::sort(sorted.begin(), sorted.end());
    ASSERT_EQ(sorted.size(), points.size());
    for (std::uint32_t i = 0; i < sorted.size(); ++i)
        EXPECT_EQ(sorted[i], i);
    EXPECT_TRUE(spreadOrder({}, {}, 5, 1, {})->empty());
}

TEST(SpreadOrder, a_table_keeps_its_ids) {
    Placements table;
    for (std::uint32_t i = 0; i < 300; ++i) {
        Placement p;
        p.id = i + 10;
        p.position = {share(1, i) * 100, 0, share(2, i) * 100};
        table.push_back(p);
    }
    const auto ordered = inSpreadOrder(table, {});
    ASSERT_TRUE(ordered);
    for (const Placement& p : *ordered)
        EXPECT_EQ(p, table[p.id - 10]);
}

} // namespace thicket
