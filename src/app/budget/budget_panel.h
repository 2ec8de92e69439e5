#pragma once
// Budget: the device, who spends the frame, what the audit found.

#include "app/budget/fit_view.h"
#include "app/budget/moments_view.h"
#include "app/parts/controls.h"
#include "appmodel/workbench.h"

namespace thicket::app {

/// What a ledger is looked through by.
enum class LedgerColumn { Time, Triangles, Vertices, Draws, Pixels, Memory };

/// The ledger of the present frame as bars, those that have most of the chosen column first.
class LedgerView : public QWidget {
    Q_OBJECT
public:
    explicit LedgerView(Workbench& bench, QWidget* parent = nullptr);
    void show(const Ledger& ledger);
    void setColumn(LedgerColumn column);
    /// Colours come from the lanes, so that both agree.
    std::function<QColor(std::size_t)> colorOf;

protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;

private:
    Workbench& m_bench;
    [[nodiscard]] double valueOf(const LedgerRow& row) const;
    [[nodiscard]] QString textOf(double value) const;
    /// What a bar as long as the panel is: the device's budget of it, else the most that any has.
    [[nodiscard]] double fullOf() const;
    void sort();
    Ledger m_ledger;
    LedgerColumn m_column = LedgerColumn::Time;
    QString m_waits;                  ///< what the frame waits for
    std::vector<std::size_t> m_order; ///< of its rows: dearest first
};

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
