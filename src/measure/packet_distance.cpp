#include "measure/packets.h"

#include "base/lanes.h"

#include <cmath>

namespace thicket::measure {
namespace {

constexpr float kTiny = 1e-37F; // of sides and triangles without extent
constexpr float kRounding = 1.2e-7F;

THICKET_LANES std::uint32_t distances(const float* k, float px, float py, float pz, float within,
                                      float* __restrict out) {
    constexpr std::size_t kLanes = TrianglePackets::kLanes;
    for (std::size_t i = 0; i < kLanes; ++i) {
        // The sides, and the point seen from their first ends.
        const float ux = k[3 * kLanes + i] - k[i];
        const float uy = k[4 * kLanes + i] - k[kLanes + i];
        const float uz = k[5 * kLanes + i] - k[2 * kLanes + i];
        const float vx = k[6 * kLanes + i] - k[3 * kLanes + i];
        const float vy = k[7 * kLanes + i] - k[4 * kLanes + i];
        const float vz = k[8 * kLanes + i] - k[5 * kLanes + i];
        const float wx = k[i] - k[6 * kLanes + i];
        const float wy = k[kLanes + i] - k[7 * kLanes + i];
        const float wz = k[2 * kLanes + i] - k[8 * kLanes + i];
        const float ax = px - k[i];
        const float ay = py - k[kLanes + i];
        const float az = pz - k[2 * kLanes + i];
        const float bx = px - k[3 * kLanes + i];
        const float by = py - k[4 * kLanes + i];
        const float bz = pz - k[5 * kLanes + i];
        const float cx = px - k[6 * kLanes + i];
        const float cy = py - k[7 * kLanes + i];
        const float cz = pz - k[8 * kLanes + i];
        const float nx = uz * wy - uy * wz;
        const float ny = ux * wz - uz * wx;
        const float nz = uy * wx - ux * wy;
        const float nn = nx * nx + ny * ny + nz * nz;
        // On which side of each side, seen along the normal.
        const float su = (ny * uz - nz * uy) * ax + (nz * ux - nx * uz) * ay + (nx * uy - ny * ux) * az;
        const float sv = (ny * vz - nz * vy) * bx + (nz * vx - nx * vz) * by + (nx * vy - ny * vx) * bz;
        const float sw = (ny * wz - nz * wy) * cx + (nz * wx - nx * wz) * cy + (nx * wy - ny * wx) * cz;
        const float off = nx * ax + ny * ay + nz * az;
        const float uu = ux * ux + uy * uy + uz * uz;
        const float vv = vx * vx + vy * vy + vz * vz;
        const float ww = wx * wx + wy * wy + wz * wz;
        const float tu = within01((ux * ax + uy * ay + uz * az) / larger(uu, kTiny));
        const float tv = within01((vx * bx + vy * by + vz * bz) / larger(vv, kTiny));
        const float tw = within01((wx * cx + wy * cy + wz * cz) / larger(ww, kTiny));
        const float eu =
            (ax - tu * ux) * (ax - tu * ux) + (ay - tu * uy) * (ay - tu * uy) + (az - tu * uz) * (az - tu * uz);
        const float ev =
            (bx - tv * vx) * (bx - tv * vx) + (by - tv * vy) * (by - tv * vy) + (bz - tv * vz) * (bz - tv * vz);
        const float ew =
            (cx - tw * wx) * (cx - tw * wx) + (cy - tw * wy) * (cy - tw * wy) + (cz - tw * wz) * (cz - tw * wz);
        const float sides = smaller(eu, smaller(ev, ew));
        const float onPlane = off / larger(nn, kTiny) * off;
        const float plane = nn > kTiny ? onPlane : sides;
        const float squared = smaller(su, smaller(sv, sw)) >= 0 ? smaller(plane, sides) : sides;
        // The narrower a triangle, the less its plane is known; but then its sides are as near as its width.
        const float aa = ax * ax + ay * ay + az * az;
        const float unsure = 9 * kRounding * kRounding * aa * (uu / larger(nn, kTiny) * ww);
        const float width = nn / larger(larger(uu, vv), larger(ww, kTiny));
        const float least = std::sqrt(squared) - std::sqrt(smaller(unsure, width));
        out[i] = larger(least, 0);
    }
    std::uint32_t near = 0;
    for (std::size_t i = 0; i < kLanes; ++i)
        near |= std::uint32_t{out[i] <= within} << i;
    return near;
}

} // namespace

std::uint32_t leastDistances(const TrianglePackets::Packet& packet, const Vec3f& point, double within,
                             TrianglePackets::Row& out) {
    constexpr double kUp = 1 + 1.2e-7; // no less as a float
    return distances(packet.corners.data(), point.x(), point.y(), point.z(), static_cast<float>(within * kUp),
                     out.data());
}

} // namespace thicket::measure
