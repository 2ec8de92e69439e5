#pragma once
// Gather, for strands: where they come from, what they grow by, what they look like.

#include "app/field/where_rows.h"
#include "app/parts/controls.h"
#include "appmodel/workbench.h"

#include <functional>

namespace thicket::app {

class GrowPanel : public Panel {
    Q_OBJECT
public:
    explicit GrowPanel(Workbench& bench, QWidget* parent = nullptr);

private:
    void refresh();
    [[nodiscard]] const Subject* strands() const;
    void change(const QString& label, const std::function<void(StrandRecipe&)>& how);
    void chooseColour(bool tip);
    void read(const QString& label, const std::function<void(StrandModel::Reading&)>& how);
    void showReading(const StrandsBody& of);
    NumberBox* number(QVBoxLayout* column, const QString& name, const QString& tip, NumberBox* box, double unit,
                      std::function<double&(StrandRecipe&)> of);

    Workbench& m_bench;
    QLabel* m_facts;
    QPushButton* m_relink;
    QWidget* m_fromFile;
    ChoiceBox* m_unit;
    ChoiceBox* m_up;
    QWidget* m_widthRow;
    NumberBox* m_width;
    QWidget* m_controls;
    ChoiceBox* m_surface;
    struct Row {
        NumberBox* box;
        double unit; ///< how many of what is shown are one of what is kept
        std::function<double&(StrandRecipe&)> of;
    };
    std::vector<Row> m_rows;
    WhereRows* m_where;
    NumberBox* m_points;
    NumberBox* m_seed;
    QPushButton* m_root;
    QPushButton* m_tip;
    NumberBox* m_vary;
    QPushButton* m_save;
    QPushButton* m_again;
};

} // namespace thicket::app
