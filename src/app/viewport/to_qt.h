#pragma once
// From the core's vectors to the window system's and back.

#include "mesh/vec.h"

#include <QVector3D>

namespace thicket::app {

inline QVector3D toQt(const Vec3d& v) {
    return {static_cast<float>(v.x()), static_cast<float>(v.y()), static_cast<float>(v.z())};
}

inline Vec3d fromQt(const QVector3D& v) {
    return {static_cast<double>(v.x()), static_cast<double>(v.y()), static_cast<double>(v.z())};
}

} // namespace thicket::app
