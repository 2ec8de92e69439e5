// Other subjects in the switch chart, for comparison: their error in force, a saw of thin lines with their name.

#include "app/look/look.h"
#include "app/switching/switch_chart.h"

#include <algorithm>

namespace thicket::app {

void SwitchChart::setCompared(const std::vector<std::uint32_t>& ids) {
    if (ids == m_compared)
        return;
    m_compared = ids;
    rebuild();
}

void SwitchChart::paintCompared(QPainter& p) const {
    const Look& l = Look::now();
    const QRectF area = axisRect()->rect();
    const View view = m_bench.session.scene().statedView();
    const double k = view.pixelScale();
    const Qt::PenStyle styles[] = {Qt::DashLine, Qt::DotLine, Qt::DashDotLine, Qt::DashDotDotLine};
    int index = 0;
    for (const std::uint32_t id : m_compared) {
        const Subject* s = m_bench.session.scene().findMesh(id);
        if (s == nullptr || id == m_bench.session.subjectId() || s->mesh().levels.size() < 2)
            continue;
        const ResolvedChain chain = chainOf(*s, view);
        QPainterPath path;
        const double low = xAxis->range().lower;
        const double high = xAxis->range().upper;
        for (std::size_t i = 1; i < chain.levels.size(); ++i) {
            const double from = std::max(chain.fromMetres[i], low);
            const double to = i + 1 < chain.levels.size() ? std::min(chain.fromMetres[i + 1], high) : high;
            const double e = chain.levels[i].deviationMetres;
            if (to <= from || e <= 0)
                continue;
            const QPointF start(xAxis->coordToPixel(from), yAxis->coordToPixel(e * k / from));
            path.elementCount() == 0 ? path.moveTo(start) : path.lineTo(start);
            path.lineTo(xAxis->coordToPixel(to), yAxis->coordToPixel(e * k / to));
        }
        if (path.elementCount() == 0)
            continue;
        p.save();
        p.setClipRect(area);
        p.setPen(QPen(l.quiet, 1.2, styles[index % 4]));
        p.setBrush(Qt::NoBrush);
        p.drawPath(path);
        p.restore();
        // The key, at the top right: the line's pattern and the name.
        p.setFont(Look::font(11));
        const QString name = QString::fromStdString(s->name);
        const double w = p.fontMetrics().horizontalAdvance(name);
        const double y0 = area.top() + 10 + 16 * index;
        QColor back = l.ground;
        back.setAlphaF(0.8F);
        p.fillRect(QRectF(area.right() - w - 52, y0 - 8, w + 48, 16), back);
        p.setPen(QPen(l.quiet, 1.2, styles[index % 4]));
        p.drawLine(QPointF(area.right() - w - 46, y0), QPointF(area.right() - w - 16, y0));
        p.setPen(l.quiet);
        p.drawText(QRectF(area.right() - w - 10, y0 - 8, w + 4, 16), Qt::AlignLeft | Qt::AlignVCenter, name);
        ++index;
    }
}

} // namespace thicket::app
