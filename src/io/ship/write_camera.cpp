#include "io/ship/write_camera.h"

#include "base/file.h"
#include "io/import/read_cameras.h"
#include "io/ship/read_back.h"
#include "io/ship/write_glb.h"

#include <cmath>

namespace thicket {
namespace {

/// As a camera that looks along -Z with +Y up.
Vec4f turnOf(const View& view) {
    Eigen::Matrix3d axes;
    axes.col(0) = view.forward.cross(view.up);
    axes.col(1) = view.up;
    axes.col(2) = -view.forward;
    const Quatd q = Quatd(axes).normalized();
    return {static_cast<float>(q.x()), static_cast<float>(q.y()), static_cast<float>(q.z()), static_cast<float>(q.w())};
}

} // namespace

Result<void> writeCamera(const std::filesystem::path& file, const Route& route, const View& view) {
    constexpr double kMostSteps = 100'000;
    const double length = route.length();
    const double every = std::max(1.0 / 30, length / kMostSteps);
    RigChannel places{0, RigChannel::Path::Translation, RigChannel::Between::Linear, {}, {}};
    RigChannel turns{0, RigChannel::Path::Rotation, RigChannel::Between::Linear, {}, {}};
    Vec4f before(0, 0, 0, 0);
    const auto steps = static_cast<std::size_t>(std::ceil(length / every));
    for (std::size_t i = 0; i <= steps; ++i) {
        const auto seconds = static_cast<float>(std::min(length, static_cast<double>(i) * every));
        if (!places.times.empty() && seconds <= places.times.back())
            break;
        const View at = viewOnRoute(route, view, static_cast<double>(seconds));
        Vec4f turn = turnOf(at);
        if (turn.dot(before) < 0)
            turn = -turn; // the short way round
        before = turn;
        for (RigChannel* channel : {&places, &turns})
            channel->times.push_back(seconds);
        for (int k = 0; k < 3; ++k)
            places.values.push_back(static_cast<float>(at.eye[k]));
        for (int k = 0; k < 4; ++k)
            turns.values.push_back(turn[k]);
    }
    if (auto done = writeFile(file, encodeCamera(route.name, {route.name, {places, turns}}, view)); !done)
        return done;
    const auto back = readCameras(file, {});
    if (!back || back->size() != 1)
        return readBackDiffers(file, "it holds no camera that moves");
    constexpr double kNear = 0.06; // metres, and of what it looks at 10 m away
    for (double s = 0; s <= length; s += length / 16) {
        const View was = viewOnRoute(route, view, std::min(s, length));
        const View is = viewOnRoute(back->front(), view, std::min(s, length));
        const double far = std::max(1.0, was.eye.norm() * 1e-5);
        if ((was.eye - is.eye).norm() > kNear * far || (was.forward - is.forward).norm() > kNear * far)
            return readBackDiffers(file, "it goes another way");
    }
    return {};
}

} // namespace thicket
