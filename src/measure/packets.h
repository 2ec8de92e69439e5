#pragma once
// The triangles of a mesh in packets of eight that lie close together, so that a point is tried against eight at once.

#include "mesh/mesh.h"

#include <array>
#include <vector>

namespace thicket::measure {

struct TrianglePackets {
    static constexpr std::size_t kLanes = 8;
    using Row = std::array<float, kLanes>;
    struct alignas(32) Packet {
        /// x of the eight first corners side by side, then y, then z, then the same of the second and third corners.
        std::array<float, 9 * kLanes> corners;
        std::array<std::uint32_t, kLanes> triangle;
    };
    std::vector<Packet> packets; ///< of the last one only the first `inLast` lanes count
    std::size_t inLast = kLanes;

    /// The lanes of a packet that count, a bit each.
    [[nodiscard]] std::uint32_t lanesOf(std::size_t packet) const {
        return packet + 1 < packets.size() ? (1U << kLanes) - 1 : (1U << inLast) - 1;
    }
};

/// Cuts the triangles again and again across the longest side of the box of their middles, into halves that fill packets.
/// places  one a vertex of the mesh, in units of about the size of the whole, so that no product leaves what floats hold.
/// COST    O(T log T), on all cores; 320 bytes a packet.
/// THREADS the result does not depend on how many run.
TrianglePackets packTriangles(const Mesh& mesh, const std::vector<Vec3f>& places);

/// What the distances from a point to the eight triangles of a packet are at least: less than them by a few roundings of
/// the coordinates, and by a few more where a triangle is narrow. Returns those that are not farther than `within`, a bit
/// each; of the last packet, those beyond `inLast` are one of them again.
std::uint32_t leastDistances(const TrianglePackets::Packet& packet, const Vec3f& point, double within,
                             TrianglePackets::Row& out);

} // namespace thicket::measure
