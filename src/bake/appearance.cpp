#include "bake/appearance.h"

#include <algorithm>
#include <map>

namespace thicket {

Appearance::Appearance(const Mesh& mesh, const Surfaces& surfaces)
    : m_mesh(mesh), m_bounds(boundsOf(mesh)), m_surfaceOf(mesh.triangleCount(), 0) {
    std::map<int, int> decoded;
    for (const MeshPart& part : mesh.parts) {
        Surface own;
        if (part.material < surfaces.materials.size()) {
            const Material& m = surfaces.materials[part.material];
            own.base = m.baseColor;
            own.cutoff = m.alphaMode == AlphaMode::Mask ? m.alphaCutoff : m.alphaMode == AlphaMode::Blend ? 0.5F : 0.0F;
            own.secondUv = (m.secondUv & 1) != 0;
            if (m.baseColorImage >= 0) {
                const auto [at, fresh] = decoded.try_emplace(m.baseColorImage, -1);
                if (fresh)
                    if (auto pixels = decodeImage(surfaces.images[static_cast<std::size_t>(m.baseColorImage)])) {
                        at->second = static_cast<int>(m_pictures.size());
                        m_pictures.push_back(std::move(*pixels));
                    }
                own.picture = at->second;
            }
        }
        m_anyHoles |= own.cutoff > 0;
        for (std::uint32_t t = part.firstTriangle; t < part.firstTriangle + part.triangleCount; ++t)
            m_surfaceOf[t] = static_cast<std::uint32_t>(m_surfaces.size());
        m_surfaces.push_back(own);
    }
}

Vec4f Appearance::colorAt(const RayHit& hit) const {
    const Surface& surface = m_surfaces[m_surfaceOf[hit.triangle]];
    const std::uint32_t* c = &m_mesh.indices[3 * std::size_t{hit.triangle}];
    Vec4f color = surface.base;
    const auto mixed = [&](const auto& values) {
        return ((1 - hit.u - hit.v) * values[c[0]] + hit.u * values[c[1]] + hit.v * values[c[2]]).eval();
    };
    const std::vector<Vec2f>& uvs = surface.secondUv && !m_mesh.extras.uvs2.empty() ? m_mesh.extras.uvs2 : m_mesh.uvs;
    if (surface.picture >= 0 && !uvs.empty())
        color = color.cwiseProduct(sampleImage(m_pictures[static_cast<std::size_t>(surface.picture)], mixed(uvs)));
    if (!m_mesh.colors.empty())
        color = color.cwiseProduct(mixed(m_mesh.colors));
    return color;
}

const SurfaceRays& Appearance::rays() const {
    std::call_once(m_asked, [this] { m_rays = std::make_unique<SurfaceRays>(m_mesh); });
    return *m_rays;
}

std::optional<RayHit> Appearance::firstSolid(const Vec3d& origin, const Vec3d& direction) const {
    constexpr int kMostLayers = 256;
    const double step = 1e-6 * (m_bounds.diagonal() + 1e-9);
    double gone = 0;
    for (int layer = 0; layer < kMostLayers; ++layer) {
        auto hit = rays().cast(origin + gone * direction, direction);
        if (!hit)
            return std::nullopt;
        hit->distance += gone;
        const Surface& surface = m_surfaces[m_surfaceOf[hit->triangle]];
        if (surface.cutoff <= 0 || colorAt(*hit).w() >= surface.cutoff)
            return hit;
        gone = hit->distance + step;
    }
    return std::nullopt;
}

std::optional<Appearance::Seen> Appearance::look(const Vec3d& origin, const Vec3d& direction) const {
    const auto hit = firstSolid(origin, direction);
    return hit ? std::optional(seenAt(*hit, direction)) : std::nullopt;
}

Appearance::Seen Appearance::seenAt(const RayHit& hit, const Vec3d& direction) const {
    const std::uint32_t* c = &m_mesh.indices[3 * std::size_t{hit.triangle}];
    Vec3d normal;
    if (m_mesh.normals.empty())
        normal = (m_mesh.positions[c[1]] - m_mesh.positions[c[0]])
                     .cross(m_mesh.positions[c[2]] - m_mesh.positions[c[0]])
                     .cast<double>();
    else
        normal =
            ((1 - hit.u - hit.v) * m_mesh.normals[c[0]] + hit.u * m_mesh.normals[c[1]] + hit.v * m_mesh.normals[c[2]])
                .cast<double>();
    const double size = normal.norm();
    normal = size > 1e-12 ? Vec3d(normal / size) : Vec3d(-direction.normalized());
    if (normal.dot(direction) > 0)
        normal = -normal;
    return Seen{hit.distance, colorAt(hit).head<3>(), normal};
}

namespace {

/// Where a ray meets a triangle's plane, within the triangle (Moller and Trumbore, Fast, minimum storage ray/triangle
/// intersection, 1997).
RayHit onTriangle(const Mesh& mesh, std::uint32_t triangle, const Vec3d& origin, const Vec3d& direction) {
    const std::uint32_t* c = &mesh.indices[3 * std::size_t{triangle}];
    const Vec3d a = mesh.positions[c[0]].cast<double>();
    const Vec3d b = mesh.positions[c[1]].cast<double>() - a;
    const Vec3d d = mesh.positions[c[2]].cast<double>() - a;
    const Vec3d across = direction.cross(d);
    const double volume = b.dot(across);
    RayHit hit;
    hit.triangle = triangle;
    if (std::abs(volume) < 1e-300) {
        hit.distance = (a - origin).dot(direction);
        return hit;
    }
    const Vec3d way = origin - a;
    const Vec3d turned = way.cross(b);
    hit.distance = d.dot(turned) / volume;
    hit.u = static_cast<float>(std::clamp(way.dot(across) / volume, 0.0, 1.0));
    hit.v = std::clamp(static_cast<float>(direction.dot(turned) / volume), 0.0F, 1 - hit.u);
    return hit;
}

} // namespace

Appearance::Seen Appearance::seenOn(std::uint32_t triangle, const Vec3d& origin, const Vec3d& direction) const {
    return seenAt(onTriangle(m_mesh, triangle, origin, direction), direction);
}

bool Appearance::solidAt(std::uint32_t triangle, const Vec3d& origin, const Vec3d& direction) const {
    const float cutoff = m_surfaces[m_surfaceOf[triangle]].cutoff;
    return cutoff <= 0 || colorAt(onTriangle(m_mesh, triangle, origin, direction)).w() >= cutoff;
}

bool Appearance::blocks(const Vec3d& origin, const Vec3d& direction) const {
    return m_anyHoles ? firstSolid(origin, direction).has_value() : rays().cast(origin, direction).has_value();
}

} // namespace thicket
