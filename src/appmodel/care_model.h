#pragma once
// Painting care: strokes as edits, and their values on any mesh.

#include "appmodel/session.h"
#include "measure/surface_rays.h"

#include <map>

namespace thicket::app {

class CareModel : public QObject {
    Q_OBJECT
public:
    explicit CareModel(Session& session) : m_session(session) {}

    /// Care of every vertex of a mesh; null while it is worked out, then careChanged.
    [[nodiscard]] std::shared_ptr<const std::vector<float>> values(const std::shared_ptr<const Mesh>& mesh,
                                                                   const std::shared_ptr<const Care>& care);
    /// For pointing at a mesh; null while it is built, then careChanged.
    [[nodiscard]] std::shared_ptr<const SurfaceRays> surfaceFor(const std::shared_ptr<const Mesh>& mesh);
    void layStroke(std::uint32_t id, const CareStroke& stroke);
    void clear(std::uint32_t id);
    /// Takes care from a grey picture, by the subject's UVs.
    void fromMask(std::uint32_t id, const QString& file, CareStroke stroke);

signals:
    void careChanged();

private:
    Session& m_session;
    struct Kept {
        std::weak_ptr<const Mesh> mesh;
        std::weak_ptr<const Care> care;
        std::shared_ptr<const std::vector<float>> values;
    };
    std::map<std::pair<const Mesh*, const Care*>, Kept> m_care;
    std::weak_ptr<const Mesh> m_surfaceMesh;
    std::shared_ptr<const SurfaceRays> m_surface;
};

} // namespace thicket::app
