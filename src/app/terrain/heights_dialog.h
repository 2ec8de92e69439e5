#pragma once
// Asks what a file of heights does not say: how far they lie apart, and what metres its values are.

#include "app/parts/controls.h"
#include "terrain/height_options.h"

#include <QCheckBox>
#include <QDialog>

namespace thicket::app {

class HeightsDialog : public QDialog {
    Q_OBJECT
public:
    explicit HeightsDialog(const QString& path, QWidget* parent = nullptr);
    [[nodiscard]] HeightOptions options() const;

private:
    void refresh();
    QString m_path;
    QLabel* m_facts;
    NumberBox* m_spacing;
    QCheckBox* m_ranged;
    NumberBox* m_low;
    NumberBox* m_high;
    QWidget* m_raw;
    NumberBox* m_columns;
    NumberBox* m_rows;
    ChoiceBox* m_kind;
    QCheckBox* m_big;
    QPushButton* m_add;
};

} // namespace thicket::app
