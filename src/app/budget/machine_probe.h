#pragma once
// Known loads, drawn out of sight and timed: what this machine's figures are fitted to.

#include "base/job.h"
#include "base/result.h"
#include "budget/calibrate.h"

#include <QOffscreenSurface>
#include <memory>

namespace thicket::app {

struct MachineTimes {
    std::vector<FrameTime> rows;
    QString renderer;      ///< what draws, as it calls itself
    bool software = false; ///< it draws without a graphics card
};

/// Draws and times loads of triangles, vertices, draws and pixels, each several times; the middle one counts.
/// surface    made on the window's thread.
/// ERRORS     CheckFailed where there is no OpenGL 3.3; Cancelled.
/// THREADS    any, one at a time.
Result<MachineTimes> timeMachine(QOffscreenSurface& surface, const JobContext& job);

} // namespace thicket::app
