#pragma once
// Switch, for a field: its rule, what it is made of, and what of it is in the frame.

#include "app/parts/controls.h"
#include "appmodel/workbench.h"
#include "scene/select_input.h"

#include <QCheckBox>
#include <array>

namespace thicket::app {

class FieldPanel : public Panel {
    Q_OBJECT
public:
    explicit FieldPanel(Workbench& bench, QWidget* parent = nullptr);
    /// What the present frame draws of the field and why not more; and how many triangles each reason keeps away.
    void showFrame(const SelectInput& input, const Selection& selection,
                   const std::optional<std::array<std::uint64_t, 5>>& saves);
    /// The copy that is looked at; 0: none.
    void setCopy(std::uint32_t placement);

signals:
    /// Which reasons to cull, thinning and switching are to be in force in the view.
    void cullingChosen(const SelectOptions& options);
    void walkRequested();
    /// Which of its assets the chart shows the switches of.
    void assetPicked(int index);

private:
    void refresh();
    void fillAssets(const Subject& field);
    void change(const QString& label, const std::function<void(SwitchRule&)>& how);
    void thin(const QString& label, const std::function<void(Thinning&)>& how);
    [[nodiscard]] const Subject* field() const;

    Workbench& m_bench;
    ChoiceBox* m_decide;
    ChoiceBox* m_curves;
    ChoiceBox* m_measure;
    NumberBox* m_allow;
    NumberBox* m_band;
    NumberBox* m_fade;
    NumberBox* m_hysteresis;
    NumberBox* m_reach;
    NumberBox* m_reachGrows;
    NumberBox* m_margin;
    NumberBox* m_cull;
    NumberBox* m_growAtMost;
    NumberBox* m_thinBand;
    QCheckBox* m_instances;
    QWidget* m_assetBox;
    QWidget* m_copyBox;
    QVBoxLayout* m_assets;
    QLabel* m_frame;
    std::array<QCheckBox*, 6> m_view{}; ///< out of view, reach, small, hidden, thinned, switching
    QLabel* m_copyName;
    NumberBox* m_importance;
    QPushButton* m_remove;
    QPushButton* m_hold;
    QPushButton* m_all;
    std::uint32_t m_copy = 0;
    int m_asset = 0;
    SharedPlacements m_counted; ///< what `m_counts` were counted of: not again at every step of a drag
    std::vector<std::size_t> m_counts;
};

} // namespace thicket::app
