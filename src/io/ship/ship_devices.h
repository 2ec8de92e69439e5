#pragma once
// What differs from device to device, beside what is shipped for all of them.

#include "io/ship/ship.h"

#include <map>

namespace thicket {

/// Detail, tier and what a fit loosened, of each device (docs/formats/README.md).
/// names      base names of what was shipped, by subject id; what was not is left out.
std::string encodeDeviceFactors(const Scene& scene, const std::map<std::uint32_t, std::string>& names);

/// Writes devices.json where any device differs from what the other files say, and reads it back.
/// ERRORS     Unwritable; CheckFailed.
Result<void> shipDevices(const Scene& scene, const std::map<std::uint32_t, std::string>& names,
                         const std::filesystem::path& folder, ShipReport& report);

} // namespace thicket
