#pragma once
// Closest points on one mesh, through a bounding volume hierarchy (Embree).

#include "measure/lane_distance.h"
#include "mesh/mesh.h"

#include <memory>
#include <optional>
#include <span>

namespace thicket {

struct ClosestPoint {
    Vec3d point{0, 0, 0};
    double distance = 0;
    std::uint32_t triangle = 0;
};

/// Does not own the mesh, which must stay unchanged while the query lives.
/// ACCURACY  positions are stored as float relative to the mesh's centre: about 1e-7 of its size.
/// THREADS   const functions may run on many threads at once.
class SurfaceQuery {
public:
    explicit SurfaceQuery(const Mesh& mesh);
    ~SurfaceQuery();
    SurfaceQuery(const SurfaceQuery&) = delete;
    SurfaceQuery& operator=(const SurfaceQuery&) = delete;

    [[nodiscard]] ClosestPoint closest(const Vec3d& point) const;
    /// The same, told of a triangle that is likely near: the search starts with its distance and is several times
    /// faster.
    [[nodiscard]] ClosestPoint closest(const Vec3d& point, std::uint32_t hint) const;
    /// Whether some triangle is nearer than that: quicker than to ask for the closest.
    [[nodiscard]] bool isNear(const Vec3d& point, double metres) const;
    /// The closest point among triangles whose group is neither `own` nor marked in `gone`; none within `limit`: none.
    /// groups  one entry a triangle; gone: one entry a group.
    [[nodiscard]] std::optional<ClosestPoint> closestOther(const Vec3d& point, double limit,
                                                           std::span<const std::uint32_t> groups, std::uint32_t own,
                                                           std::span<const std::uint8_t> gone) const;
    /// The closest point among triangles that face about that way (within 72 degrees); none within `limit`: none.
    /// way  of unit length.
    [[nodiscard]] std::optional<ClosestPoint> closestFacing(const Vec3d& point, double limit, const Vec3d& way) const;
    /// Triangles with a point no farther than `radius`, in no order; at most about `most` of them.
    void within(const Vec3d& point, double radius, std::size_t most, std::vector<std::uint32_t>& out) const;
    /// Distance from a point to one triangle of the mesh.
    [[nodiscard]] double distanceToTriangle(const Vec3d& point, std::uint32_t triangle) const;
    /// The same of eight points at once.
    void distancesToTriangle(const PointLanes& points, std::uint32_t triangle, PointLanes::Row& out) const;

private:
    struct Impl;
    struct Search;
    struct Gather;
    std::unique_ptr<Impl> m_impl;
};

/// Closest point of triangle abc to p.
/// SOURCE     Ericson, Real-Time Collision Detection (2005), 5.1.5.
Vec3d closestPointOnTriangle(const Vec3d& p, const Vec3d& a, const Vec3d& b, const Vec3d& c);

} // namespace thicket
