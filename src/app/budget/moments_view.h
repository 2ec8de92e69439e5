#pragma once
// The worst moments of a route as small pictures to go to.

#include "appmodel/workbench.h"

#include <QImage>
#include <QTimer>
#include <QWidget>
#include <functional>
#include <optional>

namespace thicket::app {

class MomentsView : public QWidget {
    Q_OBJECT
public:
    explicit MomentsView(Workbench& bench, QWidget* parent = nullptr);
    /// Those of the audit that there is; pictures come one after the other, and only while it is seen.
    void refresh();
    /// How many pictures there are by now.
    [[nodiscard]] std::size_t pictures() const;
    /// Where a moment is, of those in the order they are shown.
    [[nodiscard]] QRect place(std::size_t moment) const;
    /// Makes a picture of a moment of the route, so large. Empty: it is being made; nothing: not now.
    std::function<std::optional<QImage>(double seconds, const QSize& size)> pictureOf;

signals:
    void picked(double seconds);

protected:
    void paintEvent(QPaintEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;
    void showEvent(QShowEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    void leaveEvent(QEvent* event) override;
    bool event(QEvent* event) override;

private:
    struct Moment {
        double seconds = 0;
        double ms = 0;
        Bound bound = Bound::Geometry;
        QImage picture;
    };
    [[nodiscard]] int at(const QPoint& point) const; ///< -1: none
    void makeOne();
    void settleHeight();

    Workbench& m_bench;
    std::vector<Moment> m_moments;
    int m_under = -1; ///< the pointer
    int m_chosen = 0; ///< by keys
    QTimer m_next;
};

} // namespace thicket::app
