#include "io/import/read_cameras.h"

#include "base/file.h"
#include "io/import/load_gltf.h"
#include "mesh/pose.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>

namespace thicket {
namespace {

constexpr double kEvery = 1.0 / 30;   // seconds between moments that are looked at
constexpr double kWithin = 0.02;      // metres
constexpr double kLookAhead = 10;     // metres to what a key looks at
constexpr double kLongest = 6 * 3600; // seconds, as routes may be
constexpr std::size_t kMostCameras = 64;
constexpr std::size_t kMostSteps = 100'000;   // of one move: longer ones are looked at more rarely
constexpr std::size_t kMostLooks = 2'000'000; // at poses, of all moves together

/// Whether an animation moves a node, or what it hangs from.
bool moves(const Rig& rig, const RigAnimation& animation, int node) {
    for (; node >= 0; node = rig.nodes[static_cast<std::size_t>(node)].parent)
        if (std::any_of(animation.channels.begin(), animation.channels.end(),
                        [node](const RigChannel& c) { return c.node == node; }))
            return true;
    return false;
}

std::size_t stepsOf(double duration) {
    return static_cast<std::size_t>(std::ceil(std::min(duration / kEvery, static_cast<double>(kMostSteps))));
}

/// The move of one camera in one animation; without keys where it stays.
Route routeOf(const Rig& rig, std::size_t camera, std::size_t animation, const JobContext& job) {
    Route route;
    const double duration = durationOf(rig.animations[animation]);
    const std::size_t steps = stepsOf(duration);
    const double every = std::max(kEvery, duration / static_cast<double>(kMostSteps));
    std::vector<RouteKey> keys;
    bool goes = false;
    for (std::size_t i = 0; i <= steps && !job.cancelled(); ++i) {
        const double seconds = std::min(duration, static_cast<double>(i) * every);
        if (!keys.empty() && seconds <= keys.back().seconds)
            break;
        const Eigen::Matrix4f at = poseAt(rig, {animation, seconds}).joints[camera];
        const Vec3d eye = at.block<3, 1>(0, 3).cast<double>();
        const Vec3d forward = -at.block<3, 1>(0, 2).cast<double>().normalized(); // cameras look along -Z
        keys.push_back({seconds, eye, eye + kLookAhead * forward});
        goes = goes || (eye - keys.front().eye).norm() > kWithin ||
               (keys.back().target - keys.front().target).norm() > kWithin;
    }
    if (goes && !job.cancelled())
        route.keys = fewerKeys(keys, kWithin);
    return route;
}

} // namespace

Result<std::vector<Route>> readCameras(const std::filesystem::path& file, const JobContext& job) {
    job.report(0, "reading " + file.filename().string());
    const std::string suffix = file.extension().string();
    if (suffix != ".glb" && suffix != ".gltf" && suffix != ".GLB" && suffix != ".GLTF")
        return Error{ErrorCode::BadInput, file.string(), "is no file that cameras are read from",
                     "give a glTF or GLB file"};
    constexpr std::uintmax_t kMostBytes = 0xFFFFFFFF;
    const auto data = readFile(file, kMostBytes);
    if (!data)
        return data.error();
    const auto loaded = detail::loadGltf(file, *data);
    if (!loaded)
        return loaded.error();
    const detail::GltfReader reader{loaded->model, file.string()};
    const detail::GltfMotion motion(reader);
    detail::GltfRig builder(reader, motion);
    std::vector<std::string> names;
    for (const detail::PlacedNode& at : detail::placedNodes(loaded->model)) {
        const tinygltf::Node& node = loaded->model.nodes[static_cast<std::size_t>(at.node)];
        if (node.camera < 0 || names.size() >= kMostCameras)
            continue;
        builder.follow(at.node);
        names.push_back(node.name.empty() ? fmt::format("Camera {}", names.size() + 1) : node.name);
    }
    auto rig = builder.finish();
    if (!rig)
        return rig.error();
    std::vector<Route> out;
    std::size_t looks = 0;
    for (std::size_t c = 0; c < names.size(); ++c)
        for (std::size_t a = 0; a < rig->animations.size(); ++a) {
            if (!moves(*rig, rig->animations[a], rig->joints[c]))
                continue;
            const double duration = durationOf(rig->animations[a]);
            if (!(duration <= kLongest))
                return Error{ErrorCode::BadInput, file.string(),
                             fmt::format("a camera's move lasts {:.0f} s, more than the {:.0f} s that can be flown",
                                         duration, kLongest),
                             "shorten it where it was made"};
            looks += stepsOf(duration) * names.size(); // a pose is one of all cameras
            if (looks > kMostLooks)
                return Error{ErrorCode::TooLarge, file.string(), "holds more moves of cameras than are read at once",
                             "export fewer cameras, or shorter moves"};
            Route route = routeOf(*rig, c, a, job);
            if (job.cancelled())
                return cancelledError();
            if (route.keys.size() < 2)
                continue;
            route.name = names[c];
            out.push_back(std::move(route));
        }
    if (out.empty())
        return Error{ErrorCode::BadInput, file.string(),
                     names.empty() ? "holds no camera" : "holds no camera that moves",
                     "export the camera with its animation"};
    return out;
}

} // namespace thicket
