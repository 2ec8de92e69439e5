// Models without a window: a Qt core application gives them an event loop, nothing is shown.

#include <QCoreApplication>
#include <QStandardPaths>
#include <gtest/gtest.h>

int main(int argc, char** argv) {
    QStandardPaths::setTestModeEnabled(true);
    QCoreApplication::setOrganizationName(QStringLiteral("Lean Thicket tests"));
    QCoreApplication::setApplicationName(QStringLiteral("appmodel"));
    const QCoreApplication application(argc, argv);
    testing::InitGoogleTest(&argc, argv);
    return RUN_ALL_TESTS();
}
