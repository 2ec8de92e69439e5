#include "bed.h"

#include "base/parallel.h"
#include "models.h"
#include "terrain/make_heights.h"

#include <algorithm>
#include <cmath>

namespace thicket::demo {
namespace {

double ease(double low, double high, double at) {
    const double t = std::clamp((at - low) / (high - low), 0.0, 1.0);
    return t * t * (3 - 2 * t);
}

/// Noise in octaves, -1..1.
double rough(double x, double z, double metres, int octaves, std::uint32_t seed) {
    double out = 0;
    double amplitude = 0.55;
    double scale = 1 / metres;
    for (int o = 0; o < octaves; ++o, amplitude *= 0.5, scale *= 2.07)
        out += amplitude * groundNoise(x * scale, z * scale, seed + static_cast<std::uint32_t>(o));
    return out;
}

/// Creeks that wind through the marsh and branch: where a noise passes through zero.
double creeks(double x, double z) {
    const double bentX = x + 26 * groundNoise(x / 70, z / 70, 41);
    const double bentZ = z + 26 * groundNoise(x / 70, z / 70, 42);
    const double wide = groundNoise(bentX / 190, bentZ / 190, 43);
    const double fine = groundNoise(bentX / 62, bentZ / 62, 44);
    return 1.5 * std::exp(-std::pow(wide / 0.035, 2)) + 0.7 * std::exp(-std::pow(fine / 0.05, 2));
}

double bedHeight(double x, double z) {
    const double middle = 22 * std::sin(z / 46.0) + 8 * std::sin(z / 17.0 + 1);
    const double fromChannel = std::abs(x - middle);
    double h = groundHeight(x, z) + 0.22 * rough(x, z, 34, 4, 7) + 0.025 * rough(x, z, 5, 2, 9);
    // Creeks begin off the channel's banks and end at the dunes and the wall.
    const double marsh = ease(30, 60, fromChannel) * ease(-560, -420, x) * (1 - ease(270, 300, x));
    h -= marsh * creeks(x, z);
    h += 0.5 * ease(60, 240, fromChannel) * (1 - ease(280, 310, x)); // salt grass lies higher
    // Old dunes by the channel, where the grass stands.
    const double west = middle - x;
    const double old = ease(26, 52, west) * (1 - ease(105, 135, west)) * ease(-95, -60, z) * (1 - ease(40, 80, z));
    const double ridge = 1 - std::abs(rough(x, z - 0.3 * x, 46, 3, 57));
    h += old * (4.2 * ridge * ridge * ridge + 0.9);
    // Dunes in the west, then a beach that falls into the sea.
    const double shore = -520 + 50 * std::sin(z / 210) + 30 * groundNoise(z / 120, 0.3, 51);
    const double dunes = ease(0, 70, shore - x) * (1 - ease(190, 280, shore - x));
    const double crest = 1 - std::abs(rough(x, z + 0.4 * x, 85, 4, 53));
    h += dunes * (7.5 * crest * crest * crest + 1.2);
    const double beach = ease(210, 470, shore - x);
    h = h * (1 - beach) + beach * (1.2 - 0.022 * std::max(0.0, shore - x - 230) + 0.08 * std::sin(x / 2.7));
    // The sea wall, and fields that lie below the tide behind it, with ditches.
    const double wall = 330 + 34 * std::sin(z / 290);
    const double fromWall = x - wall;
    const double field = ease(8, 26, fromWall);
    double behind = 0.35 + 0.1 * rough(x, z, 60, 3, 61) + 0.4 * ease(250, 420, fromWall);
    const double ditch = std::min(std::abs(std::remainder(z + 20 * std::sin(x / 160), 118.0)),
                                  std::abs(std::remainder(fromWall - 60, 150.0)));
    behind -= 1.3 * std::exp(-std::pow(ditch / 2.2, 2));
    h = h * (1 - field) + behind * field;
    h = std::max(h, 4.6 - std::max(0.0, std::abs(fromWall) - 2.2) / 2.4);
    // The old cliff.
    const double edge =
        700 + 60 * std::sin(z / 240 + 0.6) + 22 * groundNoise(z / 46, 2.5, 71) + 5 * groundNoise(z / 9, x / 9, 72);
    const double up = ease(0, 11, x - edge);
    const double foot = ease(-70, 0, x - edge) * 3.5 * (0.6 + 0.4 * groundNoise(x / 24, z / 24, 73));
    const double plateau = 23 + 6 * rough(x, z, 260, 5, 75) + 0.012 * std::max(0.0, x - edge);
    return (h + foot) * (1 - up) + plateau * up;
}

} // namespace

Heights saltmereBed() {
    Heights out;
    out.columns = out.rows = 2049;
    out.spacing = 1;
    centreHeights(out);
    out.grid = HeightGrid(out.columns, out.rows);
    parallelChunks(out.rows, HeightGrid::kRows, [&](std::size_t from, std::size_t to) {
        for (auto y = static_cast<std::uint32_t>(from); y < to; ++y) {
            float* row = out.grid.edit(y);
            for (std::uint32_t x = 0; x < out.columns; ++x)
                row[x] =
                    static_cast<float>(std::round(128 * bedHeight(out.origin.x() + x, out.origin.z() + y)) / 128 + 0.0);
        }
    });
    return out;
}

} // namespace thicket::demo
