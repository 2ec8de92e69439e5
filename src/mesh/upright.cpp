#include "mesh/upright.h"

#include <cmath>
#include <numbers>

namespace thicket {
namespace {

/// Turns what stands in lists of four: x y z w.
void turnRotation(const Quatd& turn, float* xyzw) {
    const Quatd before(static_cast<double>(xyzw[3]), static_cast<double>(xyzw[0]), static_cast<double>(xyzw[1]),
                       static_cast<double>(xyzw[2]));
    const Quatd after = turn * before;
    xyzw[0] = static_cast<float>(after.x());
    xyzw[1] = static_cast<float>(after.y());
    xyzw[2] = static_cast<float>(after.z());
    xyzw[3] = static_cast<float>(after.w());
}

void turnPlace(Up up, float* xyz) {
    const Vec3f after = turnedUp(up, Vec3f(xyz[0], xyz[1], xyz[2]));
    xyz[0] = after.x();
    xyz[1] = after.y();
    xyz[2] = after.z();
}

/// What is bound comes in turned, and is turned back before it is moved.
void turnBind(Up up, std::array<float, 16>& bind) {
    // By columns: the second and the third are what the turn leaves where it found them.
    const auto before = bind;
    const auto column = [](std::size_t i) { return 4 * i; };
    for (std::size_t row = 0; row < 4; ++row) {
        const float y = before[column(1) + row];
        const float z = before[column(2) + row];
        const Vec3f turned = turnedUp(up, Vec3f(0, y, z));
        bind[column(1) + row] = turned.y();
        bind[column(2) + row] = turned.z();
    }
}

} // namespace

Quatd turnOf(Up up) {
    const double half = -static_cast<double>(up) * std::numbers::pi / 4;
    return {std::cos(half), std::sin(half), 0, 0};
}

void turnUp(Rig& rig, Up up) {
    if (up == Up::Y)
        return;
    const Quatd turn = turnOf(up);
    const auto isRoot = [&rig](int node) { return node >= 0 && rig.nodes[static_cast<std::size_t>(node)].parent < 0; };
    for (RigNode& node : rig.nodes)
        if (node.parent < 0) {
            node.translation = turnedUp(up, node.translation);
            turnRotation(turn, node.rotation.data());
        }
    for (auto& bind : rig.inverseBind)
        turnBind(up, bind);
    for (RigAnimation& animation : rig.animations)
        for (RigChannel& channel : animation.channels) {
            if (!isRoot(channel.node))
                continue;
            if (channel.path == RigChannel::Path::Translation)
                for (std::size_t i = 0; i + 3 <= channel.values.size(); i += 3)
                    turnPlace(up, &channel.values[i]);
            if (channel.path == RigChannel::Path::Rotation)
                for (std::size_t i = 0; i + 4 <= channel.values.size(); i += 4)
                    turnRotation(turn, &channel.values[i]);
        }
}

} // namespace thicket
