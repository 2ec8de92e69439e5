#include "measure/surface_query.h"

#include <cmath>
#include <embree3/rtcore.h>
#include <limits>

namespace thicket {

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

struct SurfaceQuery::Impl {
    RTCDevice device = nullptr;
    RTCScene scene = nullptr;
    const Mesh* mesh = nullptr;
    Vec3d origin{0, 0, 0};
    std::vector<Vec3f> local;

    [[nodiscard]] Vec3d corner(std::uint32_t triangle, std::uint32_t k) const {
        return local[mesh->indices[3 * triangle + k]].cast<double>();
    }
};

SurfaceQuery::SurfaceQuery(const Mesh& mesh) : m_impl(std::make_unique<Impl>()) {
    m_impl->mesh = &mesh;
    m_impl->origin = boundsOf(mesh).centre();
    m_impl->local.resize(mesh.positions.size() + 1); // Embree reads 16 bytes at the last vertex
    for (std::size_t i = 0; i < mesh.positions.size(); ++i)
        m_impl->local[i] = (mesh.positions[i].cast<double>() - m_impl->origin).cast<float>();
    m_impl->device = rtcNewDevice(nullptr);
    m_impl->scene = rtcNewScene(m_impl->device);
    rtcSetSceneFlags(m_impl->scene, RTC_SCENE_FLAG_ROBUST);
    RTCGeometry geometry = rtcNewGeometry(m_impl->device, RTC_GEOMETRY_TYPE_TRIANGLE);
    rtcSetSharedGeometryBuffer(geometry, RTC_BUFFER_TYPE_VERTEX, 0, RTC_FORMAT_FLOAT3, m_impl->local.data(), 0,
                               sizeof(Vec3f), mesh.positions.size());
    rtcSetSharedGeometryBuffer(geometry, RTC_BUFFER_TYPE_INDEX, 0, RTC_FORMAT_UINT3, mesh.indices.data(), 0,
                               3 * sizeof(std::uint32_t), mesh.triangleCount());
    rtcCommitGeometry(geometry);
    rtcAttachGeometry(m_impl->scene, geometry);
    rtcReleaseGeometry(geometry);
    rtcCommitScene(m_impl->scene);
}

SurfaceQuery::~SurfaceQuery() {
    rtcReleaseScene(m_impl->scene);
    rtcReleaseDevice(m_impl->device);
}

namespace {
struct QueryState {
    const Mesh* mesh;
    const Vec3f* local;
    Vec3d point;
    double best;
    Vec3d at;
    std::uint32_t triangle;
    std::span<const std::uint32_t> groups{}; ///< empty: every triangle counts
    std::uint32_t own = 0;
    std::span<const std::uint8_t> gone{};
    bool found = false;
};

bool visitTriangle(RTCPointQueryFunctionArguments* args) {
    auto* state = static_cast<QueryState*>(args->userPtr);
    if (!state->groups.empty()) {
        const std::uint32_t group = state->groups[args->primID];
        if (group == state->own || state->gone[group] != 0)
            return false;
    }
    const std::uint32_t* index = &state->mesh->indices[3 * static_cast<std::size_t>(args->primID)];
    const Vec3d at =
        closestPointOnTriangle(state->point, state->local[index[0]].cast<double>(),
                               state->local[index[1]].cast<double>(), state->local[index[2]].cast<double>());
    const double squared = (at - state->point).squaredNorm();
    if (squared >= state->best)
        return false;
    state->best = squared;
    state->at = at;
    state->triangle = args->primID;
    state->found = true;
    // A hair more than the distance, so that float rounding of the radius cannot drop the true closest triangle.
    args->query->radius = static_cast<float>(std::sqrt(squared) * (1 + 1e-6));
    return true;
}
} // namespace

namespace {
ClosestPoint search(RTCScene scene, QueryState& state, const Vec3d& origin) {
    RTCPointQuery query{};
    query.x = static_cast<float>(state.point.x());
    query.y = static_cast<float>(state.point.y());
    query.z = static_cast<float>(state.point.z());
    query.radius = static_cast<float>(std::sqrt(state.best) * (1 + 1e-6));
    RTCPointQueryContext context;
    rtcInitPointQueryContext(&context);
    rtcPointQuery(scene, &query, &context, visitTriangle, &state);
    return {state.at + origin, std::sqrt(state.best), state.triangle};
}
} // namespace

ClosestPoint SurfaceQuery::closest(const Vec3d& point) const {
    const Vec3d p = point - m_impl->origin;
    QueryState state{m_impl->mesh, m_impl->local.data(), p, std::numeric_limits<double>::infinity(), p, 0};
    return search(m_impl->scene, state, m_impl->origin);
}

ClosestPoint SurfaceQuery::closest(const Vec3d& point, std::uint32_t hint) const {
    const Vec3d p = point - m_impl->origin;
    const Vec3d at =
        closestPointOnTriangle(p, m_impl->corner(hint, 0), m_impl->corner(hint, 1), m_impl->corner(hint, 2));
    QueryState state{m_impl->mesh, m_impl->local.data(), p, (at - p).squaredNorm(), at, hint};
    return search(m_impl->scene, state, m_impl->origin);
}

std::optional<ClosestPoint> SurfaceQuery::closestOther(const Vec3d& point, double limit,
                                                       std::span<const std::uint32_t> groups, std::uint32_t own,
                                                       std::span<const std::uint8_t> gone) const {
    const Vec3d p = point - m_impl->origin;
    QueryState state{m_impl->mesh, m_impl->local.data(), p, limit * limit, p, 0, groups, own, gone};
    const ClosestPoint found = search(m_impl->scene, state, m_impl->origin);
    if (!state.found)
        return std::nullopt;
    return found;
}

namespace {
struct GatherState {
    const Mesh* mesh;
    const Vec3f* local;
    Vec3d point;
    double squared;
    std::size_t most;
    std::vector<std::uint32_t>* out;
};

bool gatherTriangle(RTCPointQueryFunctionArguments* args) {
    auto* state = static_cast<GatherState*>(args->userPtr);
    if (state->out->size() >= state->most) {
        args->query->radius = 0;
        return true;
    }
    const std::uint32_t* index = &state->mesh->indices[3 * static_cast<std::size_t>(args->primID)];
    const Vec3d at =
        closestPointOnTriangle(state->point, state->local[index[0]].cast<double>(),
                               state->local[index[1]].cast<double>(), state->local[index[2]].cast<double>());
    if ((at - state->point).squaredNorm() <= state->squared)
        state->out->push_back(args->primID);
    return false;
}
} // namespace

void SurfaceQuery::within(const Vec3d& point, double radius, std::size_t most, std::vector<std::uint32_t>& out) const {
    out.clear();
    GatherState state{m_impl->mesh, m_impl->local.data(), point - m_impl->origin, radius * radius, most, &out};
    RTCPointQuery query{};
    query.x = static_cast<float>(state.point.x());
    query.y = static_cast<float>(state.point.y());
    query.z = static_cast<float>(state.point.z());
    query.radius = static_cast<float>(radius * (1 + 1e-6));
    RTCPointQueryContext context;
    rtcInitPointQueryContext(&context);
    rtcPointQuery(m_impl->scene, &query, &context, gatherTriangle, &state);
}

std::optional<RayHit> SurfaceQuery::cast(const Vec3d& origin, const Vec3d& direction) const {
    const Vec3f o = (origin - m_impl->origin).cast<float>();
    const Vec3f d = direction.cast<float>();
    RTCRayHit hit{};
    hit.ray.org_x = o.x();
    hit.ray.org_y = o.y();
    hit.ray.org_z = o.z();
    hit.ray.dir_x = d.x();
    hit.ray.dir_y = d.y();
    hit.ray.dir_z = d.z();
    hit.ray.tfar = std::numeric_limits<float>::infinity();
    hit.ray.mask = 0xFFFFFFFFU;
    hit.hit.geomID = RTC_INVALID_GEOMETRY_ID;
    RTCIntersectContext context;
    rtcInitIntersectContext(&context);
    rtcIntersect1(m_impl->scene, &context, &hit);
    if (hit.hit.geomID == RTC_INVALID_GEOMETRY_ID)
        return std::nullopt;
    return RayHit{static_cast<double>(hit.ray.tfar), hit.hit.primID, hit.hit.u, hit.hit.v};
}

double SurfaceQuery::distanceToTriangle(const Vec3d& point, std::uint32_t triangle) const {
    const Vec3d p = point - m_impl->origin;
    return (closestPointOnTriangle(p, m_impl->corner(triangle, 0), m_impl->corner(triangle, 1),
                                   m_impl->corner(triangle, 2)) -
            p)
        .norm();
}

} // namespace thicket
