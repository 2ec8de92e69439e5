#pragma once
// What grows on the Saltmere's dunes and what drifts over its channel.

#include "scene/scene.h"

namespace thicket::demo {

/// Marram on the old dunes, on the terrain of that name: some 240,000 strands.
Result<void> addGrass(Scene& scene, const std::string& ground, const JobContext& job);

/// Marsh mist over the channel and a signal fire on the bank, by files of their own.
Result<void> addEffects(Scene& scene, const std::filesystem::path& folder, const Heights& bed);

} // namespace thicket::demo
