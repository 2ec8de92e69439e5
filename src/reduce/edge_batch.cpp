#include "reduce/edge_batch.h"

#include "base/lanes.h"

#include <algorithm>

namespace thicket::reduce {

Quadric EdgeBatch::quadricOf(std::size_t lane) const {
    Quadric q;
    for (std::size_t k = 0; k < 6; ++k)
        q.a[k] = a[k][lane];
    q.b = Vec3d(b[0][lane], b[1][lane], b[2][lane]);
    q.c = c[lane];
    q.weight = weight[lane];
    q.add(own);
    return q;
}

double EdgeBatch::costOf(std::size_t lane, double value) const {
    const double whole = std::max(weight[lane] + own.weight, 1e-30);
    const double squaredLength = (Vec3d(to[0][lane], to[1][lane], to[2][lane]) - from).squaredNorm();
    return (std::max(value, 0.0) + 1e-11 * squaredLength * whole) / std::sqrt(whole);
}

namespace {

/// The least a value may be, in a division or as a square.
double atLeast(double value, double least) {
    return value < least ? least : value;
}

/// `lanes` is a multiple of four.
THICKET_LANES void solve(EdgeBatch& e, std::size_t lanes) {
    const double nearX = e.from.x();
    const double nearY = e.from.y();
    const double nearZ = e.from.z();
    const Quadric& o = e.own;
    for (std::size_t i = 0; i < lanes; ++i) {
        const double a0 = e.a[0][i] + o.a[0];
        const double a1 = e.a[1][i] + o.a[1];
        const double a2 = e.a[2][i] + o.a[2];
        const double a3 = e.a[3][i] + o.a[3];
        const double a4 = e.a[4][i] + o.a[4];
        const double a5 = e.a[5][i] + o.a[5];
        const double b0 = e.b[0][i] + o.b.x();
        const double b1 = e.b[1][i] + o.b.y();
        const double b2 = e.b[2][i] + o.b.z();
        const double c = e.c[i] + o.c;
        const double weight = atLeast(e.weight[i] + o.weight, 1e-30);
        const double middleX = (nearX + e.to[0][i]) / 2;
        const double middleY = (nearY + e.to[1][i]) / 2;
        const double middleZ = (nearZ + e.to[2][i]) / 2;
        const double alongX = e.to[0][i] - nearX;
        const double alongY = e.to[1][i] - nearY;
        const double alongZ = e.to[2][i] - nearZ;
        const double squaredLength = alongX * alongX + alongY * alongY + alongZ * alongZ;
        // A pull of a millionth towards the middle decides the directions that the surface leaves free and hides
        // nothing steeper than a milliradian. L D L' of the 3 x 3, positive definite because of the pull; solving again
        // from the first answer takes back what the pull moved it in the directions that are not free.
        const double pull = 1e-6 * (a0 + a3 + a5) + 1e-300;
        const double i0 = 1 / (a0 + pull);
        const double l10 = a1 * i0;
        const double l20 = a2 * i0;
        const double i1 = 1 / atLeast(a3 + pull - l10 * a1, pull);
        const double m21 = a4 - l20 * a1;
        const double l21 = m21 * i1;
        const double i2 = 1 / atLeast(a5 + pull - l20 * a2 - l21 * m21, pull);
        double x = middleX;
        double y = middleY;
        double z = middleZ;
        for (int turn = 0; turn < 2; ++turn) {
            const double rx = pull * x - b0;
            const double ry = pull * y - b1;
            const double rz = pull * z - b2;
            const double y1 = ry - l10 * rx;
            z = (rz - l20 * rx - l21 * y1) * i2;
            y = y1 * i1 - l21 * z;
            x = rx * i0 - l10 * y - l20 * z;
        }
        const double value =
            x * (a0 * x + 2 * (a1 * y + a2 * z + b0)) + y * (a3 * y + 2 * (a4 * z + b1)) + z * (a5 * z + 2 * b2) + c;
        const double offX = x - middleX;
        const double offY = y - middleY;
        const double offZ = z - middleZ;
        e.far[i] = offX * offX + offY * offY + offZ * offZ <= 4 * squaredLength ? 0 : 1;
        e.place[0][i] = x;
        e.place[1][i] = y;
        e.place[2][i] = z;
        e.cost[i] = (atLeast(value, 0) + 1e-11 * squaredLength * weight) / std::sqrt(weight);
    }
}

/// Where the best place is far off: the middle or an end.
void bringBack(EdgeBatch& e, std::size_t lane) {
    const Quadric q = e.quadricOf(lane);
    const Vec3d end(e.to[0][lane], e.to[1][lane], e.to[2][lane]);
    Vec3d place = (e.from + end) / 2;
    double value = q.at(place);
    for (const Vec3d& other : {e.from, end})
        if (const double v = q.at(other); v < value) {
            value = v;
            place = other;
        }
    for (std::size_t k = 0; k < 3; ++k)
        e.place[k][lane] = place[static_cast<int>(k)];
    e.cost[lane] = e.costOf(lane, value);
}

} // namespace

void weighBatch(EdgeBatch& batch) {
    const std::size_t lanes = (batch.count + 3) / 4 * 4;
    for (std::size_t i = batch.count; i < lanes; ++i) { // numbers that no lane stumbles over
        for (std::size_t k = 0; k < 6; ++k)
            batch.a[k][i] = batch.a[k][0];
        for (std::size_t k = 0; k < 3; ++k) {
            batch.b[k][i] = batch.b[k][0];
            batch.to[k][i] = batch.to[k][0];
        }
        batch.c[i] = batch.c[0];
        batch.weight[i] = batch.weight[0];
    }
    solve(batch, lanes);
    for (std::size_t i = 0; i < batch.count; ++i)
        if (batch.far[i] != 0)
            bringBack(batch, i);
}

} // namespace thicket::reduce
