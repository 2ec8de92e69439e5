#include "measure/surface_query.h"

#include "measure/embree_scene.h"
#include "measure/packets.h"

#include <algorithm>
#include <bit>
#include <cmath>
#include <limits>

namespace thicket {
namespace {
constexpr double kFaces = 0.3; // cosine between what is looked for and what counts as facing that way
}

Vec3d closestPointOnTriangle(const Vec3d& p, const Vec3d& a, const Vec3d& b, const Vec3d& c) {
    const Vec3d ab = b - a;
    const Vec3d ac = c - a;
    const Vec3d ap = p - a;
    const double d1 = ab.dot(ap);
    const double d2 = ac.dot(ap);
    if (d1 <= 0 && d2 <= 0)
        return a;
    const Vec3d bp = p - b;
    const double d3 = ab.dot(bp);
    const double d4 = ac.dot(bp);
    if (d3 >= 0 && d4 <= d3)
        return b;
    const double vc = d1 * d4 - d3 * d2;
    if (vc <= 0 && d1 >= 0 && d3 <= 0)
        return d1 > d3 ? Vec3d(a + ab * (d1 / (d1 - d3))) : a;
    const Vec3d cp = p - c;
    const double d5 = ab.dot(cp);
    const double d6 = ac.dot(cp);
    if (d6 >= 0 && d5 <= d6)
        return c;
    const double vb = d5 * d2 - d1 * d6;
    if (vb <= 0 && d2 >= 0 && d6 <= 0)
        return d2 > d6 ? Vec3d(a + ac * (d2 / (d2 - d6))) : a;
    const double va = d3 * d6 - d5 * d4;
    if (va <= 0 && d4 - d3 >= 0 && d5 - d6 >= 0) {
        const double sum = (d4 - d3) + (d5 - d6);
        return sum > 0 ? Vec3d(b + (c - b) * ((d4 - d3) / sum)) : b;
    }
    const double sum = va + vb + vc;
    if (!(sum > 0))
        return a;
    return a + ab * (vb / sum) + ac * (vc / sum);
}

namespace {

void boundsOfPacket(const RTCBoundsFunctionArguments* args) {
    const auto& all = *static_cast<const measure::TrianglePackets*>(args->geometryUserPtr);
    const measure::TrianglePackets::Packet& packet = all.packets[args->primID];
    constexpr std::ptrdiff_t kLanes = measure::TrianglePackets::kLanes;
    std::array<float, 3> low{HUGE_VALF, HUGE_VALF, HUGE_VALF};
    std::array<float, 3> high{-HUGE_VALF, -HUGE_VALF, -HUGE_VALF};
    for (std::size_t k = 0; k < 9; ++k) {
        const auto row = packet.corners.begin() + static_cast<std::ptrdiff_t>(k) * kLanes;
        const auto [least, most] = std::minmax_element(row, row + kLanes);
        low[k % 3] = std::min(low[k % 3], *least);
        high[k % 3] = std::max(high[k % 3], *most);
    }
    *args->bounds_o = {low[0], low[1], low[2], 0, high[0], high[1], high[2], 0};
}

} // namespace

struct SurfaceQuery::Impl {
    const Mesh* mesh = nullptr;
    Vec3d origin{0, 0, 0};
    double scale = 1; ///< the mesh's size; packets are in units of it
    std::vector<Vec3f> local;
    measure::TrianglePackets packets;
    measure::EmbreeScene near; ///< of packets

    [[nodiscard]] Vec3d corner(std::uint32_t triangle, std::uint32_t k) const {
        return local[mesh->indices[3 * std::size_t{triangle} + k]].cast<double>();
    }
    [[nodiscard]] Vec3d closestOn(std::uint32_t triangle, const Vec3d& p) const {
        return closestPointOnTriangle(p, corner(triangle, 0), corner(triangle, 1), corner(triangle, 2));
    }
};

SurfaceQuery::SurfaceQuery(const Mesh& mesh) : m_impl(std::make_unique<Impl>()) {
    Impl& own = *m_impl;
    own.mesh = &mesh;
    const Bounds bounds = boundsOf(mesh);
    own.origin = bounds.centre();
    own.scale = bounds.diagonal() > 0 ? bounds.diagonal() : 1;
    own.local.resize(mesh.positions.size());
    for (std::size_t i = 0; i < mesh.positions.size(); ++i)
        own.local[i] = (mesh.positions[i].cast<double>() - own.origin).cast<float>();
    std::vector<Vec3f> units(own.local.size());
    for (std::size_t i = 0; i < units.size(); ++i)
        units[i] = (own.local[i].cast<double>() / own.scale).cast<float>();
    own.packets = measure::packTriangles(mesh, units);
    RTCGeometry geometry = own.near.make(RTC_GEOMETRY_TYPE_USER);
    rtcSetGeometryUserPrimitiveCount(geometry, static_cast<unsigned>(own.packets.packets.size()));
    rtcSetGeometryUserData(geometry, &own.packets);
    rtcSetGeometryBoundsFunction(geometry, boundsOfPacket, nullptr);
    own.near.finish(geometry);
}

SurfaceQuery::~SurfaceQuery() = default;

namespace measure {
/// A point in the packets' units.
struct UnitPoint {
    Vec3f place;
    double scale;
    double slack; ///< of a distance, from the rounding of coordinates

    UnitPoint(const Vec3d& local, double size) : place((local / size).cast<float>()), scale(size) {
        slack = 2e-7 * (1 + static_cast<double>(place.norm()));
    }
    /// What is farther in units of the packets is farther than `distance`.
    [[nodiscard]] double reach(double distance) const { return distance / scale * (1 + 1e-6) + slack; }
    /// Calls `visit` for packets within reach.
    void ask(RTCScene scene, double reach, RTCPointQueryFunction visit, void* user) const {
        RTCPointQuery query{};
        query.x = place.x();
        query.y = place.y();
        query.z = place.z();
        query.radius = static_cast<float>(reach);
        RTCPointQueryContext context;
        rtcInitPointQueryContext(&context);
        rtcPointQuery(scene, &query, &context, visit, user);
    }
};
} // namespace measure

struct SurfaceQuery::Search {
    const Impl& surface;
    Vec3d point;
    measure::UnitPoint unit;
    double best;      ///< the squared distance that is to be beaten
    double reach = 0; ///< in the packets' units: what is farther does not beat it
    Vec3d at;
    std::uint32_t triangle = 0;
    bool found = false;
    std::span<const std::uint32_t> groups{}; ///< empty: every triangle counts
    std::uint32_t own = 0;
    std::span<const std::uint8_t> gone{};
    const Vec3d* facing = nullptr; ///< null: whichever way they face
    bool any = false;              ///< the first one that beats it ends the search

    Search(const Impl& of, const Vec3d& from, double squared)
        : surface(of), point(from - of.origin), unit(point, of.scale), best(squared),
          reach(unit.reach(std::sqrt(best))), at(point) {}
    [[nodiscard]] bool counts(std::uint32_t t) const {
        if (!groups.empty() && (groups[t] == own || gone[groups[t]] != 0))
            return false;
        if (facing == nullptr)
            return true;
        const Vec3d a = surface.corner(t, 0);
        const Vec3d cross = (surface.corner(t, 1) - a).cross(surface.corner(t, 2) - a);
        return cross.dot(*facing) > kFaces * cross.norm();
    }
    /// True when it is nearer than what was found before.
    bool offer(std::uint32_t t) {
        if ((found && t == triangle) || !counts(t))
            return false;
        const Vec3d on = surface.closestOn(t, point);
        const double squared = (on - point).squaredNorm();
        if (squared >= best)
            return false;
        best = squared;
        at = on;
        triangle = t;
        found = true;
        reach = unit.reach(std::sqrt(best));
        return true;
    }
    static bool visit(RTCPointQueryFunctionArguments* args) {
        auto& search = *static_cast<Search*>(args->userPtr);
        const measure::TrianglePackets& all = search.surface.packets;
        const measure::TrianglePackets::Packet& packet = all.packets[args->primID];
        measure::TrianglePackets::Row least;
        std::uint32_t near =
            measure::leastDistances(packet, search.unit.place, search.reach, least) & all.lanesOf(args->primID);
        if (near == 0)
            return false;
        // What seems the nearest first: then most of the others are seen to be farther.
        auto first = static_cast<unsigned>(std::countr_zero(near));
        for (std::uint32_t rest = near & (near - 1); rest != 0; rest &= rest - 1)
            if (const auto i = static_cast<unsigned>(std::countr_zero(rest)); least[i] < least[first])
                first = i;
        bool nearer = search.offer(packet.triangle[first]);
        if (nearer && search.any) {
            args->query->radius = 0;
            return true;
        }
        for (near &= ~(1U << first); near != 0; near &= near - 1)
            if (const auto i = static_cast<unsigned>(std::countr_zero(near));
                static_cast<double>(least[i]) <= search.reach)
                nearer |= search.offer(packet.triangle[i]);
        if (nearer)
            args->query->radius = static_cast<float>(search.reach);
        return nearer;
    }
    ClosestPoint run() {
        unit.ask(surface.near.scene(), reach, visit, this);
        return {at + surface.origin, std::sqrt(best), triangle};
    }
};

ClosestPoint SurfaceQuery::closest(const Vec3d& point) const {
    return Search(*m_impl, point, std::numeric_limits<double>::infinity()).run();
}

ClosestPoint SurfaceQuery::closest(const Vec3d& point, std::uint32_t hint) const {
    Search search(*m_impl, point, std::numeric_limits<double>::infinity());
    search.offer(hint);
    return search.run();
}

bool SurfaceQuery::isNear(const Vec3d& point, double metres) const {
    Search search(*m_impl, point, metres * metres);
    search.any = true;
    (void)search.run();
    return search.found;
}

std::optional<ClosestPoint> SurfaceQuery::closestOther(const Vec3d& point, double limit,
                                                       std::span<const std::uint32_t> groups, std::uint32_t own,
                                                       std::span<const std::uint8_t> gone) const {
    Search search(*m_impl, point, limit * limit);
    search.groups = groups;
    search.own = own;
    search.gone = gone;
    const ClosestPoint found = search.run();
    return search.found ? std::optional(found) : std::nullopt;
}

std::optional<ClosestPoint> SurfaceQuery::closestFacing(const Vec3d& point, double limit, const Vec3d& way) const {
    Search search(*m_impl, point, limit * limit);
    search.facing = &way;
    const ClosestPoint found = search.run();
    return search.found ? std::optional(found) : std::nullopt;
}

struct SurfaceQuery::Gather {
    const Impl& surface;
    Vec3d point;
    measure::UnitPoint unit;
    double radius;
    std::size_t most;
    std::vector<std::uint32_t>& out;
    double reach = unit.reach(radius); ///< the same in the packets' units

    static bool visit(RTCPointQueryFunctionArguments* args) {
        auto& gather = *static_cast<Gather*>(args->userPtr);
        if (gather.out.size() >= gather.most) {
            args->query->radius = 0;
            return true;
        }
        const measure::TrianglePackets& all = gather.surface.packets;
        const measure::TrianglePackets::Packet& packet = all.packets[args->primID];
        measure::TrianglePackets::Row least;
        std::uint32_t near = measure::leastDistances(packet, gather.unit.place, gather.reach, least);
        for (near &= all.lanesOf(args->primID); near != 0; near &= near - 1)
            if (const auto i = static_cast<unsigned>(std::countr_zero(near));
                (gather.surface.closestOn(packet.triangle[i], gather.point) - gather.point).squaredNorm() <=
                gather.radius * gather.radius)
                gather.out.push_back(packet.triangle[i]);
        return false;
    }
};

void SurfaceQuery::within(const Vec3d& point, double radius, std::size_t most, std::vector<std::uint32_t>& out) const {
    out.clear();
    const Vec3d local = point - m_impl->origin;
    Gather gather{*m_impl, local, measure::UnitPoint(local, m_impl->scale), radius, most, out};
    gather.unit.ask(m_impl->near.scene(), gather.reach, Gather::visit, &gather);
}

double SurfaceQuery::distanceToTriangle(const Vec3d& point, std::uint32_t triangle) const {
    const Vec3d p = point - m_impl->origin;
    return (m_impl->closestOn(triangle, p) - p).norm();
}

void SurfaceQuery::distancesToTriangle(const PointLanes& points, std::uint32_t triangle, PointLanes::Row& out) const {
    const Vec3d& origin = m_impl->origin;
    measure::distancesToTriangle(points,
                                 {m_impl->corner(triangle, 0) + origin, m_impl->corner(triangle, 1) + origin,
                                  m_impl->corner(triangle, 2) + origin},
                                 out);
}

} // namespace thicket
