#pragma once
// Gather, for an emitter: its parts and where it stands.

#include "app/parts/controls.h"
#include "appmodel/workbench.h"

namespace thicket::app {

class EmitterPanel : public Panel {
    Q_OBJECT
public:
    explicit EmitterPanel(Workbench& bench, QWidget* parent = nullptr);

signals:
    /// One more of it, where the scene is looked at.
    void placeRequested();

private:
    void refresh();
    [[nodiscard]] const Subject* emitter() const;
    Workbench& m_bench;
    QLabel* m_parts;
    NumberBox* m_seed;
};

} // namespace thicket::app
