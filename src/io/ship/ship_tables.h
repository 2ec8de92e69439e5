#pragma once
// Where copies stand, as tables that are read back and compared.

#include "io/ship/ship.h"

#include <map>

namespace thicket {

/// Writes BASE.placements.csv and BASE.placements.json.
/// names   of the assets that copies name by place.
/// ERRORS  Unwritable; CheckFailed; Cancelled.
Result<void> shipTables(const Placements& copies, const std::vector<std::string>& names,
                        const std::filesystem::path& folder, const std::string& base, const JobContext& job,
                        ShipReport& report);

/// The same of all meshes that were placed by themselves: each copy with the name of the files that its levels were
/// shipped as. Nothing where there is none.
/// shipped  those names, by subject id.
Result<void> shipPlaces(const Scene& scene, const std::map<std::uint32_t, std::string>& shipped,
                        const std::filesystem::path& folder, const std::string& base, const JobContext& job,
                        ShipReport& report);

} // namespace thicket
