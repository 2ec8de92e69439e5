// What the switch chart offers under the mouse's other button and by keys: levels in and out, switches set and freed.

#include "app/look/look.h"
#include "app/switching/switch_chart.h"

#include <QContextMenuEvent>
#include <QMenu>

namespace thicket::app {

void SwitchChart::fillMenu(QMenu& menu, const QPointF& at) {
    const Subject* s = charted();
    if (s == nullptr || !axisRect()->rect().adjusted(0, -20, 0, 0).contains(at.toPoint()))
        return;
    const std::uint32_t id = s->id;
    const Hit hit = hitAt(at);
    if (hit.grip == Grip::Handle) {
        const int level = hit.level;
        const bool fixed = m_chain.levels[static_cast<std::size_t>(level)].fixed.has_value();
        menu.addAction(tr("L%1 comes in where the camera stands").arg(level), this,
                       [this, id, level] { m_bench.switching.setSwitchDistance(id, level, m_needle); })
            ->setEnabled(m_needle > 0);
        menu.addAction(tr("L%1 follows the allowance again").arg(level), this,
                       [this, id, level] { m_bench.switching.clearSwitch(id, level); })
            ->setEnabled(fixed);
        if (!s->isMesh())
            return;
        menu.addSeparator();
        menu.addAction(tr("Take L%1 out").arg(level), this, [this, id, level] { m_bench.thin.removeLevel(id, level); });
        return;
    }
    if (!s->isMesh())
        return; // the levels of ground are those of its tiles
    const double metres = xAxis->pixelToCoord(at.x());
    menu.addAction(tr("Add a level that is within the allowance at %1").arg(distanceText(metres)), this,
                   [this, id, metres] { m_bench.thin.addLevelFor(id, metres); });
    if (m_needle > 0)
        menu.addAction(tr("Add one for where the camera stands, %1").arg(lengthText(m_needle * m_factor)), this,
                       [this, id] { m_bench.thin.addLevelFor(id, m_needle); });
}

void SwitchChart::contextMenuEvent(QContextMenuEvent* event) {
    QMenu menu(this);
    fillMenu(menu, event->pos());
    if (!menu.isEmpty())
        menu.exec(event->globalPos());
}

void SwitchChart::keyPressEvent(QKeyEvent* event) {
    const Subject* s = charted();
    const int level = m_bench.session.level();
    const bool has = s != nullptr && level > 0 && level < static_cast<int>(m_chain.fromMetres.size());
    const double fine = event->modifiers().testFlag(Qt::ShiftModifier) ? 1.002 : 1.02;
    const double factor = event->key() == Qt::Key_Left ? 1 / fine : event->key() == Qt::Key_Right ? fine : 0;
    if (has && factor > 0)
        m_bench.switching.setSwitchDistance(s->id, level, m_chain.fromMetres[static_cast<std::size_t>(level)] * factor,
                                            QStringLiteral("switch-key-%1").arg(level));
    else if (has && s->isMesh() && event->key() == Qt::Key_Delete && event->modifiers().testFlag(Qt::ShiftModifier))
        m_bench.thin.removeLevel(s->id, level);
    else if (has && event->key() == Qt::Key_Delete)
        m_bench.switching.clearSwitch(s->id, level);
    else if (s != nullptr && s->isMesh() && event->key() == Qt::Key_Insert && m_needle > 0)
        m_bench.thin.addLevelFor(s->id, m_needle);
    else
        Chart::keyPressEvent(event);
}

} // namespace thicket::app
