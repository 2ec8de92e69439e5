#include "measure/surface_rays.h"

#include "measure/embree_scene.h"

#include <limits>

namespace thicket {

struct SurfaceRays::Impl {
    Vec3d origin{0, 0, 0};
    std::vector<Vec3f> local;
    measure::EmbreeScene triangles;
};

SurfaceRays::SurfaceRays(const Mesh& mesh) : m_impl(std::make_unique<Impl>()) {
    Impl& own = *m_impl;
    own.origin = boundsOf(mesh).centre();
    own.local.resize(mesh.positions.size() + 1); // Embree reads 16 bytes at the last vertex
    for (std::size_t i = 0; i < mesh.positions.size(); ++i)
        own.local[i] = (mesh.positions[i].cast<double>() - own.origin).cast<float>();
    rtcSetSceneFlags(own.triangles.scene(), RTC_SCENE_FLAG_ROBUST);
    RTCGeometry geometry = own.triangles.make(RTC_GEOMETRY_TYPE_TRIANGLE);
    rtcSetSharedGeometryBuffer(geometry, RTC_BUFFER_TYPE_VERTEX, 0, RTC_FORMAT_FLOAT3, own.local.data(), 0,
                               sizeof(Vec3f), mesh.positions.size());
    rtcSetSharedGeometryBuffer(geometry, RTC_BUFFER_TYPE_INDEX, 0, RTC_FORMAT_UINT3, mesh.indices.data(), 0,
                               3 * sizeof(std::uint32_t), mesh.triangleCount());
    own.triangles.finish(geometry);
}

SurfaceRays::~SurfaceRays() = default;

std::optional<RayHit> SurfaceRays::cast(const Vec3d& origin, const Vec3d& direction) const {
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
    rtcIntersect1(m_impl->triangles.scene(), &context, &hit);
    if (hit.hit.geomID == RTC_INVALID_GEOMETRY_ID)
        return std::nullopt;
    return RayHit{static_cast<double>(hit.ray.tfar), hit.hit.primID, hit.hit.u, hit.hit.v};
}

} // namespace thicket
