#include "reduce/ring.h"

#include "base/lanes.h"

namespace thicket::reduce {
namespace {

constexpr double kTiny = 1e-300; // of sides and triangles without extent

// Plain comparisons instead of std::max, whose references keep the loop below from becoming vector code.
double larger(double a, double b) {
    return a < b ? b : a;
}
double smaller(double a, double b) {
    return b < a ? b : a;
}
double within01(double t) {
    return smaller(larger(t, 0), 1);
}

/// Squared distances from a point to the triangles that the ring's staying ones become with `p` for their ends.
THICKET_LANES void squares(const Ring& r, const Vec3d& place, const Vec3d& point, double* __restrict out) {
    const double px = place.x();
    const double py = place.y();
    const double pz = place.z();
    const double ax = point.x() - px;
    const double ay = point.y() - py;
    const double az = point.z() - pz;
    const double* x0 = r.x[0].data();
    const double* x1 = r.x[1].data();
    const double* x2 = r.x[2].data();
    const double* y0 = r.y[0].data();
    const double* y1 = r.y[1].data();
    const double* y2 = r.y[2].data();
    for (std::size_t i = 0; i < r.count; ++i) {
        // Sides from the place to both others and between these, and the point seen from the first of them.
        const double ux = x0[i] - px;
        const double uy = x1[i] - py;
        const double uz = x2[i] - pz;
        const double wx = y0[i] - px;
        const double wy = y1[i] - py;
        const double wz = y2[i] - pz;
        const double vx = wx - ux;
        const double vy = wy - uy;
        const double vz = wz - uz;
        const double bx = ax - ux;
        const double by = ay - uy;
        const double bz = az - uz;
        const double nx = uy * wz - uz * wy;
        const double ny = uz * wx - ux * wz;
        const double nz = ux * wy - uy * wx;
        const double nn = nx * nx + ny * ny + nz * nz;
        const double su = (ny * uz - nz * uy) * ax + (nz * ux - nx * uz) * ay + (nx * uy - ny * ux) * az;
        const double sv = (ny * vz - nz * vy) * bx + (nz * vx - nx * vz) * by + (nx * vy - ny * vx) * bz;
        const double sw = (nz * wy - ny * wz) * ax + (nx * wz - nz * wx) * ay + (ny * wx - nx * wy) * az;
        const double off = nx * ax + ny * ay + nz * az;
        const double uu = ux * ux + uy * uy + uz * uz;
        const double vv = vx * vx + vy * vy + vz * vz;
        const double ww = wx * wx + wy * wy + wz * wz;
        const double tu = within01((ux * ax + uy * ay + uz * az) / larger(uu, kTiny));
        const double tv = within01((vx * bx + vy * by + vz * bz) / larger(vv, kTiny));
        const double tw = within01((wx * ax + wy * ay + wz * az) / larger(ww, kTiny));
        const double eux = ax - tu * ux;
        const double euy = ay - tu * uy;
        const double euz = az - tu * uz;
        const double evx = bx - tv * vx;
        const double evy = by - tv * vy;
        const double evz = bz - tv * vz;
        const double ewx = ax - tw * wx;
        const double ewy = ay - tw * wy;
        const double ewz = az - tw * wz;
        const double sides = smaller(eux * eux + euy * euy + euz * euz,
                                     smaller(evx * evx + evy * evy + evz * evz, ewx * ewx + ewy * ewy + ewz * ewz));
        const double onPlane = off / larger(nn, kTiny) * off;
        const double plane = nn > kTiny ? onPlane : sides;
        out[i] = smaller(su, smaller(sv, sw)) >= 0 ? smaller(plane, sides) : sides;
    }
}

} // namespace

double squaredDistance(const Ring& ring, const Vec3d& place, const Vec3d& point) {
    Ring::Row<double> each;
    squares(ring, place, point, each.data());
    double least = (point - place).squaredNorm();
    for (std::size_t i = 0; i < ring.count; ++i)
        least = smaller(least, each[i]);
    return least;
}

} // namespace thicket::reduce
