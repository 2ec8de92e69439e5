#pragma once
// Where a finding lies: what of a mesh is marked for it, place by place.

#include "mesh/findings.h"

#include <array>
#include <optional>

namespace thicket {

/// Elements of a finding that hang together: what one looks at in one go.
struct FindingSpot {
    std::uint32_t first = 0; ///< elements first .. first + count - 1
    std::uint32_t count = 0;
    Vec3d centre{0, 0, 0};  ///< of their box, metres, in the mesh's space
    double radius = 0;      ///< from there to their farthest corner
    Vec3d outward{0, 0, 0}; ///< where their surface faces, or should; of length 1, or 0 where that is not one direction
};

struct FindingPlaces {
    /// Corners in metres, in the mesh's space; of what is an edge or two points the last corner is twice there.
    std::vector<std::array<Vec3f, 3>> elements;
    bool areas = false;             ///< elements are triangles with area
    std::vector<FindingSpot> spots; ///< those of most elements first
};

/// Whether findings of a kind are places on the mesh; else they are about it as a whole, or about levels.
bool liesSomewhere(FindingKind kind);

/// Empty for kinds that are about a mesh as a whole, or about levels, and when it was cancelled.
/// COST  that of looking for this kind of finding, O(T log T); a cancel is heard between its steps.
std::optional<FindingPlaces> placesOf(const Mesh& mesh, FindingKind kind, const JobContext& job = {});

} // namespace thicket
