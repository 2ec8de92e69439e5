// A sweep says at every place what an audit that stands there would say, whichever way one came.

#include "budget/sweep.h"

#include "scene/grounds.h"
#include "scene/occluders.h"
#include "support/shapes.h"

#include <algorithm>
#include <cmath>
#include <functional>
#include <gtest/gtest.h>
#include <numbers>
#include <random>

namespace thicket {
namespace {

/// Balls of three levels strewn over a square of 120 m, more to the East.
Scene strewn() {
    Scene scene;
    Subject ball;
    ball.id = scene.nextId++;
    ball.name = "ball";
    ball.mesh().surfaces = std::make_shared<const Surfaces>();
    for (const int splits : {16, 8, 3}) {
        Level level = levelFrom(std::make_shared<const Mesh>(shapes::sphere(splits)), {}, LevelOrigin::Collapsed);
        level.visible = level.promised = splits == 16 ? 0 : 0.3 / splits / splits;
        ball.mesh().levels.push_back(std::move(level));
    }
    ball.mesh().levels[0].origin = LevelOrigin::Source;
    refreshSubject(ball);
    Placements copies;
    std::mt19937 random(5);
    std::uniform_real_distribution<double> any(0, 1);
    for (int i = 0; i < 160; ++i) {
        Placement p;
        p.id = scene.nextId++;
        p.position = {120 * std::sqrt(any(random)), 1, 120 * any(random)};
        copies.push_back(p);
    }
    ball.mesh().placed = std::make_shared<const Placements>(std::move(copies));
    scene.subjects = {ball};
    return scene;
}

SweepOptions coarse() {
    SweepOptions out;
    out.spacing = 11;
    out.directions = 5;
    return out;
}

} // namespace

TEST(Sweep, every_place_costs_what_a_fresh_look_from_there_costs) {
    const Scene scene = strewn();
    Device device;
    device.triangleBudget = 40000;
    device.frameMs = 100;
    const auto sweep = sweepScene(scene, device, coarse(), {});
    ASSERT_TRUE(sweep);
    ASSERT_EQ(sweep->places.size(), std::size_t{sweep->columns} * sweep->rows);
    SelectInput input = selectInput(scene, scene.statedView(&device));
    fillOccluders(scene, input);
    for (Batch& batch : input.batches) {
        batch.chain.rule.hysteresis = 0;
        batch.chain.rule.dwellSeconds = 0;
    }
    std::size_t over = 0;
    for (const SweepPlace& p : sweep->places) {
        std::uint64_t triangles = 0;
        double ms = 0;
        for (int d = 0; d < 5; ++d) {
            const double turn = 2 * std::numbers::pi * d / 5;
            const Vec3d eye(p.x, p.eye, p.z);
            const View view = lookAt(scene.statedView(&device), eye, eye + Vec3d(std::cos(turn), 0, std::sin(turn)));
            SelectState fresh;
            Selection selection;
            SelectOptions options = selectOptions(scene, 0);
            options.fades = false;
            select(input, view, 0, options, fresh, selection);
            const Ledger ledger = ledgerOf(input, selection, view, device);
            triangles = std::max(triangles, ledger.total.triangles);
            ms = std::max(ms, ledger.ms);
        }
        EXPECT_EQ(p.triangles, triangles) << p.x << ' ' << p.z;
        EXPECT_NEAR(p.ms, ms, 1e-9);
        EXPECT_EQ(p.over, ms > device.frameMs || triangles > device.triangleBudget);
        over += p.over ? 1 : 0;
    }
    EXPECT_EQ(sweep->over, over);
    EXPECT_GT(over, 0U);
    EXPECT_LT(over, sweep->places.size());
}

TEST(Sweep, the_worst_places_are_apart_and_dearest_first) {
    const auto sweep = sweepScene(strewn(), Device(), coarse(), {});
    ASSERT_TRUE(sweep);
    const auto worst = sweep->worst(4, 30);
    ASSERT_EQ(worst.size(), 4U);
    const auto dearest = std::max_element(sweep->places.begin(), sweep->places.end(),
                                          [](const SweepPlace& a, const SweepPlace& b) { return a.ms < b.ms; });
    EXPECT_EQ(sweep->places[worst[0]].ms, dearest->ms);
    for (std::size_t i = 1; i < worst.size(); ++i) {
        EXPECT_LE(sweep->places[worst[i]].ms, sweep->places[worst[i - 1]].ms);
        for (std::size_t k = 0; k < i; ++k)
            EXPECT_GE(std::hypot(sweep->places[worst[i]].x - sweep->places[worst[k]].x,
                                 sweep->places[worst[i]].z - sweep->places[worst[k]].z),
                      30);
    }
    const std::string table = sweepTable(*sweep);
    EXPECT_EQ(static_cast<std::size_t>(std::count(table.begin(), table.end(), '\n')), sweep->places.size() + 1);
}

TEST(Sweep, what_is_seen_far_off_is_not_gone_over) {
    Scene scene = strewn();
    const auto alone = sweepScene(scene, Device(), coarse(), {});
    ASSERT_TRUE(alone);
    Subject sea = scene.subjects.front();
    sea.id = scene.nextId++;
    sea.name = "sea";
    sea.role = Role::Horizon;
    Placement wide;
    wide.id = scene.nextId++;
    wide.position = {60, -400, 60};
    wide.scale = 900;
    sea.mesh().placed = std::make_shared<const Placements>(Placements{wide});
    scene.subjects.push_back(sea);
    const auto size = sweepSize(scene, coarse());
    ASSERT_TRUE(size);
    EXPECT_EQ(size->first, alone->columns);
    EXPECT_EQ(size->second, alone->rows);
    const auto with = sweepScene(scene, Device(), coarse(), {});
    ASSERT_TRUE(with);
    EXPECT_EQ(with->places.front().eye, alone->places.front().eye);
    scene.subjects.erase(scene.subjects.begin());
    const auto seaAlone = sweepSize(scene, coarse());
    ASSERT_TRUE(seaAlone);
    EXPECT_GT(seaAlone->first, 4 * size->first) << "where there is nothing else, it is";
}

TEST(Sweep, an_area_is_kept_to_and_nonsense_is_refused) {
    const Scene scene = strewn();
    SweepOptions options = coarse();
    options.area = {10, 20, 32, 42};
    const auto sweep = sweepScene(scene, Device(), options, {});
    ASSERT_TRUE(sweep);
    EXPECT_EQ(sweep->columns, 3U);
    EXPECT_EQ(sweep->rows, 3U);
    EXPECT_EQ(sweep->places.front().x, 10);
    EXPECT_EQ(sweep->places.back().z, 42);
    const auto refused = [&](const std::function<void(SweepOptions&)>& how) {
        SweepOptions bad = coarse();
        how(bad);
        const auto made = sweepScene(scene, Device(), bad, {});
        EXPECT_FALSE(made);
        EXPECT_FALSE(sweepSize(scene, bad));
        return made ? ErrorCode::Cancelled : made.error().code;
    };
    EXPECT_EQ(refused([](SweepOptions& o) { o.spacing = 0; }), ErrorCode::BadInput);
    EXPECT_EQ(refused([](SweepOptions& o) { o.spacing = std::nan(""); }), ErrorCode::BadInput);
    EXPECT_EQ(refused([](SweepOptions& o) { o.directions = 0; }), ErrorCode::BadInput);
    EXPECT_EQ(refused([](SweepOptions& o) { o.eyeHeight = -1; }), ErrorCode::BadInput);
    EXPECT_EQ(refused([](SweepOptions& o) { o.area = {5, 0, 4, 1}; }), ErrorCode::BadInput);
    EXPECT_EQ(refused([](SweepOptions& o) { o.spacing = 0.01; }), ErrorCode::TooLarge);
    EXPECT_FALSE(sweepScene(Scene(), Device(), coarse(), {})) << "nothing is placed";
    std::stop_source stop;
    stop.request_stop();
    const auto cancelled = sweepScene(scene, Device(), coarse(), {stop.get_token(), {}});
    ASSERT_FALSE(cancelled);
    EXPECT_EQ(cancelled.error().code, ErrorCode::Cancelled);
}

TEST(Sweep, on_ground_one_stands_on_it_and_without_anything_else_all_of_it_is_gone_over) {
    TerrainBody body;
    body.trial = GroundRecipe();
    body.trial->columns = body.trial->rows = 129;
    auto ground = makeTerrain("Hill", std::move(body), {});
    ASSERT_TRUE(ground);
    Scene scene;
    ground->id = scene.nextId++;
    scene.subjects = {std::move(*ground)};
    SweepOptions options;
    options.spacing = 16;
    options.eyeHeight = 2;
    const auto sweep = sweepScene(scene, Device(), options, {});
    ASSERT_TRUE(sweep) << sweep.error().text();
    EXPECT_GE(sweep->columns, 8U);
    bool uneven = false;
    for (const SweepPlace& p : sweep->places) {
        const auto height = groundHeight(scene, p.x, p.z);
        if (height) {
            EXPECT_NEAR(p.eye, *height + 2, 1e-9);
        }
        uneven = uneven || std::abs(p.eye - sweep->places[0].eye) > 0.5;
        EXPECT_GT(p.triangles, 0U);
    }
    EXPECT_TRUE(uneven);
    ASSERT_FALSE(sweep->dearest.empty());
    for (const SweepPlace& p : sweep->places)
        EXPECT_LE(p.ms, sweep->places[sweep->dearest[0]].ms);
}

} // namespace thicket
