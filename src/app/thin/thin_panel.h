#pragma once
// Thin: role, allowance, a card for each level, exact numbers for the selected one.

#include "app/parts/controls.h"
#include "appmodel/workbench.h"

#include <QCheckBox>
#include <QTimer>

namespace thicket::app {

/// One level: picture, triangles, share, deviation, switch distance.
class LevelCard : public QWidget {
    Q_OBJECT
public:
    LevelCard(Workbench& bench, int level, QWidget* parent = nullptr);
    QSize sizeHint() const override { return {240, 66}; }

protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void contextMenuEvent(QContextMenuEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;

private:
    [[nodiscard]] QRectF trueSize(const Subject& subject, int level, const QRectF& place) const;
    Workbench& m_bench;
    int m_level;
};

class ThinPanel : public Panel {
    Q_OBJECT
public:
    explicit ThinPanel(Workbench& bench, QWidget* parent = nullptr);
    [[nodiscard]] QPushButton* thinButton() const { return m_thin; }

protected:
    void dragEnterEvent(QDragEnterEvent* event) override;
    void dropEvent(QDropEvent* event) override;
    void showEvent(QShowEvent* event) override;

private:
    void refresh();
    void fillMaterials();
    Workbench& m_bench;
    ChoiceBox* m_role;
    NumberBox* m_allow;
    QVBoxLayout* m_cards;
    NumberBox* m_triangles;
    NumberBox* m_deviation;
    QWidget* m_stale;
    QPushButton* m_keep;
    QAction* m_pieces;
    QAction* m_reuse;
    QAction* m_symmetric;
    QLabel* m_drift;
    QPushButton* m_materials;
    QCheckBox* m_locked;
    QWidget* m_exact;
    QLabel* m_exactTitle;
    QPushButton* m_add;
    QPushButton* m_remove;
    QPushButton* m_rest;
    QPushButton* m_thin;
    QTimer m_looking; ///< runs out when a subject has been looked at for a while
};

} // namespace thicket::app
