#pragma once
// One region's collapses in the making: what the three files of it share. Not for anyone else.

#include "reduce/region_collapse.h"
#include "reduce/region_scratch.h"

#include <algorithm>

namespace thicket::reduce {

/// Weighs edges (weigh_edges.cpp), refuses those whose collapse would break something (guard_collapse.cpp), and carries
/// the rest out in the order of their cost (region_collapse.cpp).
class Collapser {
public:
    Collapser(Surface& surface, const Region& region, const ReduceOptions& options, RegionScratch& scratch,
              RegionLog& log)
        : m_s(surface), m_x(scratch), m_log(log), m_options(options),
          m_places(surface.places.data() + region.firstPoint), m_quadrics(surface.quadrics.data() + region.firstPoint),
          m_flags(surface.flags.data() + region.firstPoint), m_farthest(surface.farthest.data() + region.firstPoint),
          m_corner(surface.corners.data() + 4 * std::size_t{region.firstTriangle}),
          m_cornerWedge(surface.cornerWedge.data() + 3 * std::size_t{region.firstTriangle}),
          m_firstPoint(region.firstPoint), m_firstWedge(region.firstWedge),
          m_bound(options.reuseVertices || surface.mirrorAxis >= 0), m_count(region.points),
          m_triangles(region.triangles), m_stride(static_cast<std::size_t>(AttributeSpan::stride(surface.attributes))),
          m_node(surface.wedgeNode.data() + region.firstWedge) {
        for (std::size_t triangles = 0; triangles < m_crowding.size(); ++triangles) {
            const double beyond = std::max(0.0, static_cast<double>(triangles) - 10);
            m_crowding[triangles] = 1 + options.valenceWeight * beyond * beyond;
        }
        if (surface.attributes > 0)
            m_attributes = surface.attributeQuadric.data() + std::size_t{region.firstWedge} * m_stride;
        if (!surface.wedgeNormal.empty())
            m_normal = surface.wedgeNormal.data() + region.firstWedge;
        if (!surface.wedgeUv.empty())
            m_uv = surface.wedgeUv.data() + region.firstWedge;
        if (!surface.wedgeUv2.empty())
            m_uv2 = surface.wedgeUv2.data() + region.firstWedge;
        if (!surface.wedgeColor.empty())
            m_color = surface.wedgeColor.data() + region.firstWedge;
    }

    void run(float mostCost, std::uint32_t mostCollapses, const JobContext& job);

private:
    [[nodiscard]] bool living(std::uint32_t p) const { return m_x.link[p].size > 0; }
    [[nodiscard]] bool free(std::uint32_t p) const { return (m_flags[p] & Surface::kLocked) == 0; }
    /// The younger end owns an edge.
    [[nodiscard]] static bool owns(const RegionScratch::Link& own, std::uint32_t p, const RegionScratch::Link& other,
                                   std::uint32_t q) {
        return (std::uint64_t{own.stamp} << 32 | p) > (std::uint64_t{other.stamp} << 32 | q);
    }
    [[nodiscard]] bool onMirror(std::uint32_t p) const { return (m_flags[p] & Surface::kOnMirror) != 0; }
    /// What stands on the mirror's plane stays there, and what joins it comes there too.
    void holdToMirror(std::uint32_t a, std::uint32_t b, Vec3d& place) const {
        if (m_s.mirrorAxis >= 0 && (onMirror(a) || onMirror(b)))
            place[m_s.mirrorAxis] = m_s.mirrorAt;
    }
    /// The corners at a point.
    [[nodiscard]] std::span<const std::uint32_t> cornersAt(std::uint32_t p) const {
        return {m_x.list.data() + m_x.state[p].listStart, m_x.link[p].size};
    }
    [[nodiscard]] std::uint32_t pointAfter(std::uint32_t corner) const { return m_corner[cornerAfter(corner)]; }
    [[nodiscard]] std::uint32_t pointBefore(std::uint32_t corner) const { return m_corner[cornerBefore(corner)]; }
    [[nodiscard]] std::uint32_t& wedgeOf(std::uint32_t corner) const { return m_cornerWedge[wedgeAt(corner)]; }
    /// Whether the triangle has this point at one of its two other corners.
    [[nodiscard]] bool reaches(std::uint32_t corner, std::uint32_t p) const {
        return (pointAfter(corner) == p) | (pointBefore(corner) == p);
    }
    [[nodiscard]] double* attributesOf(std::uint32_t wedge) const { return m_attributes + wedge * m_stride; }

    void fillLists();
    void groupWedges(std::uint32_t a, std::uint32_t b);
    void sumAttributes(std::uint32_t group);
    void addAttributes(std::uint32_t a, std::uint32_t b, Quadric& q);
    /// Into the batch.
    /// REQUIRES   at most EdgeBatch::kLanes others.
    void weighEdges(std::uint32_t a, std::span<const std::uint32_t> others);
    /// Where p's edge to q puts its point.
    [[nodiscard]] Vec3d bestPlace(std::uint32_t p, std::uint32_t q);
    void fetchAhead(std::uint32_t p) const;
    void gatherRing(std::uint32_t a, std::uint32_t b);
    // These and `allowed` look at the ring that was gathered last.
    [[nodiscard]] double unevenness(const Vec3d& place);
    /// What a collapse costs by the place that is farthest off, of those that both ends stand for.
    [[nodiscard]] double costOfFarthest(std::uint32_t a, std::uint32_t b, const Vec3d& place, Vec3f& farthest);
    void bindPlace(std::uint32_t a, std::uint32_t b, EdgeBatch& batch, std::size_t lane) const;
    void neighboursOf(std::uint32_t p);
    [[nodiscard]] bool halvesCard(std::uint32_t a, std::uint32_t b, const Vec3d& place) const;
    [[nodiscard]] std::uint64_t keyOf(std::uint32_t triangles, std::uint32_t q, float cost) const;
    void keepEdge(std::uint32_t p, std::uint32_t q, float cost);
    /// Weighs all edges that p owns.
    void weighOwn(std::uint32_t p, std::uint64_t from);
    /// Sets p's target to the cheapest of its own edges whose key is not below `from`.
    void choose(std::uint32_t p, std::uint64_t from);
    void setTarget(std::uint32_t p, std::uint64_t best);
    void queueUp(std::uint32_t p);
    [[nodiscard]] bool allowed(std::uint32_t a, std::uint32_t b, const Vec3d& place);
    [[nodiscard]] bool normalsHold() const;
    [[nodiscard]] Vec3d keepVolume(std::uint32_t a, std::uint32_t b, const Vec3d& place) const;
    [[nodiscard]] bool wedgesMayJoin() const;
    [[nodiscard]] Vec3f normalAt(std::uint32_t group, const Vec3d& place) const;
    void prepareNormals(const Vec3d& place);
    void collapse(std::uint32_t a, std::uint32_t b, const Vec3d& place);
    void joinWedges(std::uint32_t a, std::span<const std::uint32_t> ring, std::uint32_t fromA, const Vec3d& place);
    /// Of a group: the first wedge that stands at the end which stays, or kNone. Where vertices are reused.
    [[nodiscard]] std::uint32_t keptWedge(std::uint32_t group) const;
    void makeNode(std::uint32_t group, std::uint32_t point, const Vec3d& place);
    /// What was solved for a group, or the nearest to it in the triangles of the group as they lay in the texture.
    [[nodiscard]] Vec2f insideFan(const Vec2f* uvs, std::uint32_t group, const Vec2f& solved) const;
    /// The same of colours: between the least and the largest there.
    [[nodiscard]] Vec4f insideColors(std::uint32_t group, const Vec4f& solved) const;
    void compactLists();

    Surface& m_s;
    RegionScratch& m_x;
    RegionLog& m_log;
    const ReduceOptions& m_options;
    Vec3d* m_places;
    Quadric* m_quadrics;
    std::uint8_t* m_flags;
    Vec3f* m_farthest;
    std::uint32_t* m_corner;
    std::uint32_t* m_cornerWedge;
    std::uint32_t m_firstPoint;
    std::uint32_t m_firstWedge;
    bool m_bound; ///< points may not go everywhere
    std::uint32_t m_count;
    std::uint32_t m_triangles;
    std::size_t m_stride;
    std::uint32_t* m_node; ///< a wedge each
    double* m_attributes = nullptr;
    Vec3f* m_normal = nullptr;
    Vec2f* m_uv = nullptr;
    Vec2f* m_uv2 = nullptr;
    Vec4f* m_color = nullptr;
    /// How much dearer a collapse is that leaves more than six edges at a point, by the triangles round both ends: such
    /// points come with long triangles.
    std::array<double, Ring::kMost + 1> m_crowding;
    std::vector<std::uint32_t> m_fan; ///< corners at the ends of the edge at hand: one a triangle
    std::uint32_t m_markNow = 0;
    std::uint32_t m_stays = kNone; ///< the end of the edge at hand whose vertices stay, where vertices are reused
};

} // namespace thicket::reduce
