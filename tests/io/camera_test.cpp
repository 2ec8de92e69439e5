// Routes as cameras of glTF files, there and back, and routes themselves.

#include "base/file.h"
#include "io/import/read_cameras.h"
#include "io/project/project.h"
#include "io/ship/write_camera.h"
#include "support/temp_folder.h"

#include <algorithm>
#include <gtest/gtest.h>
#include <string>

namespace thicket {
namespace {

Route bend(bool loop) {
    return {"bend",
            {{0, {0, 2, 0}, {10, 2, 0}},
             {3, {20, 2, 5}, {25, 1, 30}},
             {5, {30, 6, 30}, {0, 0, 30}},
             {9, {0, 3, 40}, {0, 2, 0}}},
            loop};
}

} // namespace

TEST(Cameras, a_route_comes_back_as_the_same_move) {
    const TempFolder folder;
    for (const bool loop : {false, true}) {
        const Route route = bend(loop);
        const auto file = folder.path() / "camera.glb";
        ASSERT_TRUE(writeCamera(file, route, View()));
        const auto back = readCameras(file, {});
        ASSERT_TRUE(back) << back.error().text();
        ASSERT_EQ(back->size(), 1U);
        EXPECT_EQ(back->front().name, "bend");
        EXPECT_NEAR(back->front().length(), route.length(), 1e-3);
        EXPECT_LT(back->front().keys.size(), 200U) << "as few keys as it takes";
        for (double s = 0; s <= route.length(); s += 0.13) {
            const View was = viewOnRoute(route, View(), s);
            const View is = viewOnRoute(back->front(), View(), s);
            EXPECT_LT((was.eye - is.eye).norm(), 0.08) << s;
            EXPECT_LT((was.forward - is.forward).norm(), 0.03) << s;
        }
    }
}

TEST(Cameras, what_holds_none_is_said) {
    const TempFolder folder;
    const auto file = folder.path() / "a.gltf";
    const auto said = [&](const std::string& text) {
        EXPECT_TRUE(writeTextFile(file, text));
        const auto read = readCameras(file, {});
        EXPECT_FALSE(read);
        return read ? std::string() : read.error().what;
    };
    EXPECT_EQ(said(R"({"asset":{"version":"2.0"},"scene":0,"scenes":[{"nodes":[0]}],"nodes":[{"name":"a"}]})"),
              "holds no camera");
    EXPECT_EQ(said(R"({"asset":{"version":"2.0"},"scene":0,"scenes":[{"nodes":[0]}],"nodes":[{"camera":0}],
                       "cameras":[{"type":"perspective","perspective":{"yfov":1,"znear":0.1}}]})"),
              "holds no camera that moves");
    EXPECT_NE(said("{"), "");
    EXPECT_FALSE(readCameras(folder.path() / "none.glb", {}));
    EXPECT_FALSE(readCameras(folder.path() / "a.obj", {}));
}

namespace {

/// A glTF of so many cameras that one animation moves, each with keys at 0 and at `seconds`.
std::string movingCameras(std::size_t cameras, float seconds) {
    const float data[] = {0, seconds, 0, 0, 0, 5, 1, 2};
    std::string bytes;
    constexpr char kDigits[] = "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/";
    const auto* raw = reinterpret_cast<const unsigned char*>(data);
    for (std::size_t i = 0; i < sizeof(data); i += 3) {
        const std::size_t left = std::min<std::size_t>(3, sizeof(data) - i);
        const unsigned group = static_cast<unsigned>(raw[i]) << 16 |
                               (left > 1 ? static_cast<unsigned>(raw[i + 1]) << 8 : 0U) | (left > 2 ? raw[i + 2] : 0U);
        for (std::size_t k = 0; k < 4; ++k)
            bytes += k <= left ? kDigits[group >> (18 - 6 * k) & 63U] : '=';
    }
    std::string nodes;
    std::string roots;
    std::string channels;
    for (std::size_t c = 0; c < cameras; ++c) {
        const std::string comma = c == 0 ? "" : ",";
        nodes += comma + R"({"camera":0,"name":"c)" + std::to_string(c) + "\"}";
        roots += comma + std::to_string(c);
        channels += comma + R"({"sampler":0,"target":{"path":"translation","node":)" + std::to_string(c) + "}}";
    }
    return R"({"asset":{"version":"2.0"},"scene":0,"scenes":[{"nodes":[)" + roots + R"(]}],"nodes":[)" + nodes +
           R"(],"cameras":[{"type":"perspective","perspective":{"yfov":1,"znear":0.1}}],
           "buffers":[{"byteLength":32,"uri":"data:application/octet-stream;base64,)" +
           bytes + R"("}],
           "bufferViews":[{"buffer":0,"byteLength":8},{"buffer":0,"byteOffset":8,"byteLength":24}],
           "accessors":[{"bufferView":0,"componentType":5126,"count":2,"type":"SCALAR","min":[0],"max":[1]},
                        {"bufferView":1,"componentType":5126,"count":2,"type":"VEC3"}],
           "animations":[{"channels":[)" +
           channels + R"(],"samplers":[{"input":0,"output":1}]}]})";
}

} // namespace

TEST(Cameras, moves_that_are_too_long_or_too_many_are_refused_at_once) {
    const TempFolder folder;
    const auto file = folder.path() / "a.gltf";
    const auto read = [&](std::size_t cameras, float seconds) {
        EXPECT_TRUE(writeTextFile(file, movingCameras(cameras, seconds)));
        return readCameras(file, {});
    };
    const auto two = read(2, 10);
    ASSERT_TRUE(two) << two.error().text();
    ASSERT_EQ(two->size(), 2U);
    EXPECT_NE((*two)[1].name, two->front().name);
    EXPECT_LT(two->front().keys.size(), 12U) << "a straight move takes few keys";
    EXPECT_NEAR((viewOnRoute(two->front(), View(), 10).eye - Vec3d(5, 1, 2)).norm(), 0, 1e-5);
    const auto day = read(1, 18'000);
    ASSERT_TRUE(day) << day.error().text();
    EXPECT_NEAR(day->front().length(), 18'000, 1);
    const auto longer = read(1, 1e9F);
    ASSERT_FALSE(longer);
    EXPECT_NE(longer.error().what.find("more than the 21600 s"), std::string::npos) << longer.error().text();
    const auto many = read(64, 18'000);
    ASSERT_FALSE(many);
    EXPECT_EQ(many.error().code, ErrorCode::TooLarge);
    std::stop_source stop;
    stop.request_stop();
    EXPECT_TRUE(writeTextFile(file, movingCameras(1, 18'000)));
    const auto cancelled = readCameras(file, {stop.get_token(), {}});
    ASSERT_FALSE(cancelled);
    EXPECT_EQ(cancelled.error().code, ErrorCode::Cancelled);
}

TEST(Routes, a_closed_one_goes_on_to_its_beginning) {
    const Route route = bend(true);
    EXPECT_DOUBLE_EQ(route.length(), 12);
    for (const RouteKey& key : route.keys)
        EXPECT_LT((viewOnRoute(route, View(), key.seconds).eye - key.eye).norm(), 1e-9);
    EXPECT_LT((viewOnRoute(route, View(), 12).eye - route.keys[0].eye).norm(), 1e-9);
    EXPECT_LT((viewOnRoute(route, View(), 11.999).eye - route.keys[0].eye).norm(), 0.1) << "no jump where it closes";
    for (double s = 0; s < 12; s += 0.05)
        EXPECT_LT(speedOnRoute(route, s), 60) << s;
}

TEST(Routes, of_a_recording_only_the_keys_that_it_takes_stay) {
    std::vector<RouteKey> keys;
    for (int i = 0; i <= 100; ++i) { // along a line, then along another
        const double t = i / 10.0;
        const Vec3d eye = t < 5 ? Vec3d(t, 2, 0) : Vec3d(5, 2, t - 5);
        keys.push_back({t, eye, eye + Vec3d(0, 0, 10)});
    }
    const auto few = fewerKeys(keys, 0.05);
    EXPECT_LT(few.size(), 16U) << "but for the corner nothing needs any";
    const Route route{"kept", few};
    for (const RouteKey& key : keys)
        EXPECT_LT((viewOnRoute(route, View(), key.seconds).eye - key.eye).norm(), 0.05 + 1e-9);
}

TEST(Routes, which_one_is_looked_at_and_whether_it_closes_outlive_the_project) {
    const TempFolder folder;
    Scene scene;
    scene.settings.devices.emplace_back();
    scene.settings.devices[0].name = "any";
    scene.settings.devices[0].memoryMb = 64;
    scene.settings.devices[0].aheadSeconds = 1.5;
    scene.settings.routes = {bend(false), bend(true)};
    scene.settings.routes[1].name = "round";
    scene.settings.route = 1;
    ASSERT_TRUE(writeProject(scene, folder.path() / "a.thicket.json", false));
    const auto load = readProject(folder.path() / "a.thicket.json", {});
    ASSERT_TRUE(load);
    ASSERT_NE(load->scene.currentRoute(), nullptr);
    EXPECT_EQ(load->scene.currentRoute()->name, "round");
    EXPECT_TRUE(load->scene.currentRoute()->loop);
    EXPECT_EQ(load->scene.settings.devices[0].memoryMb, 64);
    EXPECT_EQ(load->scene.settings.devices[0].aheadSeconds, 1.5);
}

} // namespace thicket
