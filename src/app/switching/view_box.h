#pragma once
// The view that pixels and screen heights are stated for: a list of usual screens, and one's own.

#include "app/parts/controls.h"
#include "appmodel/workbench.h"

namespace thicket::app {

class ViewBox : public QWidget {
    Q_OBJECT
public:
    explicit ViewBox(Workbench& bench, QWidget* parent = nullptr);

private:
    void refresh();
    void choose(int index);
    void showSight(double pixels);
    Workbench& m_bench;
    ChoiceBox* m_list;
    NumberBox* m_fov;
    NumberBox* m_lines;
    ChoiceBox* m_sight;
    NumberBox* m_near;
    NumberBox* m_far;
    QLabel* m_follows;
};

} // namespace thicket::app
