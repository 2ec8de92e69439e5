#include "app/budget/route_chart.h"

#include "app/look/look.h"

#include <QContextMenuEvent>
#include <QMenu>
#include <algorithm>
#include <numeric>

namespace thicket::app {

RouteChart::RouteChart(Workbench& bench, QWidget* parent) : Chart(bench, parent) {
    setAccessibleName(tr("Cost along the route"));
    setMinimumHeight(250);
    setMouseTracking(true);
    m_triangles = new QCPAxisRect(this);
    m_draws = new QCPAxisRect(this);
    m_memory = new QCPAxisRect(this);
    plotLayout()->addElement(1, 0, m_triangles);
    plotLayout()->addElement(2, 0, m_draws);
    plotLayout()->addElement(3, 0, m_memory);
    plotLayout()->setRowStretchFactor(0, 2.2);
    plotLayout()->setRowStretchFactor(1, 1.5);
    plotLayout()->setRowStretchFactor(2, 0.8);
    plotLayout()->setRowStretchFactor(3, 0.8);
    plotLayout()->setRowSpacing(0);
    for (QCPAxisRect* lane : {axisRect(), m_triangles, m_draws, m_memory}) {
        style(lane, false, false);
        lane->setAutoMargins(QCP::msNone);
        lane->setMargins(QMargins(76, lane == axisRect() ? 36 : 5, 24, lane == m_memory ? 42 : 3));
        lane->axis(QCPAxis::atBottom)->setTickLabels(false);
    }
    const auto two = [](std::function<QString(double)> label) {
        return QSharedPointer<QCPAxisTicker>(new PlainTicker(std::move(label), 2));
    };
    yAxis->setTicker(two([](double v) { return v <= 0 ? QString() : QStringLiteral("%1 ms").arg(v); }));
    m_triangles->axis(QCPAxis::atLeft)->setTicker(two([](double v) { return v <= 0 ? QString() : shortText(v); }));
    m_draws->axis(QCPAxis::atLeft)->setTicker(two([](double v) {
        return v <= 0 ? QString() : groupedText(std::llround(v));
    }));
    for (QCPAxisRect* lane : {axisRect(), m_triangles, m_draws, m_memory})
        lane->axis(QCPAxis::atBottom)
            ->setTicker(QSharedPointer<QCPAxisTicker>(
                new PlainTicker([](double v) { return QStringLiteral("%1 s").arg(v); }, 7)));
    m_memory->axis(QCPAxis::atLeft)->setTicker(two([](double v) {
        return v <= 0 ? QString() : QStringLiteral("%1 MB").arg(v);
    }));
    m_memory->axis(QCPAxis::atBottom)->setTickLabels(true);
    m_memory->axis(QCPAxis::atBottom)->setOffset(16);
    connect(&bench.budget, &BudgetModel::auditChanged, this, &RouteChart::rebuild);
    connect(&bench.budget, &BudgetModel::fitChanged, this, &RouteChart::rebuild);
    connect(&bench.budget, &BudgetModel::baselineChanged, this, &RouteChart::rebuild);
    connect(&bench.session.document, &Document::sceneChanged, this, &RouteChart::rebuild);
    rebuild();
}

void RouteChart::rebuild() {
    const auto& scene = m_bench.session.scene();
    const double length = route() == nullptr ? 10 : std::max(1.0, route()->length());
    if (m_key && (route() == nullptr || *m_key >= route()->keys.size()))
        m_key.reset();
    const Device* device = scene.currentDevice();
    double ms = device != nullptr ? device->frameMs : 8;
    double triangles = device != nullptr ? static_cast<double>(device->triangleBudget) : 1e6;
    double draws = device != nullptr ? static_cast<double>(device->drawBudget) : 1e3;
    double memory = device != nullptr && device->memoryMb > 0 ? device->memoryMb : 1;
    m_order.assign(scene.subjects.size(), 0);
    std::iota(m_order.begin(), m_order.end(), std::size_t{0});
    if (const Audit* audit = m_bench.budget.audit()) {
        memory = std::max(memory, audit->memory.worst);
        std::vector<double> sum(scene.subjects.size(), 0);
        for (const AuditFrame& f : audit->frames) {
            ms = std::max(ms, f.ms);
            triangles = std::max(triangles, static_cast<double>(f.triangles));
            draws = std::max(draws, static_cast<double>(f.draws));
            for (std::size_t i = 0; i < sum.size() && i < f.subjectMs.size(); ++i)
                sum[i] += static_cast<double>(f.subjectMs[i]);
        }
        std::stable_sort(m_order.begin(), m_order.end(),
                         [&sum](std::size_t a, std::size_t b) { return sum[a] > sum[b]; });
    }
    if (const AuditBaseline* baseline = m_bench.budget.compared()) {
        ms = std::max(ms, baseline->summary.worst);
        triangles = std::max(triangles, baseline->summary.mostTriangles);
        draws = std::max(draws, baseline->summary.mostDraws);
    }
    for (QCPAxisRect* lane : {axisRect(), m_triangles, m_draws, m_memory})
        if (!m_dragging)
            lane->axis(QCPAxis::atBottom)->setRange(0, length);
    yAxis->setRange(0, ms * 1.15);
    m_triangles->axis(QCPAxis::atLeft)->setRange(0, triangles * 1.15);
    m_draws->axis(QCPAxis::atLeft)->setRange(0, draws * 1.2);
    m_memory->axis(QCPAxis::atLeft)->setRange(0, memory * 1.2);
    refresh();
    update();
}

void RouteChart::setTime(double seconds) {
    m_time = seconds;
    update();
}

double RouteChart::xOf(double seconds) const {
    return xAxis->coordToPixel(seconds);
}

QColor RouteChart::colorOf(std::size_t subject) const {
    const auto at = std::find(m_order.begin(), m_order.end(), subject) - m_order.begin();
    static const int ramp[] = {4, 3, 2, 1, 0, 5, 6, 7};
    return Look::level(ramp[at % 8]);
}

std::vector<const AuditFrame*> RouteChart::worstOf(const Audit& audit,
                                                   const std::function<double(const AuditFrame&)>& total) const {
    // One column a pixel, the worst frame in it: a single bad frame is never averaged away.
    const QRect area = axisRect()->rect();
    const int columns = std::max(1, area.width());
    std::vector<const AuditFrame*> worst(static_cast<std::size_t>(columns), nullptr);
    for (const AuditFrame& f : audit.frames) {
        const int c = std::clamp(static_cast<int>(xAxis->coordToPixel(f.seconds)) - area.left(), 0, columns - 1);
        auto& slot = worst[static_cast<std::size_t>(c)];
        if (slot == nullptr || total(f) > total(*slot))
            slot = &f;
    }
    const AuditFrame* last = &audit.frames.front();
    for (auto& slot : worst) {
        if (slot == nullptr)
            slot = last;
        last = slot;
    }
    return worst;
}

void RouteChart::paintLane(QPainter& p, QCPAxisRect* lane, const QString& name, const QString& limit, double budget,
                           const std::function<double(const AuditFrame&)>& total,
                           const std::function<double(const AuditFrame&, std::size_t)>& share,
                           double BaselineFrame::*before) const {
    const Look& l = Look::now();
    const Audit& audit = *m_bench.budget.audit();
    const QCPAxis* axis = lane->axis(QCPAxis::atLeft);
    const QRect area = lane->rect();
    p.save();
    p.setClipRect(area);
    const int columns = std::max(1, area.width());
    const std::vector<const AuditFrame*> worst = worstOf(audit, total);
    std::vector<double> base(static_cast<std::size_t>(columns), 0);
    const auto band = [&](const std::function<double(const AuditFrame&)>& height, const QColor& color) {
        QPolygonF shape;
        for (int c = 0; c < columns; ++c)
            shape << QPointF(area.left() + c + 0.5, axis->coordToPixel(base[static_cast<std::size_t>(c)]));
        QPolygonF top;
        for (int c = columns - 1; c >= 0; --c) {
            base[static_cast<std::size_t>(c)] += height(*worst[static_cast<std::size_t>(c)]);
            top << QPointF(area.left() + c + 0.5, axis->coordToPixel(base[static_cast<std::size_t>(c)]));
        }
        shape << top;
        p.setPen(Qt::NoPen);
        p.setBrush(color);
        p.drawPolygon(shape);
    };
    if (share) {
        for (const std::size_t s : m_order) {
            QColor color = colorOf(s);
            color.setAlphaF(0.82F);
            band([&](const AuditFrame& f) { return share(f, s); }, color);
        }
        // What belongs to no subject: the device's base cost.
        for (int c = 0; c < columns; ++c) {
            const auto i = static_cast<std::size_t>(c);
            const double rest = total(*worst[i]) - base[i];
            if (rest > 0)
                p.fillRect(QRectF(area.left() + c, axis->coordToPixel(total(*worst[i])), 1,
                                  axis->coordToPixel(base[i]) - axis->coordToPixel(total(*worst[i]))),
                           l.line);
        }
    } else {
        band(total, l.faint);
    }
    QColor over = l.over;
    over.setAlphaF(0.25F);
    for (int c = 0; c < columns; ++c)
        if (total(*worst[static_cast<std::size_t>(c)]) > budget)
            p.fillRect(QRect(area.left() + c, area.top(), 1, area.height()), over);
    if (const Fit* fit = m_bench.budget.fit(); fit != nullptr && !fit->after.frames.empty()) {
        const std::vector<const AuditFrame*> fitted = worstOf(fit->after, total);
        QPolygonF line;
        for (int c = 0; c < columns; ++c)
            line << QPointF(area.left() + c + 0.5, axis->coordToPixel(total(*fitted[static_cast<std::size_t>(c)])));
        p.setPen(QPen(l.ground, 4));
        p.drawPolyline(line);
        p.setPen(QPen(l.accent, 2));
        p.drawPolyline(line);
    }
    if (const AuditBaseline* baseline = m_bench.budget.compared();
        baseline != nullptr && before != nullptr && m_bench.budget.fit() == nullptr) {
        // The worst of each column here too.
        std::vector<double> most(static_cast<std::size_t>(columns), -1);
        for (const BaselineFrame& f : baseline->frames) {
            const int c = static_cast<int>(xAxis->coordToPixel(f.seconds)) - area.left();
            if (c >= 0 && c < columns)
                most[static_cast<std::size_t>(c)] = std::max(most[static_cast<std::size_t>(c)], f.*before);
        }
        QPolygonF line;
        for (int c = 0; c < columns; ++c)
            if (const double value = most[static_cast<std::size_t>(c)]; value >= 0)
                line << QPointF(area.left() + c + 0.5, axis->coordToPixel(value));
        p.setPen(QPen(l.ground, 3));
        p.drawPolyline(line);
        p.setPen(QPen(l.text, 1.3, Qt::DotLine));
        p.drawPolyline(line);
    }
    p.setPen(QPen(l.text, 1.4));
    const double y = axis->coordToPixel(budget);
    p.drawLine(QPointF(area.left(), y), QPointF(area.right(), y));
    p.restore();
    p.setFont(Look::font(10.5, 500));
    p.setPen(l.text);
    p.drawText(QRectF(area.right() - 120, y - 16, 114, 14), Qt::AlignRight | Qt::AlignVCenter, limit);
    p.setFont(Look::font(11, 600));
    const int w = p.fontMetrics().horizontalAdvance(name) + 10;
    const QRectF label(area.left() + 4, area.top() + 2, w, 15);
    QColor back = l.ground;
    back.setAlphaF(0.75F);
    p.fillRect(label, back);
    p.setPen(l.text);
    p.drawText(label, Qt::AlignCenter, name);
}

void RouteChart::paintOverlay(QPainter& p) {
    const Look& l = Look::now();
    const Audit* audit = m_bench.budget.audit();
    const auto& scene = m_bench.session.scene();
    QString title = route() == nullptr ? tr("No route")
                                       : QString::fromStdString(route()->name) +
                                             QStringLiteral(" · %1 s").arg(route()->length(), 0, 'f', 0);
    QString aside;
    QColor color = l.quiet;
    if (audit != nullptr && !audit->frames.empty()) {
        const AuditFrame& worst = audit->frames[audit->worstFrame];
        title += tr(" · %1 frames").arg(groupedText(static_cast<qint64>(audit->frames.size())));
        aside = tr("worst %1 ms at %2 s").arg(worst.ms, 0, 'f', 1).arg(worst.seconds, 0, 'f', 1);
        if (m_bench.budget.auditStale())
            aside = tr("from before the last change · ") + aside;
        color = audit->holds() ? l.good : l.over;
        if (const AuditBaseline* baseline = m_bench.budget.compared()) {
            const auto here = static_cast<std::size_t>(std::lround(m_time * audit->framesPerSecond));
            const BaselineFrame* then = frameAt(*baseline, m_time);
            if (then != nullptr && here < audit->frames.size())
                aside += tr(" · here %1, was %2 ms").arg(audit->frames[here].ms, 0, 'f', 1).arg(then->ms, 0, 'f', 1);
            aside += tr(" · dotted: %1").arg(m_bench.budget.baselineName());
        }
        if (const Fit* fit = m_bench.budget.fit(); fit != nullptr && !fit->after.frames.empty()) {
            const AuditFrame& left = fit->after.frames[fit->after.worstFrame];
            aside = tr("bands: as it is, worst %1 ms · line: fitted, worst %2 ms")
                        .arg(worst.ms, 0, 'f', 1)
                        .arg(left.ms, 0, 'f', 1);
            color = fit->holds() ? l.good : l.over;
        }
    }
    if (route() != nullptr && route()->length() > 0)
        title += tr(" · %1 m/s here").arg(speedOnRoute(*route(), m_time), 0, 'f', 1);
    drawTitle(p, title, aside, color);
    const QRect bottom = m_memory->rect();
    if (audit == nullptr || audit->frames.empty() || audit->frames.front().subjectMs.size() != scene.subjects.size()) {
        drawEmpty(
            p, QRectF(axisRect()->left(), axisRect()->top(), axisRect()->width(), bottom.bottom() - axisRect()->top()),
            route() == nullptr || route()->keys.size() < 2
                ? tr("A route is a camera move. Go where it should begin and press “Key the camera here”,\nmove on, "
                     "key again: each key comes four seconds after the one before.")
                : tr("“Fly the route” walks every frame and plots what it costs."));
    } else {
        const Device* device = scene.currentDevice();
        paintLane(
            p, axisRect(), tr("frame time"), tr("budget %1 ms").arg(device->frameMs), device->frameMs,
            [](const AuditFrame& f) { return f.ms; },
            [](const AuditFrame& f, std::size_t s) { return static_cast<double>(f.subjectMs[s]); }, &BaselineFrame::ms);
        paintLane(
            p, m_triangles, tr("triangles"),
            tr("budget %1").arg(shortText(static_cast<double>(device->triangleBudget))),
            static_cast<double>(device->triangleBudget),
            [](const AuditFrame& f) { return static_cast<double>(f.triangles); },
            [](const AuditFrame& f, std::size_t s) { return static_cast<double>(f.subjectTriangles[s]); },
            &BaselineFrame::triangles);
        paintLane(
            p, m_draws, tr("draws"), tr("budget %1").arg(device->drawBudget), static_cast<double>(device->drawBudget),
            [](const AuditFrame& f) { return static_cast<double>(f.draws); }, {}, &BaselineFrame::draws);
        const bool limited = device->memoryMb > 0;
        constexpr double kBeyond = 1e12; // no line in the lane
        paintLane(p, m_memory, tr("memory"), limited ? tr("budget %1 MB").arg(device->memoryMb) : QString(),
                  limited ? device->memoryMb : kBeyond, [](const AuditFrame& f) { return f.memoryMb; }, {});
        p.setFont(Look::font(11));
        p.setPen(l.quiet);
        p.drawText(QRect(0, bottom.bottom() + 4, 70, 14), Qt::AlignRight | Qt::AlignVCenter, tr("switches"));
        p.setPen(QPen(l.accent, 1));
        for (const AuditFrame& f : audit->frames)
            if (f.switches > 0) {
                const double x = xOf(f.seconds);
                p.drawLine(QPointF(x, bottom.bottom() + 4), QPointF(x, bottom.bottom() + 16));
            }
    }
    if (route() != nullptr)
        for (std::size_t k = 0; k < route()->keys.size(); ++k) {
            const QPointF at = keyPlace(k);
            p.setPen(QPen(l.ground, 1));
            p.setBrush(m_key == k ? l.text : l.accent);
            p.drawPolygon(QPolygonF({at + QPointF(-5, -4), at + QPointF(5, -4), at + QPointF(0, 5)}));
        }
    if (audit != nullptr && route() != nullptr) {
        const double x = xOf(m_time);
        p.setPen(QPen(l.accent, 2));
        p.drawLine(QPointF(x, axisRect()->top() - 4), QPointF(x, bottom.bottom() + 16));
    }
}

QPointF RouteChart::keyPlace(std::size_t key) const {
    return {xOf(route()->keys[key].seconds), static_cast<double>(axisRect()->top()) - 6};
}

std::optional<std::size_t> RouteChart::keyAt(const QPointF& at) const {
    constexpr double kGrab = 7;
    std::optional<std::size_t> found;
    double nearest = kGrab;
    for (std::size_t k = 0; route() != nullptr && k < route()->keys.size(); ++k)
        if (const double away = std::abs(keyPlace(k).x() - at.x());
            std::abs(keyPlace(k).y() - at.y()) <= kGrab && away <= nearest) {
            nearest = away;
            found = k;
        }
    return found;
}

void RouteChart::pickTime(double x) {
    emit timePicked(std::clamp(xAxis->pixelToCoord(x), 0.0, route()->length()));
}

void RouteChart::mousePressEvent(QMouseEvent* event) {
    if (route() == nullptr || event->button() != Qt::LeftButton)
        return;
    m_key = keyAt(event->position());
    m_dragging = m_key.has_value();
    ++m_drags;
    if (m_key)
        emit timePicked(route()->keys[*m_key].seconds);
    else
        pickTime(event->position().x());
    update();
}

void RouteChart::mouseMoveEvent(QMouseEvent* event) {
    if (route() == nullptr)
        return;
    if (!event->buttons().testFlag(Qt::LeftButton)) {
        setCursor(keyAt(event->position()) ? Qt::SizeHorCursor : Qt::ArrowCursor);
        return;
    }
    if (m_dragging && m_key) {
        m_bench.routes.moveKeyTo(*m_key, xAxis->pixelToCoord(event->position().x()),
                                 QStringLiteral("key %1").arg(m_drags));
        emit timePicked(route()->keys[*m_key].seconds);
    } else {
        pickTime(event->position().x());
    }
}

void RouteChart::mouseReleaseEvent(QMouseEvent*) {
    if (m_dragging) {
        m_dragging = false;
        rebuild();
    }
}

void RouteChart::mouseDoubleClickEvent(QMouseEvent* event) {
    constexpr double kStrip = 10; // pixels round the row of keys
    if (route() != nullptr && std::abs(event->position().y() - (axisRect()->top() - 6)) <= kStrip &&
        !keyAt(event->position()))
        m_bench.routes.insertKey(xAxis->pixelToCoord(event->position().x()));
}

void RouteChart::contextMenuEvent(QContextMenuEvent* event) {
    if (route() == nullptr)
        return;
    QMenu menu;
    if (const auto key = keyAt(event->pos())) {
        m_key = key;
        update();
        menu.addAction(tr("Put it where the camera is"), this, [this, key] { emit keyHereRequested(*key); });
        menu.addAction(tr("Remove this key (Delete)"), this, [this, key] { m_bench.routes.removeKey(*key); });
    } else {
        const double at = xAxis->pixelToCoord(event->pos().x());
        menu.addAction(tr("Add a key at %1 s").arg(at, 0, 'f', 1), this, [this, at] { m_bench.routes.insertKey(at); });
    }
    menu.exec(event->globalPos());
}

void RouteChart::keyPressEvent(QKeyEvent* event) {
    if (m_key && route() != nullptr && (event->key() == Qt::Key_Delete || event->key() == Qt::Key_Backspace)) {
        m_bench.routes.removeKey(*m_key);
        return;
    }
    const double step = event->key() == Qt::Key_Left ? -0.25 : event->key() == Qt::Key_Right ? 0.25 : 0;
    if (step == 0 || route() == nullptr) {
        Chart::keyPressEvent(event);
        return;
    }
    emit timePicked(std::clamp(m_time + step, 0.0, route()->length()));
}

} // namespace thicket::app
