#pragma once
// From the core's vectors to the window system's and back.

#include "switching/view.h"

#include <QMatrix4x4>
#include <QVector3D>
#include <numbers>

namespace thicket::app {

inline QVector3D toQt(const Vec3d& v) {
    return {static_cast<float>(v.x()), static_cast<float>(v.y()), static_cast<float>(v.z())};
}

inline Vec3d fromQt(const QVector3D& v) {
    return {static_cast<double>(v.x()), static_cast<double>(v.y()), static_cast<double>(v.z())};
}

inline QMatrix4x4 viewProjectionOf(const View& view) {
    QMatrix4x4 m;
    m.perspective(static_cast<float>(view.fovY * 180 / std::numbers::pi), static_cast<float>(view.aspect),
                  static_cast<float>(view.nearMetres), static_cast<float>(view.farMetres));
    m.lookAt(toQt(view.eye), toQt(view.eye + view.forward), toQt(view.up));
    return m;
}

} // namespace thicket::app
