#include "scene/occluders.h"

#include "base/parallel.h"

#include <algorithm>
#include <limits>

namespace thicket {
namespace {

constexpr std::uint32_t kMostTriangles = 24'000;

bool worthAsking(const Level& level) {
    return level.mesh && level.mesh->triangleCount() <= kMostTriangles;
}

/// The most that it covers whole, of a picture that it fills, from any of a few sides. What is lattice, woven or thin
/// covers next to nothing and need not be looked behind.
double coverOf(const Occluder& occluder, const Mesh& mesh) {
    constexpr int kRows = 64;
    constexpr double kWays[][3] = {{1, 0.2, 0}, {0, 0.2, 1}, {-1, 0.2, 0}, {0, 0.2, -1}, {0.1, 1, 0}, {1, 0.5, 1}};
    const Vec3d centre = boundsOf(mesh).centre();
    const double radius = radiusAround(mesh, centre);
    View view;
    view.aspect = 1;
    view.nearMetres = 0.1 * radius;
    view.farMetres = 10 * radius;
    double most = 0;
    CoverBuffer buffer;
    for (const auto& way : kWays) {
        const Vec3d back = Vec3d(way[0], way[1], way[2]).normalized();
        buffer.begin(lookAt(view, centre + 2 * radius * back, centre), kRows);
        buffer.add(occluder, {0, 0, 0}, Quatd::Identity(), 1);
        most = std::max(most, buffer.covered());
    }
    return most;
}

std::shared_ptr<const Occluder> make(const Mesh& mesh, const Surfaces* surfaces) {
    std::vector<bool> solid;
    for (const MeshPart& part : mesh.parts)
        solid.push_back(surfaces == nullptr || part.material >= surfaces->materials.size() ||
                        surfaces->materials[part.material].alphaMode == AlphaMode::Opaque);
    auto made = std::make_shared<Occluder>(occluderOf(mesh, solid));
    constexpr double kWorth = 0.04;
    return made->indices.empty() || coverOf(*made, mesh) < kWorth ? nullptr : made;
}

} // namespace

void OccluderShelf::fill(const Scene& scene, SelectInput& input) {
    std::erase_if(m_kept, [](const auto& entry) { return entry.second.mesh.expired(); });
    for (Batch& batch : input.batches) {
        const Subject& asset = scene.subjects[batch.asset];
        batch.occluders.clear();
        if (!asset.isMesh()) // strands and particles hide nothing
            continue;
        for (const Level& level : asset.mesh().levels) {
            const auto found = worthAsking(level) ? m_kept.find(level.mesh.get()) : m_kept.end();
            const bool same = found != m_kept.end() && found->second.mesh.lock() == level.mesh &&
                              found->second.surfaces.lock() == surfacesOf(asset, level);
            batch.occluders.push_back(same ? found->second.occluder : nullptr);
        }
    }
}

bool OccluderShelf::makeSome(const Scene& scene, std::size_t most, const JobContext& job) {
    struct Missing {
        std::shared_ptr<const Mesh> mesh;
        std::shared_ptr<const Surfaces> surfaces;
        std::shared_ptr<const Occluder> made;
    };
    std::vector<Missing> missing;
    for (const Subject& subject : scene.subjects) {
        if (!subject.isMesh())
            continue;
        for (const Level& level : subject.mesh().levels) {
            if (missing.size() == most || !worthAsking(level))
                continue;
            auto surfaces = surfacesOf(subject, level);
            const Kept& kept = m_kept[level.mesh.get()];
            if (kept.mesh.lock() != level.mesh || kept.surfaces.lock() != surfaces)
                missing.push_back({level.mesh, std::move(surfaces), nullptr});
        }
    }
    const bool all = parallelChunks(missing.size(), 1, job, [&](std::size_t from, std::size_t to) {
        for (std::size_t i = from; i < to; ++i)
            missing[i].made = make(*missing[i].mesh, missing[i].surfaces.get());
    });
    if (!all)
        return false;
    for (const Missing& one : missing)
        m_kept[one.mesh.get()] = {one.mesh, one.surfaces, one.made};
    return !missing.empty();
}

void fillOccluders(const Scene& scene, SelectInput& input, const JobContext& job) {
    OccluderShelf shelf;
    shelf.makeSome(scene, std::numeric_limits<std::size_t>::max(), job);
    shelf.fill(scene, input);
}

} // namespace thicket
