#include "reduce/fan.h"

#include "base/lanes.h"

namespace thicket::reduce {
namespace {

constexpr double kTiny = 1e-300; // of sides and triangles without extent

THICKET_LANES void prepare(const Ring& r, double px, double py, double pz, Fan& f) {
    for (std::size_t i = 0; i < r.count; ++i) {
        const double ux = r.x[0][i] - px;
        const double uy = r.x[1][i] - py;
        const double uz = r.x[2][i] - pz;
        const double wx = r.y[0][i] - px;
        const double wy = r.y[1][i] - py;
        const double wz = r.y[2][i] - pz;
        const double vx = wx - ux;
        const double vy = wy - uy;
        const double vz = wz - uz;
        const double nx = uy * wz - uz * wy;
        const double ny = uz * wx - ux * wz;
        const double nz = ux * wy - uy * wx;
        const double uu = ux * ux + uy * uy + uz * uz;
        const double vv = vx * vx + vy * vy + vz * vz;
        const double ww = wx * wx + wy * wy + wz * wz;
        f.u[0][i] = ux;
        f.u[1][i] = uy;
        f.u[2][i] = uz;
        f.w[0][i] = wx;
        f.w[1][i] = wy;
        f.w[2][i] = wz;
        f.n[0][i] = nx;
        f.n[1][i] = ny;
        f.n[2][i] = nz;
        f.perUu[i] = 1 / larger(uu, kTiny);
        f.perVv[i] = 1 / larger(vv, kTiny);
        f.perWw[i] = 1 / larger(ww, kTiny);
        f.perNn[i] = 1 / larger(nx * nx + ny * ny + nz * nz, kTiny);
        f.longest[i] = larger(uu, larger(vv, ww));
    }
}

/// Squared distances from the place + a to each.
THICKET_LANES void squares(const Fan& f, double ax, double ay, double az, double* __restrict out) {
    for (std::size_t i = 0; i < f.count; ++i) {
        const double ux = f.u[0][i];
        const double uy = f.u[1][i];
        const double uz = f.u[2][i];
        const double wx = f.w[0][i];
        const double wy = f.w[1][i];
        const double wz = f.w[2][i];
        const double nx = f.n[0][i];
        const double ny = f.n[1][i];
        const double nz = f.n[2][i];
        const double vx = wx - ux;
        const double vy = wy - uy;
        const double vz = wz - uz;
        const double bx = ax - ux;
        const double by = ay - uy;
        const double bz = az - uz;
        // On which side of each side, seen along the normal.
        const double su = (ny * uz - nz * uy) * ax + (nz * ux - nx * uz) * ay + (nx * uy - ny * ux) * az;
        const double sv = (ny * vz - nz * vy) * bx + (nz * vx - nx * vz) * by + (nx * vy - ny * vx) * bz;
        const double sw = (nz * wy - ny * wz) * ax + (nx * wz - nz * wx) * ay + (ny * wx - nx * wy) * az;
        const double off = nx * ax + ny * ay + nz * az;
        const double tu = within01((ux * ax + uy * ay + uz * az) * f.perUu[i]);
        const double tv = within01((vx * bx + vy * by + vz * bz) * f.perVv[i]);
        const double tw = within01((wx * ax + wy * ay + wz * az) * f.perWw[i]);
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
        const double onPlane = off * off * f.perNn[i];
        const double plane = f.perNn[i] < 1 / kTiny ? onPlane : sides;
        out[i] = smaller(su, smaller(sv, sw)) >= 0 ? smaller(plane, sides) : sides;
    }
}

} // namespace

void makeFan(const Ring& ring, const Vec3d& place, Fan& fan) {
    fan.place = place;
    fan.count = ring.count;
    prepare(ring, place.x(), place.y(), place.z(), fan);
}

double squaredDistance(const Fan& fan, const Vec3d& point) {
    const Vec3d from = point - fan.place;
    Ring::Row<double> each;
    squares(fan, from.x(), from.y(), from.z(), each.data());
    double least = from.squaredNorm();
    for (std::size_t i = 0; i < fan.count; ++i)
        least = smaller(least, each[i]);
    return least;
}

} // namespace thicket::reduce
