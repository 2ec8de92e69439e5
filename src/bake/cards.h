#pragma once
// Crossed cards: a subject's pictures from a few sides on upright squares, as the last of its levels.

#include "bake/silhouette.h"

namespace thicket {

struct CardOptions {
    int cards = 2;        ///< 1..4 upright ones, turned evenly
    bool lying = false;   ///< one more, seen from above
    int texelsTall = 128; ///< 8..1024; of the taller side of the subject
    int samples = 4;      ///< rays along each side of a texel
};

/// A level with materials of its own.
struct BakedLevel {
    Mesh mesh;
    Surfaces surfaces;
    SilhouetteDifference difference; ///< outlines against the source's, from all round
    float cutoff = 0.5F;             ///< of the alpha test, chosen so that the cover holds in the mipmaps
};

/// Casts rays at the mesh from the front of each card. Colour with alpha as in spreadCover, normals by the card's own
/// frame, one picture of each for all cards with a gutter between them; colours run on into what is not covered.
/// ERRORS     Cancelled.
/// COST       cards * texels^2 * samples^2 rays, then those of the silhouettes.
/// THREADS    uses all cores.
Result<BakedLevel> bakeCards(const Mesh& mesh, const Surfaces& surfaces, const CardOptions& options,
                             const JobContext& job);

} // namespace thicket
