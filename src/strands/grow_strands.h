#pragma once
// Strands that grow on a surface by a recipe.

#include "scatter/scatter.h"
#include "strands/strand_set.h"

namespace thicket {

/// Where strands stand is a scatter recipe without assets; what one is like stands here. A recipe knows no meshes: the
/// same one goes onto another surface.
struct StrandRecipe {
    ScatterRecipe where;       ///< its assets are of no account
    double length = 0.6;       ///< metres
    double lengthVary = 0.35;  ///< 0..1; shorter or longer by so much at most
    double width = 0.008;      ///< metres, at the root
    double tip = 0.15;         ///< 0..1; of the width, at the tip
    double leanDegrees = 12;   ///< of the root, from upright, at most
    double follow = 0.3;       ///< 0: stands upright; 1: at right angles to the surface
    double bendDegrees = 45;   ///< how far the tip turns down over the length, on average
    double curl = 0;           ///< turns about its own line
    double curlMetres = 0.01;  ///< and how far from it
    double clump = 0.25;       ///< 0..1; tips lean together
    double clumpMetres = 0.45; ///< how far apart clumps are
    std::uint32_t points = 7;  ///< 2..64, a strand
    bool operator==(const StrandRecipe&) const = default;
};

/// What is wrong with a recipe's values; empty when nothing is.
std::string problemOf(const StrandRecipe& recipe);

/// Strands in their progressive order. The same recipe on the same ground gives the same strands, whatever the machine.
/// ERRORS  BadInput when a value cannot be, or nothing grows; TooLarge with the forecast beyond kMostStrands;
///         Cancelled.
Result<StrandSet> growStrands(const StrandRecipe& recipe, const ScatterGround& ground, const JobContext& job);

} // namespace thicket
