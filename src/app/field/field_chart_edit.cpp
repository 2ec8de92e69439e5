// The hand on the chart of keep and grow: what is under the mouse, dragging, points that come and go, figures typed.

#include "app/field/field_chart.h"

#include "app/parts/controls.h"
#include "scene/kinds.h"

#include <QDialog>
#include <QDialogButtonBox>
#include <QMenu>
#include <QVBoxLayout>
#include <algorithm>
#include <cmath>

namespace thicket::app {

FieldChart::Hit FieldChart::hitAt(const QPointF& p) const {
    if (field() == nullptr)
        return {};
    constexpr double kGrab = 9; // pixels about a handle
    const auto near = [&p](const QPointF& at) { return QLineF(p, at).length() < kGrab; };
    // The grow curve's handles lie on top; where both are at 100 % the mouse above takes it, below the share.
    if (!m_thinning.holdCover)
        for (std::size_t i = 0; i < m_thinning.grow.points.size(); ++i)
            if (near(place(Curve::Grow, i)) && p.y() <= place(Curve::Grow, i).y())
                return {Grip::Grow, static_cast<int>(i)};
    for (std::size_t i = 0; i < m_thinning.keep.points.size(); ++i)
        if (near(place(Curve::Keep, i)))
            return {Grip::Keep, static_cast<int>(i)};
    if (!m_thinning.holdCover)
        for (std::size_t i = 0; i < m_thinning.grow.points.size(); ++i)
            if (near(place(Curve::Grow, i)))
                return {Grip::Grow, static_cast<int>(i)};
    const QRectF area = axisRect()->rect();
    for (int i = 1; i < static_cast<int>(m_chain.fromMetres.size()); ++i) {
        const QPointF top = switchPlace(i);
        if (std::abs(p.x() - top.x()) < 7 && p.y() > top.y() - 20 && p.y() < area.top() + 2)
            return {Grip::Switch, i};
    }
    if (area.contains(p) && m_needle > 0 && m_needle <= m_end && std::abs(p.x() - x(m_needle)) < 4)
        return {Grip::Needle, -1};
    return {};
}

void FieldChart::mousePressEvent(QMouseEvent* event) {
    if (event->button() != Qt::LeftButton || field() == nullptr)
        return;
    setFocus(Qt::MouseFocusReason);
    m_drag = hitAt(event->position());
    m_chosen = m_drag;
    m_dragged = m_bench.session.subjectId();
    ++m_serial;
    if (event->modifiers().testFlag(Qt::AltModifier) && m_drag.grip == Grip::Switch)
        m_drag.grip = Grip::Band;
    update();
}

void FieldChart::drag(const QPointF& to) {
    const Subject* s = field();
    const QString key = QStringLiteral("field-drag-%1").arg(m_serial);
    const double d = metresAt(to.x());
    const auto round = [](double metres) {
        const double step = metres < 10 ? 0.1 : metres < 100 ? 0.5 : 1;
        return std::round(metres / step) * step;
    };
    const auto shareAt = [&](double low, double high) {
        const double raw = std::clamp(valueAt(to.y()), low, high);
        // A curve catches at whole and at nothing.
        const double snap = 6 * (valueAt(0) - valueAt(1));
        return std::abs(raw - 1) < std::abs(snap) ? 1 : raw < 0.02 ? 0 : std::round(raw * 100) / 100;
    };
    switch (m_drag.grip) {
    case Grip::Keep:
        putPoint(m_drag, round(d), shareAt(0, 1), key);
        return;
    case Grip::Grow:
        putPoint(m_drag, round(d), shareAt(1, Thinning::kMostGrowth), key);
        return;
    case Grip::Switch:
        putSwitch(m_drag.index, round(d), key);
        return;
    case Grip::Band: {
        SwitchRule rule = s->rule;
        const double at = m_chain.fromMetres[static_cast<std::size_t>(m_drag.index)];
        rule.softBand = std::clamp(std::round(100 * std::abs(d / std::max(at, 1e-9) - 1)) / 100, 0.0, 0.5);
        m_bench.switching.setRule(s->id, rule, tr("Change the soft band"), key);
        return;
    }
    case Grip::Needle:
        emit needleDragged(d);
        return;
    case Grip::None:
        return;
    }
}

void FieldChart::putPoint(const Hit& hit, double metres, double value, const QString& mergeKey) {
    const Subject* s = field();
    Thinning thinning = m_thinning;
    const bool keep = hit.grip == Grip::Keep;
    DistanceCurve& curve = keep ? thinning.keep : thinning.grow;
    const auto i = static_cast<std::size_t>(hit.index);
    if (s == nullptr || i >= curve.points.size())
        return;
    const double from = i > 0 ? curve.points[i - 1].metres + 0.1 : 0;
    const double until = i + 1 < curve.points.size() ? curve.points[i + 1].metres - 0.1 : 1e6;
    curve.points[i] = {std::clamp(metres, from, std::max(from, until)),
                       std::clamp(value, keep ? 0.0 : 1.0, keep ? 1.0 : Thinning::kMostGrowth)};
    m_bench.fields.setThinning(s->id, thinning, keep ? tr("Change what is kept") : tr("Change how copies grow"),
                               mergeKey);
}

void FieldChart::putSwitch(int level, double metres, const QString& mergeKey) {
    const Subject* s = field();
    if (s == nullptr)
        return;
    if (s->instances() != nullptr)
        m_bench.fields.setSwitch(s->id, level, metres, mergeKey);
    else
        m_bench.switching.setSwitchDistance(s->id, level, metres, mergeKey);
}

void FieldChart::typePlace(const Hit& hit) {
    const bool isSwitch = hit.grip == Grip::Switch;
    const DistanceCurve& curve = hit.grip == Grip::Grow ? m_thinning.grow : m_thinning.keep;
    const auto index = static_cast<std::size_t>(hit.index);
    if (index >= (isSwitch ? m_chain.fromMetres.size() : curve.points.size()))
        return;
    QDialog dialog(this);
    dialog.setObjectName(QStringLiteral("typePlace"));
    dialog.setWindowTitle(isSwitch                 ? tr("Switch to L%1").arg(hit.index)
                          : hit.grip == Grip::Grow ? tr("A point of grow")
                                                   : tr("A point of keep"));
    auto* column = new QVBoxLayout(&dialog);
    auto* metres = new NumberBox(0.1, 1e6, 1, tr(" m"));
    metres->setObjectName(QStringLiteral("typedMetres"));
    metres->show(isSwitch ? m_chain.fromMetres[index] : curve.points[index].metres);
    column->addWidget(fieldRow(tr("From a distance of"), metres, tr("Of the camera")));
    auto* percent = new NumberBox(hit.grip == Grip::Grow ? 100 : 0,
                                  hit.grip == Grip::Grow ? 100 * Thinning::kMostGrowth : 100, 0, tr(" %"));
    percent->setObjectName(QStringLiteral("typedShare"));
    if (!isSwitch) {
        percent->show(100 * curve.points[index].value);
        column->addWidget(fieldRow(hit.grip == Grip::Grow ? tr("As large as") : tr("Kept"), percent,
                                   hit.grip == Grip::Grow ? tr("Of their own size") : tr("Of all there are")));
    }
    percent->setVisible(!isSwitch);
    auto* buttons = new QDialogButtonBox(QDialogButtonBox::Ok | QDialogButtonBox::Cancel);
    column->addWidget(buttons);
    connect(buttons, &QDialogButtonBox::accepted, &dialog, &QDialog::accept);
    connect(buttons, &QDialogButtonBox::rejected, &dialog, &QDialog::reject);
    if (dialog.exec() != QDialog::Accepted)
        return;
    if (isSwitch)
        putSwitch(hit.index, metres->value(), {});
    else
        putPoint(hit, metres->value(), percent->value() / 100, {});
}

void FieldChart::mouseMoveEvent(QMouseEvent* event) {
    m_mouse = event->position();
    // What is held may be gone by now: undone, removed, or another subject is shown.
    const auto points = [](const DistanceCurve& c) { return static_cast<int>(c.points.size()); };
    const bool there =
        field() != nullptr && m_bench.session.subjectId() == m_dragged &&
        (m_drag.grip != Grip::Keep || m_drag.index < points(m_thinning.keep)) &&
        (m_drag.grip != Grip::Grow || (!m_thinning.holdCover && m_drag.index < points(m_thinning.grow))) &&
        ((m_drag.grip != Grip::Switch && m_drag.grip != Grip::Band) ||
         m_drag.index < static_cast<int>(m_chain.fromMetres.size()));
    if (!there)
        m_drag = {};
    if (m_drag.grip != Grip::None) {
        drag(event->position());
        update();
        return;
    }
    m_hover = hitAt(event->position());
    setCursor(m_hover.grip == Grip::None                                     ? Qt::ArrowCursor
              : m_hover.grip == Grip::Switch || m_hover.grip == Grip::Needle ? Qt::SizeHorCursor
                                                                             : Qt::SizeAllCursor);
    update();
}

void FieldChart::mouseReleaseEvent(QMouseEvent* /*event*/) {
    m_drag = {};
    rebuild();
}

void FieldChart::addPoint(Curve curve, const QPointF& at) {
    const Subject* s = field();
    Thinning thinning = m_thinning;
    DistanceCurve& of = curve == Curve::Keep ? thinning.keep : thinning.grow;
    if (s == nullptr || of.points.size() >= DistanceCurve::kMostPoints)
        return;
    const double d = std::max(0.1, std::round(metresAt(at.x()) * 10) / 10);
    if (std::any_of(of.points.begin(), of.points.end(),
                    [d](const CurvePoint& p) { return std::abs(p.metres - d) < 0.1; }))
        return;
    const double value = std::round(of.at(d) * 100) / 100; // on the line, to be dragged from there
    of.points.insert(std::upper_bound(of.points.begin(), of.points.end(), d,
                                      [](double m, const CurvePoint& p) { return m < p.metres; }),
                     {d, value});
    m_bench.fields.setThinning(s->id, thinning, tr("Add a point"));
}

void FieldChart::removePoint(const Hit& hit) {
    const Subject* s = field();
    if (s == nullptr || (hit.grip != Grip::Keep && hit.grip != Grip::Grow))
        return;
    Thinning thinning = m_thinning;
    auto& points = (hit.grip == Grip::Keep ? thinning.keep : thinning.grow).points;
    if (hit.index < 0 || hit.index >= static_cast<int>(points.size()))
        return;
    points.erase(points.begin() + hit.index);
    m_chosen = {};
    m_bench.fields.setThinning(s->id, thinning, tr("Take away a point"));
}

void FieldChart::mouseDoubleClickEvent(QMouseEvent* event) {
    if (field() == nullptr || !axisRect()->rect().contains(event->pos()))
        return;
    if (const Hit hit = hitAt(event->position()); hit.grip == Grip::Keep || hit.grip == Grip::Grow) {
        removePoint(hit);
        return;
    }
    const double d = metresAt(event->position().x());
    const double toKeep = std::abs(event->position().y() - y(m_thinning.keepAt(d)));
    const double toGrow = std::abs(event->position().y() - y(m_thinning.growAt(d)));
    addPoint(!m_thinning.holdCover && toGrow < toKeep ? Curve::Grow : Curve::Keep, event->position());
}

void FieldChart::contextMenuEvent(QContextMenuEvent* event) {
    const Subject* s = field();
    if (s == nullptr)
        return;
    const QPointF at = event->pos();
    const Hit hit = hitAt(at);
    QMenu menu;
    const bool isPoint = hit.grip == Grip::Keep || hit.grip == Grip::Grow;
    if (isPoint || hit.grip == Grip::Switch) {
        menu.addAction(tr("Type its place …"), this, [this, hit] { typePlace(hit); });
        QAction* here = menu.addAction(tr("Put it where the camera stands"), this, [this, hit, isPoint] {
            const auto& points = hit.grip == Grip::Grow ? m_thinning.grow.points : m_thinning.keep.points;
            if (!isPoint)
                putSwitch(hit.index, m_needle, {});
            else if (hit.index < static_cast<int>(points.size()))
                putPoint(hit, m_needle, points[static_cast<std::size_t>(hit.index)].value, {});
        });
        here->setEnabled(m_needle > 0);
    }
    if (isPoint)
        menu.addAction(tr("Take this point away"), this, [this, hit] { removePoint(hit); });
    if (hit.grip == Grip::Switch)
        menu.addAction(tr("Let it follow the allowance"), this,
                       [this, id = s->id, level = hit.index, own = s->instances() == nullptr] {
                           own ? m_bench.switching.clearSwitch(id, level) : m_bench.fields.clearSwitch(id, level);
                       });
    if (hit.grip == Grip::None && axisRect()->rect().contains(event->pos())) {
        menu.addAction(tr("Keep a share from here"), this, [this, at] { addPoint(Curve::Keep, at); });
        if (!m_thinning.holdCover)
            menu.addAction(tr("Grow from here"), this, [this, at] { addPoint(Curve::Grow, at); });
        menu.addAction(tr("Stand here"), this, [this, at] { emit needleDragged(metresAt(at.x())); });
    }
    menu.addSeparator();
    QAction* hold = menu.addAction(tr("Hold the cover"));
    hold->setCheckable(true);
    hold->setChecked(m_thinning.holdCover);
    connect(hold, &QAction::toggled, this, [this, id = s->id](bool on) { m_bench.fields.holdCover(id, on); });
    menu.exec(event->globalPos());
}

void FieldChart::keyPressEvent(QKeyEvent* event) {
    const bool chosen = m_chosen.grip == Grip::Keep || m_chosen.grip == Grip::Grow || m_chosen.grip == Grip::Switch;
    if (event->key() == Qt::Key_Delete || event->key() == Qt::Key_Backspace)
        removePoint(m_chosen);
    else if (chosen && field() != nullptr && (event->key() == Qt::Key_Return || event->key() == Qt::Key_Enter))
        typePlace(m_chosen);
    else
        Chart::keyPressEvent(event);
}

void FieldChart::leaveEvent(QEvent* event) {
    m_mouse = {-1, -1};
    m_hover = {};
    update();
    Chart::leaveEvent(event);
}

} // namespace thicket::app
