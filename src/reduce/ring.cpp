#include "reduce/ring.h"

#include "base/lanes.h"

#include <algorithm>

namespace thicket::reduce {
namespace {

constexpr double kLeastFlipCosine = 0.2; // a triangle may turn by 78 degrees in one collapse, no more
constexpr double kLeastShape = 1e-3;     // twice the area over the longest side squared; below is a sliver

THICKET_LANES void crossRows(const Ring::Places& o, const Ring::Places& x, const Ring::Places& y, Ring::Places& out,
                             std::size_t count) {
    for (std::size_t i = 0; i < count; ++i) {
        const double ax = x[0][i] - o[0][i];
        const double ay = x[1][i] - o[1][i];
        const double az = x[2][i] - o[2][i];
        const double bx = y[0][i] - o[0][i];
        const double by = y[1][i] - o[1][i];
        const double bz = y[2][i] - o[2][i];
        out[0][i] = ay * bz - az * by;
        out[1][i] = az * bx - ax * bz;
        out[2][i] = ax * by - ay * bx;
    }
}

THICKET_LANES void squaresFrom(const Ring::Places& places, const Vec3d& place, std::size_t count,
                               Ring::Row<double>& out) {
    const double px = place.x();
    const double py = place.y();
    const double pz = place.z();
    for (std::size_t i = 0; i < count; ++i) {
        const double dx = places[0][i] - px;
        const double dy = places[1][i] - py;
        const double dz = places[2][i] - pz;
        out[i] = dx * dx + dy * dy + dz * dz;
    }
}

THICKET_LANES std::int64_t countBad(Ring& r, const Vec3d& place) {
    const double px = place.x();
    const double py = place.y();
    const double pz = place.z();
    std::int64_t bad = 0;
    for (std::size_t i = 0; i < r.count; ++i) {
        const double sx = r.y[0][i] - r.x[0][i];
        const double sy = r.y[1][i] - r.x[1][i];
        const double sz = r.y[2][i] - r.x[2][i];
        const double fx = r.from[0][i] - r.x[0][i];
        const double fy = r.from[1][i] - r.x[1][i];
        const double fz = r.from[2][i] - r.x[2][i];
        const double gx = r.from[0][i] - r.y[0][i];
        const double gy = r.from[1][i] - r.y[1][i];
        const double gz = r.from[2][i] - r.y[2][i];
        const double nx = px - r.x[0][i];
        const double ny = py - r.x[1][i];
        const double nz = pz - r.x[2][i];
        const double mx = px - r.y[0][i];
        const double my = py - r.y[1][i];
        const double mz = pz - r.y[2][i];
        const double ax = sy * nz - sz * ny;
        const double ay = sz * nx - sx * nz;
        const double az = sx * ny - sy * nx;
        r.after[0][i] = ax;
        r.after[1][i] = ay;
        r.after[2][i] = az;
        const double bx = r.cross[0][i];
        const double by = r.cross[1][i];
        const double bz = r.cross[2][i];
        // Twice the area over the longest side squared is a triangle's shape; compared by squares, to save the roots.
        const double sizeBefore = bx * bx + by * by + bz * bz;
        const double sizeAfter = ax * ax + ay * ay + az * az;
        const double side = sx * sx + sy * sy + sz * sz;
        const double longest = larger(side, larger(nx * nx + ny * ny + nz * nz, mx * mx + my * my + mz * mz));
        const double longestBefore = larger(side, larger(fx * fx + fy * fy + fz * fz, gx * gx + gy * gy + gz * gz));
        const double squared = longest * longest;
        const double squaredBefore = longestBefore * longestBefore;
        const double least = smaller(kLeastShape * kLeastShape, sizeBefore / squaredBefore);
        const double turn = ax * bx + ay * by + az * bz;
        const std::int64_t sliver = (sizeAfter < squared * least) | !(sizeAfter > 1e-18 * squared);
        const std::int64_t turned =
            (turn <= 0) | (turn * turn < kLeastFlipCosine * kLeastFlipCosine * sizeBefore * sizeAfter);
        const std::int64_t hadShape = sizeBefore > 1e-18 * squaredBefore;
        bad |= sliver | (hadShape & turned);
    }
    return bad;
}

} // namespace

void findCrosses(Ring& ring) {
    crossRows(ring.from, ring.x, ring.y, ring.cross, ring.count + ring.going);
}

double volumeUnder(const Ring& ring, const Vec3d& place, Vec3d& crosses) {
    double volume = 0;
    crosses = Vec3d::Zero();
    for (std::size_t i = 0; i < ring.count + ring.going; ++i) {
        const Vec3d cross = Ring::placeIn(ring.cross, i);
        crosses += cross;
        volume += (place - Ring::placeIn(ring.x, i)).dot(cross);
    }
    return volume;
}

double longestOverMean(Ring& ring, const Vec3d& place) {
    Ring::Row<double> toX;
    Ring::Row<double> toY;
    squaresFrom(ring.x, place, ring.count, toX);
    squaresFrom(ring.y, place, ring.count, toY);
    double sum = 0;
    double longest = 0;
    for (std::size_t i = 0; i < ring.count; ++i) {
        sum += toX[i] + toY[i];
        longest = std::max(longest, std::max(toX[i], toY[i]));
    }
    return sum > 0 ? longest * static_cast<double>(2 * ring.count) / sum : 0;
}

bool facesHold(Ring& ring, const Vec3d& place) {
    return countBad(ring, place) == 0;
}

} // namespace thicket::reduce
