#pragma once
// Devices as a file of their own, so that figures found once serve other projects.

#include "base/result.h"
#include "scene/scene.h"

namespace thicket {

constexpr const char* kDevicesSuffix = ".devices.json";

/// ERRORS     Unwritable.
Result<void> writeDevices(const std::vector<Device>& devices, const std::filesystem::path& path);

/// At least one device.
/// ERRORS     NotFound; BadInput naming the field.
Result<std::vector<Device>> readDevices(const std::filesystem::path& path);

} // namespace thicket
