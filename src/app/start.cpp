#include "app/start.h"

#include "app/look/look.h"
#include "app/main_window.h"
#include "app/pictures.h"
#include "io/project/project.h"

#include <QApplication>
#include <QCommandLineParser>
#include <QLocale>
#include <QSettings>
#include <QSurfaceFormat>
#include <algorithm>

namespace thicket::app {

void prepareGraphics() {
    QSurfaceFormat format;
    format.setVersion(3, 3);
    format.setProfile(QSurfaceFormat::CoreProfile);
    format.setDepthBufferSize(24);
    QSurfaceFormat::setDefaultFormat(format);
    // Numbers look the same on every machine: grouped by commas, with a decimal point.
    QLocale::setDefault(QLocale(QLocale::English, QLocale::UnitedKingdom));
    QCoreApplication::setApplicationName(QStringLiteral("lean-thicket"));
    QCoreApplication::setOrganizationName(QStringLiteral("lean-thicket"));
    QCoreApplication::setApplicationVersion(QStringLiteral("0.1.0"));
}

int start(QApplication& app) {
    QCommandLineParser parser;
    parser.setApplicationDescription(
        QObject::tr("Turns heavy meshes into measured levels of detail, and proves that a route stays within budget."));
    parser.addHelpOption();
    parser.addVersionOption();
    parser.addPositionalArgument(QStringLiteral("files"), QObject::tr("A project, or meshes to add to a new one"),
                                 QStringLiteral("[FILE...]"));
    const QCommandLineOption pictures(QStringLiteral("pictures"),
                                      QObject::tr("Write a picture of each stage of the project to DIR and quit"),
                                      QStringLiteral("DIR"));
    const QCommandLineOption look(QStringLiteral("look"), QObject::tr("dusk or noon"), QStringLiteral("NAME"));
    parser.addOption(pictures);
    parser.addOption(look);
    parser.process(app);
    const QString shade =
        parser.isSet(look) ? parser.value(look) : QSettings().value(QStringLiteral("look")).toString();
    Look::use(app, shade == QStringLiteral("noon") ? Shade::Noon : Shade::Dusk);
    MainWindow window;
    const QStringList files = parser.positionalArguments();
    const bool project = std::any_of(files.begin(), files.end(), [](const QString& file) {
        return file.endsWith(QString::fromLatin1(kProjectSuffix), Qt::CaseInsensitive);
    });
    if (project) // it asks nothing, and is read while the window comes up
        window.open(files);
    Look::dress(app); // all of the window at once: else each part of it again wherever it is put
    if (parser.isSet(pictures))
        window.beQuiet();
    window.show();
    if (files.isEmpty())
        window.bench().files.lookForUnnamedWork();
    else if (!project)
        window.open(files);
    if (parser.isSet(pictures))
        return takePictures(app, window, parser.value(pictures));
    return app.exec();
}

} // namespace thicket::app
