#include "app/emitters/emitter_chart.h"

#include "app/look/look.h"
#include "scene/emitter_subject.h"

#include <QMenu>
#include <cmath>

namespace thicket::app {

EmitterChart::EmitterChart(Workbench& bench, QWidget* parent) : Chart(bench, parent) {
    setAccessibleName(tr("Live particles and overdraw at each distance"));
    setMinimumHeight(230);
    setMouseTracking(true);
    style(axisRect(), true, true);
    axisRect()->setAutoMargins(QCP::msNone);
    axisRect()->setMargins(QMargins(52, 62, 64, 26));
    xAxis->setTicker(QSharedPointer<QCPAxisTicker>(new LogTicker([](double m) { return lengthText(m); })));
    yAxis->setTicker(
        QSharedPointer<QCPAxisTicker>(new LogTicker([](double n) { return figureText(n, n < 1 ? 1 : 2); })));
    connect(&bench.session.document, &Document::sceneChanged, this, &EmitterChart::rebuild);
    connect(&bench.session, &Session::selectionChanged, this, &EmitterChart::rebuild);
    rebuild();
}

const Subject* EmitterChart::emitter() const {
    const Subject* s = m_bench.session.subject();
    return s != nullptr && s->emitter() != nullptr ? s : nullptr;
}

void EmitterChart::setNeedle(double metres) {
    if (metres != m_needle) {
        m_needle = metres;
        update();
    }
}

void EmitterChart::rebuild() {
    const Subject* s = emitter();
    if (s == nullptr)
        return;
    const Emitter& own = s->emitter()->emitter;
    m_chain = emitterChain(*s, m_bench.session.scene().statedView());
    m_forecasts.clear();
    double most = 1;
    double least = 1e9;
    for (std::size_t l = 0; l < own.levels.size(); ++l) {
        m_forecasts.push_back(forecastOf(partsAt(own, l)));
        most = std::max(most, m_forecasts.back().live);
        least = std::min(least, std::max(m_forecasts.back().live, 0.5));
    }
    if (m_drag < 0) { // the axes stand still while something is dragged along them
        double far = s->rule.reachMetres;
        for (const EmitterLevel& level : own.levels)
            far = std::max(far, 2 * level.from.value);
        m_far = std::clamp(1.4 * far, 20.0, 1e6);
        m_near = std::clamp(m_far / 200, 0.5, 10.0);
        xAxis->setRange(m_near, m_far);
        yAxis->setRange(least / 3, most * 2.2);
    }
    refresh();
    update();
}

double EmitterChart::x(double metres) const {
    return xAxis->coordToPixel(std::clamp(metres, m_near, m_far));
}
double EmitterChart::y(double live) const {
    return yAxis->coordToPixel(std::clamp(live, yAxis->range().lower, yAxis->range().upper));
}
/// Decades of overdraw, from a ten-thousandth of the screen to a hundred times all of it, over the same height.
double EmitterChart::overY(double overdraw) const {
    constexpr double kLow = -4;
    constexpr double kHigh = 2;
    const QRectF area = axisRect()->rect();
    const double at = (std::log10(std::max(overdraw, 1e-12)) - kLow) / (kHigh - kLow);
    return area.bottom() - std::clamp(at, 0.0, 1.0) * area.height();
}

QPointF EmitterChart::switchPlace(int level) const {
    return {x(m_chain.fromMetres[static_cast<std::size_t>(level)]), static_cast<double>(axisRect()->rect().top()) - 8};
}

void EmitterChart::paintSteps(QPainter& p) const {
    const Look& l = Look::now();
    const QRectF area = axisRect()->rect();
    const Subject& s = *emitter();
    const View view = m_bench.session.scene().statedView();
    const double end = s.rule.reachMetres > 0 ? std::min(s.rule.reachMetres, m_far) : m_far;
    const double h = s.rule.hysteresis;
    p.save();
    p.setClipRect(area.adjusted(-1, -3, 1, 3));
    QPainterPath overdraw;
    bool begun = false;
    for (std::size_t i = 0; i < m_forecasts.size(); ++i) {
        const double from = std::max(m_chain.fromMetres[i], m_near);
        const double until = i + 1 < m_forecasts.size() ? std::min(m_chain.fromMetres[i + 1], end) : end;
        if (until <= from || m_chain.neverShows(i))
            continue;
        const QColor color = Look::level(static_cast<int>(i));
        p.setPen(QPen(color, 3));
        p.drawLine(QPointF(x(from), y(m_forecasts[i].live)), QPointF(x(until), y(m_forecasts[i].live)));
        if (i + 1 < m_forecasts.size() && until < end) { // over the hysteresis either shows
            p.setPen(QPen(Look::level(static_cast<int>(i) + 1), 2));
            p.drawLine(QPointF(x(until), y(m_forecasts[i].live)),
                       QPointF(x(until * (1 + h)), y(m_forecasts[i + 1].live)));
        }
        const int steps = 24;
        for (int k = 0; k <= steps; ++k) {
            const double d = from * std::pow(until / from, static_cast<double>(k) / steps);
            const QPointF at(x(d), overY(m_forecasts[i].overdraw(d, view)));
            begun ? overdraw.lineTo(at) : overdraw.moveTo(at);
            begun = true;
        }
    }
    p.setPen(QPen(l.text, 1.4, Qt::DashLine));
    p.setBrush(Qt::NoBrush);
    p.drawPath(overdraw);
    p.restore();
    p.setFont(Look::font(11, 600));
    for (std::size_t i = 0; i < m_forecasts.size(); ++i) {
        const double from = std::max(m_chain.fromMetres[i], m_near);
        const double until = i + 1 < m_forecasts.size() ? std::min(m_chain.fromMetres[i + 1], end) : end;
        const QString text = tr("L%1 · %2 live").arg(i).arg(figureText(m_forecasts[i].live, 3));
        const int w = p.fontMetrics().horizontalAdvance(text);
        const double begin = i > 0 ? x(from * (1 + h)) : x(from); // right of where the finer one may still show
        if (until <= from || m_chain.neverShows(i) || x(until) - begin < w + 10)
            continue;
        p.setPen(l.text);
        p.drawText(QRectF(begin + 8, y(m_forecasts[i].live) - 18, w + 4, 14), Qt::AlignLeft | Qt::AlignVCenter, text);
    }
    p.setFont(Look::font(10.5));
    p.setPen(l.quiet);
    for (const double value : {0.001, 0.01, 0.1, 1.0, 10.0})
        p.drawText(QRectF(area.right() + 6, overY(value) - 8, 56, 16), Qt::AlignLeft | Qt::AlignVCenter,
                   QStringLiteral("%1 ×").arg(value));
    p.setFont(Look::font(11));
    p.setPen(QPen(l.text, 1.4, Qt::DashLine));
    const QString name = tr("overdraw, × the screen");
    const int w = p.fontMetrics().horizontalAdvance(name);
    p.drawLine(QPointF(area.right() - w - 30, 40), QPointF(area.right() - w - 8, 40));
    p.setPen(l.quiet);
    p.drawText(QRectF(area.right() - w - 2, 32, w + 4, 16), Qt::AlignLeft | Qt::AlignVCenter, name);
    p.drawText(QRectF(area.left(), 32, 120, 16), Qt::AlignLeft | Qt::AlignVCenter, tr("live particles"));
}

void EmitterChart::paintSwitches(QPainter& p) const {
    const Look& l = Look::now();
    const QRectF area = axisRect()->rect();
    const double h = emitter()->rule.hysteresis;
    for (int i = 1; i < static_cast<int>(m_chain.fromMetres.size()); ++i) {
        const double d = m_chain.fromMetres[static_cast<std::size_t>(i)];
        if (d <= m_near || d > m_far)
            continue;
        QColor band = Look::level(i);
        band.setAlphaF(0.16F);
        p.fillRect(QRectF(QPointF(x(d), area.top()), QPointF(x(d * (1 + h)), area.bottom())), band);
        const bool strong = m_hover == i || m_drag == i;
        p.setPen(QPen(strong ? Look::level(i) : l.text, strong ? 2 : 1));
        p.drawLine(QPointF(x(d), area.top()), QPointF(x(d), area.bottom()));
        const QPointF top = switchPlace(i);
        p.setPen(Qt::NoPen);
        p.setBrush(Look::level(i));
        p.drawPolygon(QPolygonF{{top + QPointF(-5, -5), top + QPointF(5, -5), top + QPointF(0, 6)}});
        p.setFont(Look::font(11, strong ? 600 : 400));
        const QString text = lengthText(d);
        const double w = p.fontMetrics().horizontalAdvance(text) + 4;
        p.setPen(strong ? l.text : l.quiet);
        p.drawText(QRectF(x(d) - w / 2, top.y() - 20, w, 14), Qt::AlignCenter, text);
    }
}

void EmitterChart::paintOverlay(QPainter& p) {
    const Look& l = Look::now();
    const QRectF area = axisRect()->rect();
    const Subject* s = emitter();
    if (s == nullptr) {
        drawTitle(p, tr("Live particles and overdraw at each distance"), {}, l.quiet);
        drawEmpty(p, area, tr("Choose an emitter."));
        return;
    }
    const Emitter& own = s->emitter()->emitter;
    drawTitle(p, tr("Live particles and overdraw at each distance"),
              own.forced                     ? tr("L%1 is forced").arg(*own.forced)
              : own.levelBy == LevelBy::Tier ? tr("the device sets the level")
                                             : tr("checked each %1 s").arg(figureText(s->rule.checkSeconds, 2)),
              own.forced ? l.caution : l.quiet);
    if (s->rule.reachMetres > 0 && s->rule.reachMetres < m_far) {
        hatch(p, QRectF(x(s->rule.reachMetres), area.top(), area.right() - x(s->rule.reachMetres), area.height()));
        p.setFont(Look::font(11, 600));
        p.setPen(l.quiet);
        p.drawText(QRectF(x(s->rule.reachMetres) - 96, area.top() + 6, 90, 14), Qt::AlignRight | Qt::AlignVCenter,
                   tr("reach"));
    }
    paintSwitches(p);
    paintSteps(p);
    if (m_needle > m_near && m_needle <= m_far) {
        p.setPen(QPen(l.accent, m_hover == 0 || m_drag == 0 ? 2.4 : 1.4));
        p.drawLine(QPointF(x(m_needle), area.top()), QPointF(x(m_needle), area.bottom()));
        p.setFont(Look::font(11, 600));
        const QString text = tr("camera %1").arg(lengthText(m_needle));
        const double w = p.fontMetrics().horizontalAdvance(text) + 8;
        const double left = x(m_needle) + w + 6 > area.right() ? x(m_needle) - w - 4 : x(m_needle) + 4;
        p.setPen(l.accent);
        p.drawText(QRectF(left, area.bottom() - 18, w, 14), Qt::AlignLeft | Qt::AlignVCenter, text);
    }
}

int EmitterChart::handleAt(const QPointF& at) const {
    if (emitter() == nullptr)
        return -1;
    const QRectF area = axisRect()->rect();
    for (int i = 1; i < static_cast<int>(m_chain.fromMetres.size()); ++i) {
        const double d = m_chain.fromMetres[static_cast<std::size_t>(i)];
        if (d > m_near && d <= m_far && std::abs(at.x() - x(d)) < 7 && at.y() > area.top() - 30 &&
            at.y() < area.bottom())
            return i;
    }
    return m_needle > m_near && std::abs(at.x() - x(m_needle)) < 5 && area.contains(at) ? 0 : -1;
}

void EmitterChart::mousePressEvent(QMouseEvent* event) {
    if (event->button() != Qt::LeftButton)
        return;
    m_drag = handleAt(event->position());
    m_dragged = m_bench.session.subjectId();
    ++m_serial;
    update();
}

void EmitterChart::mouseMoveEvent(QMouseEvent* event) {
    // What is held may be gone by now: undone, removed, or another subject is shown.
    if (emitter() == nullptr || m_bench.session.subjectId() != m_dragged ||
        m_drag >= static_cast<int>(m_chain.fromMetres.size()))
        m_drag = -1;
    if (m_drag >= 0) {
        const double raw = xAxis->pixelToCoord(event->position().x());
        const double step = raw < 10 ? 0.1 : raw < 100 ? 0.5 : 1;
        const double metres = std::clamp(std::round(raw / step) * step, 0.1, 1e6);
        if (m_drag == 0)
            emit needleDragged(metres);
        else
            m_bench.switching.setSwitchDistance(m_dragged, m_drag, metres,
                                                QStringLiteral("emitter-drag-%1").arg(m_serial));
        return;
    }
    m_hover = handleAt(event->position());
    setCursor(m_hover >= 0 ? Qt::SizeHorCursor : Qt::ArrowCursor);
    update();
}

void EmitterChart::mouseReleaseEvent(QMouseEvent* /*event*/) {
    m_drag = -1;
    rebuild();
}

void EmitterChart::contextMenuEvent(QContextMenuEvent* event) {
    if (emitter() == nullptr)
        return;
    const int level = handleAt(event->pos());
    const double metres = xAxis->pixelToCoord(event->pos().x());
    QMenu menu;
    if (level > 0 && m_needle > 0)
        menu.addAction(tr("Switch where the camera stands"), this, [this, level] {
            m_bench.switching.setSwitchDistance(m_bench.session.subjectId(), level, m_needle);
        });
    menu.addAction(tr("Stand here"), this, [this, metres] { emit needleDragged(metres); });
    menu.exec(event->globalPos());
}

} // namespace thicket::app
