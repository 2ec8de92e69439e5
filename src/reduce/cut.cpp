#include "reduce/pieces.h"

#include <algorithm>

namespace thicket {

std::size_t Record::bytes() const {
    return positions.capacity() * sizeof(Vec3f) + normals.capacity() * sizeof(Vec3f) + uvs.capacity() * sizeof(Vec2f) +
           colors.capacity() * sizeof(Vec4f) +
           (parent.capacity() + birth.capacity() + indices.capacity() + death.capacity() + alive.capacity() +
            error.capacity()) *
               sizeof(std::uint32_t);
}

std::uint32_t collapsesForTriangles(const Record& record, std::uint32_t triangles) {
    const auto found = std::partition_point(record.alive.begin(), record.alive.end(),
                                            [triangles](std::uint32_t alive) { return alive > triangles; });
    if (found == record.alive.end())
        return record.collapses();
    return static_cast<std::uint32_t>(found - record.alive.begin());
}

Mesh cutRecord(const Record& record, std::uint32_t triangles) {
    const std::uint32_t time = collapsesForTriangles(record, triangles);
    const auto born = static_cast<std::uint32_t>(std::upper_bound(record.birth.begin(), record.birth.end(), time) -
                                                 record.birth.begin());
    // First the node that stands for each at this time, then, in the same array, the level's vertex number.
    std::vector<std::uint32_t> standsFor(born);
    for (std::uint32_t i = born; i-- > 0;)
        standsFor[i] = record.parent[i] < born ? standsFor[record.parent[i]] : i;

    Mesh level;
    level.indices.reserve(3 * static_cast<std::size_t>(record.alive[time]));
    std::vector<std::uint32_t> number(born, kNone);
    std::vector<std::uint32_t> nodes;
    nodes.reserve(record.alive[time]);
    for (const MeshPart& part : record.parts) {
        MeshPart out{level.triangleCount(), 0, part.material};
        for (std::uint32_t t = part.firstTriangle; t < part.firstTriangle + part.triangleCount; ++t) {
            if (record.death[t] <= time)
                continue;
            for (std::size_t k = 0; k < 3; ++k) {
                const std::uint32_t node = standsFor[record.indices[3 * std::size_t{t} + k]];
                if (number[node] == kNone) {
                    number[node] = static_cast<std::uint32_t>(nodes.size());
                    nodes.push_back(node);
                }
                level.indices.push_back(number[node]);
            }
        }
        out.triangleCount = level.triangleCount() - out.firstTriangle;
        if (out.triangleCount > 0)
            level.parts.push_back(out);
    }
    const auto gather = [&nodes](const auto& from, auto& to) {
        if (from.empty())
            return;
        to.reserve(nodes.size());
        for (const std::uint32_t node : nodes)
            to.push_back(from[node]);
    };
    gather(record.positions, level.positions);
    gather(record.normals, level.normals);
    gather(record.uvs, level.uvs);
    gather(record.colors, level.colors);
    if (record.aggregate && !record.drops.empty() && record.drops.front().time <= time) {
        std::vector<std::uint32_t> pieceOf;
        pieceOf.reserve(level.triangleCount());
        for (std::size_t t = 0; t < record.death.size(); ++t)
            if (record.death[t] > time)
                pieceOf.push_back(record.pieceOf[t]);
        const auto next = std::upper_bound(record.drops.begin(), record.drops.end(), time,
                                           [](std::uint32_t at, const Record::PieceDrop& d) { return at < d.time; });
        growPieces(level, pieceOf, static_cast<double>((next - 1)->keptShare),
                   static_cast<double>(record.error[(next - 1)->time]));
    }
    return level;
}

} // namespace thicket
