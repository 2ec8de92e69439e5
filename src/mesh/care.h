#pragma once
// Care: how much an area of a mesh is protected, painted in strokes that do not depend on its vertices.

#include "base/named.h"
#include "mesh/mesh.h"

namespace thicket {

/// A grey picture that says how much care the surface under it takes, by the first UVs. Rows from the top.
struct CareMask {
    int width = 0;
    int height = 0;
    std::vector<std::uint8_t> values;
    bool operator==(const CareMask&) const = default;
};

/// One stroke of the brush, or one source of care for the whole mesh. Each is laid on top of those before it.
struct CareStroke {
    enum class Kind {
        Paint,     ///< raises care to `strength` along the path
        Erase,     ///< takes away `strength` of it, as a share, along the path
        FromColor, ///< raises care to `strength` times a channel of the vertex colours
        FromMask   ///< raises care to `strength` times what the mask holds at a vertex's UV
    };
    Kind kind = Kind::Paint;
    std::vector<Vec3f> path; ///< places on the surface, own space, metres
    float radius = 0.1F;     ///< metres; full in the middle, fading out smoothly to here
    float strength = 1;      ///< 0..1
    bool mirror = false;     ///< the same again on the other side of the plane through `mirrorX`, across X
    float mirrorX = 0;
    int channel = 0; ///< 0..3: red, green, blue, alpha
    std::shared_ptr<const CareMask> mask;

    bool operator==(const CareStroke&) const = default;
};
constexpr Named<CareStroke::Kind> kCareKinds[] = {{CareStroke::Kind::Paint, "paint"},
                                                  {CareStroke::Kind::Erase, "erase"},
                                                  {CareStroke::Kind::FromColor, "vertex-color"},
                                                  {CareStroke::Kind::FromMask, "mask"}};
constexpr std::span<const Named<CareStroke::Kind>> namesOf(CareStroke::Kind /*any*/) {
    return kCareKinds;
}

using Care = std::vector<CareStroke>;

/// Lays a stroke on what is there: `values`, one a vertex, 0..1 (or empty: none yet).
/// COST       O(V) and, for vertices in the stroke's box, the number of its segments.
/// THREADS    uses all cores.
void layCare(const Mesh& mesh, const CareStroke& stroke, std::vector<float>& values);

/// Care of every vertex after all strokes; empty when there are none.
std::vector<float> careOf(const Mesh& mesh, const Care& care);

} // namespace thicket
