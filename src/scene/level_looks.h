#pragma once
// How a level looks from any side.

#include "bake/impostor.h"
#include "scene/subject.h"

#include <map>
#include <memory>

namespace thicket {

/// Of an impostor the view that is shown from there. Keeps what it was asked for, so what it returns stays.
class LevelLooks {
public:
    LevelLooks(std::shared_ptr<const Mesh> mesh, std::shared_ptr<const Surfaces> surfaces, const ViewGrid& views);

    /// back  unit, in the level's own space, towards the camera.
    const Appearance& from(const Vec3d& back);

private:
    struct OfView {
        Mesh mesh;
        std::unique_ptr<Appearance> seen;
    };
    std::shared_ptr<const Mesh> m_mesh;
    std::shared_ptr<const Surfaces> m_surfaces;
    ViewGrid m_views;
    std::unique_ptr<Appearance> m_seen; ///< of no impostor
    std::map<int, OfView> m_ofViews;
};

} // namespace thicket
