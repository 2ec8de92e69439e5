#include "scene/occluders.h"

#include "base/parallel.h"

#include <algorithm>
#include <limits>

namespace thicket {
namespace {

constexpr std::uint32_t kMostTriangles = 24'000;

/// Whether it covers some of a picture whole that it fills, from any of a few sides. What is lattice, woven or thin covers
/// next to nothing and need not be looked behind.
bool coversSome(const Occluder& occluder, const Mesh& mesh) {
    constexpr int kRows = 64;
    constexpr double kSome = 0.04;
    constexpr double kWays[][3] = {{1, 0.2, 0}, {0, 0.2, 1}, {-1, 0.2, 0}, {0, 0.2, -1}, {0.1, 1, 0}, {1, 0.5, 1}};
    const Vec3d centre = boundsOf(mesh).centre();
    const double radius = radiusAround(mesh, centre);
    View view;
    view.aspect = 1;
    view.nearMetres = 0.1 * radius;
    view.farMetres = 10 * radius;
    CoverBuffer buffer;
    return std::any_of(std::begin(kWays), std::end(kWays), [&](const double(&way)[3]) {
        const Vec3d back = Vec3d(way[0], way[1], way[2]).normalized();
        buffer.begin(lookAt(view, centre + 2 * radius * back, centre), kRows);
        buffer.add(occluder, {0, 0, 0}, Quatd::Identity(), 1);
        return buffer.covered() >= kSome;
    });
}

/// Calls `each` for the levels that may hide others, from the coarsest on, until two that come after each other are
/// lattice, which it says: the finer ones are too.
template <class Each> void eachWorthAsking(const std::vector<Level>& levels, const Each& each) {
    constexpr int kSure = 2;
    int lattices = 0;
    for (std::size_t i = levels.size(); i-- > 0 && lattices < kSure;)
        if (levels[i].mesh && levels[i].mesh->triangleCount() <= kMostTriangles)
            lattices = each(i, levels[i]) ? lattices + 1 : 0;
}

std::shared_ptr<const Occluder> solidOf(const Mesh& mesh, const Surfaces* surfaces) {
    std::vector<bool> solid;
    for (const MeshPart& part : mesh.parts)
        solid.push_back(surfaces == nullptr || part.material >= surfaces->materials.size() ||
                        surfaces->materials[part.material].alphaMode == AlphaMode::Opaque);
    return std::make_shared<Occluder>(occluderOf(mesh, solid));
}

} // namespace

OccluderShelf::Kept OccluderShelf::make(const std::shared_ptr<const Mesh>& mesh,
                                        const std::shared_ptr<const Surfaces>& surfaces) {
    Kept out{mesh, surfaces, solidOf(*mesh, surfaces.get())};
    out.lattice = !out.occluder->indices.empty() && !coversSome(*out.occluder, *mesh);
    if (out.lattice || out.occluder->indices.empty())
        out.occluder = nullptr;
    return out;
}

const OccluderShelf::Kept* OccluderShelf::keptOf(const Subject& subject, const Level& level) const {
    const auto found = m_kept.find(level.mesh.get());
    return found != m_kept.end() && found->second.mesh.lock() == level.mesh &&
                   found->second.surfaces.lock() == surfacesOf(subject, level)
               ? &found->second
               : nullptr;
}

void OccluderShelf::fill(const Scene& scene, SelectInput& input) {
    std::erase_if(m_kept, [](const auto& entry) { return entry.second.mesh.expired(); });
    for (Batch& batch : input.batches) {
        const Subject& asset = scene.subjects[batch.asset];
        batch.occluders.clear();
        if (!asset.isMesh()) // strands and particles hide nothing
            continue;
        batch.occluders.resize(asset.mesh().levels.size());
        eachWorthAsking(asset.mesh().levels, [&](std::size_t i, const Level& level) {
            const Kept* kept = keptOf(asset, level);
            batch.occluders[i] = kept != nullptr ? kept->occluder : nullptr;
            return kept != nullptr && kept->lattice;
        });
    }
}

std::vector<OccluderShelf::Kept> OccluderShelf::missingOf(const Subject& subject, std::size_t most) const {
    std::vector<Kept> out;
    eachWorthAsking(subject.mesh().levels, [&](std::size_t, const Level& level) {
        if (const Kept* kept = keptOf(subject, level))
            return kept->lattice;
        if (out.size() == most)
            return false;
        out.push_back(make(level.mesh, surfacesOf(subject, level)));
        return out.back().lattice;
    });
    return out;
}

bool OccluderShelf::keep(const std::vector<Kept>& made) {
    for (const Kept& one : made)
        m_kept[one.mesh.lock().get()] = one;
    return !made.empty();
}

void OccluderShelf::makeAll(const Scene& scene, const JobContext& job) {
    std::vector<const Subject*> subjects;
    for (const Subject& subject : scene.subjects)
        if (subject.isMesh())
            subjects.push_back(&subject);
    std::vector<std::vector<Kept>> made(subjects.size());
    parallelChunks(subjects.size(), 1, job, [&](std::size_t from, std::size_t to) {
        for (std::size_t i = from; i < to; ++i)
            made[i] = missingOf(*subjects[i], std::numeric_limits<std::size_t>::max());
    });
    for (const auto& of : made)
        keep(of);
}

bool OccluderShelf::makeOne(const Scene& scene) {
    return std::any_of(scene.subjects.begin(), scene.subjects.end(),
                       [&](const Subject& subject) { return subject.isMesh() && keep(missingOf(subject, 1)); });
}

void fillOccluders(const Scene& scene, SelectInput& input, const JobContext& job) {
    OccluderShelf shelf;
    shelf.makeAll(scene, job);
    shelf.fill(scene, input);
}

} // namespace thicket
