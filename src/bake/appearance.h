#pragma once
// What a ray sees of a mesh with its materials: colour, normal, and whether there is anything at all.

#include "image/image.h"
#include "measure/surface_rays.h"

#include <algorithm>
#include <memory>
#include <mutex>

namespace thicket {

/// The one light that everything is looked at under: so much of it comes from all around, the rest from one side.
constexpr double kLightAround = 0.35;
/// Of a surface's colour what it gives back, by the cosine between its normal and the way to the light.
inline double shadeOf(double cosine) {
    return kLightAround + (1 - kLightAround) * std::max(0.0, cosine);
}

/// Decodes the base-colour pictures that a mesh uses, once. Does not own the mesh.
/// THREADS const functions may run on many threads at once.
class Appearance {
public:
    Appearance(const Mesh& mesh, const Surfaces& surfaces);

    struct Seen {
        double distance = 0;
        Vec3f color{1, 1, 1};  ///< linear
        Vec3d normal{0, 0, 1}; ///< unit, turned to where the ray came from
    };
    /// The first place along a ray that its material's alpha does not leave out.
    [[nodiscard]] std::optional<Seen> look(const Vec3d& origin, const Vec3d& direction) const;
    /// What a ray sees of a triangle that it is known to meet first: as `look`, without looking for it. The distance is
    /// in lengths of `direction`.
    [[nodiscard]] Seen seenOn(std::uint32_t triangle, const Vec3d& origin, const Vec3d& direction) const;
    /// Whether its material leaves anything out, and whether it does not where a ray meets it.
    [[nodiscard]] bool hasHoles(std::uint32_t triangle) const { return m_surfaces[m_surfaceOf[triangle]].cutoff > 0; }
    [[nodiscard]] bool solidAt(std::uint32_t triangle, const Vec3d& origin, const Vec3d& direction) const;
    [[nodiscard]] const Mesh& mesh() const { return m_mesh; }
    /// Only whether there is one.
    [[nodiscard]] bool blocks(const Vec3d& origin, const Vec3d& direction) const;
    [[nodiscard]] const Bounds& bounds() const { return m_bounds; }

private:
    struct Surface {
        Vec4f base{1, 1, 1, 1};
        int picture = -1;
        float cutoff = 0; ///< less alpha than this is nothing
        bool secondUv = false;
    };
    [[nodiscard]] Vec4f colorAt(const RayHit& hit) const;
    [[nodiscard]] std::optional<RayHit> firstSolid(const Vec3d& origin, const Vec3d& direction) const;
    [[nodiscard]] Seen seenAt(const RayHit& hit, const Vec3d& direction) const;
    [[nodiscard]] const SurfaceRays& rays() const;

    const Mesh& m_mesh;
    mutable std::once_flag m_asked;
    mutable std::unique_ptr<SurfaceRays> m_rays; ///< made when a ray is cast first
    Bounds m_bounds;
    std::vector<Surface> m_surfaces;
    std::vector<std::uint32_t> m_surfaceOf; ///< a triangle each
    std::vector<Pixels> m_pictures;
    bool m_anyHoles = false;
};

} // namespace thicket
