#pragma once
// Strokes on the ground: what a brush did, kept as its path, so that a project holds strokes and never another copy of
// the heights.

#include "base/named.h"
#include "terrain/build_tree.h"

namespace thicket {

enum class BrushKind { Raise, Lower, Smooth, Flatten };
constexpr Named<BrushKind> kBrushKinds[] = {{BrushKind::Raise, "raise", "Raise"},
                                            {BrushKind::Lower, "lower", "Lower"},
                                            {BrushKind::Smooth, "smooth", "Smooth"},
                                            {BrushKind::Flatten, "flatten", "Flatten"}};
constexpr std::span<const Named<BrushKind>> namesOf(BrushKind /*any*/) {
    return kBrushKinds;
}

struct GroundStroke {
    BrushKind kind = BrushKind::Raise;
    double radius = 8;                       ///< metres
    double strength = 1;                     ///< raise and lower: metres in the middle; smooth and flatten: 0..1
    double level = 0;                        ///< flatten: the height it goes to, above the terrain's origin
    std::vector<std::array<double, 2>> path; ///< X and Z in the world, at least one

    bool operator==(const GroundStroke&) const = default;
};

/// How much of a stroke lands at so many radii from its path: 1 in the middle, 0 from 1 on, smooth.
double brushFalloff(double radii);

/// The heights after a stroke, and what it touched; an empty rectangle (x1 < x0) where it misses the ground. However
/// often a stroke passes a place, it lands there once, so the outcome depends on its path alone.
/// `from` is the ground before the stroke began.
struct Stroked {
    std::shared_ptr<const Heights> heights;
    HeightRect touched{1, 1, 0, 0};
};
Stroked applyStroke(const std::shared_ptr<const Heights>& from, const GroundStroke& stroke);

} // namespace thicket
