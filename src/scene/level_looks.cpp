#include "scene/level_looks.h"

namespace thicket {

LevelLooks::LevelLooks(std::shared_ptr<const Mesh> mesh, std::shared_ptr<const Surfaces> surfaces,
                       const ViewGrid& views)
    : m_mesh(std::move(mesh)), m_surfaces(std::move(surfaces)), m_views(views) {
    if (m_views.across == 0)
        m_seen = std::make_unique<Appearance>(*m_mesh, *m_surfaces);
}

const Appearance& LevelLooks::from(const Vec3d& back) {
    if (m_seen)
        return *m_seen;
    const int view = nearestView(m_views, back);
    OfView& own = m_ofViews[view];
    if (!own.seen) {
        own.mesh = viewRectangle(m_views, view);
        own.seen = std::make_unique<Appearance>(own.mesh, *m_surfaces);
    }
    return *own.seen;
}

} // namespace thicket
