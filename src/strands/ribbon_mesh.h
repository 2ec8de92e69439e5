#pragma once
// Strands as what other programs can show: ribbons of triangles, which stand still and so face one way each.

#include "strands/strand_cover.h"

namespace thicket {

/// A ribbon a strand, as wide as it is across the line and its own direction of view, which differs from strand to
/// strand; points from the middle of the set. Normals lie across, colours are the look's, UVs run from root to tip.
Mesh ribbonMesh(const StrandSet& set, const StrandLook& look);

/// A card a strand that has one, each turned its own way. UVs are those of its picture, colours how light it is.
Mesh cardMesh(const StrandSet& set, const StrandCards& cards, const StrandLook& look);
/// The picture of the cards in the colours of a look; where there is nothing it is see-through, in the mean colour.
Image cardPicture(const StrandCards& cards, const StrandLook& look);

} // namespace thicket
