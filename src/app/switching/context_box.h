#pragma once
// What moves switches beside the rule: detail of the scene and of the device, importance, speed.

#include "app/parts/controls.h"
#include "appmodel/workbench.h"

#include <QCheckBox>

namespace thicket::app {

class ContextBox : public QWidget {
    Q_OBJECT
public:
    explicit ContextBox(Workbench& bench, QWidget* parent = nullptr);
    /// The copy that is looked at; 0: none that was placed.
    void setCopy(std::uint32_t placement);

private:
    void refresh();
    Workbench& m_bench;
    std::uint32_t m_copy = 0;
    NumberBox* m_detail;
    NumberBox* m_device;
    NumberBox* m_subject;
    NumberBox* m_one;
    NumberBox* m_speed;
    QCheckBox* m_hidden;
    QLabel* m_deviceName;
};

} // namespace thicket::app
