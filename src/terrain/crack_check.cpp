#include "terrain/crack_check.h"

#include <algorithm>
#include <array>
#include <fmt/format.h>
#include <map>

namespace thicket {
namespace {

/// An outline edge on a line of constant X or Z.
struct Edge {
    bool alongX = false;
    float line = 0;
    float from = 0; ///< lower end
    float to = 0;
    float fromHeight = 0;
    float toHeight = 0;
    bool forward = false; ///< runs from the lower to the higher end
    std::uint32_t mesh = 0;
};

void outlineOf(const Mesh& mesh, std::uint32_t number, std::vector<Edge>& out) {
    // By place, not by number: a mesh may have points twice.
    const Weld weld = weldPositions(mesh);
    std::vector<std::array<std::uint32_t, 3>> all;
    std::vector<std::uint32_t> vertexOf(weld.pointCount);
    for (std::uint32_t v = 0; v < mesh.vertexCount(); ++v)
        vertexOf[weld.pointOf[v]] = v;
    for (std::size_t t = 0; t < mesh.indices.size(); t += 3)
        for (std::size_t k = 0; k < 3; ++k) {
            const std::uint32_t a = weld.pointOf[mesh.indices[t + k]];
            const std::uint32_t b = weld.pointOf[mesh.indices[t + (k + 1) % 3]];
            all.push_back({std::min(a, b), std::max(a, b), a < b ? 1U : 0U});
        }
    std::sort(all.begin(), all.end());
    for (std::size_t i = 0; i < all.size();) {
        std::size_t end = i;
        while (end < all.size() && all[end][0] == all[i][0] && all[end][1] == all[i][1])
            ++end;
        if (end - i == 1) {
            Vec3f a = mesh.positions[vertexOf[all[i][0]]];
            Vec3f b = mesh.positions[vertexOf[all[i][1]]];
            bool forward = all[i][2] != 0;
            if (a.x() == b.x() || a.z() == b.z()) {
                const bool alongX = a.z() == b.z();
                const Eigen::Index axis = alongX ? 0 : 2;
                if (a[axis] > b[axis]) {
                    std::swap(a, b);
                    forward = !forward;
                }
                out.push_back({alongX, a[2 - axis], a[axis], b[axis], a.y(), b.y(), forward, number});
            }
        }
        i = end;
    }
}

} // namespace

CrackReport findCracks(std::span<const Mesh> tiles) {
    std::vector<Edge> edges;
    for (std::uint32_t i = 0; i < tiles.size(); ++i)
        outlineOf(tiles[i], i, edges);
    std::sort(edges.begin(), edges.end(), [](const Edge& a, const Edge& b) {
        return std::tie(a.alongX, a.line, a.from, a.to, a.forward, a.mesh) <
               std::tie(b.alongX, b.line, b.from, b.to, b.forward, b.mesh);
    });
    CrackReport report;
    const auto crack = [&](const Edge& e, const char* what) {
        if (report.cracks++ == 0)
            report.first = fmt::format("along {} at {} = {:g}, from {:g} to {:g} m, {}", e.alongX ? "X" : "Z",
                                       e.alongX ? "Z" : "X", e.line, e.from, e.to, what);
    };
    for (std::size_t i = 0; i < edges.size(); ++i)
        for (std::size_t k = i + 1; k < edges.size(); ++k) {
            const Edge& a = edges[i];
            const Edge& b = edges[k];
            if (a.alongX != b.alongX || a.line != b.line || b.from >= a.to)
                break;
            if (a.forward == b.forward || a.mesh == b.mesh)
                continue;
            ++report.edges;
            if (a.from != b.from || a.to != b.to)
                crack(a, "two tiles have unlike points");
            else if (a.fromHeight != b.fromHeight || a.toHeight != b.toHeight)
                crack(a, "two tiles have unlike heights");
        }
    return report;
}

} // namespace thicket
