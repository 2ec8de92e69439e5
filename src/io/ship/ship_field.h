#pragma once
// A field handed over: its copies as tables and as instances in GLBs, and the rule that an engine thins and switches
// them by.

#include "io/ship/ship.h"

namespace thicket {

/// Writes BASE.placements.csv, BASE.placements.json, BASE.field.json and BASE.ASSET.instances.glb for each asset, as
/// `options` ask for, each read back and compared.
/// REQUIRES   a field.
/// ERRORS     as shipScene.
Result<void> shipField(const Scene& scene, const Subject& field, const std::filesystem::path& folder,
                       const std::string& base, const ShipOptions& options, const JobContext& job, ShipReport& report);

/// The rule of a field as JSON: curves, switches of each asset, culling (docs/formats/README.md).
std::string encodeField(const Scene& scene, const Subject& field, const View& view);

} // namespace thicket
