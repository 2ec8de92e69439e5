#pragma once
// Switch, for a terrain: its rule, its tiles, and what of them is in the frame.

#include "app/parts/controls.h"
#include "appmodel/workbench.h"
#include "scene/select_input.h"

#include <QCheckBox>
#include <array>

namespace thicket::app {

class TerrainPanel : public Panel {
    Q_OBJECT
public:
    explicit TerrainPanel(Workbench& bench, QWidget* parent = nullptr);
    /// What the present frame draws and why not more; what choosing took, microseconds; bytes of tiles that are kept.
    void showFrame(const SelectInput& input, const Selection& selection, double updateUs, std::size_t tileBytes,
                   const std::optional<std::array<std::uint64_t, 5>>& saves);

signals:
    /// Which reasons to cull, and switching, are to be in force in the view.
    void cullingChosen(const SelectOptions& options);
    /// The chart of tile sizes is to be shown, or that of errors.
    void sizesWanted(bool on);

private:
    void refresh();
    void change(const QString& label, const std::function<void(SwitchRule&)>& how);
    [[nodiscard]] const Subject* terrain() const;

    Workbench& m_bench;
    ChoiceBox* m_decide;
    NumberBox* m_allow;
    ChoiceBox* m_between;
    NumberBox* m_band;
    NumberBox* m_reach;
    NumberBox* m_reachGrows;
    QLabel* m_reachNow;
    NumberBox* m_margin;
    NumberBox* m_importance;
    ChoiceBox* m_cells;
    QLabel* m_frame;
    std::array<QCheckBox*, 4> m_view{}; ///< out of view, reach, horizon, switching
    QPushButton* m_sizes;
    std::vector<double> m_updates; ///< microseconds of the last selections that drew something else
    std::size_t m_next = 0;
};

} // namespace thicket::app
