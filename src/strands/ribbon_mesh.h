#pragma once
// Strands as what other programs can show: ribbons of triangles, which stand still and so face one way each.

#include "strands/strand_cover.h"

namespace thicket {

/// A ribbon a strand, as wide as it is across the line and its own direction of view, which differs from strand to
/// strand; points from the middle of the set. Normals lie across, colours are the look's, UVs run from root to tip.
Mesh ribbonMesh(const StrandSet& set, const StrandLook& look);

} // namespace thicket
