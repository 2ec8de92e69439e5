#pragma once
// Plays a subject's animations on the level that is shown: a bar over the viewport's foot.

#include "app/parts/controls.h"
#include "app/viewport/viewport.h"

#include <QSlider>

namespace thicket::app {

class PlayBar : public QFrame {
    Q_OBJECT
public:
    PlayBar(Workbench& bench, Viewport& viewport, QWidget* parent = nullptr);
    /// Shows itself when the subject that is looked at has something to play.
    void refresh();
    void toggle() { m_viewport.play(!m_viewport.playing()); }

signals:
    void resized();

private:
    void follow();

    Workbench& m_bench;
    Viewport& m_viewport;
    const Rig* m_rig = nullptr; ///< whose animations are listed
    QPushButton* m_play;
    ChoiceBox* m_which;
    QSlider* m_time;
    QPushButton* m_rest;
};

} // namespace thicket::app
