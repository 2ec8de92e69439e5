#pragma once
// From the core's vectors to the window system's.

#include "mesh/vec.h"

#include <QVector3D>

namespace thicket::app {

inline QVector3D toQt(const Vec3d& v) {
    return {static_cast<float>(v.x()), static_cast<float>(v.y()), static_cast<float>(v.z())};
}

} // namespace thicket::app
