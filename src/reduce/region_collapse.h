#pragma once
// Collapsing one region of a surface by itself: the inner loop of every record.

#include "reduce/surface.h"

namespace thicket::reduce {

/// What a region's collapses did, in their order, with nodes counted from the first one made here. Kept apart from the
/// record until all regions' collapses have been put in one order.
struct RegionLog {
    static constexpr std::uint32_t kMadeHere = 0x80000000U;

    // a collapse each
    std::vector<float> cost;  ///< made never to fall
    std::vector<float> error; ///< working units
    std::vector<std::uint32_t> nodesUpTo;
    std::vector<std::uint32_t> deathsUpTo;

    std::vector<std::uint32_t> deadTriangle; ///< numbers in the record
    // a made node each
    std::vector<Vec3d> place; ///< working units
    std::vector<Vec3f> normal;
    std::vector<Vec2f> uv;
    std::vector<Vec4f> color;
    std::vector<Vec2f> uv2;
    std::vector<std::uint32_t> original; ///< which child's vertex it is, where vertices are reused
    std::vector<std::uint32_t> childrenUpTo;
    /// The nodes each made one replaces: the record's numbers, or kMadeHere with a number counted from the first here.
    std::vector<std::uint32_t> child;

    [[nodiscard]] std::uint32_t collapses() const { return static_cast<std::uint32_t>(cost.size()); }
    [[nodiscard]] std::uint32_t nodes() const { return static_cast<std::uint32_t>(place.size()); }
    void clear();
    /// Room for as many collapses as a region of so many points can have.
    void reserve(std::uint32_t points);
};

class RegionScratch;

/// Collapses edges between points of the region that are not locked, cheapest first, while that costs at most
/// `mostCost`, and at most so many. Changes only what belongs to the region. `scratch` may be used again for the next
/// region.
/// ERRORS     none; ends early when the job is cancelled (looked at every 1,024 collapses).
/// THREADS    regions of one surface may be collapsed at once.
void collapseRegion(Surface& surface, const Region& region, const ReduceOptions& options, float mostCost,
                    std::uint32_t mostCollapses, const JobContext& job, RegionScratch& scratch, RegionLog& log);

} // namespace thicket::reduce
