// What the window shows of a stage and of the kind of subject that is chosen.

#include "app/budget/budget_panel.h"
#include "app/budget/route_chart.h"
#include "app/emitters/emitter_chart.h"
#include "app/emitters/emitter_levels.h"
#include "app/field/field_chart.h"
#include "app/field/field_panel.h"
#include "app/look/look.h"
#include "app/main_window.h"
#include "app/switching/switch_chart.h"
#include "app/switching/switch_panel.h"
#include "app/terrain/terrain_panel.h"
#include "app/thin/care_bar.h"
#include "app/thin/play_bar.h"

#include <QTimer>
#include <algorithm>

namespace thicket::app {
namespace {

QString hintFor(Stage stage) {
    switch (stage) {
    case Stage::Gather:
        return QObject::tr("Drop files anywhere · click a finding to look at the place · drag turns, Shift-drag moves, "
                           "wheel comes nearer · Home frames");
    case Stage::Thin:
        return QObject::tr("Drag a pin along the curve to change a level · Shift keeps where it comes in · "
                           "double-click to add one · hold B to see "
                           "the source · L changes the arrangement");
    case Stage::Switch:
        return QObject::tr("Drag a switch, the allowance or the needle · click the chart to stand there · Space walks "
                           "the camera back");
    case Stage::Budget:
        return QObject::tr(
            "Click a lane to stand there, drag a key above the lanes to another time · Space plays the route · Ctrl+R "
            "flies it · Ctrl+Shift+R fits");
    case Stage::Ship:
        return QObject::tr("Every file is written whole, read back and compared");
    }
    return {};
}

} // namespace

void MainWindow::setStage(Stage stage) {
    m_stage = stage;
    m_path->setStage(stage);
    m_bottom->setCurrentIndex(static_cast<int>(stage));
    m_panels->setCurrentIndex(static_cast<int>(stage));
    m_arrangement->setVisible(stage == Stage::Thin);
    m_careBar->setVisible(stage == Stage::Thin && m_arrangement->current() == static_cast<int>(Arrangement::Care));
    m_shading->setCount(stage == Stage::Thin ? 4 : 3);
    m_viewport->setShading(static_cast<Shading>(m_shading->current()));
    m_hint->setText(hintFor(stage));
    playRoute(false);
    if (stage != Stage::Budget) // where it would be ended is out of sight
        m_bench.routes.stopRecording();
    m_viewBox->overview().setEditsRoute(stage == Stage::Budget);
    m_viewport->setStage(stage);
    m_viewBox->setOffered(stage == Stage::Switch || stage == Stage::Budget);
    if (stage == Stage::Switch)
        m_bench.pops.look();
    m_playBar->refresh();
    placeOverlays();
    showKind();
    refreshCharts();
}

/// The chart and the panels of the kind of what is selected.
void MainWindow::showKind() {
    const Subject* s = m_bench.session.subject();
    const Kind kind = s != nullptr ? s->kind() : Kind::Mesh;
    const bool emitter = kind == Kind::Emitter;
    const bool thins = kind == Kind::Instances || kind == Kind::Strands; // by the same panel and chart
    m_gatherPanels->setCurrentIndex(static_cast<int>(kind));
    m_switchPanels->setCurrentIndex(thins ? 1 : emitter ? 3 : kind == Kind::Terrain ? 2 : 0);
    // No copy, until it is known which one was clicked.
    m_switchPanel->setCopy(0);
    m_fieldPanel->setCopy(0);
    if (m_stage == Stage::Switch)
        QTimer::singleShot(0, this, &MainWindow::showFrame);
    // The pops of all subjects are one list, whatever is selected.
    auto* panel = qobject_cast<Panel*>(m_switchPanels->currentWidget());
    QVBoxLayout* place = panel == m_switchPanel ? m_switchPanel->popsPlace : panel->body;
    if (place->indexOf(m_popList) < 0)
        place->addWidget(m_popList);
    m_thinPanels->setCurrentIndex(kind == Kind::Terrain ? 1 : kind == Kind::Strands ? 2 : emitter ? 3 : 0);
    m_thinCharts->setCurrentIndex(kind == Kind::Strands ? 1 : emitter ? 2 : 0);
    // Ground has no height of its own on screen.
    m_unit->setVisible(kind == Kind::Mesh);
    m_switchChart->setShowHeights(kind == Kind::Mesh && m_unit->current() == 1);
    // Levels side by side, and where one is off, are for what is looked at alone.
    const bool alone = m_stage == Stage::Thin && kind == Kind::Mesh;
    m_arrangement->setVisible(alone || (emitter && m_stage == Stage::Thin));
    m_arrangement->setCount(emitter ? 2 : 4); // particles are no surfaces to be wiped over or painted on
    m_careBar->setVisible(alone && m_arrangement->current() == static_cast<int>(Arrangement::Care));
    const bool warms = alone || (kind == Kind::Terrain && m_stage != Stage::Gather);
    m_shading->setCount(warms ? 4 : 3);
    if (m_viewport->shading() != static_cast<Shading>(m_shading->current()))
        m_viewport->setShading(static_cast<Shading>(m_shading->current()));
    placeOverlays();
    m_switchCharts->setCurrentIndex(kind == Kind::Terrain && m_tileSizes ? 2 : thins ? 1 : emitter ? 3 : 0);
    m_playBar->refresh();
    if (m_stage == Stage::Gather && kind == Kind::Terrain)
        m_hint->setText(tr(
            "Choose a brush and drag on the ground · right-drag turns the view meanwhile · Undo takes a stroke back"));
    else if (m_stage == Stage::Gather)
        m_hint->setText(hintFor(m_stage));
    if (m_stage == Stage::Thin)
        m_hint->setText(
            emitter ? tr("Change a value to make it the level's own · click “own” to have it inherited again · "
                         "drag a switch · hold B to see the source · L changes the arrangement")
            : kind == Kind::Strands
                ? tr("Choose a level and say how far its lines may be off · drag a handle of keep or grow · "
                     "double-click the chart adds one")
                : hintFor(m_stage));
    if (m_stage == Stage::Switch)
        m_hint->setText(
            kind == Kind::Terrain
                ? tr("Drag a switch, the allowance or the needle · click the ground to look at that tile · "
                     "Space walks the camera back")
            : emitter ? tr("Drag a switch or the needle · right-click a switch to put it where the camera stands · "
                           "Space walks the camera back")
            : thins   ? tr("Drag a handle of keep or grow · double-click adds or takes away one · Alt-drag "
                             "a switch widens the soft band · click a copy to see why")
                      : hintFor(m_stage));
}

/// What the panels say of the frame; what culling saves is of a moment ago while it is reckoned anew.
void MainWindow::showFrame() {
    const QWidget* panel = m_switchPanels->currentWidget();
    if (panel == m_switchPanel) {
        m_switchPanel->showCulled(m_viewport->exact(), m_saves);
        m_switchPanel->setCopy(m_viewport->nearestPlacement());
    } else if (panel == m_fieldPanel) {
        m_fieldPanel->showFrame(m_viewport->input(), m_viewport->exact(), m_saves);
        m_fieldPanel->setCopy(m_viewport->nearestPlacement());
    } else if (panel == m_emitterSwitches) {
        m_emitterSwitches->showFrame(m_viewport->input(), m_viewport->exact());
    } else {
        m_terrainPanel->showFrame(m_viewport->input(), m_viewport->exact(), 1e6 * m_viewport->exact().groundSeconds,
                                  m_viewport->groundTiles().bytes(), m_saves);
    }
}

void MainWindow::arrange(Arrangement arrangement) {
    m_arrangement->setCurrent(static_cast<int>(arrangement));
    m_careBar->setVisible(m_stage == Stage::Thin && arrangement == Arrangement::Care);
    m_viewport->setArrangement(arrangement);
    placeOverlays();
}

void MainWindow::placeOverlays() {
    constexpr int kWide = 78;
    constexpr int kNarrow = 64;
    const bool tight = m_arrangement->isVisible() && 8 * kWide + 3 * 14 > m_viewBox->width();
    for (Segmented* choice : {m_arrangement, m_shading})
        choice->setCellWidth(tight ? kNarrow : kWide);
    m_arrangement->move(14, 12);
    m_careBar->adjustSize();
    m_careBar->move(14, 46);
    m_playBar->move((m_viewBox->width() - m_playBar->width()) / 2, m_viewBox->height() - m_playBar->height() - 12);
    m_shading->move(m_viewBox->width() - m_shading->width() - 14, 12);
    placeMessage();
    m_unit->move((m_bottom->width() - m_unit->width()) / 2, 5);
}

/// As many lines as there is room for: a folder of bad files must not cover the window, nor the button that takes this
/// away.
void MainWindow::placeMessage() {
    constexpr qsizetype kMostLines = 10;
    const int top = m_careBar->isVisible() ? 92 : 48;
    m_message->setFixedWidth(std::min(620, m_viewBox->width() - 60));
    const QStringList all = messageLines();
    for (qsizetype count = std::min(kMostLines, all.size()); count > 0; --count) {
        QStringList lines = all.mid(0, count);
        if (count < all.size())
            lines << tr("… and %1 more").arg(all.size() - count);
        m_messageText->setText(lines.join('\n'));
        m_message->setFixedHeight(std::max(36, m_messageText->heightForWidth(m_message->width() - 110) + 18));
        if (top + m_message->height() < m_viewBox->height())
            break;
    }
    m_message->move((m_viewBox->width() - m_message->width()) / 2, top);
}

void MainWindow::resizeEvent(QResizeEvent* event) {
    QMainWindow::resizeEvent(event);
    QTimer::singleShot(0, this, [this] { placeOverlays(); });
}

void MainWindow::refreshTitle() {
    const auto& path = m_bench.session.document.path();
    QString name = QString::fromStdString(m_bench.session.scene().settings.name);
    if (name == QStringLiteral("Untitled") && !path.empty())
        name = QString::fromStdString(path.filename().string()).remove(QString::fromLatin1(kProjectSuffix));
    const bool modified = m_bench.session.document.modified();
    m_title->setText(name + QStringLiteral("  ▾"));
    m_state->setText(path.empty() ? (modified ? tr("not saved yet") : tr("new project"))
                     : modified   ? tr("edited · kept automatically")
                                  : tr("saved"));
    setWindowTitle(name + (modified ? QStringLiteral(" *") : QString()) + QStringLiteral(" – Lean Thicket"));
}

void MainWindow::refreshStages() {
    for (const Stage stage : {Stage::Gather, Stage::Thin, Stage::Switch, Stage::Budget, Stage::Ship}) {
        const StageState state = m_bench.stateOf(stage);
        m_path->setState(stage, state.done, state.caption);
    }
}

void MainWindow::refreshGauges() {
    const SubjectCost& cost = m_viewport->exact().total;
    const Device* device = m_bench.session.scene().currentDevice();
    if (device == nullptr)
        return;
    Ledger ledger = ledgerOf(m_viewport->input(), m_viewport->exact(), m_viewport->shotView(), *device);
    const auto of = [](const QString& value, const QString& limit) { return value + tr(" of ") + limit; };
    m_triangles->setExact(cost.triangles);
    m_draws->setExact(cost.draws);
    m_triangles->setValue(
        of(shortText(static_cast<double>(cost.triangles)), shortText(static_cast<double>(device->triangleBudget))),
        static_cast<double>(cost.triangles) / static_cast<double>(device->triangleBudget),
        tr("%1 triangles in the shot camera's present frame").arg(groupedText(static_cast<qint64>(cost.triangles))));
    m_draws->setValue(
        of(groupedText(static_cast<qint64>(cost.draws)), groupedText(static_cast<qint64>(device->drawBudget))),
        static_cast<double>(cost.draws) / static_cast<double>(device->drawBudget),
        tr("%1 draw calls in the shot camera's present frame").arg(groupedText(static_cast<qint64>(cost.draws))));
    m_time->setUnit(tr("est. · %1").arg(QString::fromStdString(device->name)));
    m_time->setValue(
        tr("%1 of %2 ms").arg(ledger.ms, 0, 'f', 1).arg(device->frameMs, 0, 'f', 1), ledger.ms / device->frameMs,
        tr("Frame time estimated from the device's figures (%1)").arg(QString::fromStdString(device->source)));
    if (m_stage != Stage::Budget)
        return;
    if (m_memory.empty())
        m_memory = memoryOfScene(m_bench.session.scene());
    ledger = withMemory(std::move(ledger), m_viewport->exact(), m_memory);
    m_budgetPanel->setFrame(ledger, onRoute() ? m_routeChart->time() : -1);
}

bool MainWindow::onRoute() const {
    const Route* route = m_bench.budget.route();
    if (route == nullptr || route->keys.empty())
        return false;
    const View shot = m_viewport->shotView();
    const View there = viewOnRoute(*route, shot, m_routeChart->time());
    constexpr double kSame = 1e-4; // of how far the eye is from the origin, and of a turn
    return (shot.eye - there.eye).norm() <= kSame * std::max(1.0, there.eye.norm()) &&
           (shot.forward - there.forward).norm() <= kSame;
}

void MainWindow::refreshCharts() {
    if (m_stage != Stage::Switch)
        return;
    m_switchChart->setNeedle(m_viewport->subjectDistance(), m_viewport->subjectFactor());
    m_fieldChart->setNeedle(m_viewport->subjectDistance());
    m_emitterChart->setNeedle(m_viewport->subjectDistance());
}

} // namespace thicket::app
