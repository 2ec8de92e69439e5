#pragma once
// Emitters out: the compact description, and one with every level filled in; a strip of pictures.

#include "io/ship/ship.h"

namespace thicket {

/// NAME.emitter.json, NAME.levels.json with forecast and distances, NAME.strip.png: its levels side by side at four
/// moments; each read back. Sprites are copied beside them.
Result<void> shipEmitter(const Scene& scene, const Subject& emitter, const std::filesystem::path& folder,
                         const std::string& base, const ShipOptions& options, const JobContext& job,
                         ShipReport& report);

/// Pictures of what an emitter gives off: one of a level, and all, levels from left to right, four moments from top to
/// bottom.
/// side     of one picture, pixels.
struct Pixels;
Pixels emitterPicture(const Emitter& emitter, std::size_t level, int side);
Pixels emitterStrip(const Emitter& emitter, int side);

} // namespace thicket
