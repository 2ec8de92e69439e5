#include "scene/occluders.h"

namespace thicket {
namespace {

constexpr std::uint32_t kMostTriangles = 24'000;

bool worthAsking(const Level& level) {
    return level.mesh && level.mesh->triangleCount() <= kMostTriangles;
}

std::shared_ptr<const Occluder> make(const Mesh& mesh, const Surfaces* surfaces) {
    std::vector<bool> solid;
    for (const MeshPart& part : mesh.parts)
        solid.push_back(surfaces == nullptr || part.material >= surfaces->materials.size() ||
                        surfaces->materials[part.material].alphaMode == AlphaMode::Opaque);
    auto made = std::make_shared<Occluder>(occluderOf(mesh, solid));
    return made->indices.empty() ? nullptr : made;
}

} // namespace

void OccluderShelf::fill(const Scene& scene, SelectScene& selectable) {
    std::erase_if(m_kept, [](const auto& entry) { return entry.second.mesh.expired(); });
    selectable.occluders.assign(scene.subjects.size(), {});
    for (std::size_t i = 0; i < scene.subjects.size(); ++i)
        for (const Level& level : scene.subjects[i].levels) {
            const auto found = worthAsking(level) ? m_kept.find(level.mesh.get()) : m_kept.end();
            const bool same = found != m_kept.end() && found->second.mesh.lock() == level.mesh &&
                              found->second.surfaces.lock() == surfacesOf(scene.subjects[i], level);
            selectable.occluders[i].push_back(same ? found->second.occluder : nullptr);
        }
}

bool OccluderShelf::makeOne(const Scene& scene) {
    for (const Subject& subject : scene.subjects)
        for (const Level& level : subject.levels) {
            if (!worthAsking(level))
                continue;
            const auto surfaces = surfacesOf(subject, level);
            Kept& kept = m_kept[level.mesh.get()];
            if (kept.mesh.lock() == level.mesh && kept.surfaces.lock() == surfaces)
                continue;
            kept = {level.mesh, surfaces, make(*level.mesh, surfaces.get())};
            return true;
        }
    return false;
}

void fillOccluders(const Scene& scene, SelectScene& selectable) {
    OccluderShelf shelf;
    while (shelf.makeOne(scene)) {
    }
    shelf.fill(scene, selectable);
}

} // namespace thicket
