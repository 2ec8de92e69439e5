#include "app/thin/thin_chart.h"

#include "app/look/look.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <functional>

namespace thicket::app {

namespace {

/// A tick of an axis that ends at `most` metres: all of its ticks are in one unit.
QString tickText(double metres, double most) {
    constexpr double kInMetres = 20;
    constexpr int kMostDecimals = 4; // more have no room beside the axis
    const double value = most < kInMetres ? 1e3 * metres : metres;
    const QString unit = most < kInMetres ? QStringLiteral(" mm") : QStringLiteral(" m");
    const int decimals = std::max(0, static_cast<int>(std::ceil(-std::log10(value) - 1e-9)));
    if (decimals > kMostDecimals)
        return QStringLiteral("1e-%1").arg(decimals) + unit;
    return (decimals > 0 ? QString::number(value, 'f', decimals) : groupedText(std::llround(value))) + unit;
}

} // namespace

ThinChart::ThinChart(Workbench& bench, QWidget* parent) : Chart(bench, parent) {
    setAccessibleName(tr("Deviation at every triangle count"));
    QCPAxisRect* rect = axisRect();
    style(rect, true, true);
    rect->setAutoMargins(QCP::msNone);
    rect->setMargins(QMargins(76, 34, 24, 26));
    xAxis->setRangeReversed(true);
    xAxis->setTicker(
        QSharedPointer<QCPAxisTicker>(new LogTicker([](double v) { return groupedText(std::llround(v)); })));
    yAxis->setTicker(QSharedPointer<QCPAxisTicker>(
        new LogTicker([this](double v) { return tickText(v, yAxis->range().upper); }, false)));
    connect(&bench.session.document, &Document::sceneChanged, this, &ThinChart::rebuild);
    connect(&bench.session, &Session::selectionChanged, this, &ThinChart::rebuild);
    connect(&bench.thin, &ThinModel::dragChanged, this, qOverload<>(&QWidget::update));
    rebuild();
}

void ThinChart::rebuild() {
    const Subject* s = m_bench.session.meshSubject();
    if (s != nullptr) {
        double least = 1e300;
        double most = 1e-6;
        for (const double d : s->mesh().curve.deviation)
            if (d > 0) {
                least = std::min(least, d);
                most = std::max(most, d);
            }
        for (const Level& level : s->mesh().levels)
            if (level.deviation > 0) {
                least = std::min(least, level.visible > 0 ? level.visible : level.deviation);
                most = std::max(most, level.deviation);
            }
        if (least > most) {
            least = 1e-4 * s->radius;
            most = 0.3 * s->radius;
        }
        // Six decades at the most: what is smaller than a millionth of the largest lies on the floor.
        least = std::max(least, most * 1e-6);
        yAxis->setRange(least / 3, most * 6);
        const double first = s->mesh().levels.front().triangles;
        const double last = s->mesh().curve.empty() ? std::max(1.0, s->mesh().levels.back().triangles * 0.25)
                                                    : s->mesh().curve.triangles.back();
        xAxis->setRange(std::max(1.0, last * 0.75), first * 1.35);
    }
    refresh();
    update();
}

std::pair<double, double> ThinChart::pinValue(int level) const {
    const Subject& s = *m_bench.session.meshSubject();
    if (level == m_drag)
        return {m_dragTriangles, s.mesh().curve.at(m_dragTriangles)};
    const Level& l = s.mesh().levels[static_cast<std::size_t>(level)];
    return {l.triangles, l.deviation};
}

std::vector<std::pair<double, double>> ThinChart::curvePoints() const {
    const Subject& s = *m_bench.session.meshSubject();
    constexpr double kNear = 1.2; // of a level's count: what was measured there counts more than a sample beside it
    std::vector<std::pair<double, double>> measured;
    for (int i = 1; i < static_cast<int>(s.mesh().levels.size()); ++i)
        if (i != m_drag && s.mesh().levels[static_cast<std::size_t>(i)].origin == LevelOrigin::Collapsed &&
            !s.mesh().curve.empty())
            measured.push_back(pinValue(i));
    std::sort(measured.begin(), measured.end(), std::greater<>());
    std::vector<std::pair<double, double>> points;
    auto level = measured.begin();
    double before = 0;
    const auto add = [&](double triangles, double metres) {
        points.emplace_back(triangles, metres);
        before = metres;
    };
    for (std::size_t i = 0; i < s.mesh().curve.triangles.size(); ++i) {
        const double triangles = s.mesh().curve.triangles[i];
        for (; level != measured.end() && level->first >= triangles; ++level)
            add(level->first, level->second);
        const bool apart = std::none_of(measured.begin(), measured.end(), [&](const auto& p) {
            return std::max(p.first, triangles) < kNear * std::min(p.first, triangles);
        });
        if (apart) // with fewer triangles than a level, a sample that is less far off was a lucky one
            add(triangles, std::max(s.mesh().curve.deviation[i], before));
    }
    for (; level != measured.end(); ++level)
        add(level->first, level->second);
    return points;
}

std::vector<std::pair<double, double>> ThinChart::seenPoints() const {
    const MeshBody& body = m_bench.session.meshSubject()->mesh();
    std::vector<std::pair<double, double>> points;
    if (body.curve.visible.empty())
        return points;
    constexpr double kNear = 1.2; // of a level's count: what was measured there counts more than a sample beside it
    for (const Level& level : body.levels)
        if (level.origin == LevelOrigin::Collapsed && level.visible > 0)
            points.emplace_back(level.triangles, level.visible);
    const std::vector<std::pair<double, double>> measured = points;
    for (std::size_t i = 1; i < body.curve.visible.size(); ++i) {
        const double triangles = body.curve.triangles[i];
        if (std::none_of(measured.begin(), measured.end(), [&](const auto& at) {
                return std::max(at.first, triangles) < kNear * std::min(at.first, triangles);
            }))
            points.emplace_back(triangles, body.curve.visible[i]);
    }
    std::sort(points.begin(), points.end(), std::greater<>());
    // With fewer triangles no less can be seen: samples keep to what was measured on either side of them.
    double most = HUGE_VAL;
    for (auto at = points.rbegin(); at != points.rend(); ++at)
        most = at->second = std::min(at->second, most);
    return points;
}

QPointF ThinChart::pinPlace(int level) const {
    const auto [triangles, metres] = pinValue(level);
    // Levels that are far lighter than the record's last, as cards are, stand at the edge.
    return {xAxis->coordToPixel(std::clamp(triangles, xAxis->range().lower, xAxis->range().upper)),
            yAxis->coordToPixel(std::clamp(metres, yAxis->range().lower, yAxis->range().upper))};
}

int ThinChart::pinAt(const QPointF& p) const {
    const Subject* s = m_bench.session.meshSubject();
    if (s == nullptr)
        return -1;
    int best = -1;
    double nearest = 14;
    for (int i = 0; i < static_cast<int>(s->mesh().levels.size()); ++i)
        if (const double d = QLineF(pinPlace(i), p).length(); d < nearest) {
            nearest = d;
            best = i;
        }
    return best;
}

double ThinChart::trianglesAt(double x) const {
    return std::clamp(xAxis->pixelToCoord(x), xAxis->range().lower, xAxis->range().upper);
}

void ThinChart::paintOverlay(QPainter& p) {
    const Look& l = Look::now();
    const Subject* s = m_bench.session.meshSubject();
    QString aside;
    if (s != nullptr && !s->mesh().curve.empty())
        aside = tr("one pass, %1 → %2 triangles")
                    .arg(groupedText(s->mesh().curve.triangles.front()), groupedText(s->mesh().curve.triangles.back()));
    if (s != nullptr && std::any_of(s->mesh().levels.begin(), s->mesh().levels.end(), [](const Level& level) {
            return level.visible > 0 && level.visible < 0.75 * level.deviation;
        }))
        aside = tr("thin line and squares: what of it is seen · ") + aside;
    if (s != nullptr && !s->mesh().curve.careful.empty())
        aside = tr("dashed: where care is painted · ") + aside;
    drawTitle(p, tr("Deviation from the original at every triangle count"), aside, l.quiet);
    const QRect area = axisRect()->rect();
    if (s == nullptr) {
        if (const Subject* other = m_bench.session.subject())
            drawEmpty(p, area,
                      other->terrain() != nullptr ? tr("Ground has the levels of its tiles, which are listed on the "
                                                       "right.\nSwitch shows where each comes in.")
                                                  : tr("A field draws the levels of its meshes: choose one of "
                                                       "those.\nSwitch shows how it thins out."));
        return;
    }
    if (s->mesh().curve.empty() && s->mesh().levels.size() < 2) {
        drawEmpty(p, area,
                  s->mesh().levels.front().mesh
                      ? tr("Not thinned yet. “Thin to role” records this mesh once;\nthen any level "
                           "is cut from the record while you drag.")
                      : tr("The source is missing."));
        return;
    }
    p.save();
    p.setClipRect(area.adjusted(-8, -8, 8, 8));
    const double floor = yAxis->range().lower;
    // From the source's own pin: the record begins a little lower where triangles without area were dropped.
    QPainterPath path;
    path.moveTo(pinPlace(0));
    for (const auto& [triangles, metres] : curvePoints())
        path.lineTo(xAxis->coordToPixel(triangles), yAxis->coordToPixel(std::max(metres, floor)));
    p.setPen(QPen(l.text, 2));
    p.setBrush(Qt::NoBrush);
    p.drawPath(path);
    if (const std::vector<std::pair<double, double>> seen = seenPoints(); !seen.empty()) {
        QPolygonF line;
        for (const auto& [triangles, metres] : seen)
            line << QPointF(xAxis->coordToPixel(triangles), yAxis->coordToPixel(std::max(metres, floor)));
        p.setPen(QPen(l.quiet, 1.2));
        p.drawPolyline(line);
    }
    if (!s->mesh().curve.careful.empty()) {
        QPainterPath careful;
        for (std::size_t i = 0; i < s->mesh().curve.careful.size(); ++i) {
            const QPointF at(xAxis->coordToPixel(s->mesh().curve.triangles[i]),
                             yAxis->coordToPixel(std::max(s->mesh().curve.careful[i], floor)));
            i == 0 ? careful.moveTo(at) : careful.lineTo(at);
        }
        p.setPen(QPen(l.accent, 1.6, Qt::DashLine));
        p.drawPath(careful);
    }
    p.restore();

    for (int i = 0; i < static_cast<int>(s->mesh().levels.size()); ++i) {
        const QPointF at = pinPlace(i);
        const QColor color = Look::level(i);
        // What of it can be seen, where that is less: below the pin.
        if (const Level& own = s->mesh().levels[static_cast<std::size_t>(i)];
            i != m_drag && own.visible > 0 && own.visible < 0.75 * own.deviation) {
            const QPointF seen(at.x(), yAxis->coordToPixel(std::max(own.visible, floor)));
            p.setPen(QPen(color, 1, Qt::DotLine));
            p.drawLine(at, seen);
            p.setPen(QPen(color, 1.5));
            p.setBrush(l.panel);
            p.drawRect(QRectF(seen - QPointF(3, 3), QSizeF(6, 6)));
        }
        if (i > 0) {
            p.setPen(QPen(color, 1.2, Qt::DotLine));
            p.drawLine(at, QPointF(at.x(), area.bottom()));
        }
        const bool strong = i == m_bench.session.level() || i == m_hover || i == m_drag;
        p.setPen(QPen(l.ground, 2));
        p.setBrush(color);
        p.drawEllipse(at, strong ? 8 : 6.5, strong ? 8 : 6.5);
        if (s->mesh().levels[static_cast<std::size_t>(i)].locked) {
            p.setPen(QPen(l.ground, 1.6));
            p.drawLine(at + QPointF(-3, 0), at + QPointF(3, 0));
        }
    }
    paintPinNames(p, *s);
}

void ThinChart::paintPinNames(QPainter& p, const Subject& subject) const {
    const Look& l = Look::now();
    const QRect area = axisRect()->rect();
    const int levels = static_cast<int>(subject.mesh().levels.size());
    const ResolvedChain chain = chainOf(subject, m_bench.session.scene().statedView());
    std::vector<QRectF> taken;
    for (int i = 0; i < levels; ++i)
        taken.emplace_back(pinPlace(i) - QPointF(8, 8), QSizeF(16, 16));
    for (int i = 0; i < levels; ++i) {
        const QPointF at = pinPlace(i);
        QString line1 = QStringLiteral("L%1").arg(i);
        QString line2;
        if (i == m_drag) {
            line1 += QStringLiteral("  ") + groupedText(std::llround(m_dragTriangles));
            line2 = tr("about %1").arg(lengthText(pinValue(i).second));
            if (QGuiApplication::keyboardModifiers().testFlag(Qt::ShiftModifier))
                line2 += tr(", still from %1").arg(distanceText(chain.fromMetres[static_cast<std::size_t>(i)]));
        } else if (i > 0) {
            line2 = tr("from %1").arg(distanceText(chain.fromMetres[static_cast<std::size_t>(i)]));
        }
        p.setFont(Look::font(11, 600));
        const int w = std::max(p.fontMetrics().horizontalAdvance(line1), p.fontMetrics().horizontalAdvance(line2)) + 4;
        // The first place round the pin that is inside and free; above and left when none is.
        const std::array<std::pair<QPointF, Qt::Alignment>, 4> places{{{QPointF(-w - 12, -30), Qt::AlignRight},
                                                                       {QPointF(12, 2), Qt::AlignLeft},
                                                                       {QPointF(12, -30), Qt::AlignLeft},
                                                                       {QPointF(-w - 12, 6), Qt::AlignRight}}};
        QRectF label(at + places[0].first, QSizeF(w, 28));
        Qt::Alignment align = places[0].second;
        for (const auto& [offset, side] : places) {
            const QRectF tried(at + offset, QSizeF(w, 28));
            const bool inside = tried.left() > area.left() && tried.right() < width() - 2 &&
                                tried.top() > area.top() - 10 && tried.bottom() < area.bottom() + 2;
            if (inside &&
                std::none_of(taken.begin(), taken.end(), [&](const QRectF& r) { return r.intersects(tried); })) {
                label = tried;
                align = side;
                break;
            }
        }
        taken.push_back(label);
        // Lines of other pins pass behind.
        const auto write = [&](const QRectF& box, const QString& text, const QColor& color) {
            p.fillRect(p.boundingRect(box, static_cast<int>(align | Qt::AlignTop), text).adjusted(-1, 1, 1, -1),
                       l.ground);
            p.setPen(color);
            p.drawText(box, align | Qt::AlignTop, text);
        };
        write(label, line1, l.text);
        p.setFont(Look::font(10.5));
        if (!line2.isEmpty())
            write(label.adjusted(0, 14, 0, 4), line2, l.quiet);
    }
}

void ThinChart::mousePressEvent(QMouseEvent* event) {
    const int pin = pinAt(event->position());
    if (pin < 0 || event->button() != Qt::LeftButton)
        return;
    m_bench.session.selectLevel(pin);
    if (pin == 0)
        return;
    m_drag = pin;
    m_dragTriangles = m_bench.session.meshSubject()->mesh().levels[static_cast<std::size_t>(pin)].triangles;
    update();
}

void ThinChart::mouseMoveEvent(QMouseEvent* event) {
    if (m_drag >= 0 && m_bench.session.meshSubject() != nullptr) {
        const auto& levels = m_bench.session.meshSubject()->mesh().levels;
        const auto at = static_cast<std::size_t>(m_drag);
        if (at >= levels.size())
            return;
        const double most = levels[at - 1].triangles - 1.0;
        const double fewest = at + 1 < levels.size() ? levels[at + 1].triangles + 1.0 : 1.0;
        m_dragTriangles = std::clamp(trianglesAt(event->position().x()), std::min(fewest, most), most);
        m_bench.thin.cutLevelTo(m_bench.session.subjectId(), m_drag, m_dragTriangles, false);
        update();
        return;
    }
    const int pin = pinAt(event->position());
    if (pin != m_hover) {
        m_hover = pin;
        setCursor(pin > 0 ? Qt::SizeHorCursor : Qt::ArrowCursor);
        update();
    }
}

void ThinChart::mouseReleaseEvent(QMouseEvent* event) {
    if (m_drag < 0)
        return;
    const int level = m_drag;
    m_drag = -1;
    if (m_bench.session.meshSubject() != nullptr &&
        level < static_cast<int>(m_bench.session.meshSubject()->mesh().levels.size()) &&
        std::abs(m_dragTriangles -
                 m_bench.session.meshSubject()->mesh().levels[static_cast<std::size_t>(level)].triangles) > 0.5)
        m_bench.thin.cutLevelTo(m_bench.session.subjectId(), level, m_dragTriangles, true,
                                event->modifiers().testFlag(Qt::ShiftModifier));
    update();
}

void ThinChart::mouseDoubleClickEvent(QMouseEvent* event) {
    if (m_bench.session.meshSubject() != nullptr && pinAt(event->position()) < 0 &&
        axisRect()->rect().contains(event->pos()))
        m_bench.thin.addLevel(m_bench.session.subjectId(), trianglesAt(event->position().x()));
}

void ThinChart::keyPressEvent(QKeyEvent* event) {
    const Subject* s = m_bench.session.meshSubject();
    const int level = m_bench.session.level();
    const double factor = event->key() == Qt::Key_Left ? 1.05 : event->key() == Qt::Key_Right ? 1 / 1.05 : 0;
    if (s != nullptr && factor > 0 && level > 0 && level < static_cast<int>(s->mesh().levels.size()))
        m_bench.thin.cutLevelTo(s->id, level, s->mesh().levels[static_cast<std::size_t>(level)].triangles * factor,
                                true);
    else if (s != nullptr && event->key() == Qt::Key_Delete)
        m_bench.thin.removeLevel(s->id, level);
    else
        Chart::keyPressEvent(event);
}

} // namespace thicket::app
