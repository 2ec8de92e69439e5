#pragma once
// Starting the application: surface format, look, arguments.

class QApplication;

namespace thicket::app {
/// To be called before the application object is made.
void prepareGraphics();
int start(QApplication& app);
} // namespace thicket::app
