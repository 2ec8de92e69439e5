#include "app/pictures.h"

#include "app/budget/route_chart.h"
#include "app/main_window.h"

#include <QApplication>
#include <QDir>
#include <QElapsedTimer>
#include <QFrame>

namespace thicket::app {
namespace {

void settle(QApplication& app, MainWindow& window, int ms) {
    QElapsedTimer timer;
    timer.start();
    while (timer.elapsed() < ms || (window.bench().jobs().busy() && timer.elapsed() < 180'000))
        app.processEvents(QEventLoop::AllEvents, 20);
}

} // namespace

int takePictures(QApplication& app, MainWindow& window, const QString& folder) {
    window.resize(1280, 800);
    QDir().mkpath(folder);
    settle(app, window, 1500);
    bool fine = !window.bench().scene().subjects.empty();
    const auto shot = [&](const QString& name) {
        settle(app, window, 900);
        fine &= window.grab().save(QDir(folder).filePath(name + QStringLiteral(".png")));
    };
    window.setStage(Stage::Gather);
    shot(QStringLiteral("gather"));
    window.setStage(Stage::Thin);
    window.arrangementChoice().setCurrent(1);
    window.viewport().setArrangement(Arrangement::LineUp);
    window.bench().selectLevel(2);
    settle(app, window, 2500); // the cards' pictures are made in the background
    shot(QStringLiteral("thin"));
    window.arrangementChoice().setCurrent(2);
    window.viewport().setArrangement(Arrangement::Wipe);
    window.shadingChoice().setCurrent(3);
    window.viewport().setShading(Shading::Heat);
    settle(app, window, 2500);
    shot(QStringLiteral("heat"));
    window.shadingChoice().setCurrent(0);
    window.viewport().setShading(Shading::Shaded);
    window.setStage(Stage::Switch);
    window.viewport().standAt(32);
    shot(QStringLiteral("switch"));
    window.setStage(Stage::Budget);
    window.bench().runAudit();
    settle(app, window, 500);
    if (const Audit* audit = window.bench().audit()) {
        const double worst = audit->frames[audit->worstFrame].seconds;
        emit window.routeChart().timePicked(worst);
    }
    window.shadingChoice().setCurrent(2);
    window.viewport().setShading(Shading::Levels);
    shot(QStringLiteral("budget"));
    window.viewport().setShading(Shading::Shaded);
    window.shadingChoice().setCurrent(0);
    window.setStage(Stage::Ship);
    window.bench().ship(QDir::tempPath() + QStringLiteral("/lean-thicket-pictures"), {});
    settle(app, window, 500);
    if (auto* message = window.findChild<QFrame*>(QStringLiteral("message")))
        message->hide();
    shot(QStringLiteral("ship"));
    window.closeQuietly();
    return fine ? 0 : 1;
}

} // namespace thicket::app
