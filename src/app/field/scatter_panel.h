#pragma once
// Gather, for a field: what it is scattered by. A value that is changed scatters again in the background.

#include "app/field/where_rows.h"
#include "app/parts/controls.h"
#include "appmodel/workbench.h"

namespace thicket::app {

class ScatterPanel : public Panel {
    Q_OBJECT
public:
    explicit ScatterPanel(Workbench& bench, QWidget* parent = nullptr);

private:
    void refresh();
    void fillAssets(const ScatterRecipe& recipe);
    void change(const QString& label, const std::function<void(ScatterRecipe&)>& how);
    [[nodiscard]] const Subject* field() const;

    Workbench& m_bench;
    QLabel* m_facts;
    QWidget* m_controls;
    ChoiceBox* m_role;
    ChoiceBox* m_surface;
    QWidget* m_ground;
    NumberBox* m_height;
    NumberBox* m_low[2]{};
    NumberBox* m_high[2]{};
    NumberBox* m_density;
    NumberBox* m_slope[2]{};
    NumberBox* m_heights[2]{};
    WhereRows* m_where;
    QVBoxLayout* m_assets;
    NumberBox* m_seed;
    QPushButton* m_again;
    QPushButton* m_save;
    QPushButton* m_stand;
};

} // namespace thicket::app
