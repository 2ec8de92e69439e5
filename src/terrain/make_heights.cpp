#include "terrain/make_heights.h"

#include "base/parallel.h"

#include <cmath>

namespace thicket {
namespace {

std::uint32_t scramble(std::uint32_t x, std::uint32_t y, std::uint32_t seed) {
    std::uint32_t h = x * 0x9E3779B1U ^ (y * 0x85EBCA77U + seed * 0xC2B2AE3DU);
    h ^= h >> 15;
    h *= 0x2C1B3C6DU;
    h ^= h >> 12;
    h *= 0x297A2D39U;
    return h ^ (h >> 15);
}

/// Slope of one of sixteen directions at a lattice point, towards (dx, dy).
double slopeAt(std::int64_t x, std::int64_t y, double dx, double dy, std::uint32_t seed) {
    static constexpr double kDirections[8][2] = {
        {1, 0}, {0.92387953, 0.38268343},  {0.70710678, 0.70710678},  {0.38268343, 0.92387953},
        {0, 1}, {-0.38268343, 0.92387953}, {-0.70710678, 0.70710678}, {-0.92387953, 0.38268343}};
    const std::uint32_t h = scramble(static_cast<std::uint32_t>(x), static_cast<std::uint32_t>(y), seed);
    const auto& d = kDirections[h & 7U];
    return (d[0] * dx + d[1] * dy) * ((h & 8U) != 0 ? 1 : -1);
}

} // namespace

double groundNoise(double x, double y, std::uint32_t seed) {
    const double fx = std::floor(x);
    const double fy = std::floor(y);
    const auto ix = static_cast<std::int64_t>(fx);
    const auto iy = static_cast<std::int64_t>(fy);
    const double u = x - fx;
    const double v = y - fy;
    const auto ease = [](double t) { return t * t * t * (t * (t * 6 - 15) + 10); };
    const double a = ease(u);
    const double b = ease(v);
    const double top = slopeAt(ix, iy, u, v, seed) * (1 - a) + slopeAt(ix + 1, iy, u - 1, v, seed) * a;
    const double bottom =
        slopeAt(ix, iy + 1, u, v - 1, seed) * (1 - a) + slopeAt(ix + 1, iy + 1, u - 1, v - 1, seed) * a;
    return 1.4 * (top * (1 - b) + bottom * b);
}

double hills(double x, double y, const GroundRecipe& recipe) {
    double height = 0;
    double amplitude = recipe.relief / 3;
    double scale = 1 / recipe.feature;
    double rough = 1; // valleys are smoother than ridges
    for (std::uint32_t o = 0; o < recipe.octaves; ++o) {
        const double n = groundNoise(x * scale, y * scale, recipe.seed + 17 * o);
        height += amplitude * rough * n;
        rough = std::min(1.0, std::max(0.15, rough * (0.75 + 0.5 * n)));
        amplitude *= 0.47;
        scale *= 2.03;
    }
    return height;
}

Heights makeHeights(const GroundRecipe& recipe) {
    Heights out;
    out.columns = recipe.columns;
    out.rows = recipe.rows;
    out.spacing = recipe.spacing;
    centreHeights(out);
    out.grid = HeightGrid(recipe.columns, recipe.rows);
    parallelChunks(recipe.rows, HeightGrid::kRows, [&](std::size_t from, std::size_t to) {
        for (std::size_t y = from; y < to; ++y)
            for (std::uint32_t x = 0; x < recipe.columns; ++x)
                out.grid.edit(static_cast<std::uint32_t>(y))[x] =
                    static_cast<float>(hills(out.origin.x() + x * recipe.spacing,
                                             out.origin.z() + static_cast<double>(y) * recipe.spacing, recipe));
    });
    return out;
}

} // namespace thicket
