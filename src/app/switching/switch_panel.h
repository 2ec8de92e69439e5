#pragma once
// Switch: the rule's exact numbers and a table of all switches in every unit.

#include "app/parts/controls.h"
#include "appmodel/workbench.h"

#include <QComboBox>

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

signals:
    void walkRequested();

private:
    void refresh();
    void change(const QString& label, const std::function<void(SwitchRule&)>& how);
    Workbench& m_bench;
    QComboBox* m_decide;
    QComboBox* m_measure;
    NumberBox* m_allow;
    NumberBox* m_hysteresis;
    NumberBox* m_fade;
    NumberBox* m_cull;
    NumberBox* m_reach;
    NumberBox* m_fov;
    NumberBox* m_lines;
    QVBoxLayout* m_rows;
    QLabel* m_none;
};

} // namespace thicket::app
