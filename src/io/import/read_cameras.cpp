#include "io/import/read_cameras.h"

#include "base/file.h"
#include "io/import/load_gltf.h"
#include "mesh/pose.h"

#include <cmath>
#include <fmt/format.h>

namespace thicket {
namespace {

constexpr double kEvery = 1.0 / 30;   // seconds between moments that are looked at
constexpr double kWithin = 0.02;      // metres
constexpr double kLookAhead = 10;     // metres to what a key looks at
constexpr double kLongest = 6 * 3600; // seconds, as routes may be
constexpr std::size_t kMostCameras = 64;

/// The move of one camera in one animation; without keys where it stays.
Route routeOf(const Rig& rig, std::size_t camera, std::size_t animation) {
    Route route;
    const double duration = durationOf(rig.animations[animation]);
    const auto steps = static_cast<std::size_t>(std::ceil(duration / kEvery));
    std::vector<RouteKey> keys;
    bool moves = false;
    for (std::size_t i = 0; i <= steps; ++i) {
        const double seconds = std::min(duration, static_cast<double>(i) * kEvery);
        if (!keys.empty() && seconds <= keys.back().seconds)
            break;
        const Eigen::Matrix4f at = poseAt(rig, {animation, seconds}).joints[camera];
        const Vec3d eye = at.block<3, 1>(0, 3).cast<double>();
        const Vec3d forward = -at.block<3, 1>(0, 2).cast<double>().normalized(); // cameras look along -Z
        keys.push_back({seconds, eye, eye + kLookAhead * forward});
        moves = moves || (eye - keys.front().eye).norm() > kWithin ||
                (keys.back().target - keys.front().target).norm() > kWithin;
    }
    if (moves)
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
    detail::GltfRig builder(reader);
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
    for (std::size_t c = 0; c < names.size(); ++c)
        for (std::size_t a = 0; a < rig->animations.size(); ++a) {
            if (job.cancelled())
                return cancelledError();
            if (!(durationOf(rig->animations[a]) <= kLongest))
                return Error{ErrorCode::BadInput, file.string(),
                             fmt::format("a camera's move lasts {:.0f} s, more than the {:.0f} s that can be flown",
                                         durationOf(rig->animations[a]), kLongest),
                             "shorten it where it was made"};
            Route route = routeOf(*rig, c, a);
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
