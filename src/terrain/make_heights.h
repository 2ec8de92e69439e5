#pragma once
// Ground for trials: a neutral landscape of noise, the same for the same seed on any machine.

#include "terrain/heights.h"

namespace thicket {

struct GroundRecipe {
    std::uint32_t columns = 1025;
    std::uint32_t rows = 1025;
    double spacing = 1;
    double relief = 60;   ///< metres between its lowest and highest, about
    double feature = 400; ///< metres across its largest hills
    std::uint32_t octaves = 9;
    std::uint32_t seed = 1;
};

/// Smooth noise, -1..1, of one cell a unit.
/// SOURCE     gradient noise with quintic weights, Perlin 2002.
double groundNoise(double x, double y, std::uint32_t seed);

/// Hills with ridges, in octaves.
double hills(double x, double y, const GroundRecipe& recipe);

Heights makeHeights(const GroundRecipe& recipe);

} // namespace thicket
