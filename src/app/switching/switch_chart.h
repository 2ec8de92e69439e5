#pragma once
// Error on screen over distance: a line a level, a handle a switch, the allowance, the camera's needle, the staircase
// below.

#include "app/parts/chart.h"

namespace thicket::app {

class SwitchChart : public Chart {
    Q_OBJECT
public:
    explicit SwitchChart(Workbench& bench, QWidget* parent = nullptr);
    /// Distance of the camera; negative: no needle. The chart is drawn for scale 1: a copy whose switches come in
    /// `factor` times as far has its needle where it would be at scale 1.
    void setNeedle(double metres, double factor);
    void setShowHeights(bool heights);
    /// Other subjects whose error is drawn too, for comparison.
    void setCompared(const std::vector<std::uint32_t>& ids);
    /// What can be done at a place of the chart.
    void fillMenu(QMenu& menu, const QPointF& at);
    [[nodiscard]] QPointF handlePlace(int level) const;
    [[nodiscard]] double needleX() const;
    [[nodiscard]] double allowanceY() const;

signals:
    void needleDragged(double metres);

protected:
    void paintOverlay(QPainter& painter) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    void contextMenuEvent(QContextMenuEvent* event) override;

private:
    enum class Grip { None, Handle, Needle, Allowance };
    struct Hit {
        Grip grip = Grip::None;
        int level = -1;
    };
    void rebuild();
    [[nodiscard]] const Subject* charted() const;
    [[nodiscard]] QString farText(double metres) const;
    void paintCompared(QPainter& painter) const;
    [[nodiscard]] Hit hitAt(const QPointF& p) const;
    [[nodiscard]] double x(double metres) const;
    [[nodiscard]] double y(double px) const;
    [[nodiscard]] double snapped(double metres, int level) const;

    QCPAxisRect* m_stairs;
    ResolvedChain m_chain;
    std::vector<double> m_textures; ///< bytes of each level's pictures on the graphics card
    std::vector<std::uint32_t> m_compared;
    double m_cullAt = 0;  ///< metres from which the subject is culled; 0: none
    double m_needle = -1; ///< metres at scale 1
    double m_factor = 1;
    bool m_heights = false;
    Hit m_drag;
    Hit m_hover;
    int m_serial = 0;            ///< one undo step a drag
    std::uint32_t m_dragged = 0; ///< the subject that m_drag is of
    QPointF m_mouse{-1, -1};
};

} // namespace thicket::app
