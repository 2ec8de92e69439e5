#include "app/terrain/study_chart.h"

#include "app/look/look.h"
#include "base/text.h"

#include <QMouseEvent>
#include <algorithm>
#include <array>
#include <cmath>

namespace thicket::app {
namespace {

struct Line {
    const char* name;
    double (*of)(const TileSizeCost&);
    bool solid;  ///< else dashed
    bool strong; ///< the brighter of the two neutral colours
    int marker;  ///< 0 square, 1 diamond, 2 triangle, 3 ring
};
constexpr std::array<Line, 4> kLines{
    {{QT_TRANSLATE_NOOP("StudyChart", "draws"), [](const TileSizeCost& c) { return c.tiles; }, true, false, 0},
     {QT_TRANSLATE_NOOP("StudyChart", "rebuild after an edit"), [](const TileSizeCost& c) { return c.editMs; }, false,
      true, 1},
     {QT_TRANSLATE_NOOP("StudyChart", "update"), [](const TileSizeCost& c) { return c.updateUs; }, false, false, 2},
     {QT_TRANSLATE_NOOP("StudyChart", "triangles"), [](const TileSizeCost& c) { return c.triangles; }, true, true, 3}}};
constexpr int kLegend = 220; // pixels for the words on the right

double best(const TileStudy& study, const Line& line) {
    double least = 1e300;
    for (const TileSizeCost& c : study.sizes)
        least = std::min(least, std::max(1e-9, line.of(c)));
    return least;
}

void paintMarker(QPainter& p, QPointF at, int marker) {
    switch (marker) {
    case 0:
        p.drawRect(QRectF(at - QPointF(4, 4), QSizeF(8, 8)));
        break;
    case 1:
        p.drawPolygon(QPolygonF{at + QPointF(0, -5), at + QPointF(5, 0), at + QPointF(0, 5), at + QPointF(-5, 0)});
        break;
    case 2:
        p.drawPolygon(QPolygonF{at + QPointF(0, -5), at + QPointF(5, 4), at + QPointF(-5, 4)});
        break;
    default:
        p.setBrush(Look::now().ground);
        p.drawEllipse(at, 5, 5);
    }
}

QString valueText(const Line& line, const TileSizeCost& c) {
    switch (line.marker) {
    case 1:
        return QStringLiteral("%1 ms").arg(figureText(c.editMs, 2));
    case 2:
        return QStringLiteral("%1 µs").arg(figureText(c.updateUs, 2));
    default:
        return groupedText(std::llround(line.of(c)));
    }
}

} // namespace

StudyChart::StudyChart(Workbench& bench, QWidget* parent) : Chart(bench, parent) {
    setAccessibleName(tr("What each tile size costs"));
    setFocusPolicy(Qt::StrongFocus);
    style(axisRect(), true, true);
    axisRect()->setAutoMargins(QCP::msNone);
    axisRect()->setMargins(QMargins(76, 62, 24 + kLegend, 62));
    xAxis->setTicker(QSharedPointer<QCPAxisTicker>(new LogTicker([](double) { return QString(); })));
    yAxis->setTicker(
        QSharedPointer<QCPAxisTicker>(new LogTicker([](double v) { return QStringLiteral("%1 ×").arg(v); })));
    connect(&bench.session.document, &Document::sceneChanged, this, &StudyChart::rebuild);
    connect(&bench.session, &Session::selectionChanged, this, &StudyChart::rebuild);
    connect(&bench.grounds, &GroundModel::studyChanged, this, &StudyChart::rebuild);
    rebuild();
}

const Subject* StudyChart::terrain() const {
    const Subject* s = m_bench.session.subject();
    return s != nullptr && s->terrain() != nullptr && s->terrain()->heights ? s : nullptr;
}

bool StudyChart::fits() const {
    const Subject* s = terrain();
    const GroundModel::Study& study = m_bench.grounds.lastStudy();
    return s != nullptr && study.id == s->id && !study.result.sizes.empty();
}

void StudyChart::rebuild() {
    if (fits()) {
        const TileStudy& study = m_bench.grounds.lastStudy().result;
        double most = 2;
        for (const Line& line : kLines)
            for (const TileSizeCost& c : study.sizes)
                most = std::max(most, line.of(c) / best(study, line));
        yAxis->setRange(0.85, most * 1.4);
        xAxis->setRange(study.sizes.front().cells * 0.7, study.sizes.back().cells * 1.4);
    }
    refresh();
    update();
}

QPointF StudyChart::handlePlace(std::uint32_t cells) const {
    return {xAxis->coordToPixel(cells), static_cast<double>(axisRect()->rect().top()) - 8};
}

std::size_t StudyChart::sizeAt(double x) const {
    const auto& sizes = m_bench.grounds.lastStudy().result.sizes;
    std::size_t nearest = 0;
    for (std::size_t i = 1; i < sizes.size(); ++i)
        if (std::abs(xAxis->coordToPixel(sizes[i].cells) - x) < std::abs(xAxis->coordToPixel(sizes[nearest].cells) - x))
            nearest = i;
    return nearest;
}

void StudyChart::paintOverlay(QPainter& p) {
    const Look& l = Look::now();
    const QRectF area = axisRect()->rect();
    const Subject* s = terrain();
    const bool changed = s != nullptr && fits() && m_bench.grounds.lastStudy().of != s->terrain()->heights;
    drawTitle(p, tr("What each tile size costs"),
              changed ? tr("as the ground was before it changed")
                      : tr("each line against its own best · %1")
                            .arg(m_bench.grounds.lastStudy().alongRoute ? tr("first route") : tr("one view")),
              changed ? l.caution : l.quiet);
    if (s == nullptr || !fits()) {
        drawEmpty(p, QRectF(rect()).adjusted(0, 30, 0, 0),
                  s == nullptr ? tr("No ground is chosen.") : tr("Flying the route with each tile size…"));
        return;
    }
    const GroundModel::Study& study = m_bench.grounds.lastStudy();
    const TileStudy& result = study.result;
    const double spacing = s->terrain()->heights->spacing;
    std::size_t now = 0;
    for (std::size_t i = 0; i < result.sizes.size(); ++i)
        if (result.sizes[i].cells == s->terrain()->cells)
            now = i;
    const std::size_t shown = m_drag.value_or(now);
    // The recommended size as a band, the chosen one as a line with a handle.
    const double at = xAxis->coordToPixel(result.sizes[result.recommended].cells);
    QColor band = l.good;
    band.setAlphaF(0.16F);
    p.fillRect(QRectF(at - 32, area.top(), 64, area.height()), band);
    for (std::size_t i = 0; i < result.sizes.size(); ++i) {
        const double x = xAxis->coordToPixel(result.sizes[i].cells);
        p.setFont(Look::font(11, i == shown ? 600 : 400));
        p.setPen(i == shown ? l.text : l.quiet);
        p.drawText(QRectF(x - 50, area.bottom() + 5, 100, 14), Qt::AlignCenter,
                   lengthText(result.sizes[i].cells * spacing));
        if (i == result.recommended) {
            p.setPen(l.good);
            p.drawText(QRectF(x - 50, area.bottom() + 20, 100, 14), Qt::AlignCenter, tr("recommended"));
        }
    }
    for (const Line& line : kLines) {
        const QColor color = line.strong ? l.text : l.good;
        const double least = best(result, line);
        QPolygonF points;
        for (const TileSizeCost& c : result.sizes)
            points << QPointF(xAxis->coordToPixel(c.cells), yAxis->coordToPixel(std::max(line.of(c) / least, 0.9)));
        p.setPen(QPen(color, 1.6, line.solid ? Qt::SolidLine : Qt::DashLine));
        p.setBrush(Qt::NoBrush);
        p.drawPolyline(points);
        p.setPen(QPen(color, 1.6));
        for (const QPointF& point : points) {
            p.setBrush(color);
            paintMarker(p, point, line.marker);
        }
    }
    const QPointF top = handlePlace(result.sizes[shown].cells);
    p.setPen(QPen(l.text, 1.4));
    p.drawLine(QPointF(top.x(), top.y() + 8), QPointF(top.x(), area.bottom()));
    QPolygonF grip;
    grip << top + QPointF(-7, -8) << top + QPointF(7, -8) << top + QPointF(7, 3) << top + QPointF(0, 9)
         << top + QPointF(-7, 3);
    p.setPen(Qt::NoPen);
    p.setBrush(l.text);
    p.drawPolygon(grip);
    p.setFont(Look::font(11, 600));
    p.setPen(l.text);
    p.drawText(QRectF(top.x() - 60, top.y() - 24, 120, 14), Qt::AlignCenter,
               shown == now ? tr("now %1").arg(lengthText(result.sizes[shown].cells * spacing))
                            : lengthText(result.sizes[shown].cells * spacing));
    // The figures of the shown size, on the right.
    const TileSizeCost& c = result.sizes[shown];
    double y = area.top() - 20;
    const double left = area.right() + 22;
    p.setFont(Look::font(11));
    p.setPen(l.quiet);
    p.drawText(QRectF(left, y, kLegend - 30, 14), Qt::AlignLeft, tr("with %1").arg(lengthText(c.cells * spacing)));
    p.drawText(QRectF(left, y, kLegend - 24, 14), Qt::AlignRight, tr("× best"));
    const double step = std::min(38.0, (area.height() + 20) / 4.6);
    for (const Line& line : kLines) {
        y += y < area.top() ? 22 : step;
        const QColor color = line.strong ? l.text : l.good;
        p.setPen(QPen(color, 1.6, line.solid ? Qt::SolidLine : Qt::DashLine));
        p.drawLine(QPointF(left, y + 8), QPointF(left + 26, y + 8));
        p.setPen(QPen(color, 1.6));
        p.setBrush(color);
        paintMarker(p, {left + 13, y + 8}, line.marker);
        p.setFont(Look::font(11.5, 500));
        p.setPen(l.text);
        p.drawText(QRectF(left + 34, y, kLegend - 60, 15), Qt::AlignLeft, tr(line.name));
        p.setFont(Look::font(11.5, 600));
        p.drawText(QRectF(left, y, kLegend - 24, 15), Qt::AlignRight,
                   tr("%1 ×").arg(line.of(c) / best(result, line), 0, 'f', 1));
        p.setFont(Look::font(11));
        p.setPen(l.quiet);
        if (step > 28)
            p.drawText(QRectF(left + 34, y + 15, kLegend - 60, 14), Qt::AlignLeft, valueText(line, c));
    }
    p.setFont(Look::font(11.5));
    p.setPen(l.text);
    p.drawText(QRectF(76, area.bottom() + 40, area.width(), 16), Qt::AlignLeft,
               tr("%1: %2 ms of a frame on %3")
                   .arg(lengthText(c.cells * spacing))
                   .arg(figureText(frameMs(c, study.prices), 2))
                   .arg(m_bench.session.scene().currentDevice() != nullptr
                            ? QString::fromStdString(m_bench.session.scene().currentDevice()->name)
                            : tr("a device")));
}

void StudyChart::mousePressEvent(QMouseEvent* event) {
    if (event->button() == Qt::LeftButton && fits() && event->position().x() < axisRect()->right() + 10)
        m_drag = sizeAt(event->position().x());
    update();
}

void StudyChart::mouseMoveEvent(QMouseEvent* event) {
    if (m_drag)
        m_drag = sizeAt(event->position().x());
    setCursor(fits() && event->position().x() < axisRect()->right() + 10 ? Qt::SizeHorCursor : Qt::ArrowCursor);
    update();
}

void StudyChart::mouseReleaseEvent(QMouseEvent*) {
    const Subject* s = terrain();
    if (m_drag && s != nullptr)
        m_bench.grounds.setTileSize(s->id, m_bench.grounds.lastStudy().result.sizes[*m_drag].cells);
    m_drag.reset();
    update();
}

void StudyChart::keyPressEvent(QKeyEvent* event) {
    const Subject* s = terrain();
    const int step = event->key() == Qt::Key_Left ? -1 : event->key() == Qt::Key_Right ? 1 : 0;
    if (step == 0 || s == nullptr || !fits()) {
        Chart::keyPressEvent(event);
        return;
    }
    const auto& sizes = m_bench.grounds.lastStudy().result.sizes;
    for (std::size_t i = 0; i < sizes.size(); ++i)
        if (sizes[i].cells == s->terrain()->cells) {
            const auto to = static_cast<std::size_t>(
                std::clamp<int>(static_cast<int>(i) + step, 0, static_cast<int>(sizes.size()) - 1));
            m_bench.grounds.setTileSize(s->id, sizes[to].cells);
            return;
        }
}

} // namespace thicket::app
