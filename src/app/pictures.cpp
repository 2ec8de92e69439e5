#include "app/pictures.h"

#include "app/budget/route_chart.h"
#include "app/main_window.h"
#include "app/switching/context_box.h"
#include "app/switching/pop_list.h"

#include <QApplication>
#include <QDir>
#include <QElapsedTimer>
#include <QFrame>
#include <QLabel>
#include <QScrollArea>
#include <QScrollBar>
#include <cmath>
#include <functional>

namespace thicket::app {
namespace {

void settle(QApplication& app, MainWindow& window, int ms) {
    QElapsedTimer timer;
    timer.start();
    Session& session = window.bench().session;
    const auto waiting = [&] {
        return session.jobs().busy() || session.looks().busy() || !window.viewport().settled();
    };
    while (timer.elapsed() < ms || (waiting() && timer.elapsed() < 180'000))
        app.processEvents(QEventLoop::AllEvents, 20);
}

/// Two strokes of care and the levels cut with them, as a person would leave them.
void paintBand(MainWindow& window, const Subject& subject) {
    Workbench& bench = window.bench();
    const std::uint32_t id = subject.id;
    bench.session.selectSubject(id);
    CareStroke stroke;
    stroke.radius = static_cast<float>(0.14 * subject.radius);
    // Along the length, on the side that is turned to the camera.
    const Vec3f towards(0.5F, 0.2F, 0.8F);
    for (int i = 0; i < 8; ++i) {
        const auto x = static_cast<float>(subject.bounds.low.x() + subject.bounds.size().x() * (0.2 + 0.04 * i));
        Vec3f nearest = subject.mesh().levels.front().mesh->positions.front();
        float most = -1e9F;
        for (const Vec3f& p : subject.mesh().levels.front().mesh->positions)
            if (std::abs(p.x() - x) < 0.01F && p.dot(towards) > most) {
                most = p.dot(towards);
                nearest = p;
            }
        stroke.path.push_back(nearest);
    }
    bench.care.layStroke(id, stroke);
    bench.thin.recut(id);
}

using Shot = std::function<void(const QString&)>;

/// A field: scattered, thinned, and seen from above.
void takeFields(QApplication& app, MainWindow& window, const Shot& shot) {
    for (const Subject& s : window.bench().session.scene().subjects)
        if (s.instances() != nullptr && s.instances()->recipe) {
            window.bench().session.selectSubject(s.id);
            break;
        }
    window.setStage(Stage::Gather);
    shot(QStringLiteral("scatter"));
    window.setStage(Stage::Switch);
    window.viewport().setRouteTime(20);
    settle(app, window, 900);
    shot(QStringLiteral("field"));
    window.views().setMode(OverviewMode::Split);
    shot(QStringLiteral("field-above"));
    window.views().setMode(OverviewMode::Off);
    const auto& subjects = window.bench().session.scene().subjects;
    window.bench().session.selectSubject(subjects.front().id);
}

/// Strands: how they thin out, with the cover that was measured.
void takeStrands(QApplication& app, MainWindow& window, const Shot& shot) {
    for (const Subject& s : window.bench().session.scene().subjects)
        if (s.strands() != nullptr)
            window.bench().session.selectSubject(s.id);
    window.viewport().setShotView({-33, 6.4, 12}, {-62, 5.2, -14});
    window.setStage(Stage::Switch);
    QElapsedTimer waited;
    waited.start();
    while (window.bench().strands.cover(window.bench().session.subjectId()).empty() && waited.elapsed() < 30'000)
        app.processEvents(QEventLoop::AllEvents, 20);
    settle(app, window, 600);
    shot(QStringLiteral("strands"));
    window.bench().session.selectSubject(window.bench().session.scene().subjects.front().id);
}

/// An emitter: its levels side by side.
void takeEmitter(QApplication& app, MainWindow& window, const Shot& shot) {
    for (const Subject& s : window.bench().session.scene().subjects)
        if (s.emitter() != nullptr)
            window.bench().session.selectSubject(s.id);
    window.setStage(Stage::Thin);
    window.bench().session.selectLevel(1);
    window.arrange(Arrangement::LineUp);
    window.viewport().setEffectTime(13.5);
    window.viewport().frameSelection();
    settle(app, window, 900);
    shot(QStringLiteral("emitter"));
    window.arrange(Arrangement::One);
    window.bench().session.selectSubject(window.bench().session.scene().subjects.front().id);
}

/// Ground: its tiles from the shot camera and from above, and what tile sizes cost.
void takeGround(QApplication& app, MainWindow& window, const Shot& shot) {
    for (const Subject& s : window.bench().session.scene().subjects)
        if (s.terrain() != nullptr)
            window.bench().session.selectSubject(s.id);
    window.setStage(Stage::Gather);
    window.viewport().setShotView({640, 42, 260}, {720, 12, 60});
    auto* forecast = window.findChild<QLabel*>(QStringLiteral("meshForecast"));
    QElapsedTimer reckoned;
    reckoned.start();
    while (forecast->text().isEmpty() && reckoned.elapsed() < 30'000)
        app.processEvents(QEventLoop::AllEvents, 20);
    shot(QStringLiteral("ground-gather"));
    window.setStage(Stage::Thin);
    settle(app, window, 400);
    shot(QStringLiteral("ground-levels"));
    window.setStage(Stage::Switch);
    window.viewport().setShotView({40, 16, 190}, {-10, 2, -60});
    settle(app, window, 900);
    window.shadingChoice().setCurrent(2);
    window.viewport().setShading(Shading::Levels);
    window.views().setMode(OverviewMode::Split);
    settle(app, window, 900);
    shot(QStringLiteral("ground"));
    window.views().setMode(OverviewMode::Off);
    window.shadingChoice().setCurrent(0);
    window.viewport().setShading(Shading::Shaded);
    auto* sizes = window.findChild<QPushButton*>(QStringLiteral("tryTileSizes"));
    sizes->setChecked(true);
    QElapsedTimer waited;
    waited.start();
    while (window.bench().grounds.lastStudy().result.sizes.empty() && waited.elapsed() < 60'000)
        app.processEvents(QEventLoop::AllEvents, 20);
    shot(QStringLiteral("tile-sizes"));
    sizes->setChecked(false);
    window.bench().session.selectSubject(window.bench().session.scene().subjects.front().id);
}

void takeStages(QApplication& app, MainWindow& window, const Shot& shot) {
    window.setStage(Stage::Gather);
    shot(QStringLiteral("gather"));
    window.setStage(Stage::Thin);
    window.arrange(Arrangement::LineUp);
    window.bench().session.selectLevel(2);
    settle(app, window, 2500); // the cards' pictures are made in the background
    shot(QStringLiteral("thin"));
    window.arrange(Arrangement::Wipe);
    window.shadingChoice().setCurrent(3);
    window.viewport().setShading(Shading::Heat);
    QElapsedTimer untilHeat; // however busy the machine is
    untilHeat.start();
    Workbench& at = window.bench();
    while (at.session.meshSubject() != nullptr &&
           at.looks.heat(*at.session.meshSubject(), at.session.level()) == nullptr && untilHeat.elapsed() < 60'000)
        app.processEvents(QEventLoop::AllEvents, 20);
    settle(app, window, 2500);
    shot(QStringLiteral("heat"));
    window.shadingChoice().setCurrent(0);
    window.viewport().setShading(Shading::Shaded);
    window.arrange(Arrangement::Care);
    const int before = window.bench().session.document.undo().index();
    for (const Subject& s : window.bench().session.scene().subjects)
        if (s.isMesh() && s.mesh().aggregate && s.mesh().source().mesh)
            paintBand(window, s);
    shot(QStringLiteral("care"));
    window.arrange(Arrangement::One);
    window.bench().session.document.undo().setIndex(before);
    for (const Subject& s : window.bench().session.scene().subjects)
        if (s.isMesh() && s.mesh().rig)
            window.bench().session.selectSubject(s.id);
    window.bench().session.selectLevel(2);
    window.arrange(Arrangement::LineUp);
    window.viewport().setMoment(1, 0.9);
    settle(app, window, 2500);
    shot(QStringLiteral("motion"));
    window.arrange(Arrangement::One);
    window.bench().session.selectSubject(window.bench().session.scene().subjects.front().id);
    window.setStage(Stage::Switch);
    window.viewport().standAt(32);
    for (QElapsedTimer waited;
         !waited.isValid() || (window.bench().pops.waiting() > 0 && waited.elapsed() < 400'000);) {
        if (!waited.isValid())
            waited.start();
        app.processEvents(QEventLoop::AllEvents, 20);
    }
    shot(QStringLiteral("switch"));
    // The worst pop, stood at, with its pictures.
    for (auto* row : window.findChildren<PopRow*>()) {
        emit row->picked();
        break;
    }
    settle(app, window, 1200);
    for (auto* area : window.findChildren<QScrollArea*>())
        if (auto* list = area->findChild<PopList*>(); list != nullptr && area->isVisible())
            area->verticalScrollBar()->setValue(list->mapTo(area->widget(), QPoint(0, 0)).y() - 8);
    shot(QStringLiteral("pops"));
    window.bench().session.selectSubject(window.bench().session.scene().subjects.front().id);
    window.viewport().setRouteTime(6);
    settle(app, window, 900);
    window.views().setMode(OverviewMode::Split);
    for (auto* area : window.findChildren<QScrollArea*>())
        if (auto* context = area->findChild<ContextBox*>(); context != nullptr && area->isVisible())
            area->verticalScrollBar()->setValue(area->verticalScrollBar()->maximum());
    shot(QStringLiteral("overview"));
    window.views().setMode(OverviewMode::Off);
    window.setStage(Stage::Budget);
    window.bench().budget.runAudit();
    settle(app, window, 500);
    if (const Audit* audit = window.bench().budget.audit()) {
        const double worst = audit->frames[audit->worstFrame].seconds;
        emit window.routeChart().timePicked(worst);
    }
    window.shadingChoice().setCurrent(2);
    window.viewport().setShading(Shading::Levels);
    window.bench().budget.runFit(); // the lanes as they are, and fitted
    settle(app, window, 500);
    shot(QStringLiteral("budget"));
    window.bench().budget.dropFit();
    window.viewport().setShading(Shading::Shaded);
    window.shadingChoice().setCurrent(0);
    window.setStage(Stage::Ship);
    window.bench().shipping.ship(QDir::tempPath() + QStringLiteral("/lean-thicket-pictures"), {});
    settle(app, window, 500);
    if (auto* message = window.findChild<QFrame*>(QStringLiteral("message")))
        message->hide();
    shot(QStringLiteral("ship"));
    window.closeQuietly();
}

} // namespace

int takePictures(QApplication& app, MainWindow& window, const QString& folder) {
    window.resize(1280, 800);
    QDir().mkpath(folder);
    settle(app, window, 1500);
    bool fine = true;
    if (window.bench().session.scene().subjects.empty())
        return 1;
    const Shot shot = [&](const QString& name) {
        settle(app, window, 900);
        fine &= window.grab().save(QDir(folder).filePath(name + QStringLiteral(".png")));
    };
    takeStrands(app, window, shot);
    takeEmitter(app, window, shot);
    takeGround(app, window, shot);
    takeFields(app, window, shot);
    takeStages(app, window, shot);
    return fine ? 0 : 1;
}

} // namespace thicket::app
