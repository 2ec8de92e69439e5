// Painting care on the surface.

#include "app/viewport/to_qt.h"
#include "app/viewport/viewport.h"

#include "app/look/look.h"

#include <QPainter>
#include <cmath>

namespace thicket::app {

bool Viewport::painting() const {
    const Subject* subject = m_bench.session.meshSubject();
    return m_stage == Stage::Thin && m_arrangement == Arrangement::Care && subject != nullptr &&
           subject->mesh().levels.front().mesh != nullptr;
}

/// The place on the source under a point of the picture.
std::optional<Viewport::Touch> Viewport::touch(const QPointF& at) const {
    const auto& mesh = m_bench.session.meshSubject()->mesh().levels.front().mesh;
    const auto surface = m_bench.care.surfaceFor(mesh);
    if (!surface)
        return std::nullopt;
    const View view = m_soloOrbit.view(m_bench.session.scene().settings.view);
    const double half = std::tan(view.fovY / 2);
    const double aspect = static_cast<double>(width()) / std::max(1, height());
    const Vec3d right = view.forward.cross(view.up);
    const Vec3d way = (view.forward + right * ((2 * at.x() / std::max(1, width()) - 1) * half * aspect) +
                       view.up * ((1 - 2 * at.y() / std::max(1, height())) * half))
                          .normalized();
    const auto hit = surface->cast(view.eye, way);
    if (!hit)
        return std::nullopt;
    const std::uint32_t* c = &mesh->indices[3 * std::size_t{hit->triangle}];
    const Vec3d a = mesh->positions[c[0]].cast<double>();
    const Vec3d normal =
        (mesh->positions[c[1]].cast<double>() - a).cross(mesh->positions[c[2]].cast<double>() - a).normalized();
    return Touch{view.eye + way * hit->distance, normal};
}

bool Viewport::beginStroke(const QPointF& at) {
    if (!painting() || !brush)
        return false;
    const auto touched = touch(at);
    if (!touched)
        return false; // beside the object the camera turns
    m_brush.begin(m_bench.session.subjectId(), brush(), touched->place.cast<float>());
    moved();
    return true;
}

void Viewport::goOnWithStroke(const QPointF& at) {
    if (!painting() || m_bench.session.subjectId() != m_brush.subject()) {
        cancelStroke(); // another subject, another stage, another project
        return;
    }
    if (const auto touched = touch(at))
        m_brush.goOn(touched->place.cast<float>());
    moved();
}

void Viewport::endStroke() {
    const auto stroke = m_brush.end();
    if (stroke && painting() && m_bench.session.subjectId() == m_brush.subject())
        m_bench.care.layStroke(m_brush.subject(), *stroke);
}

bool Viewport::cancelStroke() {
    const bool was = m_brush.end().has_value();
    m_brush.forget();
    if (was)
        moved();
    return was;
}

/// Adds to an item what is painted, the stroke in the making included.
void Viewport::tintByCare(const Subject& subject, DrawItem& item) {
    if (!item.mesh)
        return;
    item.values = m_brush.valuesOn(item.mesh, m_bench.care.values(item.mesh, subject.mesh().care),
                                   subject.mesh().care != nullptr);
    item.valueUse = ValueUse::Care;
}

void Viewport::paintBrush(QPainter& p, const QMatrix4x4& viewProjection) const {
    if (!underMouse() || !brush)
        return;
    const QPointF at = mapFromGlobal(QCursor::pos());
    const auto touched = touch(at);
    if (!touched)
        return;
    const double radius = static_cast<double>(brush().radius);
    const Vec3d side =
        touched->normal.cross(std::abs(touched->normal.y()) < 0.9 ? Vec3d(0, 1, 0) : Vec3d(1, 0, 0)).normalized();
    const Vec3d other = touched->normal.cross(side);
    QPolygonF ring;
    constexpr int kCorners = 48;
    for (int i = 0; i < kCorners; ++i) {
        const double angle = 2 * M_PI * i / kCorners;
        const auto corner = inPicture(
            viewProjection, touched->place + radius * (std::cos(angle) * side + std::sin(angle) * other), size());
        if (!corner)
            return;
        ring << *corner;
    }
    p.setBrush(Qt::NoBrush);
    p.setPen(QPen(QColor(0, 0, 0, 110), 3));
    p.drawPolygon(ring);
    p.setPen(QPen(brush().kind == CareStroke::Kind::Erase ? Look::now().text : Look::now().accent, 1.4));
    p.drawPolygon(ring);
}

} // namespace thicket::app
