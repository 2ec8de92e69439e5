#include "base/text.h"
#include "image/image.h"
#include "models.h"

#include <algorithm>
#include <cmath>
#include <cstring>

namespace thicket::demo {
namespace {

double lattice(int x, int y, int period, std::uint32_t seed) {
    const auto wrap = [period](int v) { return static_cast<std::uint32_t>(((v % period) + period) % period); };
    return hashShare(wrap(x) * 7919U + wrap(y) * 104729U + seed * 1299721U);
}

/// Smooth noise that repeats after one picture.
double noise(double x, double y, int period, std::uint32_t seed) {
    const double fx = std::floor(x);
    const double fy = std::floor(y);
    const auto ease = [](double t) { return t * t * (3 - 2 * t); };
    const double u = ease(x - fx);
    const double v = ease(y - fy);
    const int ix = static_cast<int>(fx);
    const int iy = static_cast<int>(fy);
    const double top = lattice(ix, iy, period, seed) * (1 - u) + lattice(ix + 1, iy, period, seed) * u;
    const double bottom = lattice(ix, iy + 1, period, seed) * (1 - u) + lattice(ix + 1, iy + 1, period, seed) * u;
    return top * (1 - v) + bottom * v;
}

double cloud(double u, double v, int period, std::uint32_t seed) {
    double sum = 0;
    double weight = 0.5;
    for (int octave = 0; octave < 4; ++octave, period *= 2, weight /= 2)
        sum += weight * noise(u * period, v * period, period, seed + static_cast<std::uint32_t>(octave));
    return sum;
}

Vec3d colorAt(Pattern pattern, double u, double v) {
    const double c = cloud(u, v, 4, 11);
    const double fine = cloud(u, v, 32, 23);
    switch (pattern) {
    case Pattern::PaintedMetal: {
        const double rust = std::clamp((cloud(u, v, 6, 5) - 0.52) * 9, 0.0, 1.0);
        return Vec3d(0.74, 0.72, 0.63) * (0.8 + 0.3 * c) * (1 - rust) +
               Vec3d(0.45, 0.24, 0.13) * (0.6 + 0.7 * fine) * rust;
    }
    case Pattern::Galvanised:
        return Vec3d(0.52, 0.56, 0.57) * (0.7 + 0.35 * c + 0.25 * fine);
    case Pattern::Timber: {
        const double grain = std::abs(std::sin(30 * u + 5 * cloud(u, v * 0.25, 4, 3)));
        return Vec3d(0.42, 0.33, 0.24) * (0.65 + 0.35 * grain + 0.25 * fine);
    }
    case Pattern::Concrete:
        return Vec3d(0.56, 0.55, 0.5) * (0.65 + 0.35 * c + 0.3 * fine);
    case Pattern::Willow:
        return Vec3d(0.55, 0.38, 0.2) * (0.55 + 0.4 * c + 0.45 * fine);
    case Pattern::Rope:
        return Vec3d(0.62, 0.55, 0.4) * (0.6 + 0.5 * std::abs(std::sin(25 * (u + v))));
    case Pattern::Feather: {
        const double barb = std::abs(std::sin(34 * v + 6 * std::abs(u - 0.5) + 3 * c));
        return Vec3d(0.52, 0.56, 0.60) * (0.55 + 0.3 * barb + 0.3 * fine);
    }
    case Pattern::Horn:
        return Vec3d(0.62, 0.50, 0.24) * (0.6 + 0.35 * c + 0.2 * fine);
    case Pattern::Mud:
        return Vec3d(0.34, 0.33, 0.26) * (0.7 + 0.5 * c + 0.3 * fine);
    case Pattern::Reed: {
        if (u > 0.5)
            return Vec3d(0.45, 0.33, 0.22) * (0.7 + 0.5 * fine);
        const double up = 1 - v;
        const double stripe = 0.85 + 0.15 * std::abs(std::sin(60 * u));
        return (Vec3d(0.34, 0.33, 0.16) * (1 - up) + Vec3d(0.52, 0.57, 0.26) * up) * stripe * (0.75 + 0.45 * c);
    }
    case Pattern::Water: {
        const double wave = cloud(u, v * 2, 8, 31);
        return Vec3d(0.30, 0.40, 0.45) * (0.85 + 0.3 * wave) + Vec3d(0.16, 0.17, 0.17) * std::pow(fine, 3);
    }
    case Pattern::Patches: {
        const double thick = std::clamp((cloud(u, v, 68, 53) - 0.40) * 5, 0.0, 1.0);
        return Vec3d::Constant(0.12 + 0.88 * thick);
    }
    }
    return {1, 1, 1};
}

} // namespace

Image makeTexture(Pattern pattern, const std::string& name, int side) {
    Pixels pixels{side, side, {}};
    pixels.rgba.reserve(std::size_t{4} * static_cast<std::size_t>(side) * static_cast<std::size_t>(side));
    for (int y = 0; y < side; ++y)
        for (int x = 0; x < side; ++x) {
            const Vec3d color = colorAt(pattern, static_cast<double>(x) / side, static_cast<double>(y) / side);
            for (int c = 0; c < 3; ++c)
                pixels.rgba.push_back(static_cast<std::uint8_t>(std::clamp(color[c], 0.0, 1.0) * 255));
            pixels.rgba.push_back(255);
        }
    return encodePng(pixels, name);
}

} // namespace thicket::demo
