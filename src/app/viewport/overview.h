#pragma once
// A second view that looks, from anywhere, at what the shot camera selected: its frustum, what is drawn in the colours
// of its levels, what is culled as hollow boxes.

#include "app/viewport/viewport.h"

#include <QLabel>
#include <optional>

namespace thicket::app {

/// The levels of tiles, written on them. A widget of its own, so that painting cannot disturb the graphics state.
class OverviewNumbers : public QWidget {
    Q_OBJECT
public:
    using QWidget::QWidget;
    std::vector<std::pair<QPointF, int>> numbers;

protected:
    void paintEvent(QPaintEvent* event) override;
};

class Overview : public QOpenGLWidget {
    Q_OBJECT
public:
    Overview(Workbench& bench, Viewport& shot, QWidget* parent = nullptr);
    ~Overview() override;
    /// Stands so that the shot camera and what it draws are in sight.
    void fit();
    /// Copies of the last picture: drawn, and culled ones shown hollow.
    [[nodiscard]] int drawn() const { return m_drawn; }
    [[nodiscard]] int hollow() const { return m_hollow; }
    [[nodiscard]] Vec3d eye() const { return m_camera.eye(); }
    /// Where in this widget a place of the world is; empty behind the camera.
    [[nodiscard]] std::optional<QPointF> onScreen(const Vec3d& place) const;
    void setRouteTime(double seconds);
    /// Whether keys of the route are dragged, and moments along it clicked; else the route is only shown.
    void setEditsRoute(bool on) { m_editsRoute = on; }

signals:
    /// Somewhere along the route was clicked.
    void timePicked(double seconds);

protected:
    void initializeGL() override;
    void paintGL() override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void wheelEvent(QWheelEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;

private:
    /// What is drawn, and whether the shot camera stands in it: that is shown as it is, not in a level's colour.
    std::vector<std::pair<DrawItem, bool>> items();
    struct Boxes {
        std::vector<std::vector<QVector3D>> drawn; ///< a level each
        std::vector<QVector3D> culled;
    };
    [[nodiscard]] std::vector<QVector3D> frustumLines() const;
    [[nodiscard]] Boxes copyBoxes() const;
    [[nodiscard]] std::vector<GlScene::Dot> fieldDots() const;
    [[nodiscard]] double reachDrawn() const;
    [[nodiscard]] bool groundChosen() const;
    [[nodiscard]] std::vector<std::vector<QVector3D>> tileLines() const;
    void placeNumbers(const QMatrix4x4& matrix);
    [[nodiscard]] View ownView() const;
    void makeSweepDots();
    [[nodiscard]] std::vector<GlScene::Dot> keyDots() const;
    [[nodiscard]] std::vector<QVector3D> routeLines() const;
    /// The key, or the moment, of the route under the mouse.
    [[nodiscard]] std::optional<std::size_t> keyAt(const QPointF& at) const;
    [[nodiscard]] std::optional<double> timeAt(const QPointF& at) const;
    void dragKey(const QPointF& to);
    void refreshLegend();

    Workbench& m_bench;
    Viewport& m_shot;
    GlScene m_gl;
    QLabel* m_legend;
    OverviewNumbers* m_numbers;
    QTimer m_later; ///< a little after the selection changed
    bool m_ready = false;
    bool m_fitted = false;
    OrbitCamera m_camera{{0, 0, 0}, 0.6, 0.7, 100};
    QPointF m_last;
    ImpostorViews m_views;
    std::optional<std::size_t> m_key; ///< of the route: dragged over a plane at its height
    bool m_scrubs = false;
    bool m_editsRoute = false;
    std::vector<GlScene::Dot> m_sweepDots; ///< of the places of a sweep
    int m_drags = 0;
    double m_time = 0;
    int m_drawn = 0;
    int m_hollow = 0;
};

} // namespace thicket::app
