#pragma once
// A program without a window: its session and models, and what it said.

#include "appmodel/workbench.h"
#include "io/project/project.h"
#include "support/temp_folder.h"

#include <QTest>
#include <gtest/gtest.h>

namespace thicket::app {

class ModelTest : public ::testing::Test {
protected:
    ModelTest() {
        QObject::connect(&bench.session, &Session::message, [this](const QString& text, bool) { said << text; });
    }
    [[nodiscard]] const Scene& scene() const { return bench.session.scene(); }
    Document& document() { return bench.session.document; }
    [[nodiscard]] std::string text() const { return encodeProject(scene(), folder.path()); }
    /// Until everything that was asked for is done; not what is looked at by the way.
    void settle() {
        ASSERT_TRUE(QTest::qWaitFor(
            [&] {
                return !bench.session.jobs().busy() && !bench.session.saves().busy() && !bench.session.quick().busy();
            },
            180'000));
        QCoreApplication::processEvents();
    }

    TempFolder folder;
    Workbench bench;
    QStringList said;
};

} // namespace thicket::app
