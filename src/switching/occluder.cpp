// An occluder from a mesh.

#include "switching/occlusion.h"

#include <algorithm>
#include <span>
#include <tuple>

namespace thicket {
namespace {

/// Orders triangles along a curve through space (Morton 1966) and closes a cluster after every so many.
void cluster(Occluder& o) {
    constexpr std::uint32_t kEach = 96;
    if (o.indices.empty())
        return;
    Vec3f low = o.places[o.indices[0]];
    Vec3f high = low;
    for (const std::uint32_t v : o.indices) {
        low = low.cwiseMin(o.places[v]);
        high = high.cwiseMax(o.places[v]);
    }
    const float side = std::max((high - low).maxCoeff(), 1e-12F);
    std::vector<std::pair<std::uint64_t, std::uint32_t>> order(o.triangleCount());
    for (std::uint32_t t = 0; t < order.size(); ++t) {
        const Vec3f middle =
            (o.places[o.indices[3 * t]] + o.places[o.indices[3 * t + 1]] + o.places[o.indices[3 * t + 2]]) / 3;
        const Vec3f at = (middle - low) / side * 1023.0F;
        std::uint64_t key = 0;
        for (int bit = 9; bit >= 0; --bit)
            for (int axis = 0; axis < 3; ++axis)
                key = key << 1 | (static_cast<std::uint64_t>(at[axis]) >> bit & 1U);
        order[t] = {key, t};
    }
    std::sort(order.begin(), order.end());
    std::vector<std::uint32_t> indices;
    indices.reserve(o.indices.size());
    for (const auto& [key, t] : order)
        indices.insert(indices.end(), {o.indices[3 * t], o.indices[3 * t + 1], o.indices[3 * t + 2]});
    o.indices = std::move(indices);
    for (std::uint32_t first = 0; first < o.triangleCount(); first += kEach) {
        Occluder::Cluster c{
            {0, 0, 0}, 0, first, std::min(kEach, static_cast<std::uint32_t>(o.triangleCount()) - first)};
        const auto corners = std::span(o.indices).subspan(3 * std::size_t{first}, 3 * std::size_t{c.count});
        Vec3f from = o.places[corners[0]];
        Vec3f to = from;
        for (const std::uint32_t v : corners) {
            from = from.cwiseMin(o.places[v]);
            to = to.cwiseMax(o.places[v]);
        }
        c.centre = (from + to) / 2;
        for (const std::uint32_t v : corners)
            c.radius = std::max(c.radius, (o.places[v] - c.centre).norm());
        c.radius *= 1.0001F;
        o.clusters.push_back(c);
    }
}

} // namespace

Occluder occluderOf(const Mesh& mesh, const std::vector<bool>& solid) {
    Occluder out;
    const Weld weld = weldPositions(mesh);
    out.places.resize(weld.pointCount);
    for (std::size_t v = 0; v < mesh.positions.size(); ++v)
        out.places[weld.pointOf[v]] = mesh.positions[v];
    for (std::size_t p = 0; p < mesh.parts.size(); ++p) {
        if (p >= solid.size() || !solid[p])
            continue;
        const MeshPart& part = mesh.parts[p];
        for (std::size_t i = 3 * std::size_t{part.firstTriangle};
             i < 3 * (std::size_t{part.firstTriangle} + part.triangleCount); i += 3) {
            const std::uint32_t a = weld.pointOf[mesh.indices[i]];
            const std::uint32_t b = weld.pointOf[mesh.indices[i + 1]];
            const std::uint32_t c = weld.pointOf[mesh.indices[i + 2]];
            if (a != b && b != c && c != a)
                out.indices.insert(out.indices.end(), {a, b, c});
        }
    }
    cluster(out);
    struct Side {
        std::uint32_t low, high, triangle;
        bool operator<(const Side& o) const {
            return std::tie(low, high, triangle) < std::tie(o.low, o.high, o.triangle);
        }
    };
    std::vector<Side> sides;
    sides.reserve(out.indices.size());
    for (std::uint32_t i = 0; i < out.indices.size(); ++i) {
        const std::uint32_t a = out.indices[i];
        const std::uint32_t b = out.indices[i % 3 == 2 ? i - 2 : i + 1];
        sides.push_back({std::min(a, b), std::max(a, b), i / 3});
    }
    std::sort(sides.begin(), sides.end());
    for (std::size_t i = 0; i < sides.size();) {
        std::size_t end = i;
        while (end < sides.size() && sides[end].low == sides[i].low && sides[end].high == sides[i].high)
            ++end;
        if (end - i == 2)
            out.edges.push_back({sides[i].low, sides[i].high, sides[i].triangle, sides[i + 1].triangle});
        else // open, or a seam of many: each of its triangles ends there
            for (std::size_t k = i; k < end; ++k)
                out.edges.push_back({sides[k].low, sides[k].high, sides[k].triangle, sides[k].triangle});
        i = end;
    }
    return out;
}

} // namespace thicket
