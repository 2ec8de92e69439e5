#include "appmodel/care_model.h"

#include "io/import/care_mask.h"

namespace thicket::app {

std::shared_ptr<const std::vector<float>> CareModel::values(const std::shared_ptr<const Mesh>& mesh,
                                                            const std::shared_ptr<const Care>& care) {
    if (!mesh || !care)
        return nullptr;
    const auto key = std::pair(mesh.get(), care.get());
    if (const auto known = m_care.find(key);
        known != m_care.end() && !known->second.mesh.expired() && !known->second.care.expired())
        return known->second.values;
    std::erase_if(m_care, [](const auto& entry) { return entry.second.mesh.expired() || entry.second.care.expired(); });
    m_care[key] = {mesh, care, nullptr};
    m_session.looks().run({}, [this, key, mesh, care](const JobContext&) -> JobQueue::Finish {
        auto values = std::make_shared<const std::vector<float>>(careOf(*mesh, *care));
        return [this, key, mesh, care, values] {
            m_care[key] = {mesh, care, values};
            emit careChanged();
        };
    });
    return nullptr;
}

std::shared_ptr<const SurfaceRays> CareModel::surfaceFor(const std::shared_ptr<const Mesh>& mesh) {
    if (!mesh)
        return nullptr;
    if (m_surfaceMesh.lock() == mesh)
        return m_surface; // null while it is being built
    m_surface.reset();
    m_surfaceMesh = mesh;
    m_session.looks().run({}, [this, mesh](const JobContext&) -> JobQueue::Finish {
        // The rays do not own its mesh: both live as long as what is handed out.
        struct Both {
            std::shared_ptr<const Mesh> mesh;
            SurfaceRays rays;
            explicit Both(std::shared_ptr<const Mesh> m) : mesh(std::move(m)), rays(*mesh) {}
        };
        const auto both = std::make_shared<const Both>(mesh);
        return [this, both] {
            if (m_surfaceMesh.lock() != both->mesh)
                return;
            m_surface = {both, &both->rays};
            emit careChanged();
        };
    });
    return nullptr;
}

void CareModel::layStroke(std::uint32_t id, const CareStroke& stroke) {
    const Subject* found = m_session.scene().findMesh(id);
    if (found == nullptr)
        return;
    Care care = found->mesh().care ? *found->mesh().care : Care();
    care.push_back(stroke);
    Subject after = *found;
    after.mesh().care = std::make_shared<const Care>(std::move(care));
    const char* label = stroke.kind == CareStroke::Kind::Paint      ? "Paint care on "
                        : stroke.kind == CareStroke::Kind::Erase    ? "Erase care on "
                        : stroke.kind == CareStroke::Kind::FromMask ? "Take care from a picture for "
                                                                    : "Take care from the colours of ";
    m_session.document.push(changeSubject(m_session.scene(), after, label + found->name));
}

void CareModel::fromMask(std::uint32_t id, const QString& file, CareStroke stroke) {
    m_session.jobs().run(tr("Reading %1").arg(file),
                         [this, id, file, asked = m_session.document.snapshot(),
                          own = std::move(stroke)](const JobContext&) mutable -> JobQueue::Finish {
                             auto mask = readCareMask(std::filesystem::path(file.toStdString()));
                             if (!mask)
                                 return [this, error = mask.error()] { m_session.report(error); };
                             own.kind = CareStroke::Kind::FromMask;
                             own.mask = *mask;
                             return [this, id, own, asked] {
                                 if (m_session.document.isOpen(asked))
                                     layStroke(id, own);
                             };
                         });
}

void CareModel::clear(std::uint32_t id) {
    const Subject* found = m_session.scene().findMesh(id);
    if (found == nullptr || !found->mesh().care)
        return;
    Subject after = *found;
    after.mesh().care.reset();
    m_session.document.push(changeSubject(m_session.scene(), after, "Clear the care of " + found->name));
}

} // namespace thicket::app
