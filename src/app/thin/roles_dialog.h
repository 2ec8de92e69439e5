#pragma once
// What each role asks for, to be changed: for this project, and for new ones where wanted.

#include "app/parts/controls.h"
#include "appmodel/workbench.h"

#include <QCheckBox>
#include <QDialog>

namespace thicket::app {

class RolesDialog : public QDialog {
    Q_OBJECT
public:
    explicit RolesDialog(Workbench& bench, QWidget* parent = nullptr);
    [[nodiscard]] RoleRules rules() const;
    void accept() override;

private:
    void show(const RoleRules& rules);

    struct Row {
        NumberBox* levels;
        QCheckBox* spread;
        NumberBox* share;
        NumberBox* allow;
        NumberBox* cards;
        QCheckBox* unseen;
    };
    Workbench& m_bench;
    std::vector<Row> m_rows;
    QCheckBox* m_forNew;
};

/// What new projects begin with: the usual rules, or what a person has kept for them.
RoleRules keptRoleRules();

} // namespace thicket::app
