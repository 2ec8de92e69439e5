#pragma once
// Where rays meet a mesh, through a bounding volume hierarchy (Embree).

#include "mesh/mesh.h"

#include <memory>
#include <optional>

namespace thicket {

struct RayHit {
    double distance = 0;
    std::uint32_t triangle = 0;
    float u = 0; ///< barycentric weight of the triangle's second corner
    float v = 0; ///< of its third
};

/// Does not own the mesh, which must stay unchanged while this lives.
/// ACCURACY  positions are stored as float relative to the mesh's centre: about 1e-7 of its size.
/// THREADS   const functions may run on many threads at once.
class SurfaceRays {
public:
    explicit SurfaceRays(const Mesh& mesh);
    ~SurfaceRays();
    SurfaceRays(const SurfaceRays&) = delete;
    SurfaceRays& operator=(const SurfaceRays&) = delete;

    [[nodiscard]] std::optional<RayHit> cast(const Vec3d& origin, const Vec3d& direction) const;

private:
    struct Impl;
    std::unique_ptr<Impl> m_impl;
};

} // namespace thicket
