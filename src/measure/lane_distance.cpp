#include "measure/lane_distance.h"

#include "base/lanes.h"

#include <cmath>

namespace thicket::measure {
namespace {

constexpr double kTiny = 1e-290; // of sides and triangles without extent

/// The nearest of the points on the three sides and, where it is below the inside, of that in the plane: each is a point
/// of the triangle, so none is nearer than what is looked for.
THICKET_LANES void distances(const double* c, const double* px, const double* py, const double* pz,
                             double* __restrict out) {
    const double ux = c[3] - c[0];
    const double uy = c[4] - c[1];
    const double uz = c[5] - c[2];
    const double vx = c[6] - c[0];
    const double vy = c[7] - c[1];
    const double vz = c[8] - c[2];
    const double wx = c[6] - c[3];
    const double wy = c[7] - c[4];
    const double wz = c[8] - c[5];
    const double uu = ux * ux + uy * uy + uz * uz;
    const double vv = vx * vx + vy * vy + vz * vz;
    const double ww = wx * wx + wy * wy + wz * wz;
    const double uv = ux * vx + uy * vy + uz * vz;
    const double overU = 1 / larger(uu, kTiny);
    const double overV = 1 / larger(vv, kTiny);
    const double overW = 1 / larger(ww, kTiny);
    const double size = uu * vv - uv * uv;
    const double overSize = 1 / larger(size, kTiny);
    for (std::size_t i = 0; i < PointLanes::kLanes; ++i) {
        const double ax = px[i] - c[0];
        const double ay = py[i] - c[1];
        const double az = pz[i] - c[2];
        const double bx = px[i] - c[3];
        const double by = py[i] - c[4];
        const double bz = pz[i] - c[5];
        const double du = ux * ax + uy * ay + uz * az;
        const double dv = vx * ax + vy * ay + vz * az;
        const double dw = wx * bx + wy * by + wz * bz;
        const double tu = within01(du * overU);
        const double tv = within01(dv * overV);
        const double tw = within01(dw * overW);
        const double eu =
            (ax - tu * ux) * (ax - tu * ux) + (ay - tu * uy) * (ay - tu * uy) + (az - tu * uz) * (az - tu * uz);
        const double ev =
            (ax - tv * vx) * (ax - tv * vx) + (ay - tv * vy) * (ay - tv * vy) + (az - tv * vz) * (az - tv * vz);
        const double ew =
            (bx - tw * wx) * (bx - tw * wx) + (by - tw * wy) * (by - tw * wy) + (bz - tw * wz) * (bz - tw * wz);
        // Shares of the two sides from the first corner, held within the triangle for what rounding may do.
        const double s = within01((vv * du - uv * dv) * overSize);
        const double t = smaller(larger((uu * dv - uv * du) * overSize, 0), 1 - s);
        const double qx = ax - s * ux - t * vx;
        const double qy = ay - s * uy - t * vy;
        const double qz = az - s * uz - t * vz;
        const double inside = qx * qx + qy * qy + qz * qz;
        out[i] = std::sqrt(smaller(smaller(eu, ev), smaller(ew, inside)));
    }
}

} // namespace

void distancesToTriangle(const PointLanes& points, const std::array<Vec3d, 3>& corner, PointLanes::Row& out) {
    const std::array<double, 9> c{corner[0].x(), corner[0].y(), corner[0].z(), corner[1].x(), corner[1].y(),
                                  corner[1].z(), corner[2].x(), corner[2].y(), corner[2].z()};
    distances(c.data(), points.x.data(), points.y.data(), points.z.data(), out.data());
}

} // namespace thicket::measure
