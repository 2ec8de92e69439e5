#include "app/field/field_chart.h"

#include "app/look/look.h"
#include "base/text.h"
#include "scene/kinds.h"

#include <cmath>

namespace thicket::app {
namespace {

constexpr int kSwitchesOfWidth = 160; ///< pixels of a name in the title

/// Ticks at round distances on an axis of their roots, so that what is near has room.
class RootTicker : public QCPAxisTicker {
protected:
    QVector<double> createTickVector(double /*tickStep*/, const QCPRange& range) override {
        QVector<double> out{0};
        const double end = range.upper * range.upper;
        double last = 0;
        for (double unit = 1; unit < end; unit *= 10)
            for (const double step : {1.0, 2.0, 5.0})
                if (const double at = std::sqrt(step * unit); at <= range.upper && at - last > range.upper * 0.06) {
                    out << at;
                    last = at;
                }
        return out;
    }
    int getSubTickCount(double /*tickStep*/) override { return 0; }
    QString getTickLabel(double tick, const QLocale& /*locale*/, QChar /*format*/, int /*precision*/) override {
        return tick <= 0 ? QStringLiteral("0 m") : lengthText(std::round(tick * tick * 10) / 10);
    }
};

} // namespace

FieldChart::FieldChart(Workbench& bench, QWidget* parent) : Chart(bench, parent) {
    setAccessibleName(tr("Share kept and growth at each distance"));
    setMinimumHeight(230);
    setFocusPolicy(Qt::StrongFocus);
    style(axisRect(), false, false);
    axisRect()->setAutoMargins(QCP::msNone);
    axisRect()->setMargins(QMargins(64, 58, 24, 26));
    xAxis->setTicker(QSharedPointer<QCPAxisTicker>(new RootTicker));
    yAxis->setTicker(QSharedPointer<QCPAxisTicker>(new PlainTicker(
        [](double v) {
            return v < 1e-9                 ? QStringLiteral("0 %")
                   : std::abs(v - 1) < 1e-9 ? QStringLiteral("100 %")
                                            : QStringLiteral("%1 ×").arg(v);
        },
        3)));
    connect(&bench.session.document, &Document::sceneChanged, this, &FieldChart::rebuild);
    connect(&bench.strands, &StrandModel::coverChanged, this, &FieldChart::rebuild);
    connect(&bench.session, &Session::selectionChanged, this, [this] {
        m_asset = 0;
        m_chosen = {};
        rebuild();
    });
    rebuild();
}

const Subject* FieldChart::field() const {
    const Subject* s = m_bench.session.subject();
    return s != nullptr && thinningOf(*s) != nullptr ? s : nullptr;
}

void FieldChart::setNeedle(double metres) {
    if (metres != m_needle) {
        m_needle = metres;
        update();
    }
}

void FieldChart::setAsset(int index) {
    m_asset = index;
    rebuild();
}

void FieldChart::rebuild() {
    if (const Subject* s = isVisible() ? field() : nullptr) {
        m_switchesOf.clear();
        m_thinning = *thinningOf(*s);
        m_reach = s->rule.reachMetres;
        m_chain = ownChainOf(*s, m_bench.session.scene().statedView()).value_or(ResolvedChain());
        m_cover = s->strands() != nullptr ? m_bench.strands.cover(s->id) : std::vector<StrandCover>();
        if (const InstancesBody* body = s->instances()) {
            m_asset = std::clamp(m_asset, 0, std::max(0, static_cast<int>(body->assets.size()) - 1));
            if (!body->assets.empty())
                if (const Subject* asset =
                        m_bench.session.scene().findMesh(body->assets[static_cast<std::size_t>(m_asset)])) {
                    m_chain = chainIn(*s, *asset, m_bench.session.scene().statedView());
                    if (body->assets.size() > 1)
                        m_switchesOf = QString::fromStdString(asset->name);
                }
        }
        m_thinning = thinningFor(m_thinning, fullHeightOf(m_bench.session.scene().statedView(), m_chain.radius));
        if (m_drag.grip == Grip::None) { // the axes stand still while something is dragged along them
            double end = m_reach;
            for (const DistanceCurve* curve : {&m_thinning.keep, &m_thinning.grow})
                if (!curve->points.empty())
                    end = std::max(end, curve->points.back().metres);
            if (end <= 0 && !m_chain.fromMetres.empty())
                end = 2 * m_chain.fromMetres.back();
            m_end = std::clamp(1.1 * end, 1.0, 1e6);
            m_top = std::max(3.0, std::ceil(m_thinning.growAtMost + 0.2));
            xAxis->setRange(0, std::sqrt(m_end));
            yAxis->setRange(0, m_top);
        }
    }
    refresh();
    update();
}

double FieldChart::x(double metres) const {
    return xAxis->coordToPixel(std::sqrt(std::clamp(metres, 0.0, m_end)));
}
double FieldChart::y(double value) const {
    return yAxis->coordToPixel(std::clamp(value, 0.0, m_top));
}
double FieldChart::metresAt(double px) const {
    const double root = std::clamp(xAxis->pixelToCoord(px), 0.0, std::sqrt(m_end));
    return root * root;
}
double FieldChart::valueAt(double py) const {
    return std::clamp(yAxis->pixelToCoord(py), 0.0, m_top);
}

QPointF FieldChart::place(Curve curve, std::size_t point) const {
    const CurvePoint& p = (curve == Curve::Keep ? m_thinning.keep : m_thinning.grow).points[point];
    return {x(p.metres), y(p.value)};
}

QPointF FieldChart::switchPlace(int level) const {
    return {x(m_chain.fromMetres[static_cast<std::size_t>(level)]), static_cast<double>(axisRect()->rect().top()) - 8};
}

void FieldChart::paintSwitches(QPainter& p) const {
    const Look& l = Look::now();
    const QRectF area = axisRect()->rect();
    const double band = m_chain.rule.softBand;
    const InstancesBody* body = field()->instances();
    double textEnd = -1e9;
    for (int i = 1; i < static_cast<int>(m_chain.fromMetres.size()); ++i) {
        const auto at = static_cast<std::size_t>(i);
        const double d = m_chain.fromMetres[at];
        if (d > m_end || m_chain.neverShows(at))
            continue;
        QColor soft = Look::level(i);
        soft.setAlphaF(0.13F);
        if (band > 0)
            p.fillRect(QRectF(QPointF(x(d * (1 - band)), area.top()), QPointF(x(d * (1 + band)), area.bottom())), soft);
        const bool strong = (m_hover.grip == Grip::Switch || m_drag.grip == Grip::Switch ||
                             m_hover.grip == Grip::Band || m_drag.grip == Grip::Band) &&
                            (m_hover.index == i || m_drag.index == i);
        p.setPen(QPen(strong ? Look::level(i) : l.text, strong ? 2 : 1, Qt::DashLine));
        p.drawLine(QPointF(x(d), area.top()), QPointF(x(d), area.bottom()));
        const bool fixed = body != nullptr ? at < body->fixed.size() && body->fixed[at].has_value()
                                           : m_chain.levels[at].fixed.has_value();
        const QPointF top = switchPlace(i);
        p.setPen(fixed ? QPen(l.accent, 2) : QPen(Qt::NoPen));
        p.setBrush(Look::level(i));
        p.drawPolygon(QPolygonF{{top + QPointF(-5, -5), top + QPointF(5, -5), top + QPointF(0, 5)}});
        const QString text = strong ? lengthText(d) : tr("L%1 to L%2").arg(i - 1).arg(i);
        p.setFont(Look::font(11, strong ? 600 : 400));
        const double w = p.fontMetrics().horizontalAdvance(text) + 4;
        if (x(d) - w / 2 > textEnd || strong) {
            p.setPen(strong ? l.text : l.quiet);
            p.drawText(QRectF(x(d) - w / 2, top.y() - 20, w, 14), Qt::AlignCenter, text);
            textEnd = x(d) + w / 2 + 4;
        }
    }
}

std::vector<QRectF> FieldChart::paintCurves(QPainter& p) const {
    const Look& l = Look::now();
    const QRectF area = axisRect()->rect();
    p.save();
    p.setClipRect(area.adjusted(-1, -1, 1, 1));
    constexpr int kSteps = 240;
    QPainterPath keep;
    QPainterPath grow;
    for (int i = 0; i <= kSteps; ++i) {
        const double root = std::sqrt(m_end) * i / kSteps;
        const double d = root * root;
        const QPointF k(xAxis->coordToPixel(root), y(m_thinning.keepAt(d)));
        const QPointF g(xAxis->coordToPixel(root), y(m_thinning.growAt(d)));
        i == 0 ? keep.moveTo(k) : keep.lineTo(k);
        i == 0 ? grow.moveTo(g) : grow.lineTo(g);
    }
    QPainterPath under = keep;
    under.lineTo(area.bottomRight());
    under.lineTo(area.bottomLeft());
    QColor fill = l.good;
    fill.setAlphaF(0.22F);
    p.fillPath(under, fill);
    p.setBrush(Qt::NoBrush);
    p.setPen(QPen(l.good, 2));
    p.drawPath(keep);
    p.setPen(QPen(l.accent, 2, m_thinning.holdCover ? Qt::DashLine : Qt::SolidLine));
    p.drawPath(grow);
    p.restore();
    p.setFont(Look::font(11, 600));
    const QString grown = m_thinning.holdCover ? tr("grow, as holds the cover") : tr("grow");
    const double last = m_reach > 0 ? std::min(m_reach, m_end) : m_end;
    p.setPen(l.accent);
    const double wide = p.fontMetrics().horizontalAdvance(grown);
    const QRectF growName(x(last) - 6 - wide, y(m_thinning.growAt(last)) - 20, wide, 14);
    p.drawText(growName, Qt::AlignRight | Qt::AlignVCenter, grown);
    const auto handles = [&](Curve curve, Grip grip, const QColor& color, std::size_t count) {
        for (std::size_t i = 0; i < count; ++i) {
            const int index = static_cast<int>(i);
            const bool strong = (m_hover.grip == grip && m_hover.index == index) ||
                                (m_drag.grip == grip && m_drag.index == index) ||
                                (m_chosen.grip == grip && m_chosen.index == index && hasFocus());
            p.setPen(QPen(strong ? l.text : l.ground, 2));
            p.setBrush(color);
            p.drawEllipse(place(curve, i), strong ? 6.5 : 5.5, strong ? 6.5 : 5.5);
        }
    };
    const QRectF coverName = paintCover(p);
    const QRectF keepName = paintKeepName(p);
    handles(Curve::Keep, Grip::Keep, l.good, m_thinning.keep.points.size());
    if (!m_thinning.holdCover)
        handles(Curve::Grow, Grip::Grow, l.accent, m_thinning.grow.points.size());
    return {growName, coverName, keepName};
}

/// Where its handles leave the most room.
QRectF FieldChart::paintKeepName(QPainter& p) const {
    const QRectF area = axisRect()->rect();
    double left = area.left();
    double right = area.left();
    for (std::size_t i = 1; i < m_thinning.keep.points.size(); ++i) {
        const double a = place(Curve::Keep, i - 1).x();
        const double b = std::min(place(Curve::Keep, i).x(), area.right());
        if (b - a > right - left) {
            left = a;
            right = b;
        }
    }
    const QString name = tr("keep");
    const double w = QFontMetricsF(Look::font(11, 600)).horizontalAdvance(name);
    const double middle = right > left ? (left + right) / 2 : area.left() + 8 + w / 2;
    const double along = y(m_thinning.keepAt(metresAt(middle)));
    constexpr double kTall = 12;
    const bool under = along + 6 + kTall < area.bottom();
    const QRectF box(middle - w / 2, under ? along + 6 : along - 6 - kTall, w, kTall);
    const Look& l = Look::now();
    p.setFont(Look::font(11, 600));
    p.fillRect(box.adjusted(-2, 0, 2, 0), l.ground);
    p.setPen(l.good);
    p.drawText(box, Qt::AlignCenter, name);
    return box;
}

/// What strands really cover of what all of them would, where it was measured.
QRectF FieldChart::paintCover(QPainter& p) const {
    const Look& l = Look::now();
    QPainterPath line;
    for (std::size_t i = 0; i < m_cover.size(); ++i) {
        const QPointF at(x(m_cover[i].metres), y(m_cover[i].share()));
        i == 0 ? line.moveTo(at) : line.lineTo(at);
    }
    p.setBrush(Qt::NoBrush);
    p.setPen(QPen(l.text, 1, Qt::DotLine));
    p.drawPath(line);
    p.setPen(Qt::NoPen);
    p.setBrush(l.text);
    for (const StrandCover& c : m_cover)
        p.drawEllipse(QPointF(x(c.metres), y(c.share())), 2.2, 2.2);
    constexpr std::size_t kNamed = 3; // from the last
    if (m_cover.size() < kNamed)
        return {};
    const StrandCover& named = m_cover[m_cover.size() - kNamed];
    p.setFont(Look::font(11));
    p.setPen(l.quiet);
    const QString name = tr("cover, measured");
    const double w = p.fontMetrics().horizontalAdvance(name);
    const QRectF box(x(named.metres) - 20, y(named.share()) - 21, w, 14);
    p.drawText(box, Qt::AlignCenter, name);
    return box;
}

void FieldChart::paintReading(QPainter& p) const {
    const Look& l = Look::now();
    const QRectF area = axisRect()->rect();
    double d = -1;
    if (m_drag.grip == Grip::Keep && m_drag.index < static_cast<int>(m_thinning.keep.points.size()))
        d = m_thinning.keep.points[static_cast<std::size_t>(m_drag.index)].metres;
    else if (m_drag.grip == Grip::Grow && m_drag.index < static_cast<int>(m_thinning.grow.points.size()))
        d = m_thinning.grow.points[static_cast<std::size_t>(m_drag.index)].metres;
    else if (area.contains(m_mouse))
        d = metresAt(m_mouse.x());
    if (d < 0)
        return;
    const QString height = m_thinning.fullHeight > 0
                               ? tr(" · %1 % tall").arg(figureText(100 * m_thinning.fullHeight / std::max(d, 1e-6), 2))
                               : QString();
    const QString text =
        tr("%1%5 · keeps %2 % · grows %3 × · cover %4 %")
            .arg(lengthText(d), figureText(100 * m_thinning.keepAt(d), 3), figureText(m_thinning.growAt(d), 3),
                 figureText(100 * coverAt(m_thinning, d), 3), height);
    p.setFont(Look::font(11));
    const double w = p.fontMetrics().horizontalAdvance(text) + 16;
    const QRectF box(std::clamp(x(d) - w / 2, area.left(), std::max(area.left(), area.right() - w)), area.top() + 2, w,
                     20);
    p.setPen(QPen(l.line, 1));
    p.setBrush(l.raised);
    p.drawRoundedRect(box, 4, 4);
    p.setPen(l.text);
    p.drawText(box, Qt::AlignCenter, text);
}

void FieldChart::paintOverlay(QPainter& p) {
    const Look& l = Look::now();
    const QRectF area = axisRect()->rect();
    if (field() == nullptr) {
        drawTitle(p, tr("Keep and grow with distance"), {}, l.quiet);
        drawEmpty(p, area, tr("Choose a field."));
        return;
    }
    FieldModel::LeastCover least = FieldModel::leastCover(m_thinning, m_reach);
    for (std::size_t i = 0; i < m_cover.size(); ++i) // what was measured is worth more than what follows from curves
        if (i == 0 || m_cover[i].share() < least.share)
            least = {m_cover[i].share(), m_cover[i].metres};
    const double nearer = nearerTimes(m_bench.session.scene().statedView(), field()->id);
    QString title =
        m_thinning.fullHeight > 0 ? tr("Keep and grow with height on screen") : tr("Keep and grow with distance");
    if (std::abs(nearer - 1) >= 1e-9)
        title = nearer > 1
                    ? tr("Keep and grow with distance · on this device %1 × as near").arg(figureText(nearer, 3))
                    : tr("Keep and grow with distance · on this device %1 × as far").arg(figureText(1 / nearer, 3));
    if (!m_switchesOf.isEmpty())
        title +=
            tr(" · switches of %1").arg(p.fontMetrics().elidedText(m_switchesOf, Qt::ElideMiddle, kSwitchesOfWidth));
    drawTitle(p, title,
              !m_thinning.thins()   ? m_thinning.widths ? tr("every strand is drawn, as wide as it is")
                                                        : tr("every copy is drawn, as large as it is")
                : least.share > 0.995 ? tr("the cover is held")
                                    : tr("cover at least %1 % of full density, least at %2")
                                          .arg(figureText(100 * least.share, 2), distanceText(least.metres)),
              least.share > 0.9 ? l.good : l.caution);
    const bool ends = m_reach > 0 && m_reach < m_end;
    if (ends)
        hatch(p, QRectF(x(m_reach), area.top(), area.right() - x(m_reach), area.height()));
    paintSwitches(p);
    std::vector<QRectF> names = paintCurves(p);
    if (ends) {
        p.setFont(Look::font(11, 600));
        p.setPen(l.quiet);
        const QString name = tr("reach");
        const double w = p.fontMetrics().horizontalAdvance(name);
        const QRectF box(x(m_reach) - 6 - w, area.bottom() - 34, w, 14);
        p.fillRect(box.adjusted(-2, 0, 2, 0), l.ground); // what is measured of the cover may lie there
        p.drawText(box, Qt::AlignCenter, name);
        names.push_back(box);
    }
    if (m_needle > 0 && m_needle <= m_end) {
        p.setPen(QPen(l.accent, m_hover.grip == Grip::Needle ? 2.4 : 1.4));
        p.drawLine(QPointF(x(m_needle), area.top()), QPointF(x(m_needle), area.bottom()));
        p.setFont(Look::font(11, 600));
        const QString text = tr("camera %1").arg(lengthText(m_needle));
        const double w = p.fontMetrics().horizontalAdvance(text) + 8;
        const bool left = x(m_needle) + w + 4 > area.right();
        QRectF box(left ? x(m_needle) - w - 2 : x(m_needle) + 2, area.bottom() - 18, w, 14);
        // At the foot, or as far up as no other name is in the way.
        const auto crossed = [&](const QRectF& name) { return box.intersects(name); };
        while (std::any_of(names.begin(), names.end(), crossed) && box.top() > area.top())
            box.translate(0, -2);
        p.drawText(box, Qt::AlignCenter, text);
    }
    paintReading(p);
}

void FieldChart::showEvent(QShowEvent* event) {
    Chart::showEvent(event);
    rebuild();
}

} // namespace thicket::app
