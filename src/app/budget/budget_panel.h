#pragma once
// Budget: the device, who spends the frame, what the audit found.

#include "app/budget/fit_view.h"
#include "app/budget/ledger_view.h"
#include "app/budget/moments_view.h"
#include "app/parts/controls.h"
#include "appmodel/workbench.h"

namespace thicket::app {

class BudgetPanel : public Panel {
    Q_OBJECT
public:
    explicit BudgetPanel(Workbench& bench, QWidget* parent = nullptr);
    void setFrame(const Ledger& ledger, double seconds);
    void setPlaying(bool playing);
    [[nodiscard]] LedgerView* ledger() const { return m_ledger; }
    [[nodiscard]] MomentsView* moments() const { return m_moments; }

signals:
    void playRequested();
    void keyRequested();
    void recordRequested();
    /// To look from there, in that direction.
    void standRequested(const Vec3d& eye, const Vec3d& target);
    void momentRequested(double seconds);

private:
    void refresh();
    void refreshNotes();
    void addMend(const BudgetNote& note, QBoxLayout* row);
    void refreshFitted();
    void refreshRoutes();
    void refreshSweep();
    void fillRouteMenu();
    void fillCompareMenu();
    void refreshFindings();
    Workbench& m_bench;
    ChoiceBox* m_device;
    QStringList m_deviceNames; ///< as listed
    LedgerView* m_ledger;
    QLabel* m_findings;
    QPushButton* m_compare;
    MomentsView* m_moments;
    QVBoxLayout* m_notes;
    QPushButton* m_key;
    ChoiceBox* m_route;
    QStringList m_routeNames; ///< as listed
    QPushButton* m_routeMenu;
    QWidget* m_sweepBox; ///< what looking all round found
    QLabel* m_sweepText;
    QPushButton* m_play;
    QPushButton* m_fly;
    FitView* m_fit;
    QVBoxLayout* m_fitted; ///< what was fitted and kept, and the way back
    QPushButton* m_fitScene;
    QPushButton* m_keep;
    QPushButton* m_drop;
};

} // namespace thicket::app
