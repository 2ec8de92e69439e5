#pragma once
// Deviation at every triangle count, with a pin for each level.

#include "app/parts/chart.h"

namespace thicket::app {

class ThinChart : public Chart {
    Q_OBJECT
public:
    explicit ThinChart(Workbench& bench, QWidget* parent = nullptr);
    [[nodiscard]] QPointF pinPlace(int level) const;
    /// What the curve goes through, (triangles, metres), triangles falling: the levels as they were measured, and the
    /// record's samples away from them.
    [[nodiscard]] std::vector<std::pair<double, double>> curvePoints() const;
    /// What of it is seen at every count: as measured at levels, as sampled between them; empty where that is not known.
    [[nodiscard]] std::vector<std::pair<double, double>> seenPoints() const;

protected:
    void paintOverlay(QPainter& painter) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void mouseDoubleClickEvent(QMouseEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;

private:
    void rebuild();
    void paintPinNames(QPainter& painter, const Subject& subject) const;
    [[nodiscard]] int pinAt(const QPointF& p) const;
    [[nodiscard]] double trianglesAt(double x) const;
    [[nodiscard]] std::pair<double, double> pinValue(int level) const; ///< triangles, metres

    int m_drag = -1;
    double m_dragTriangles = 0;
    int m_hover = -1;
};

} // namespace thicket::app
