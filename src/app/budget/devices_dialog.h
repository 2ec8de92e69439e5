#pragma once
// The machines of a project and their figures: edited, copied, added, removed, brought in and taken out.

#include "app/parts/controls.h"
#include "appmodel/workbench.h"
#include "budget/calibrate.h"

#include <QDialog>
#include <QLineEdit>
#include <QListWidget>

namespace thicket::app {

/// Measured times against those of the fitted figures: on the line they agree.
class ResidualView : public QWidget {
    Q_OBJECT
public:
    explicit ResidualView(QWidget* parent = nullptr);
    void show(const std::vector<FrameTime>& rows, const Calibration& found);

protected:
    void paintEvent(QPaintEvent* event) override;

private:
    struct Dot {
        double measured;
        double predicted;
        bool pixels;
    };
    std::vector<Dot> m_dots;
};

/// Figures with the times that they were found from.
struct MeasuredFigures {
    std::vector<FrameTime> rows;
    Calibration found;
    QString from;
    QString note;
};

class DevicesDialog : public QDialog {
    Q_OBJECT
public:
    explicit DevicesDialog(Workbench& bench, QWidget* parent = nullptr);
    [[nodiscard]] const std::vector<Device>& devices() const { return m_devices; }
    /// Adds those of a file; what is wrong with it is said in the dialog.
    void bringIn(const QString& path);
    /// Fits the chosen device's figures to a table of frame times.
    void fitTo(const QString& path);
    /// Draws known loads on this machine in the background and fits the chosen device's figures to them.
    void measureMachine();
    [[nodiscard]] bool measuring() const { return m_measuring; }
    [[nodiscard]] QString said() const { return m_said->text(); }
    void accept() override;

protected:
    void keyPressEvent(QKeyEvent* event) override;

private:
    struct Figure {
        NumberBox* box;
        std::function<double(const Device&)> get;
        std::function<void(Device&, double)> set;
    };
    void addFigure(class QGridLayout* grid, int row, int column, const QString& name, const QString& tip,
                   NumberBox* box, std::function<double(const Device&)> get, std::function<void(Device&, double)> set);
    void fillList();
    void showChosen();
    [[nodiscard]] Device* chosen();
    /// Takes figures over for the chosen device and says how well they fit.
    void take(const MeasuredFigures& measured);
    void setMeasuring(bool on);
    /// Works figures out in the background, for the chosen device.
    void measureBy(const QString& title, const QString& meanwhile,
                   std::function<Result<MeasuredFigures>(const JobContext&)> work);

    Workbench& m_bench;
    std::vector<Device> m_devices;
    QListWidget* m_list;
    QLineEdit* m_name;
    QLineEdit* m_source;
    std::vector<Figure> m_figures;
    QPushButton* m_remove;
    QLabel* m_said;
    class ResidualView* m_residuals;
    QPushButton* m_measure;
    bool m_measuring = false;
    std::vector<QWidget*> m_idle; ///< of no use while figures are worked out
};

} // namespace thicket::app
