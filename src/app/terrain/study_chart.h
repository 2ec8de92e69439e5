#pragma once
// What each tile size costs: a line for draws, triangles, update and an edit, each against its own best.

#include "app/parts/chart.h"

namespace thicket::app {

class StudyChart : public Chart {
    Q_OBJECT
public:
    explicit StudyChart(Workbench& bench, QWidget* parent = nullptr);
    /// Where the handle of a size stands.
    [[nodiscard]] QPointF handlePlace(std::uint32_t cells) const;

protected:
    void paintOverlay(QPainter& painter) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;

private:
    void rebuild();
    [[nodiscard]] const Subject* terrain() const;
    [[nodiscard]] bool fits() const; ///< the study is of this ground as it is
    [[nodiscard]] std::size_t sizeAt(double x) const;

    std::optional<std::size_t> m_drag; ///< size that the handle is over
};

} // namespace thicket::app
