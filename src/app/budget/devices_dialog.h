#pragma once
// The machines of a project and their figures: edited, copied, added, removed, brought in and taken out.

#include "app/parts/controls.h"
#include "appmodel/workbench.h"

#include <QDialog>
#include <QLineEdit>
#include <QListWidget>

namespace thicket::app {

class DevicesDialog : public QDialog {
    Q_OBJECT
public:
    explicit DevicesDialog(Workbench& bench, QWidget* parent = nullptr);
    [[nodiscard]] const std::vector<Device>& devices() const { return m_devices; }
    /// Adds those of a file; what is wrong with it is said in the dialog.
    void bringIn(const QString& path);
    void accept() override;

protected:
    void keyPressEvent(QKeyEvent* event) override;

private:
    struct Figure {
        NumberBox* box;
        std::function<double(const Device&)> get;
        std::function<void(Device&, double)> set;
    };
    void addFigure(class QGridLayout* grid, int row, const QString& name, const QString& tip, NumberBox* box,
                   std::function<double(const Device&)> get, std::function<void(Device&, double)> set);
    void fillList();
    void showChosen();
    [[nodiscard]] Device* chosen();

    Workbench& m_bench;
    std::vector<Device> m_devices;
    QListWidget* m_list;
    QLineEdit* m_name;
    QLineEdit* m_source;
    std::vector<Figure> m_figures;
    QPushButton* m_remove;
    QLabel* m_said;
};

} // namespace thicket::app
