#pragma once
// Materials of a level made lighter than the source's: smaller pictures, fewer of them, one material for all.

#include "base/job.h"
#include "image/image.h"

#include <utility>

namespace thicket {

/// What a level's materials leave out. All off: as the source.
struct MaterialChoice {
    int halvings = 0;         ///< 0..6 times half as wide and high
    bool dropNormals = false; ///< normal maps
    bool dropDetail = false;  ///< metallic-roughness, occlusion and emissive maps
    bool opaque = false;      ///< alpha-tested ones become opaque
    /// Material numbers two by two: what is drawn with the first is drawn with the second.
    std::vector<std::pair<std::uint32_t, std::uint32_t>> swaps;
    bool merge = false;    ///< one material, one picture of each kind: one draw
    int mergedSide = 1024; ///< of the merged pictures, before they are halved, at most

    [[nodiscard]] bool any() const { return halvings > 0 || dropNormals || dropDetail || opaque || changesMesh(); }
    /// Whether the mesh is another one: its parts, or its UVs.
    [[nodiscard]] bool changesMesh() const { return merge || !swaps.empty(); }
    bool operator==(const MaterialChoice&) const = default;
};

struct LightenedLevel {
    Mesh mesh; ///< with other parts when materials were swapped, and other UVs when they were merged
    Surfaces surfaces;
};

/// Makes a level's own materials and pictures from its subject's. Merging lays each material's part of the texture (the
/// range of UVs that its triangles use, repeats laid out) into one picture with gutters; its second UVs and vertex
/// colours stay.
/// ERRORS     Cancelled; BadInput naming a picture that cannot be read.
Result<LightenedLevel> lightenLevel(const Mesh& mesh, const Surfaces& surfaces, const MaterialChoice& choice,
                                    const JobContext& job);

} // namespace thicket
