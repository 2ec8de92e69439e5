// Routes without a window: whatever is done to them, keys rise in time, and undo leads back to the byte.

#include "appmodel/model_fixture.h"
#include "base/file.h"

#include <QTest>
#include <gtest/gtest.h>
#include <random>

namespace thicket::app {
namespace {

class Routes : public ModelTest {
protected:
    static View at(double x, double z) { return lookAt(View(), {x, 2, z}, {0, 1, 0}); }
    [[nodiscard]] const std::vector<RouteKey>& keys() const { return bench.routes.current()->keys; }
};

} // namespace

TEST_F(Routes, whatever_is_done_keys_rise_and_undo_leads_back) {
    std::mt19937 random(11);
    std::uniform_real_distribution<double> any(-20, 40);
    const std::string empty = text();
    std::vector<std::string> states{empty};
    for (int step = 0; step < 300; ++step) {
        RouteModel& routes = bench.routes;
        const std::size_t count = routes.current() != nullptr ? keys().size() : 0;
        const std::size_t key = count > 0 ? random() % count : 0;
        switch (random() % 12) {
        case 0:
            routes.add();
            break;
        case 1:
            routes.copy();
            break;
        case 2:
            if (random() % 4 == 0)
                routes.remove();
            break;
        case 3:
            routes.rename(QStringLiteral("route %1").arg(random() % 3));
            break;
        case 4:
            routes.setLoop(random() % 2 == 0);
            break;
        case 5:
            routes.insertKey(any(random));
            break;
        case 6:
            routes.removeKey(key);
            break;
        case 7:
            routes.moveKeyTo(key, any(random), {});
            break;
        case 8:
            routes.moveKeyBy(key, {any(random), 0, any(random)}, {});
            break;
        case 9:
            routes.choose(random() % 3);
            break;
        default:
            routes.addKey(at(any(random), any(random)));
        }
        if (const std::string now = text(); now != states.back())
            states.push_back(now);
        const auto& all = bench.session.scene().settings.routes;
        ASSERT_TRUE(all.empty() || routes.current() != nullptr);
        for (const Route& route : all) {
            EXPECT_TRUE(route.keys.empty() || route.keys.front().seconds == 0) << "a route begins at 0";
            for (std::size_t k = 1; k < route.keys.size(); ++k)
                ASSERT_GT(route.keys[k].seconds, route.keys[k - 1].seconds) << step;
            for (std::size_t other = 0; &all[other] != &route; ++other)
                EXPECT_NE(all[other].name, route.name) << "routes are told apart by name";
        }
        if (step % 40 == 39) {
            ASSERT_TRUE(decodeProject(text(), folder.path(), "routes")) << "what is there can be opened";
        }
    }
    ASSERT_GT(states.size(), 100U);
    for (auto state = states.rbegin() + 1; state != states.rend(); ++state) {
        while (text() != *state && bench.session.document.undo().canUndo())
            bench.session.document.undo().undo();
        ASSERT_EQ(text(), *state);
    }
    EXPECT_EQ(text(), empty);
}

TEST_F(Routes, drags_of_one_key_are_one_step) {
    for (const double x : {0.0, 5.0, 9.0})
        bench.routes.addKey(at(x, 4));
    const int before = bench.session.document.undo().count();
    for (int i = 1; i <= 20; ++i)
        bench.routes.moveKeyTo(1, 4 + 0.1 * i, QStringLiteral("one drag"));
    EXPECT_NEAR(keys()[1].seconds, 6, 1e-9);
    EXPECT_EQ(bench.session.document.undo().count(), before + 1);
    bench.session.document.undo().undo();
    EXPECT_EQ(keys()[1].seconds, 4);
    bench.routes.moveKeyTo(0, 3, {});
    EXPECT_EQ(keys()[0].seconds, 0) << "the first stays where a route begins";
    bench.routes.moveKeyTo(2, 1, {});
    EXPECT_GT(keys()[2].seconds, keys()[1].seconds);
}

TEST_F(Routes, a_camera_that_never_moved_makes_no_route) {
    bench.routes.startRecording(at(1, 1));
    ASSERT_TRUE(QTest::qWaitFor(
        [&] {
            bench.routes.recordFrame(at(1, 1));
            return bench.routes.recorded() >= 3;
        },
        5000));
    bench.routes.stopRecording();
    EXPECT_EQ(bench.routes.current(), nullptr);
    EXPECT_TRUE(said.join(' ').contains("never moved"));
    bench.routes.stopRecording(); // not twice
    EXPECT_EQ(said.size(), 1);
}

TEST_F(Routes, go_out_as_cameras_and_come_in_again) {
    const QString file = QString::fromStdString((folder.path() / "camera.glb").string());
    bench.routes.takeOut(file);
    settle();
    EXPECT_FALSE(std::filesystem::exists(folder.path() / "camera.glb")) << "without a route there is nothing to write";
    for (const double x : {0.0, 5.0, 9.0})
        bench.routes.addKey(at(x, 4));
    bench.routes.takeOut(file);
    settle();
    ASSERT_TRUE(std::filesystem::exists(folder.path() / "camera.glb")) << said.join("; ").toStdString();
    bench.routes.bringIn(file);
    settle();
    ASSERT_EQ(bench.session.scene().settings.routes.size(), 2U) << said.join("; ").toStdString();
    EXPECT_EQ(bench.routes.current()->name, "Route 2");
    EXPECT_NEAR(bench.routes.current()->length(), 8, 1e-3);
    const std::string before = text();
    ASSERT_TRUE(writeTextFile(folder.path() / "camera.glb", "no camera"));
    said.clear();
    bench.routes.bringIn(file);
    bench.routes.takeOut(QStringLiteral("/proc/camera.glb"));
    settle();
    EXPECT_EQ(said.size(), 2) << "one message for what could not be read, one for what could not be written";
    EXPECT_EQ(text(), before);
}

} // namespace thicket::app
