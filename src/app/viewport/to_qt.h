#pragma once
// From the core's vectors to the window system's and back.

#include "switching/view.h"

#include <QMatrix4x4>
#include <QPointF>
#include <QSize>
#include <QVector3D>
#include <QVector4D>
#include <numbers>
#include <optional>

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

/// Where a place is in a picture of that size, from its left upper corner; empty behind the camera, or next to it.
inline std::optional<QPointF> inPicture(const QMatrix4x4& viewProjection, const Vec3d& place, const QSize& size) {
    constexpr float kBehind = 1e-6F;
    const QVector4D clip = viewProjection * QVector4D(toQt(place), 1);
    if (clip.w() <= kBehind)
        return std::nullopt;
    return QPointF((static_cast<double>(clip.x() / clip.w()) * 0.5 + 0.5) * size.width(),
                   (0.5 - static_cast<double>(clip.y() / clip.w()) * 0.5) * size.height());
}

} // namespace thicket::app
