#pragma once
// Emitters in a scene: their chain for a view, where a level comes in to begin with, a picture of one.

#include "scene/kinds.h"

namespace thicket {

/// An emitter with the rule that it has to begin with, placed once at the origin.
/// ERRORS    what checkEmitter says.
Result<Subject> makeEmitter(std::string name, Emitter emitter, std::vector<std::shared_ptr<const Image>> sprites);

/// Particles as two triangles each, their layers as area; draws are parts.
std::vector<LevelCost> emitterCosts(const Emitter& emitter);
/// The chain in force for a view: by distance, by the view's tier, or the level that is forced.
ResolvedChain emitterChain(const Subject& subject, const View& view);

/// Where a level comes in unless somebody says otherwise: twice as far as the one before.
FixedSwitch usualSwitch(const Emitter& emitter, std::size_t level);

/// Its particles at some moment as small cards, for its picture in the list.
std::pair<std::shared_ptr<const Mesh>, std::shared_ptr<const Surfaces>> emitterLikeness(const Emitter& emitter);

} // namespace thicket
