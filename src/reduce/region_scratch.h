#pragma once
// Memory that collapsing a region needs and the next region uses again.

#include "reduce/surface.h"

#include <array>
#include <queue>

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

class RegionScratch {
public:
    static constexpr std::uint32_t kUnseen = kNone - 1;
    /// (cost bits, point): positive floats order as their bits, and equal costs by point, so the order is fixed.
    using Queue = std::priority_queue<std::uint64_t, std::vector<std::uint64_t>, std::greater<>>;

    void reset(std::uint32_t points, std::uint32_t triangles) {
        listStart.assign(points, 0);
        listSize.assign(points, 0);
        soleWedge.assign(points, kUnseen);
        target.assign(points, kNone);
        costBits.assign(points, 0);
        weighedBits.assign(points, kUnseen);
        stamp.assign(points, 0);
        mark.assign(points, 0);
        parked.assign(points, 0);
        bestPlace.resize(points);
        keys.clear();
        list.clear();
        listLimit = std::size_t{6} * triangles + 4096;
        list.reserve(listLimit);
        spare.reserve(listLimit);
    }

    // a point each
    std::vector<std::uint32_t> listStart; ///< into `list`: the triangles round it
    std::vector<std::uint32_t> listSize;
    std::vector<std::uint32_t> soleWedge; ///< its wedge when it has only one, else kNone
    std::vector<std::uint32_t> target;    ///< the other end of its cheapest own edge
    std::vector<std::uint32_t> costBits;
    std::vector<std::uint32_t> weighedBits; ///< its cost before unevenness was counted; kUnseen: not counted yet
    std::vector<Vec3d> bestPlace;
    std::vector<std::uint32_t> stamp; ///< the collapse that last moved it; the younger end owns an edge
    std::vector<std::uint32_t> mark;
    std::vector<std::uint8_t> parked; ///< all its own edges were refused; waits for a change nearby

    std::vector<std::uint32_t> list;
    std::vector<std::uint32_t> spare;
    std::size_t listLimit = 0;
    std::vector<std::uint64_t> keys;
    Queue queue;

    // an edge at a time
    WedgeGroups groups;
    std::array<double, AttributeSpan::stride(kMostAttributes)> sum{};
    std::vector<Vec3f> newNormal;
    std::vector<std::uint8_t> made;
    std::vector<std::uint32_t> neighbours;
    std::vector<std::uint32_t> around;
};

} // namespace thicket::reduce
