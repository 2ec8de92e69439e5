#include "app/switching/switch_chart.h"

#include "app/look/look.h"
#include "base/text.h"
#include "scene/kinds.h"

#include <cmath>
#include <numbers>

namespace thicket::app {
namespace {
constexpr double kWalkingPace = 1.4; // metres a second

QString statedText(const View& view) {
    QString out = SwitchChart::tr("stated view: %1° · %2 lines")
                      .arg(view.fovY * 180 / std::numbers::pi, 0, 'f', 0)
                      .arg(view.lines);
    if (view.pixelsADegree > 0)
        out += SwitchChart::tr(" · %1 px a degree").arg(figureText(view.pixelsADegree, 3));
    return out;
}
} // namespace

SwitchChart::SwitchChart(Workbench& bench, QWidget* parent) : Chart(bench, parent) {
    setAccessibleName(tr("Error on screen at each distance"));
    setMinimumHeight(230);
    style(axisRect(), true, true);
    m_stairs = new QCPAxisRect(this);
    style(m_stairs, true, true);
    plotLayout()->addElement(1, 0, m_stairs);
    plotLayout()->setRowStretchFactor(0, 2.4);
    plotLayout()->setRowStretchFactor(1, 1);
    plotLayout()->setRowSpacing(0);
    axisRect()->setAutoMargins(QCP::msNone);
    axisRect()->setMargins(QMargins(76, 62, 24, 22));
    m_stairs->setAutoMargins(QCP::msNone);
    m_stairs->setMargins(QMargins(76, 6, 24, 8));
    const auto metres = [this](double v) {
        if (m_heights)
            return QStringLiteral("%1 %").arg(
                figureText(std::min(999.0, 100 * heightWhere(m_chain.rule, m_chain.radius, v,
                                                             m_bench.session.scene().statedView())),
                           2));
        return farText(v);
    };
    xAxis->setTicker(QSharedPointer<QCPAxisTicker>(new LogTicker(metres)));
    yAxis->setTicker(
        QSharedPointer<QCPAxisTicker>(new LogTicker([](double v) { return QStringLiteral("%1 px").arg(v); })));
    m_stairs->axis(QCPAxis::atBottom)->setTicker(QSharedPointer<QCPAxisTicker>(new LogTicker([](double) {
        return QString();
    })));
    m_stairs->axis(QCPAxis::atLeft)
        ->setTicker(QSharedPointer<QCPAxisTicker>(new LogTicker([](double) { return QString(); }, false)));
    connect(&bench.session.document, &Document::sceneChanged, this, &SwitchChart::rebuild);
    connect(&bench.session, &Session::selectionChanged, this, &SwitchChart::rebuild);
    rebuild();
}

/// Kilometres from 1,000 m up on ground.
QString SwitchChart::farText(double metres) const {
    const Subject* s = m_bench.session.subject();
    return metres >= 1000 && s != nullptr && !s->isMesh() ? tr("%1 km").arg(figureText(metres / 1000, 3))
                                                          : distanceText(metres);
}

/// The chosen subject where it has switches of its own.
const Subject* SwitchChart::charted() const {
    const Subject* s = m_bench.session.subject();
    return s != nullptr && ownChainOf(*s, m_bench.session.scene().statedView()) ? s : nullptr;
}

void SwitchChart::rebuild() {
    const Subject* s = charted();
    if (s != nullptr) {
        const View& view = m_bench.session.scene().statedView();
        m_chain = *ownChainOf(*s, view);
        m_textures.assign(m_chain.levels.size(), 0);
        for (std::size_t i = 0; s->isMesh() && i < m_chain.levels.size(); ++i)
            m_textures[i] = textureBytesOf(*s, s->mesh().levels[i]);
        m_cullAt = 0;
        if (s->rule.cullBelowPx > 0)
            m_cullAt = distanceWhere(s->rule, s->radius, s->rule.cullBelowPx / view.lines, view);
        if (s->rule.reachMetres > 0)
            m_cullAt = m_cullAt > 0 ? std::min(m_cullAt, s->rule.reachMetres) : s->rule.reachMetres;
        m_cullAt = m_cullAt > 0 ? std::min(m_cullAt, view.farMetres) : view.farMetres;
        if (m_drag.grip == Grip::None) { // the axes stand still while something is dragged along them
            double low = 1e300;
            for (std::size_t i = 1; i < m_chain.fromMetres.size(); ++i)
                if (m_chain.fromMetres[i] > 0)
                    low = std::min(low, m_chain.fromMetres[i]);
            if (low > 1e299)
                low = s->radius;
            const double last = std::max(m_chain.fromMetres.back(), low);
            const double high = std::min(m_cullAt > 0 ? std::max(m_cullAt * 1.5, last * 2) : last * 6, last * 60);
            xAxis->setRange(low / 4, std::max(high, low * 20));
            yAxis->setRange(m_chain.rule.allowPx * 0.06, m_chain.rule.allowPx * 3.2);
            m_stairs->axis(QCPAxis::atBottom)->setRange(xAxis->range());
            m_stairs->axis(QCPAxis::atLeft)
                ->setRange(std::max(0.01, m_chain.levels.back().triangles * 0.06),
                           m_chain.levels.front().triangles * 2.2);
        }
    }
    refresh();
    update();
}

void SwitchChart::setNeedle(double metres, double factor) {
    const double needle = metres / factor;
    if (needle == m_needle && factor == m_factor)
        return;
    m_needle = needle;
    m_factor = factor;
    update();
}

void SwitchChart::setShowHeights(bool heights) {
    m_heights = heights;
    refresh();
}

double SwitchChart::x(double metres) const {
    return xAxis->coordToPixel(std::clamp(metres, xAxis->range().lower, xAxis->range().upper));
}
double SwitchChart::y(double px) const {
    return yAxis->coordToPixel(std::clamp(px, yAxis->range().lower, yAxis->range().upper));
}
double SwitchChart::needleX() const {
    return x(m_needle);
}
double SwitchChart::allowanceY() const {
    return y(m_chain.rule.allowPx);
}

QPointF SwitchChart::handlePlace(int level) const {
    return {x(m_chain.fromMetres[static_cast<std::size_t>(level)]), static_cast<double>(axisRect()->rect().top()) - 6};
}

void SwitchChart::paintOverlay(QPainter& p) {
    const Look& l = Look::now();
    const Subject* s = charted();
    const View& view = m_bench.session.scene().statedView();
    drawTitle(p, m_heights ? tr("Error on screen at each screen height") : tr("Error on screen at each distance"),
              statedText(view), l.quiet);
    const QRectF area = axisRect()->rect();
    const QRectF stairs = m_stairs->rect();
    if (s == nullptr || m_chain.levels.empty()) {
        drawEmpty(p, QRectF(area.topLeft() - QPointF(0, 30), stairs.bottomRight()),
                  tr("Nothing to switch yet. Drop meshes on the window."));
        return;
    }
    if (m_chain.levels.size() < 2) {
        drawEmpty(p, QRectF(area.topLeft() - QPointF(0, 30), stairs.bottomRight()),
                  tr("One level only: there is nothing to switch to.\nThin makes more."));
        return;
    }
    if (m_cullAt > 0 && m_cullAt < xAxis->range().upper) {
        const QRectF beyond(x(m_cullAt), area.top(), area.right() - x(m_cullAt), area.height());
        hatch(p, beyond);
        hatch(p, QRectF(beyond.left(), stairs.top(), beyond.width(), stairs.height()));
        p.setFont(Look::font(11, 600));
        p.setPen(l.quiet);
        if (beyond.width() > 50)
            p.drawText(beyond.adjusted(0, 0, -8, -6), Qt::AlignRight | Qt::AlignBottom,
                       s->isMesh() ? tr("culled") : tr("beyond reach"));
    }

    p.save();
    p.setClipRect(area.adjusted(0, -1, 0, 1));
    const double k = view.pixelScale();
    const double lowX = xAxis->range().lower;
    const double end = m_cullAt > 0 ? std::min(m_cullAt, xAxis->range().upper) : xAxis->range().upper;
    for (std::size_t i = 0; i < m_chain.levels.size(); ++i) {
        const double e = m_chain.levels[i].deviationMetres;
        const double from = std::max(m_chain.fromMetres[i], lowX);
        const double to =
            std::max(from, i + 1 < m_chain.levels.size() ? std::min(m_chain.fromMetres[i + 1], end) : end);
        const QColor color = Look::level(static_cast<int>(i));
        const auto at = [&](double d) {
            return QPointF(xAxis->coordToPixel(d), e > 0 ? yAxis->coordToPixel(e * k / d) : area.bottom() - 1.5);
        };
        QColor faint = color;
        faint.setAlphaF(0.35F);
        p.setPen(QPen(faint, 1));
        if (e > 0)
            p.drawLine(at(lowX), at(xAxis->range().upper));
        // The hysteresis band: where the level in force depends on where the camera came from.
        if (i > 0) {
            QColor band = color;
            band.setAlphaF(0.16F);
            const double far = m_chain.fromMetres[i] * (1 + m_chain.rule.hysteresis);
            p.fillRect(QRectF(QPointF(x(m_chain.fromMetres[i]), area.top()),
                              QPointF(std::max(x(far), x(m_chain.fromMetres[i]) + 1), area.bottom())),
                       band);
            // The cross-fade takes time, so its band is what is walked meanwhile, both ways from the switch.
            if (const double walked = kWalkingPace * m_chain.rule.fadeSeconds;
                walked > 0 && m_chain.fromMetres[i] > 0) {
                const double x0 = x(std::max(m_chain.fromMetres[i] - walked, lowX));
                const double x1 = x(far + walked);
                QLinearGradient fade(QPointF(x0, 0), QPointF(x1, 0));
                QColor none = color;
                none.setAlphaF(0);
                fade.setColorAt(0, none);
                fade.setColorAt(0.5, band);
                fade.setColorAt(1, none);
                p.fillRect(QRectF(QPointF(x0, area.top()), QPointF(x1, area.bottom())), fade);
            }
        }
        if (to > from) {
            p.setPen(QPen(color, 3, Qt::SolidLine, Qt::FlatCap));
            p.drawLine(at(from), at(to));
        }
    }
    p.restore();

    paintCompared(p);

    // The staircase of triangles drawn.
    const QCPAxis* heightAxis = m_stairs->axis(QCPAxis::atLeft);
    p.setFont(Look::font(11));
    p.setPen(l.quiet);
    p.drawText(QRectF(8, stairs.top(), 60, stairs.height()), Qt::AlignRight | Qt::AlignVCenter,
               s->isMesh() ? tr("triangles\ndrawn") : tr("triangles\na km²"));
    QPainterPath path;
    double textEnd = -1e9;
    std::vector<QRectF> labels;
    for (std::size_t i = 0; i < m_chain.levels.size(); ++i) {
        const double x0 = x(std::max(m_chain.fromMetres[i], lowX));
        const double x1 =
            x(i + 1 < m_chain.levels.size() ? std::min(std::max(m_chain.fromMetres[i + 1], lowX), end) : end);
        const double yy = heightAxis->coordToPixel(m_chain.levels[i].triangles);
        i == 0 ? path.moveTo(x0, yy) : path.lineTo(x0, yy);
        path.lineTo(std::max(x0, x1), yy);
        QString text = QStringLiteral("L%1 · %2").arg(i).arg(groupedText(m_chain.levels[i].triangles));
        if (i > 0 && m_textures[i] != m_textures[i - 1])
            text += tr(" · textures %1").arg(QString::fromStdString(memorySize(m_textures[i])));
        p.setFont(Look::font(11, 500));
        const double w = p.fontMetrics().horizontalAdvance(text);
        // A label stands under its own step, or above it where it is longer than that: the line only falls.
        const bool under = x0 + 8 + w < x1;
        const double top = under ? yy + 3 : yy - 15;
        if (x0 + 6 > textEnd && x0 + 6 + w < stairs.right() && top > stairs.top() - 3) {
            p.setPen(Look::level(static_cast<int>(i)));
            labels.emplace_back(x0 + 6, top, w + 2, 13);
            p.fillRect(labels.back().adjusted(-2, 0, 1, 0), l.ground);
            p.drawText(labels.back(), Qt::AlignLeft | Qt::AlignVCenter, text);
            textEnd = x0 + 12 + w;
        }
    }
    if (m_cullAt > 0 && m_cullAt < xAxis->range().upper) {
        path.lineTo(x(m_cullAt), stairs.bottom());
        path.lineTo(stairs.right(), stairs.bottom());
    }
    p.setPen(QPen(l.text, 1.4));
    p.setBrush(Qt::NoBrush);
    p.drawPath(path);

    // The allowance.
    const bool gripped = m_hover.grip == Grip::Allowance || m_drag.grip == Grip::Allowance;
    p.setPen(QPen(l.caution, gripped ? 2 : 1.4, Qt::DashLine));
    p.drawLine(QPointF(area.left(), allowanceY()), QPointF(area.right(), allowanceY()));
    p.setFont(Look::font(11, 500));
    p.setPen(l.caution);
    p.drawText(QRectF(area.left() + 6, allowanceY() - 18, 200, 16), Qt::AlignLeft | Qt::AlignBottom,
               tr("allowed %1 px").arg(figureText(m_chain.rule.allowPx, 3)));

    // Handles, with distance above; a ring marks one that was set by hand.
    double captionEnd = -1e9;
    for (int i = 1; i < static_cast<int>(m_chain.levels.size()); ++i) {
        const double d = m_chain.fromMetres[static_cast<std::size_t>(i)];
        if (d > xAxis->range().upper || d < lowX)
            continue;
        const QPointF top = handlePlace(i);
        const bool strong =
            (m_hover.grip == Grip::Handle && m_hover.level == i) || (m_drag.grip == Grip::Handle && m_drag.level == i);
        const bool fixed = m_chain.levels[static_cast<std::size_t>(i)].fixed.has_value();
        p.setPen(QPen(strong ? Look::level(i) : l.text, strong ? 2 : 1.2));
        p.drawLine(QPointF(top.x(), top.y() + 8), QPointF(top.x(), area.bottom()));
        QPolygonF grip;
        grip << top + QPointF(-6, -8) << top + QPointF(6, -8) << top + QPointF(6, 3) << top + QPointF(0, 9)
             << top + QPointF(-6, 3);
        p.setPen(fixed ? QPen(l.accent, 2) : QPen(Qt::NoPen));
        p.setBrush(Look::level(i));
        p.drawPolygon(grip);
        const QString text =
            m_heights
                ? QStringLiteral("%1 %").arg(figureText(100 * heightWhere(m_chain.rule, m_chain.radius, d, view), 3))
                : farText(d);
        p.setFont(Look::font(11, 500));
        const double w = p.fontMetrics().horizontalAdvance(text) + 6;
        if (top.x() - w / 2 > captionEnd || strong) {
            p.setPen(strong ? l.text : l.quiet);
            p.drawText(QRectF(top.x() - w / 2, top.y() - 24, w, 14), Qt::AlignCenter, text);
            captionEnd = top.x() + w / 2;
        }
    }

    // The camera's needle.
    if (m_needle > 0 && m_needle >= lowX && m_needle <= xAxis->range().upper) {
        const double nx = needleX();
        p.setPen(QPen(l.accent, m_hover.grip == Grip::Needle || m_drag.grip == Grip::Needle ? 2.6 : 1.8));
        // It leaves out what can be read: the distances between both charts, and the labels of the stairs.
        p.drawLine(QPointF(nx, area.top() - 4), QPointF(nx, area.bottom()));
        double from = stairs.top();
        for (const QRectF& label : labels)
            if (nx > label.left() - 2 && nx < label.right() + 2) {
                p.drawLine(QPointF(nx, from), QPointF(nx, std::max(from, label.top())));
                from = label.bottom();
            }
        p.drawLine(QPointF(nx, from), QPointF(nx, stairs.bottom()));
        std::size_t now = 0;
        for (std::size_t i = 1; i < m_chain.fromMetres.size(); ++i)
            if (m_needle >= m_chain.fromMetres[i])
                now = i;
        const double error = pixelError(view, m_chain.levels[now].deviationMetres, m_needle);
        p.setPen(QPen(l.ground, 2));
        p.setBrush(l.accent);
        p.drawEllipse(QPointF(nx, error > 0 ? y(error) : area.bottom() - 1.5), 5, 5);
        const QString text =
            std::abs(m_factor - 1) < 0.005
                ? tr("camera %1").arg(farText(m_needle))
                : tr("camera %1, copy × %2").arg(farText(m_needle * m_factor)).arg(figureText(m_factor, 3));
        p.setFont(Look::font(11, 600));
        const double w = p.fontMetrics().horizontalAdvance(text) + 8;
        const bool left = nx + w + 6 > area.right();
        const QRectF box(left ? nx - w - 4 : nx + 4, area.bottom() - 20, w, 16);
        QColor back = l.ground;
        back.setAlphaF(0.8F);
        p.fillRect(box, back);
        p.setPen(l.accent);
        p.drawText(box, Qt::AlignCenter, text);
    }

    // Read-out under the mouse.
    if (area.contains(m_mouse) && m_drag.grip == Grip::None && m_hover.grip == Grip::None) {
        const double d = xAxis->pixelToCoord(m_mouse.x());
        std::size_t now = 0;
        for (std::size_t i = 1; i < m_chain.fromMetres.size(); ++i)
            if (d >= m_chain.fromMetres[i])
                now = i;
        const QString text = tr("%1 · %2 % of height · L%3 · %4 off · textures %5")
                                 .arg(farText(d))
                                 .arg(100 * heightWhere(m_chain.rule, m_chain.radius, d, view), 0, 'f', 1)
                                 .arg(now)
                                 .arg(pixelText(pixelError(view, m_chain.levels[now].deviationMetres, d)),
                                      QString::fromStdString(memorySize(m_textures[now])));
        p.setFont(Look::font(11));
        const double w = p.fontMetrics().horizontalAdvance(text) + 16;
        const QRectF box(std::clamp(m_mouse.x() - w / 2, area.left(), area.right() - w),
                         std::max(area.top() + 2, m_mouse.y() - 30), w, 20);
        p.setPen(QPen(l.line, 1));
        p.setBrush(l.raised);
        p.drawRoundedRect(box, 4, 4);
        p.setPen(l.text);
        p.drawText(box, Qt::AlignCenter, text);
    }
}

SwitchChart::Hit SwitchChart::hitAt(const QPointF& p) const {
    if (charted() == nullptr || m_chain.levels.size() < 2)
        return {};
    const QRectF area = axisRect()->rect();
    for (int i = 1; i < static_cast<int>(m_chain.levels.size()); ++i) {
        const QPointF top = handlePlace(i);
        if (std::abs(p.x() - top.x()) < 8 && std::abs(p.y() - top.y()) < 12)
            return {Grip::Handle, i};
    }
    if (p.y() < area.top() - 4 || p.y() > m_stairs->rect().bottom())
        return {};
    if (m_needle > 0 && std::abs(p.x() - needleX()) < 6)
        return {Grip::Needle, -1};
    for (int i = 1; i < static_cast<int>(m_chain.levels.size()); ++i)
        if (std::abs(p.x() - handlePlace(i).x()) < 4 && p.y() < area.bottom())
            return {Grip::Handle, i};
    if (std::abs(p.y() - allowanceY()) < 5)
        return {Grip::Allowance, -1};
    return {};
}

double SwitchChart::snapped(double metres, int level) const {
    const double pixel = xAxis->pixelToCoord(x(metres) + 5) - metres;
    const double allowance =
        distanceForPixels(m_bench.session.scene().statedView(),
                          m_chain.levels[static_cast<std::size_t>(level)].deviationMetres, m_chain.rule.allowPx);
    if (std::abs(metres - allowance) < pixel)
        return allowance;
    if (m_needle > 0 && std::abs(metres - m_needle) < pixel)
        return m_needle;
    const double unit = std::pow(10, std::floor(std::log10(metres)));
    for (const double step : {unit, unit / 2})
        if (const double round = std::round(metres / step) * step; std::abs(metres - round) < pixel * 0.8 && round > 0)
            return round;
    return metres;
}

void SwitchChart::mousePressEvent(QMouseEvent* event) {
    if (event->button() != Qt::LeftButton)
        return;
    m_drag = hitAt(event->position());
    m_dragged = m_bench.session.subjectId();
    ++m_serial;
    if (m_drag.grip == Grip::None && axisRect()->rect().contains(event->pos())) {
        // A click on the open chart walks the camera there.
        m_drag = {Grip::Needle, -1};
        emit needleDragged(m_factor * xAxis->pixelToCoord(event->position().x()));
    }
    if (m_drag.grip == Grip::Handle)
        m_bench.session.selectLevel(m_drag.level);
}

void SwitchChart::mouseMoveEvent(QMouseEvent* event) {
    m_mouse = event->position();
    const double d = xAxis->pixelToCoord(std::clamp(event->position().x(), static_cast<double>(axisRect()->left()),
                                                    static_cast<double>(axisRect()->right())));
    const QString key = QStringLiteral("switch-drag-%1").arg(m_serial);
    // What is held may be gone by now: undone, removed, or another subject is shown.
    const bool there = charted() != nullptr && m_bench.session.subjectId() == m_dragged &&
                       m_drag.level < static_cast<int>(m_chain.levels.size());
    if (!there)
        m_drag = {};
    switch (m_drag.grip) {
    case Grip::Handle:
        m_bench.switching.setSwitchDistance(m_bench.session.subjectId(), m_drag.level, snapped(d, m_drag.level), key);
        return;
    case Grip::Needle:
        emit needleDragged(m_factor * d);
        return;
    case Grip::Allowance: {
        SwitchRule rule = charted()->rule;
        // The line is what is in force here: a fit's factor of this device stays as it is.
        const double looser = m_bench.session.scene().statedView().looser(m_bench.session.subjectId());
        const double raw = std::clamp(yAxis->pixelToCoord(event->position().y()) / looser, 0.05, 64.0);
        const double step = raw < 1 ? 0.05 : raw < 4 ? 0.1 : 0.5;
        rule.allowPx = std::max(0.05, std::round(raw / step) * step);
        m_bench.switching.setRule(m_bench.session.subjectId(), rule, tr("Change the allowance"), key);
        return;
    }
    case Grip::None:
        break;
    }
    m_hover = hitAt(event->position());
    setCursor(m_hover.grip == Grip::Allowance ? Qt::SizeVerCursor
              : m_hover.grip == Grip::None    ? Qt::ArrowCursor
                                              : Qt::SizeHorCursor);
    update();
}

void SwitchChart::mouseReleaseEvent(QMouseEvent*) {
    m_drag = {};
    rebuild();
}

} // namespace thicket::app
