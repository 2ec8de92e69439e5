#include "app/parts/stage_path.h"

#include "app/look/look.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>

namespace thicket::app {

QString stageName(Stage stage) {
    switch (stage) {
    case Stage::Gather:
        return QObject::tr("Gather");
    case Stage::Thin:
        return QObject::tr("Thin");
    case Stage::Switch:
        return QObject::tr("Switch");
    case Stage::Budget:
        return QObject::tr("Budget");
    case Stage::Ship:
        return QObject::tr("Ship");
    }
    return {};
}

StagePath::StagePath(QWidget* parent) : QWidget(parent) {
    setMouseTracking(true);
    setFocusPolicy(Qt::TabFocus);
    setAccessibleName(tr("Stages"));
    setMinimumWidth(430);
}

void StagePath::setStage(Stage stage) {
    m_stage = stage;
    setAccessibleDescription(stageName(stage));
    update();
}

void StagePath::setState(Stage stage, bool done, const QString& caption) {
    m_done[static_cast<std::size_t>(stage)] = done;
    m_caption[static_cast<std::size_t>(stage)] = caption;
    update();
}

QRect StagePath::stopRect(Stage stage) const {
    const int step = width() / 5;
    return {static_cast<int>(stage) * step, 0, step, height()};
}

int StagePath::stopAt(const QPoint& p) const {
    for (int i = 0; i < 5; ++i)
        if (stopRect(static_cast<Stage>(i)).contains(p))
            return i;
    return -1;
}

void StagePath::paintEvent(QPaintEvent*) {
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    const Look& l = Look::now();
    const int y = 14;
    p.setPen(QPen(l.line, 1.5));
    p.drawLine(stopRect(Stage::Gather).center().x(), y, stopRect(Stage::Ship).center().x(), y);
    for (int i = 0; i < 5; ++i) {
        const auto n = static_cast<std::size_t>(i);
        const QRect r = stopRect(static_cast<Stage>(i));
        const bool current = static_cast<int>(m_stage) == i;
        const QPointF c(r.center().x(), y);
        const double radius = current ? 6.5 : 5;
        p.setPen(QPen(current ? l.accent : m_done[n] ? l.good : l.faint, 1.6));
        p.setBrush(m_done[n] ? QBrush(current ? l.accent : l.good) : QBrush(l.panel));
        p.drawEllipse(c, radius, radius);
        if (current && !m_done[n]) {
            p.setBrush(l.accent);
            p.drawEllipse(c, 2.5, 2.5);
        }
        p.setFont(Look::font(12.5, current ? 600 : 400));
        p.setPen(current ? l.text : m_hover == i ? l.text : l.quiet);
        p.drawText(QRect(r.left(), 22, r.width(), 16), Qt::AlignCenter, stageName(static_cast<Stage>(i)));
        p.setFont(Look::font(10.5));
        p.setPen(l.faint);
        p.drawText(QRect(r.left(), 37, r.width(), 13), Qt::AlignCenter,
                   p.fontMetrics().elidedText(m_caption[n], Qt::ElideRight, r.width() - 4));
        if (hasFocus() && current) {
            p.setPen(QPen(l.accent, 1, Qt::DotLine));
            p.setBrush(Qt::NoBrush);
            p.drawRoundedRect(r.adjusted(4, 2, -4, -2), 4, 4);
        }
    }
}

void StagePath::mousePressEvent(QMouseEvent* event) {
    if (const int stop = stopAt(event->pos()); stop >= 0)
        emit picked(static_cast<Stage>(stop));
}

void StagePath::mouseMoveEvent(QMouseEvent* event) {
    const int stop = stopAt(event->pos());
    if (stop != m_hover) {
        m_hover = stop;
        setCursor(stop >= 0 ? Qt::PointingHandCursor : Qt::ArrowCursor);
        static const std::array<const char*, 5> tips{"Bring meshes in and check them (Ctrl+1)",
                                                     "Make lighter levels and see how far they are off (Ctrl+2)",
                                                     "Decide at which distance each level shows (Ctrl+3)",
                                                     "Fly the route and compare every frame with the budget (Ctrl+4)",
                                                     "Write levels and thresholds, read back and compared (Ctrl+5)"};
        setToolTip(stop >= 0 ? tr(tips[static_cast<std::size_t>(stop)]) : QString());
        update();
    }
}

void StagePath::leaveEvent(QEvent*) {
    m_hover = -1;
    update();
}

void StagePath::keyPressEvent(QKeyEvent* event) {
    const int step = event->key() == Qt::Key_Right ? 1 : event->key() == Qt::Key_Left ? -1 : 0;
    const int next = static_cast<int>(m_stage) + step;
    if (step != 0 && next >= 0 && next < 5)
        emit picked(static_cast<Stage>(next));
    else
        QWidget::keyPressEvent(event);
}

Gauge::Gauge(const QString& unit, QWidget* parent) : QWidget(parent), m_unit(unit) {
    setAccessibleName(unit);
    setMinimumWidth(100);
    setMaximumWidth(122);
}

void Gauge::setUnit(const QString& unit) {
    m_unit = unit;
    update();
}

void Gauge::setValue(const QString& text, double share, const QString& exact) {
    if (text == m_text && share == m_share)
        return;
    m_text = text;
    m_share = share;
    setToolTip(exact);
    setAccessibleDescription(text);
    update();
}

void Gauge::paintEvent(QPaintEvent*) {
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    const Look& l = Look::now();
    const int w = width() - 10;
    p.setFont(Look::font(11, 600));
    p.setPen(m_share > 1 ? l.over : l.text);
    p.drawText(QRect(0, 4, width(), 15), Qt::AlignLeft | Qt::AlignVCenter, m_text);
    const QRectF track(0, 23, w, 5);
    p.setPen(Qt::NoPen);
    p.setBrush(l.raised);
    p.drawRoundedRect(track, 2.5, 2.5);
    const double limit = w * 0.92;
    p.setBrush(m_share > 1 ? l.over : m_share > 0.85 ? l.caution : l.good);
    p.drawRoundedRect(QRectF(0, 23, std::clamp(m_share * limit, 2.0, static_cast<double>(w)), 5), 2.5, 2.5);
    p.setPen(QPen(l.text, 1.4));
    p.drawLine(QPointF(limit, 20), QPointF(limit, 31));
    p.setFont(Look::font(11));
    p.setPen(l.quiet);
    p.drawText(QRect(0, 32, width(), 15), Qt::AlignLeft | Qt::AlignVCenter,
               p.fontMetrics().elidedText(m_unit, Qt::ElideRight, width()));
}

} // namespace thicket::app
