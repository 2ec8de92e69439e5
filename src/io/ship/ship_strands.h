#pragma once
// Strands out: the lines of every level, ribbons when asked, and what an engine thins them by.

#include "io/ship/ship.h"

namespace thicket {

/// NAME.L0.lines.glb and on, each read back and compared; with `ribbons` NAME.L0.ribbons.glb besides; NAME.strands.json.
Result<void> shipStrands(const Scene& scene, const Subject& strands, const std::filesystem::path& folder,
                         const std::string& base, const ShipOptions& options, const JobContext& job,
                         ShipReport& report);

/// Levels, curves and formulas of strands as JSON.
std::string encodeStrandRule(const Subject& strands, const View& view);

} // namespace thicket
