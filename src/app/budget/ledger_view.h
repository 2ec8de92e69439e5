#pragma once
// Who spends the frame: a row a subject, by what is chosen.

#include "appmodel/workbench.h"

#include <QColor>
#include <QWidget>
#include <functional>

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

} // namespace thicket::app
