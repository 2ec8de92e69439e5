#pragma once
// The two machines every new project begins with.

#include "scene/scene.h"

namespace thicket {

/// A handheld at 60 frames a second, 8 ms of them for what is drawn here. Figures are entered, not calibrated.
Device handheld60();
/// A desk machine at 120 frames a second.
Device desk120();
std::vector<Device> usualDevices();

} // namespace thicket
