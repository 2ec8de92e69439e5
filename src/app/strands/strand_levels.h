#pragma once
// Thin, for strands: a card a level with fewer points, how far each may be off, and the cover that thinning leaves.

#include "app/parts/controls.h"
#include "app/parts/figure_card.h"
#include "appmodel/workbench.h"

namespace thicket::app {

class StrandLevels : public Panel {
    Q_OBJECT
public:
    explicit StrandLevels(Workbench& bench, QWidget* parent = nullptr);

protected:
    void showEvent(QShowEvent* event) override;

private:
    void refresh();
    void refreshCover();
    [[nodiscard]] const Subject* strands() const;

    Workbench& m_bench;
    QVBoxLayout* m_cards;
    NumberBox* m_deviation;
    QWidget* m_exact;
    NumberBox* m_perCard;
    QWidget* m_perCardRow;
    QLabel* m_cover;
    QPushButton* m_add;
    QPushButton* m_makeCards;
    QPushButton* m_remove;
};

} // namespace thicket::app
