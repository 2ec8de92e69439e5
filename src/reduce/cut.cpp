#include "reduce/pieces.h"

#include <algorithm>
#include <numeric>

namespace thicket {
namespace {

/// What a cut begins with: the nodes and triangles that were there at some earlier time.
struct Start {
    std::uint32_t born = 0; ///< nodes from here on were made later
    std::uint32_t nodeCount = 0;
    const std::uint32_t* nodes = nullptr; ///< null: node i is number i
    std::uint32_t triangleCount = 0;
    const std::uint32_t* triangles = nullptr; ///< numbers in the record, rising; null: triangle i is number i
    const std::uint32_t* corners = nullptr;   ///< three a triangle, counted in `nodes`

    [[nodiscard]] std::uint32_t node(std::uint32_t i) const { return nodes != nullptr ? nodes[i] : i; }
    [[nodiscard]] std::uint32_t triangle(std::uint32_t i) const { return triangles != nullptr ? triangles[i] : i; }
};

Start startFor(const Record& record, std::uint32_t time) {
    const auto later = std::upper_bound(record.checkpoints.begin(), record.checkpoints.end(), time,
                                        [](std::uint32_t t, const Record::Checkpoint& c) { return t < c.time; });
    if (later == record.checkpoints.begin()) {
        const auto inputs = static_cast<std::uint32_t>(std::upper_bound(record.birth.begin(), record.birth.end(), 0U) -
                                                       record.birth.begin());
        return {inputs, inputs, nullptr, record.alive.front(), nullptr, record.indices.data()};
    }
    const Record::Checkpoint& c = *(later - 1);
    return {c.born,
            static_cast<std::uint32_t>(c.nodes.size()),
            c.nodes.data(),
            static_cast<std::uint32_t>(c.triangles.size()),
            c.triangles.data(),
            c.corners.data()};
}

/// Nodes, triangles and corners as they are at a time, in the record's order of triangles; nodes by first use.
Record::Checkpoint stateAt(const Record& record, std::uint32_t time) {
    const Start start = startFor(record, time);
    Record::Checkpoint out;
    out.time = time;
    out.born = static_cast<std::uint32_t>(std::upper_bound(record.birth.begin(), record.birth.end(), time) -
                                          record.birth.begin());
    // Slots: the start's nodes, then those made since. Which slot stands for each at this time, from the youngest down:
    // a parent is always younger.
    const std::uint32_t fresh = out.born - start.born;
    std::vector<std::uint32_t> standsFor(std::size_t{start.nodeCount} + fresh);
    const auto slotOf = [&](std::uint32_t slot, std::uint32_t node) {
        const std::uint32_t parent = record.parent[node];
        return parent < out.born ? standsFor[start.nodeCount + (parent - start.born)] : slot;
    };
    for (std::uint32_t i = fresh; i-- > 0;)
        standsFor[start.nodeCount + i] = slotOf(start.nodeCount + i, start.born + i);
    for (std::uint32_t i = 0; i < start.nodeCount; ++i)
        standsFor[i] = slotOf(i, start.node(i));

    const std::uint32_t alive = record.alive[time];
    out.triangles.reserve(alive);
    out.corners.reserve(std::size_t{3} * alive);
    std::vector<std::uint32_t> number(standsFor.size(), kNone);
    for (std::uint32_t i = 0; i < start.triangleCount; ++i) {
        const std::uint32_t t = start.triangle(i);
        if (record.death[t] <= time)
            continue;
        out.triangles.push_back(t);
        for (std::size_t k = 0; k < 3; ++k) {
            const std::uint32_t slot = standsFor[start.corners[3 * std::size_t{i} + k]];
            if (number[slot] == kNone) {
                number[slot] = static_cast<std::uint32_t>(out.nodes.size());
                out.nodes.push_back(slot < start.nodeCount ? start.node(slot) : start.born + (slot - start.nodeCount));
            }
            out.corners.push_back(number[slot]);
        }
    }
    return out;
}

} // namespace

std::size_t Record::bytes() const {
    std::size_t total = positions.capacity() * sizeof(Vec3f) + normals.capacity() * sizeof(Vec3f) +
                        uvs.capacity() * sizeof(Vec2f) + colors.capacity() * sizeof(Vec4f) +
                        (parent.capacity() + birth.capacity() + standsFor.capacity() + indices.capacity() +
                         death.capacity() + alive.capacity() + error.capacity() + pieceOf.capacity()) *
                            sizeof(std::uint32_t) +
                        pieceKinds.capacity() * sizeof(Piece);
    extras.each([&total](const auto& values) {
        total += values.capacity() * sizeof(typename std::decay_t<decltype(values)>::value_type);
    });
    for (const Checkpoint& c : checkpoints)
        total += (c.nodes.capacity() + c.triangles.capacity() + c.corners.capacity()) * sizeof(std::uint32_t);
    return total;
}

std::uint32_t collapsesForTriangles(const Record& record, std::uint32_t triangles) {
    const auto found = std::partition_point(record.alive.begin(), record.alive.end(),
                                            [triangles](std::uint32_t alive) { return alive > triangles; });
    if (found == record.alive.end())
        return record.collapses();
    return static_cast<std::uint32_t>(found - record.alive.begin());
}

std::uint32_t piecesLeft(const Record& record, std::uint32_t triangles) {
    const std::uint32_t time = collapsesForTriangles(record, triangles);
    const auto later = std::upper_bound(record.drops.begin(), record.drops.end(), time,
                                        [](std::uint32_t at, const Record::PieceDrop& d) { return at < d.time; });
    return record.pieces - static_cast<std::uint32_t>(later - record.drops.begin());
}

void addCheckpoints(Record& record) {
    constexpr std::uint32_t kSmallest = 2000; // below, a cut takes no time worth saving
    record.checkpoints.clear();
    std::uint32_t triangles = record.alive.front();
    while (triangles > kSmallest) {
        Record::Checkpoint next = stateAt(record, collapsesForTriangles(record, triangles * 3 / 5));
        if (next.triangles.size() > triangles * 4 / 5)
            break;
        triangles = static_cast<std::uint32_t>(next.triangles.size());
        record.checkpoints.push_back(std::move(next));
    }
}

Mesh cutRecord(const Record& record, std::uint32_t triangles) {
    const std::uint32_t time = collapsesForTriangles(record, triangles);
    Record::Checkpoint state = stateAt(record, time);
    Mesh level;
    auto next = state.triangles.begin();
    for (const MeshPart& part : record.parts) {
        const auto end = std::lower_bound(next, state.triangles.end(), part.firstTriangle + part.triangleCount);
        if (end != next)
            level.parts.push_back({static_cast<std::uint32_t>(next - state.triangles.begin()),
                                   static_cast<std::uint32_t>(end - next), part.material});
        next = end;
    }
    if (!record.standsFor.empty())
        for (std::uint32_t& node : state.nodes)
            node = record.standsFor[node];
    const auto gather = [&state](const auto& from, auto& to) {
        if (from.empty())
            return;
        to.reserve(state.nodes.size());
        for (const std::uint32_t node : state.nodes)
            to.push_back(from[node]);
    };
    gather(record.positions, level.positions);
    gather(record.normals, level.normals);
    gather(record.uvs, level.uvs);
    gather(record.colors, level.colors);
    level.extras.eachWith(record.extras, [&gather](auto& to, const auto& from) { gather(from, to); });
    level.indices = std::move(state.corners);
    if (record.aggregate && !record.drops.empty() && record.drops.front().time <= time) {
        std::vector<std::uint32_t> pieceOf;
        pieceOf.reserve(state.triangles.size());
        for (const std::uint32_t t : state.triangles)
            pieceOf.push_back(record.pieceOf[t]);
        const auto later = std::upper_bound(record.drops.begin(), record.drops.end(), time,
                                            [](std::uint32_t at, const Record::PieceDrop& d) { return at < d.time; });
        // What is left of the surface counts, not only of the pieces: a strand of three sides is thinner than a round
        // one.
        const double share = record.area > 0 ? areaThatGrows(level, pieceOf, record.pieceKinds) / record.area : 1.0;
        growPieces(level, pieceOf, record.pieceKinds, std::min(share, static_cast<double>((later - 1)->keptShare)),
                   static_cast<double>(record.error[(later - 1)->time]));
    }
    return level;
}

} // namespace thicket
