#include "app/start.h"

#include <QApplication>

int main(int argc, char** argv) {
    thicket::app::prepareGraphics();
    QApplication app(argc, argv);
    return thicket::app::start(app);
}
