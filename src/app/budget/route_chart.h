#pragma once
// The lanes of the route: frame time and triangles by subject, draws, switches, against the budget.

#include "app/parts/chart.h"

#include <optional>

namespace thicket::app {

class RouteChart : public Chart {
    Q_OBJECT
public:
    explicit RouteChart(Workbench& bench, QWidget* parent = nullptr);
    void setTime(double seconds);
    [[nodiscard]] double time() const { return m_time; }
    [[nodiscard]] double xOf(double seconds) const;
    /// A subject's colour in the lanes: the more it costs over the route, the nearer to the bottom and the darker.
    [[nodiscard]] QColor colorOf(std::size_t subject) const;

    /// Where a key of the route is drawn, above the lanes.
    [[nodiscard]] QPointF keyPlace(std::size_t key) const;

signals:
    void timePicked(double seconds);
    /// A key is to be where the shot camera is.
    void keyHereRequested(std::size_t key);

protected:
    void paintOverlay(QPainter& painter) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void mouseDoubleClickEvent(QMouseEvent* event) override;
    void contextMenuEvent(QContextMenuEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;

private:
    void rebuild();
    void paintLane(QPainter& painter, QCPAxisRect* lane, const QString& name, const QString& limit, double budget,
                   const std::function<double(const AuditFrame&)>& total,
                   const std::function<double(const AuditFrame&, std::size_t)>& share,
                   double BaselineFrame::*before = nullptr) const;
    /// The worst frame of each column of pixels.
    [[nodiscard]] std::vector<const AuditFrame*> worstOf(const Audit& audit,
                                                         const std::function<double(const AuditFrame&)>& total) const;

    QCPAxisRect* m_triangles;
    QCPAxisRect* m_draws;
    QCPAxisRect* m_memory;
    std::vector<std::size_t> m_order; ///< subjects from the dearest on
    [[nodiscard]] std::optional<std::size_t> keyAt(const QPointF& at) const;
    [[nodiscard]] const Route* route() const { return m_bench.routes.current(); }
    void pickTime(double x);
    double m_time = 0;
    std::optional<std::size_t> m_key; ///< chosen, by index
    bool m_dragging = false;          ///< that key, along the axis, which stands still meanwhile
    int m_drags = 0;
};

} // namespace thicket::app
