#pragma once
// What a sweep is to look at: how far apart, how high, how many ways; and how many places that makes.

#include "app/parts/controls.h"
#include "appmodel/workbench.h"

#include <QDialog>

namespace thicket::app {

class SweepDialog : public QDialog {
    Q_OBJECT
public:
    explicit SweepDialog(Workbench& bench, QWidget* parent = nullptr);
    void accept() override;

private:
    [[nodiscard]] SweepOptions options() const;
    /// How many places that makes, worked out beside the window.
    void forecast();
    void showForecast(const Result<std::pair<std::uint32_t, std::uint32_t>>& size, const SweepOptions& how);
    Workbench& m_bench;
    NumberBox* m_spacing;
    NumberBox* m_eye;
    NumberBox* m_directions;
    QLabel* m_said;
    QPushButton* m_go;
};

} // namespace thicket::app
