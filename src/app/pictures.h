#pragma once
// Pictures of every stage for the documents, made from a project that is open.

#include <QString>

class QApplication;

namespace thicket::app {
class MainWindow;
/// Returns an exit code: 0 when all were written.
int takePictures(QApplication& app, MainWindow& window, const QString& folder);
} // namespace thicket::app
