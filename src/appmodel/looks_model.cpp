#include "appmodel/looks_model.h"

#include "bake/picture.h"

namespace thicket::app {

QImage LooksModel::picture(const std::shared_ptr<const Mesh>& mesh, const std::shared_ptr<const Surfaces>& surfaces) {
    if (!mesh)
        return {};
    const auto known = m_pictures.find(mesh.get());
    if (known != m_pictures.end() && !known->second.first.expired())
        return known->second.second;
    std::erase_if(m_pictures, [](const auto& entry) { return entry.second.first.expired(); });
    m_pictures[mesh.get()] = {mesh, QImage()};
    m_session.looks().run({}, [this, mesh, surfaces](const JobContext&) -> JobQueue::Finish {
        PictureOptions options;
        options.width = 104;
        options.height = 104;
        const Pixels picture = renderPicture(*mesh, surfaces ? *surfaces : Surfaces(), options);
        const QImage image =
            QImage(picture.rgba.data(), picture.width, picture.height, 4 * picture.width, QImage::Format_RGBA8888)
                .copy();
        return [this, mesh, image] {
            m_pictures[mesh.get()] = {mesh, image};
            emit picturesChanged();
        };
    });
    return {};
}

std::shared_ptr<const Heat> LooksModel::heat(const Subject& subject, int level) {
    const auto& mesh = subject.mesh().levels[static_cast<std::size_t>(level)].mesh;
    const auto& source = subject.mesh().levels.front().mesh;
    if (level == 0 || !mesh || !source)
        return nullptr;
    const auto known = m_heats.find(mesh.get());
    if (known != m_heats.end() && !known->second.level.expired() && known->second.source.lock() == source)
        return known->second.heat;
    std::erase_if(m_heats, [](const auto& entry) { return entry.second.level.expired(); });
    m_heats[mesh.get()] = {mesh, source, nullptr};
    std::shared_ptr<const SurfaceQuery> query;
    if (const auto record = m_thin.records().find(subject))
        query = record->query;
    m_session.looks().run({}, [this, mesh, source, query](const JobContext& job) -> JobQueue::Finish {
        const auto own = query ? query : std::make_shared<const SurfaceQuery>(*source);
        auto made = deviationHeat(*source, *own, *mesh, {}, job);
        if (!made)
            return [this, mesh] { m_heats.erase(mesh.get()); };
        return [this, mesh, source, heat = std::make_shared<const Heat>(std::move(*made))] {
            m_heats[mesh.get()] = {mesh, source, heat};
            emit heatChanged();
        };
    });
    return nullptr;
}

} // namespace thicket::app
