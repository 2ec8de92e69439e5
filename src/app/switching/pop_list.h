#pragma once
// The switches that are seen, worst first, with what they look like and ways to smooth them.

#include "app/parts/controls.h"
#include "appmodel/workbench.h"

namespace thicket::app {

/// One switch: whose it is, where it happens, how much of it is seen.
class PopRow : public QWidget {
    Q_OBJECT
public:
    PopRow(PopsModel::Pop pop, const QString& name, double allowPx, bool chosen, QWidget* parent = nullptr);
    QSize sizeHint() const override { return {240, 38}; }

signals:
    void picked();

protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;

private:
    PopsModel::Pop m_pop;
    QString m_name;
    double m_allowPx;
    bool m_chosen;
};

/// Before, after, and where they differ, at the size they have on screen.
class PopPictures : public QWidget {
    Q_OBJECT
public:
    using QWidget::QWidget;
    void show(std::shared_ptr<const PopScore> score);

protected:
    void paintEvent(QPaintEvent* event) override;

private:
    std::shared_ptr<const PopScore> m_score;
    QImage m_pictures[3];
};

class PopList : public QWidget {
    Q_OBJECT
public:
    explicit PopList(Workbench& bench, QWidget* parent = nullptr);

signals:
    /// Someone wants to stand where a switch happens and see it.
    void wanted(int finer, int coarser, double metres);

private:
    void refresh();
    void choose(const PopsModel::Pop& pop);
    void fillWays();

    Workbench& m_bench;
    QLabel* m_state;
    QLabel* m_legend;
    QVBoxLayout* m_rows;
    PopPictures* m_pictures;
    QPushButton* m_smooth;
    QPushButton* m_smoothAll;
    std::optional<PopsModel::Pop> m_chosen;
};

} // namespace thicket::app
