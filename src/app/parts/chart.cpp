#include "app/parts/chart.h"

#include "app/look/look.h"

#include <cmath>

namespace thicket::app {

QVector<double> LogTicker::createTickVector(double, const QCPRange& range) {
    QVector<double> ticks;
    if (!(range.lower > 0) || !(range.upper > range.lower))
        return ticks;
    const double decades = std::log10(range.upper / range.lower);
    for (double base = std::pow(10, std::floor(std::log10(range.lower))); base <= range.upper; base *= 10)
        for (const double step : {1.0, 2.0, 5.0}) {
            if (step > 1 && (!m_halves || decades > 4.2))
                continue;
            if (base * step >= range.lower * 0.999 && base * step <= range.upper * 1.001)
                ticks << base * step;
        }
    return ticks;
}

Chart::Chart(Workbench& bench, QWidget* parent) : QCustomPlot(parent), m_bench(bench) {
    setMinimumHeight(150);
    setMouseTracking(true);
    setFocusPolicy(Qt::StrongFocus);
    setBackground(Look::now().ground);
    setNoAntialiasingOnDrag(true);
}

void Chart::style(QCPAxisRect* rect, bool logX, bool logY) {
    const Look& l = Look::now();
    rect->setupFullAxesBox(false);
    for (QCPAxis* axis : rect->axes()) {
        axis->setBasePen(Qt::NoPen);
        axis->setTickPen(Qt::NoPen);
        axis->setSubTickPen(Qt::NoPen);
        axis->setTickLabelColor(l.quiet);
        axis->setTickLabelFont(Look::font(11));
        axis->setTickLabelPadding(6);
        axis->setTickLengthIn(0);
        axis->grid()->setPen(QPen(l.line, 1));
        axis->grid()->setSubGridVisible(false);
        axis->grid()->setZeroLinePen(Qt::NoPen);
        axis->setLayer(QStringLiteral("axes"));
    }
    rect->axis(QCPAxis::atTop)->setVisible(false);
    rect->axis(QCPAxis::atRight)->setVisible(false);
    rect->axis(QCPAxis::atBottom)->setScaleType(logX ? QCPAxis::stLogarithmic : QCPAxis::stLinear);
    rect->axis(QCPAxis::atLeft)->setScaleType(logY ? QCPAxis::stLogarithmic : QCPAxis::stLinear);
}

void Chart::paintEvent(QPaintEvent* event) {
    QCustomPlot::paintEvent(event);
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    paintOverlay(painter);
}

void Chart::drawTitle(QPainter& p, const QString& title, const QString& aside, const QColor& asideColor) const {
    p.setFont(Look::font(12.5, 600));
    p.setPen(Look::now().text);
    p.drawText(QRect(16, 6, width() - 32, 20), Qt::AlignLeft | Qt::AlignVCenter, title);
    const int used = p.fontMetrics().horizontalAdvance(title) + 40;
    p.setFont(Look::font(11));
    p.setPen(asideColor);
    p.drawText(QRect(used, 6, width() - 16 - used, 20), Qt::AlignRight | Qt::AlignVCenter,
               p.fontMetrics().elidedText(aside, Qt::ElideRight, width() - 16 - used));
}

void Chart::drawEmpty(QPainter& p, const QRectF& area, const QString& text) {
    p.fillRect(area.adjusted(-76, -8, 24, 60), Look::now().ground);
    p.setFont(Look::font(12.5));
    p.setPen(Look::now().quiet);
    p.drawText(area, Qt::AlignCenter, text);
}

void Chart::hatch(QPainter& p, const QRectF& rect) {
    if (rect.width() <= 0)
        return;
    p.save();
    p.setClipRect(rect);
    p.setPen(QPen(Look::now().line, 1));
    for (double x = rect.left() - rect.height(); x < rect.right(); x += 8)
        p.drawLine(QPointF(x, rect.bottom()), QPointF(x + rect.height(), rect.top()));
    p.restore();
}

} // namespace thicket::app
