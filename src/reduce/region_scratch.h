#pragma once
// Memory that collapsing a region needs and the next region uses again.

#include "reduce/cost_queue.h"
#include "reduce/edge_batch.h"
#include "reduce/fan.h"
#include "reduce/ring.h"
#include "reduce/surface.h"

#include <array>

namespace thicket::reduce {

/// Which wedges become one when two points do. Filled anew for each edge; small, so plain arrays searched in order.
struct WedgeGroups {
    std::vector<std::uint32_t> wedge;
    std::vector<std::uint32_t> point;
    std::vector<std::uint32_t> root; ///< the group's first entry

    void clear() {
        wedge.clear();
        point.clear();
        root.clear();
    }
    std::uint32_t indexOf(std::uint32_t w, std::uint32_t p) {
        for (std::uint32_t i = 0; i < wedge.size(); ++i)
            if (wedge[i] == w)
                return i;
        wedge.push_back(w);
        point.push_back(p);
        root.push_back(static_cast<std::uint32_t>(root.size()));
        return static_cast<std::uint32_t>(root.size() - 1);
    }
    /// REQUIRES w is in a group.
    [[nodiscard]] std::uint32_t known(std::uint32_t w) const {
        std::uint32_t i = 0;
        while (wedge[i] != w)
            ++i;
        return i;
    }
    [[nodiscard]] std::uint32_t find(std::uint32_t i) const {
        while (root[i] != i)
            i = root[i];
        return i;
    }
    void join(std::uint32_t i, std::uint32_t j) {
        i = find(i);
        j = find(j);
        root[std::max(i, j)] = std::min(i, j);
    }
};

/// An edge as it was weighed by the end that owns it. That holds until one of its ends moves, and then it has another
/// owner; so what a point once weighed need not be weighed again.
struct OwnEdge {
    float cost;          ///< without crowding, which follows what happens nearby
    std::uint32_t other; ///< its other end
};

class RegionScratch {
public:
    static constexpr std::uint32_t kOwnKept = 8; ///< a cache line; points with more edges are rare
    static constexpr std::uint8_t kDearer = 1;   ///< in `ownLeftOut`: edges dearer than those kept
    static constexpr std::uint8_t kRefused = 2;  ///< edges that were refused before
    static constexpr std::uint32_t kUnseen = kNone - 1;

    void reset(std::uint32_t points, std::uint32_t triangles) {
        state.assign(points, {});
        link.assign(points, {});
        mark.assign(points, 0);
        parked.assign(points, 0);
        own.resize(points);
        queue.reset(points);
        listEnd = 0;
        list.resize(std::size_t{4} * triangles + 4096);
        spare.resize(list.size());
    }

    /// What is asked of a point again and again by its neighbours.
    struct Link {
        std::uint32_t size = 0;  ///< triangles round it; none: it has gone
        std::uint32_t stamp = 0; ///< the collapse that last moved it; the younger end owns an edge
    };
    /// What is asked when its turn comes, in a cache line of its own.
    struct alignas(64) PointState {
        std::uint32_t listStart = 0;         ///< into `list`: its corners
        std::uint32_t soleWedge = kUnseen;   ///< its wedge when it has only one, else kNone
        std::uint32_t target = kNone;        ///< the other end of its cheapest own edge
        std::uint32_t costBits = 0;          ///< of that edge
        std::uint32_t weighedBits = kUnseen; ///< its cost before unevenness was counted; kUnseen: not counted yet
        std::uint32_t placeFor = kNone;      ///< the other end that `bestPlace` was found with
        Vec3d bestPlace{0, 0, 0};
        Vec3f farthest{0, 0, 0}; ///< of what both ends of that edge stand for, once the edge's turn has come
        std::uint8_t ownCount = 0;
        std::uint8_t ownLeftOut = 0; ///< which of its own edges are not in `own`
    };

    // a point each
    std::vector<Link> link;
    std::vector<PointState> state;
    std::vector<std::array<OwnEdge, kOwnKept>> own; ///< in no order
    std::vector<std::uint32_t> mark;
    std::vector<std::uint8_t> parked; ///< not 0: all its own edges were refused; it waits for a change nearby

    std::vector<std::uint32_t> list;
    std::vector<std::uint32_t> spare;
    std::uint32_t listEnd = 0; ///< of what is used of it
    CostQueue queue;

    EdgeBatch batch; ///< some edges of one point
    // an edge at a time
    Ring ring;
    Fan fan;
    WedgeGroups groups;
    std::array<double, AttributeSpan::stride(kMostAttributes)> sum{};
    std::vector<Vec3f> newNormal;
    std::vector<std::uint8_t> made;
    std::vector<std::uint32_t> neighbours;
    std::vector<std::uint32_t> candidates;
    std::vector<std::uint32_t> around;
};

} // namespace thicket::reduce
