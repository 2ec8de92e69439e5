#pragma once
// What a fit would do: before and after, and a row a subject that can be left out.

#include "appmodel/workbench.h"

#include <QCheckBox>
#include <QLabel>
#include <QVBoxLayout>
#include <map>

namespace thicket::app {

class FitView : public QWidget {
    Q_OBJECT
public:
    explicit FitView(Workbench& bench, QWidget* parent = nullptr);
    void refresh();

private:
    struct Row {
        QWidget* whole;
        QCheckBox* with;
        QLabel* off;
        QLabel* saves;
    };
    Row& rowOf(std::uint32_t subject);

    Workbench& m_bench;
    QLabel* m_title;
    QLabel* m_sums;
    QVBoxLayout* m_layout;
    std::map<std::uint32_t, Row> m_rows; ///< by subject
    QLabel* m_rest;
};

} // namespace thicket::app
