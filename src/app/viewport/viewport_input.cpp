// The camera by mouse, wheel, touchpad and keys.

#include "app/viewport/particle_items.h"
#include "app/viewport/viewport.h"
#include "switching/pick_ray.h"

#include <QLineF>
#include <QMouseEvent>
#include <algorithm>
#include <cmath>

namespace thicket::app {

void Viewport::moved() {
    m_moving = true;
    m_rest.start();
    if (m_motion.valid())
        m_movedOn = true; // the next frame begins when this one is shown
    else if (m_motionInSteps)
        m_nextOfMotion.start();
    else
        refresh();
}

void Viewport::turn(double left, double up) {
    orbit().turn(left, up);
    moved();
}

void Viewport::pan(double right, double down) {
    orbit().pan(right, down, m_bench.session.scene().settings.view, height());
    if (!m_held.clicked)
        m_held = {};
    moved();
}

void Viewport::dolly(double factor) {
    orbit().dolly(factor);
    moved();
}

void Viewport::mousePressEvent(QMouseEvent* event) {
    m_last = event->position();
    m_pressed = event->button() == Qt::LeftButton && event->modifiers() == Qt::NoModifier ? m_last : QPointF(-1, -1);
    stopWalk();
    setFocus(Qt::MouseFocusReason);
    m_wiping = event->button() == Qt::LeftButton && onWipe(event->position());
    const bool plain = event->button() == Qt::LeftButton && event->modifiers() == Qt::NoModifier;
    if (plain && m_stage == Stage::Thin && m_shading == Shading::Heat && heatLegend().contains(event->position())) {
        m_pressed = QPointF(-1, -1);
        frameWorst();
        return;
    }
    if (plain && groundBrushOut()) {
        const auto hit = groundAlongSight(sightThrough(event->position()), false);
        if (const auto held = groundBrush(); hit && held)
            m_bench.grounds.beginStroke(m_bench.session.subjectId(), held->kind, held->radius, held->strength,
                                        hit->place);
    } else if (plain) {
        beginStroke(event->position());
    }
}

void Viewport::mouseReleaseEvent(QMouseEvent* event) {
    constexpr double kStill = 3; // pixels: less is a click
    if (m_bench.grounds.stroking())
        m_bench.grounds.endStroke();
    else if (m_brush.painting())
        endStroke();
    else if (groundBrushOut())
        refresh();
    else if (event->button() == Qt::LeftButton && !m_wiping && !solo() && m_pressed.x() >= 0 &&
             QLineF(m_pressed, event->position()).length() <= kStill)
        chooseAt(event->position());
    m_wiping = false;
}

/// What a click meets is chosen: its subject, and of that the copy. The ground only where nothing stands before it,
/// smoke where it hides most of what stands behind it.
void Viewport::chooseAt(const QPointF& at) {
    const View view = shotView();
    const Vec3d direction = sightThrough(at);
    const auto& subjects = m_bench.session.scene().subjects;
    const auto terrain = groundAlongSight(direction, true);
    const auto cloud = m_lastParticles ? cloudAlong(*m_lastParticles, view.eye, direction) : CloudHit();
    const auto cloudChosen = [&](double metres, double opacity) {
        if (cloud.opacity < opacity || cloud.metres >= metres)
            return false;
        m_bench.session.selectSubject(cloud.subject);
        refresh();
        emit selected();
        return true;
    };
    constexpr double kHides = 0.5; // of what stands behind it
    for (const bool ground : {false, true}) {
        if (ground && terrain) {
            if (cloudChosen(terrain->metres, kHides))
                return;
            m_bench.session.selectSubject(m_input.subjects[m_input.grounds[terrain->ground].subject]);
            m_groundPlace = terrain->place;
            refresh();
            emit selected();
            return;
        }
        if (const auto copy = copyAlong(m_input, m_state, selectedView(), selectionOptions(), view.eye, direction,
                                        [&](const Batch& batch) { // not the spheres that emitters lie in
                                            const Subject& subject = subjects[batch.subject];
                                            return subject.emitter() == nullptr &&
                                                   (subject.role == Role::Horizon) == ground;
                                        })) {
            // What lies behind the ground cannot be meant.
            const ResolvedChain& chain = m_input.batches[copy->batch].chain;
            const double nearest =
                (centreOf(placeOf(*copy), chain.bounds) - view.eye).norm() - chain.radius * placeOf(*copy).scale;
            if (!ground && terrain && nearest > terrain->metres)
                continue;
            if (cloudChosen(nearest, kHides))
                return;
            const std::uint32_t id = m_input.subjects[m_input.batches[copy->batch].subject];
            m_bench.session.selectSubject(id);
            m_held = {copy, m_input.batches[copy->batch].copies, true};
            refresh();
            emit selected();
            return;
        }
    }
    constexpr double kSeen = 0.03; // before the sky
    cloudChosen(1e300, kSeen);
}

bool Viewport::onWipe(const QPointF& at) const {
    constexpr double kGrab = 7;
    return comparing(Arrangement::Wipe) && std::abs(at.x() - m_wipe * width()) <= kGrab;
}

void Viewport::mouseMoveEvent(QMouseEvent* event) {
    const QPointF d = event->position() - m_last;
    m_last = event->position();
    if (m_wiping) {
        m_wipe = std::clamp(event->position().x() / std::max(1, width()), 0.0, 1.0);
        moved();
        return;
    }
    if (m_bench.grounds.stroking()) {
        if (const auto hit = groundAlongSight(sightThrough(event->position()), false))
            m_bench.grounds.goOnWithStroke(hit->place);
        m_overlay->update();
        return;
    }
    if (groundBrushOut())
        m_overlay->update();
    if (m_brush.painting()) {
        goOnWithStroke(event->position());
        return;
    }
    if (painting())
        m_overlay->update();
    setCursor(event->buttons() == Qt::NoButton && onWipe(event->position()) ? Qt::SplitHCursor : Qt::ArrowCursor);
    if (event->buttons().testFlag(Qt::MiddleButton) || event->buttons().testFlag(Qt::RightButton) ||
        (event->buttons().testFlag(Qt::LeftButton) && event->modifiers().testFlag(Qt::ShiftModifier)))
        pan(d.x(), d.y());
    else if (event->buttons().testFlag(Qt::LeftButton))
        turn(d.x() * 0.008, d.y() * 0.008);
}

void Viewport::wheelEvent(QWheelEvent* event) {
    stopWalk();
    const double steps =
        event->pixelDelta().isNull() ? event->angleDelta().y() / 120.0 : event->pixelDelta().y() / 40.0;
    dolly(std::pow(0.86, steps));
    event->accept();
}

void Viewport::keyPressEvent(QKeyEvent* event) {
    switch (event->key()) {
    case Qt::Key_Left:
        turn(-0.08, 0);
        break;
    case Qt::Key_Right:
        turn(0.08, 0);
        break;
    case Qt::Key_Up:
        turn(0, 0.06);
        break;
    case Qt::Key_Down:
        turn(0, -0.06);
        break;
    case Qt::Key_Plus:
    case Qt::Key_Equal:
        dolly(0.86);
        break;
    case Qt::Key_Minus:
        dolly(1 / 0.86);
        break;
    case Qt::Key_J:
        frameWorst();
        break;
    default:
        QOpenGLWidget::keyPressEvent(event);
    }
}

bool Viewport::event(QEvent* event) {
    if (event->type() == QEvent::Resize) {
        m_overlay->resize(size());
        keepShown();
        m_motion.forget();
        m_moving = true;
        m_rest.start();
    }
    return QOpenGLWidget::event(event);
}

} // namespace thicket::app
