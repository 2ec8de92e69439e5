#include "app/look/look.h"
#include "app/start.h"

#include <QApplication>
#include <QSettings>
#include <QStandardPaths>
#include <QTemporaryDir>
#include <gtest/gtest.h>

int main(int argc, char** argv) {
    ::testing::InitGoogleTest(&argc, argv);
    thicket::app::prepareGraphics();
    QStandardPaths::setTestModeEnabled(true);
    const QTemporaryDir settings;
    QSettings::setDefaultFormat(QSettings::IniFormat);
    QSettings::setPath(QSettings::IniFormat, QSettings::UserScope, settings.path());
    QApplication app(argc, argv);
    thicket::app::Look::use(app, thicket::app::Shade::Dusk);
    thicket::app::Look::dress(app);
    return RUN_ALL_TESTS();
}
