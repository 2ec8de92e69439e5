#pragma once
// A window on a real display, and a ball to work with.

#include "app/main_window.h"
#include "base/file.h"
#include "io/ship/write_glb.h"
#include "support/roles.h"
#include "support/shapes.h"
#include "support/temp_folder.h"

#include <QTest>
#include <gtest/gtest.h>

namespace thicket::app {
namespace fs = std::filesystem;

inline fs::path meshFile(const fs::path& folder, const std::string& name, const Mesh& mesh) {
    Surfaces s;
    s.materials.emplace_back();
    const fs::path file = folder / name;
    EXPECT_TRUE(writeFile(file, encodeGlb("ball", {std::make_shared<const Mesh>(mesh)}, s, GlbLevels::Named, {})));
    return file;
}
inline fs::path ballFile(const fs::path& folder, const std::string& name, int rows) {
    return meshFile(folder, name, shapes::texturedSphere(2 * rows, rows));
}

inline QString text(const fs::path& p) {
    return QString::fromStdString(p.string());
}

/// A window on a real display, used by mouse and keys.
class WindowTest : public ::testing::Test {
protected:
    void SetUp() override {
        window = std::make_unique<MainWindow>();
        window->bench().thin.setRolesForNew(test::rolesBySurfaces());
        window->resize(1280, 800);
        window->show();
        ASSERT_TRUE(QTest::qWaitForWindowExposed(window.get()));
        // Without a window manager nobody hands the window the focus that its shortcuts need.
        QApplication::setActiveWindow(window.get());
    }
    void TearDown() override {
        waitForJobs();
        window->closeQuietly();
    }
    void waitForJobs() const {
        Session& session = window->bench().session;
        ASSERT_TRUE(QTest::qWaitFor([&] { return !session.jobs().busy() && !session.saves().busy(); }, 180'000));
        QTest::qWait(60);
    }
    void openBall(int rows = 28) {
        window->open({text(ballFile(folder.path(), "ball.glb", rows))});
        waitForJobs();
        ASSERT_EQ(window->bench().session.scene().subjects.size(), 1U);
    }
    void thinBall(int rows = 28) {
        openBall(rows);
        window->setStage(Stage::Thin);
        QTest::keyClick(window.get(), Qt::Key_T, Qt::ControlModifier);
        waitForJobs();
        ASSERT_GE(window->bench().session.meshSubject()->mesh().levels.size(), 3U);
    }
    static void drag(QWidget* widget, const QPoint& from, const QPoint& to) {
        QTest::mouseMove(widget, from);
        QTest::mousePress(widget, Qt::LeftButton, {}, from);
        for (int i = 1; i <= 8; ++i) {
            const QPoint at = from + (to - from) * i / 8;
            QMouseEvent move(QEvent::MouseMove, at, widget->mapToGlobal(QPointF(at)), Qt::NoButton, Qt::LeftButton,
                             Qt::NoModifier);
            QApplication::sendEvent(widget, &move);
            QTest::qWait(15);
        }
        QTest::mouseRelease(widget, Qt::LeftButton, {}, to);
    }
    void rest() const {
        // It is not settled while something fades, nor before what was changed is drawn.
        ASSERT_TRUE(QTest::qWaitFor([&] { return window->viewport().settled(); }, 60'000));
    }

    TempFolder folder;
    std::unique_ptr<MainWindow> window;
};

} // namespace thicket::app
