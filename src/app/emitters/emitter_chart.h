#pragma once
// Live particles and overdraw of an emitter over distance: a step a level, a handle a switch, the camera's needle.

#include "app/parts/chart.h"

namespace thicket::app {

class EmitterChart : public Chart {
    Q_OBJECT
public:
    explicit EmitterChart(Workbench& bench, QWidget* parent = nullptr);
    void setNeedle(double metres);
    [[nodiscard]] QPointF switchPlace(int level) const;

signals:
    void needleDragged(double metres);

protected:
    void paintOverlay(QPainter& painter) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void contextMenuEvent(QContextMenuEvent* event) override;

private:
    void rebuild();
    [[nodiscard]] const Subject* emitter() const;
    [[nodiscard]] double x(double metres) const;
    [[nodiscard]] double y(double live) const;
    [[nodiscard]] double overY(double overdraw) const;
    [[nodiscard]] int handleAt(const QPointF& at) const; ///< 0: the needle; -1: nothing
    void paintSwitches(QPainter& p) const;
    void paintSteps(QPainter& p) const;

    ResolvedChain m_chain;
    std::vector<EmitterForecast> m_forecasts; ///< one a level
    double m_needle = -1;
    double m_near = 2; ///< ends of the axis, metres
    double m_far = 200;
    int m_drag = -1;
    int m_hover = -1;
    std::uint32_t m_dragged = 0;
    int m_serial = 0;
};

} // namespace thicket::app
