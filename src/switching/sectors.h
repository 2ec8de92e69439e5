#pragma once
// Directions round an eye, along the ground. Internal to the selector.

#include <cmath>
#include <utility>

namespace thicket::detail {

constexpr int kSectors = 256;

/// Angle round the eye as 0..kSectors, from +X to +Z, of the same order as the true one but cheaper.
inline double sectorOf(double x, double z) {
    const double sum = std::abs(x) + std::abs(z);
    if (sum <= 0)
        return 0;
    const double t = x / sum;
    return (z >= 0 ? 1 - t : 3 + t) * (kSectors / 4.0);
}

/// What a box on the map spans as seen from an eye that is not above it. `last` may be beyond a whole turn.
struct SectorSpan {
    double first = 0;
    double last = 0;
};

/// Of a box relative to the eye: by the two corners that are seen at its sides.
inline SectorSpan spanOf(double lowX, double highX, double lowZ, double highZ) {
    // Where the eye is beside the box, both are on its near side; else they are across from each other.
    std::pair<double, double> a;
    std::pair<double, double> b;
    if (lowX <= 0 && highX >= 0) {
        const double z = lowZ > 0 ? lowZ : highZ;
        a = {lowX, z};
        b = {highX, z};
    } else if (lowZ <= 0 && highZ >= 0) {
        const double x = lowX > 0 ? lowX : highX;
        a = {x, lowZ};
        b = {x, highZ};
    } else if ((lowX > 0) == (lowZ > 0)) {
        a = {lowX, highZ};
        b = {highX, lowZ};
    } else {
        a = {lowX, lowZ};
        b = {highX, highZ};
    }
    double first = sectorOf(a.first, a.second);
    double last = sectorOf(b.first, b.second);
    if (first > last)
        std::swap(first, last);
    if (last - first > kSectors / 2.0) { // across where counting begins
        std::swap(first, last);
        last += kSectors;
    }
    return {first, last};
}

} // namespace thicket::detail
