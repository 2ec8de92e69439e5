#pragma once
// Keep and grow of fields and strands over distance: a handle a point, the cover that is left, a band a switch, the camera's needle.

#include "app/parts/chart.h"

namespace thicket::app {

class FieldChart : public Chart {
    Q_OBJECT
public:
    explicit FieldChart(Workbench& bench, QWidget* parent = nullptr);
    /// Distance of the camera to the field's copy that is looked at; negative: no needle.
    void setNeedle(double metres);
    /// Which of the field's assets the switches are of.
    void setAsset(int index);

    enum class Curve { Keep, Grow };
    [[nodiscard]] QPointF place(Curve curve, std::size_t point) const;
    [[nodiscard]] QPointF switchPlace(int level) const;

signals:
    void needleDragged(double metres);

protected:
    void paintOverlay(QPainter& painter) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void mouseDoubleClickEvent(QMouseEvent* event) override;
    void contextMenuEvent(QContextMenuEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    void leaveEvent(QEvent* event) override;
    void showEvent(QShowEvent* event) override;

private:
    enum class Grip { None, Keep, Grow, Switch, Band, Needle };
    struct Hit {
        Grip grip = Grip::None;
        int index = -1; ///< of the point, or the level
    };
    void rebuild();
    [[nodiscard]] const Subject* field() const;
    [[nodiscard]] Hit hitAt(const QPointF& p) const;
    [[nodiscard]] double x(double metres) const;
    [[nodiscard]] double y(double value) const;
    [[nodiscard]] double metresAt(double x) const;
    [[nodiscard]] double valueAt(double y) const;
    void drag(const QPointF& to);
    /// Puts a point of a curve between its neighbours, as near to there as they let it.
    void putPoint(const Hit& hit, double metres, double value, const QString& mergeKey);
    void putSwitch(int level, double metres, const QString& mergeKey);
    /// Asks for the place of a handle in figures.
    void typePlace(const Hit& hit);
    void addPoint(Curve curve, const QPointF& at);
    void removePoint(const Hit& hit);
    void paintSwitches(QPainter& painter) const;
    /// These return where names stand, so that others keep clear of them.
    std::vector<QRectF> paintCurves(QPainter& painter) const;
    QRectF paintCover(QPainter& painter) const;
    QRectF paintKeepName(QPainter& painter) const;
    void paintReading(QPainter& painter) const;

    Thinning m_thinning;
    std::vector<StrandCover> m_cover; ///< of strands, as it was measured
    ResolvedChain m_chain;            ///< of the asset that is shown; without levels: none
    double m_reach = 0;
    double m_end = 100; ///< of the axis, metres
    double m_top = 3;   ///< of the axis
    double m_needle = -1;
    int m_asset = 0;
    QString m_switchesOf; ///< the mesh whose switches are drawn, where the field has several
    Hit m_drag;
    Hit m_hover;
    Hit m_chosen; ///< the point that Delete takes away
    std::uint32_t m_dragged = 0;
    int m_serial = 0; ///< one undo step a drag
    QPointF m_mouse{-1, -1};
};

} // namespace thicket::app
