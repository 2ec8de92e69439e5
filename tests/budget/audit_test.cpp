#include "budget/audit.h"
#include "support/shapes.h"

#include <gtest/gtest.h>

namespace thicket {
namespace {

Scene sceneWithBalls() {
    Scene scene;
    for (std::uint32_t id = 1; id <= 2; ++id) {
        Subject s;
        s.id = id;
        s.name = "ball";
        s.mesh().surfaces = std::make_shared<const Surfaces>();
        s.mesh().levels.push_back(levelFrom(std::make_shared<const Mesh>(shapes::sphere(20)), {}, LevelOrigin::Source));
        s.mesh().levels.push_back(
            levelFrom(std::make_shared<const Mesh>(shapes::sphere(5)), {}, LevelOrigin::Collapsed));
        s.mesh().levels[1].promised = s.mesh().levels[1].visible = 0.02;
        refreshSubject(s);
        s.mesh().placed = std::make_shared<const Placements>(
            Placements{{10 + id, 0, {static_cast<double>(id), 0, 0}, Quatd::Identity(), 1, 1}});
        scene.subjects.push_back(s);
    }
    scene.settings.routes = {{"away", {{0, {0, 0, 4}, {0, 0, 0}}, {4, {0, 0, 400}, {0, 0, 0}}}}};
    return scene;
}

} // namespace

TEST(Device, frame_time_is_the_stated_formula) {
    Device d;
    d.nsPerTriangle = 10;
    d.nsPerVertex = 5;
    d.usPerDraw = 20;
    d.nsPerPixel = 1;
    d.overdraw = 2;
    d.baseMs = 0.5;
    const auto cost = [](std::uint64_t triangles, std::uint64_t vertices, std::uint64_t draws, double pixels) {
        SubjectCost out;
        out.triangles = triangles;
        out.vertices = vertices;
        out.draws = draws;
        out.pixels = pixels;
        return out;
    };
    EXPECT_NEAR(frameMs(d, cost(100'000, 50'000, 100, 200'000)), 1.25 + 2 + 0.5, 1e-9) << "geometry is the slower";
    EXPECT_NEAR(frameMs(d, cost(1000, 500, 10, 1'000'000)), 2 + 0.2 + 0.5, 1e-9) << "pixels are the slower";
}

TEST(Ledger, rows_and_base_add_up_to_the_frame) {
    const Scene scene = sceneWithBalls();
    const SelectInput s = selectInput(scene, scene.settings.view);
    SelectState state;
    Selection selection;
    const View view = lookAt(scene.settings.view, {0, 0, 6}, {0, 0, 0});
    select(s, view, 0, {}, state, selection);
    const Device device;
    const Ledger ledger = ledgerOf(s, selection, view, device);
    double ms = device.baseMs;
    std::uint64_t triangles = 0;
    for (const LedgerRow& row : ledger.rows) {
        ms += row.ms;
        triangles += row.cost.triangles;
    }
    EXPECT_NEAR(ms, ledger.ms, 1e-9);
    EXPECT_EQ(triangles, ledger.total.triangles);
    EXPECT_EQ(ledger.total.triangles, selection.total.triangles);
    EXPECT_EQ(ledger.total.draws, selection.total.draws);
}

TEST(Ledger, memory_is_that_of_the_levels_that_show) {
    const Scene scene = sceneWithBalls();
    const SelectInput s = selectInput(scene, scene.settings.view);
    const std::vector<SubjectMemory> memory = memoryOfScene(scene);
    double before = 1e300;
    for (const double away : {6.0, 300.0}) {
        SelectState state;
        Selection selection;
        const View view = lookAt(scene.settings.view, {0, 0, away}, {0, 0, 0});
        select(s, view, 0, {}, state, selection);
        const Ledger ledger = withMemory(ledgerOf(s, selection, view, {}), selection, memory);
        double sum = 0;
        for (std::size_t i = 0; i < ledger.rows.size(); ++i) {
            const std::size_t level = away < 100 ? 0 : 1;
            EXPECT_NEAR(ledger.rows[i].memoryMb, memory[i].with(std::uint64_t{1} << level, 0) / 1e6, 1e-12);
            sum += ledger.rows[i].memoryMb;
        }
        EXPECT_LT(sum, before) << "a coarser level takes less";
        before = sum;
    }
}

TEST(Audit, walks_every_frame_and_sees_the_switches) {
    const Scene scene = sceneWithBalls();
    Device device;
    device.frameRate = 30;
    const auto audit = auditRoute(scene, scene.settings.routes[0], device, {});
    ASSERT_TRUE(audit);
    EXPECT_EQ(audit->frames.size(), 121U);
    std::uint32_t switches = 0;
    for (const AuditFrame& f : audit->frames)
        switches += f.switches;
    EXPECT_EQ(switches, 2U) << "each ball goes from L0 to L1 once";
    EXPECT_EQ(audit->frames.front().triangles, 2U * 8000U);
    EXPECT_EQ(audit->frames.back().triangles, 2U * 500U);
    EXPECT_TRUE(audit->holds());
}

TEST(Audit, counts_frames_over_any_budget) {
    const Scene scene = sceneWithBalls();
    Device device;
    device.frameRate = 30;
    device.triangleBudget = 10'000;
    const auto audit = auditRoute(scene, scene.settings.routes[0], device, {});
    std::uint32_t over = 0;
    for (const AuditFrame& f : audit->frames)
        over += f.triangles > 10'000 ? 1 : 0;
    EXPECT_GT(over, 0U);
    EXPECT_EQ(audit->framesOver, over);
    EXPECT_FALSE(audit->holds());
}

TEST(Audit, a_route_without_length_is_refused_and_cancel_is_kept) {
    Scene scene = sceneWithBalls();
    EXPECT_EQ(auditRoute(scene, {"dot", {{0, Vec3d(0, 0, 0), Vec3d(0, 0, 1)}}}, {}, {}).error().text(),
              "dot: the route has no length; record or key a camera move first");
    EXPECT_EQ(auditRoute(scene, {"long", {{0, Vec3d(0, 0, 0), Vec3d(0, 0, 1)}, {1e6, Vec3d(0, 0, 9), Vec3d(0, 0, 1)}}},
                         {}, {})
                  .error()
                  .text(),
              "long: lasts 1000000 s, more than the 21600 s that can be flown; set its last key to an earlier time");
    std::stop_source stop;
    stop.request_stop();
    EXPECT_EQ(auditRoute(scene, scene.settings.routes[0], {}, {stop.get_token(), {}, 0, 1}).error().code,
              ErrorCode::Cancelled);
}

} // namespace thicket
