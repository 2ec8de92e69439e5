#pragma once
// Switch: the rule's exact numbers and a table of all switches in every unit.

#include "app/parts/controls.h"
#include "app/switching/context_box.h"
#include "app/switching/pop_list.h"
#include "appmodel/workbench.h"

#include <QCheckBox>
#include <array>

namespace thicket::app {

/// One switch: level, distance, screen height, pixels off there; typed distances fix it by hand.
class SwitchRow : public QWidget {
    Q_OBJECT
public:
    SwitchRow(Workbench& bench, int level, QWidget* parent = nullptr);
    void refresh();

private:
    Workbench& m_bench;
    int m_level;
    QLabel* m_name;
    NumberBox* m_value;
    QLabel* m_others;
    QPushButton* m_clear;
};

class SwitchPanel : public Panel {
    Q_OBJECT
public:
    explicit SwitchPanel(Workbench& bench, QWidget* parent = nullptr);
    QVBoxLayout* popsPlace; ///< where the list of pops stands among the rest
    /// How many copies each reason culls in the present frame, and how many triangles that keeps from being drawn: out
    /// of view, beyond reach, too small, hidden.
    void showCulled(const Selection& selection, const std::optional<std::array<std::uint64_t, 5>>& saves);
    /// The copy that is looked at, whose importance can be changed.
    void setCopy(std::uint32_t placement);

signals:
    /// Which reasons to cull are to be in force in the view.
    void cullingChosen(const SelectOptions& options);
    void walkRequested();
    /// The walk as pictures.
    void stripRequested();
    /// Someone wants to stand where a switch happens and see it.

private:
    void refresh();
    void refreshNotes();
    void fillTargets(const Subject& subject);
    void change(const QString& label, const std::function<void(SwitchRule&)>& how);
    Workbench& m_bench;
    ChoiceBox* m_decide;
    ChoiceBox* m_measure;
    NumberBox* m_allow;
    NumberBox* m_hysteresis;
    NumberBox* m_dwell;
    QWidget* m_fitted; ///< what a fit loosened, and the way back
    QLabel* m_fittedText;
    QCheckBox* m_every;
    QCheckBox* m_looks;
    NumberBox* m_check;
    NumberBox* m_fade;
    NumberBox* m_cull;
    NumberBox* m_reach;
    ChoiceBox* m_target;
    ContextBox* m_context;
    QVBoxLayout* m_notes;
    QVBoxLayout* m_rows;
    QLabel* m_none;
    std::array<QCheckBox*, 4> m_culls{};
};

} // namespace thicket::app
