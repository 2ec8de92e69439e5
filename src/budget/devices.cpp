#include "budget/devices.h"

namespace thicket {

Device handheld60() {
    Device d;
    d.name = "Handheld 60";
    d.frameMs = 8;
    d.frameRate = 60;
    d.triangleBudget = 350'000;
    d.drawBudget = 400;
    d.nsPerTriangle = 9;
    d.nsPerVertex = 6;
    d.usPerDraw = 9;
    d.nsPerPixel = 1.2;
    d.overdraw = 1.6;
    d.baseMs = 0.8;
    d.memoryMb = 256;
    d.aheadSeconds = 2;
    return d;
}

Device desk120() {
    Device d;
    d.name = "Desk 120";
    d.frameMs = 5;
    d.frameRate = 120;
    d.triangleBudget = 3'000'000;
    d.drawBudget = 2000;
    d.nsPerTriangle = 0.7;
    d.nsPerVertex = 0.4;
    d.usPerDraw = 1.2;
    d.nsPerPixel = 0.12;
    d.overdraw = 1.8;
    d.baseMs = 0.5;
    d.memoryMb = 2048;
    d.aheadSeconds = 2;
    return d;
}

std::vector<Device> usualDevices() {
    return {handheld60(), desk120()};
}

} // namespace thicket
