#pragma once
// Where something is scattered or grown, beyond its surface: a mask, and distances from routes and subjects.

#include "app/parts/controls.h"
#include "appmodel/workbench.h"

#include <functional>

namespace thicket::app {

class WhereRows : public QWidget {
    Q_OBJECT
public:
    /// What is changed of a recipe, with what the step is called.
    using Change = std::function<void(const QString& label, const std::function<void(ScatterRecipe&)>& how)>;
    WhereRows(Workbench& bench, Change change, QWidget* parent = nullptr);
    void show(const ScatterRecipe& recipe);

private:
    void chooseMask();
    void addNear();
    void fillNear(const ScatterRecipe& recipe);

    Workbench& m_bench;
    Change m_change;
    QPushButton* m_mask;
    QPushButton* m_noMask;
    QVBoxLayout* m_near;
};

} // namespace thicket::app
