#include "scene/subject.h"

#include "base/file.h"
#include "image/image.h"

#include <algorithm>
#include <fmt/format.h>
#include <map>
#include <set>
#include <span>

namespace thicket {

std::shared_ptr<const Surfaces> surfacesOf(const Subject& subject, const Level& level) {
    return level.surfaces ? level.surfaces : subject.mesh().surfaces;
}

std::string levelContent(const Level& level) {
    std::string hashes = contentOf(*level.mesh);
    if (level.surfaces)
        for (const Image& image : level.surfaces->images)
            hashes += contentHash(image.encoded);
    if (level.surfaces)
        for (const Material& m : level.surfaces->materials)
            hashes +=
                fmt::format("{} {} {} {} {} {} {}", static_cast<int>(m.alphaMode), m.alphaCutoff, m.baseColorImage,
                            m.metallicRoughnessImage, m.normalImage, m.occlusionImage, m.emissiveImage);
    return level.surfaces ? contentHash(std::as_bytes(std::span(hashes.data(), hashes.size()))) : hashes;
}

namespace {
std::vector<int*> picturesOf(Material& m) {
    return {&m.baseColorImage, &m.metallicRoughnessImage, &m.normalImage, &m.occlusionImage, &m.emissiveImage};
}
} // namespace

double textureBytesOf(const Subject& subject, const Level& level) {
    const auto surfaces = surfacesOf(subject, level);
    if (!surfaces || !level.mesh)
        return 0;
    std::set<int> used;
    for (const MeshPart& part : level.mesh->parts)
        if (part.material < surfaces->materials.size()) {
            Material material = surfaces->materials[part.material];
            for (const int* image : picturesOf(material))
                if (*image >= 0)
                    used.insert(*image);
        }
    double bytes = 0;
    for (const int image : used)
        bytes += textureBytes(surfaces->images[static_cast<std::size_t>(image)]);
    return bytes;
}

namespace {

/// Leaves out materials that no level has, and pictures that no material shows: a file's surfaces may be those of many
/// subjects.
void dropUnused(LevelSet& set) {
    std::vector<bool> used(set.surfaces.materials.size(), false);
    for (const auto& mesh : set.meshes)
        for (const MeshPart& part : mesh->parts)
            if (part.material < used.size())
                used[part.material] = true;
    if (std::find(used.begin(), used.end(), false) == used.end() ||
        std::find(used.begin(), used.end(), true) == used.end())
        return;
    std::vector<std::uint32_t> materialTo(used.size(), 0);
    std::vector<int> imageTo(set.surfaces.images.size(), -1);
    Surfaces kept;
    for (std::size_t m = 0; m < used.size(); ++m) {
        if (!used[m])
            continue;
        materialTo[m] = static_cast<std::uint32_t>(kept.materials.size());
        kept.materials.push_back(set.surfaces.materials[m]);
        for (int* image : picturesOf(kept.materials.back())) {
            if (*image < 0)
                continue;
            int& to = imageTo[static_cast<std::size_t>(*image)];
            if (to < 0) {
                to = static_cast<int>(kept.images.size());
                kept.images.push_back(std::move(set.surfaces.images[static_cast<std::size_t>(*image)]));
            }
            *image = to;
        }
    }
    for (auto& mesh : set.meshes) {
        Mesh own = *mesh;
        for (MeshPart& part : own.parts)
            part.material = part.material < materialTo.size() ? materialTo[part.material] : part.material;
        mesh = std::make_shared<const Mesh>(std::move(own));
    }
    set.surfaces = std::move(kept);
}

} // namespace

LevelSet joinLevels(const Subject& subject) {
    LevelSet set;
    set.surfaces = *subject.mesh().surfaces;
    std::map<std::string, int> known;
    for (std::size_t i = 0; i < set.surfaces.images.size(); ++i)
        known.try_emplace(contentHash(set.surfaces.images[i].encoded), static_cast<int>(i));
    std::map<const Surfaces*, std::uint32_t> added;
    for (const Level& level : subject.mesh().levels) {
        if (!level.surfaces) {
            set.meshes.push_back(level.mesh);
            continue;
        }
        const auto [at, fresh] =
            added.try_emplace(level.surfaces.get(), static_cast<std::uint32_t>(set.surfaces.materials.size()));
        if (fresh)
            for (Material material : level.surfaces->materials) {
                for (int* image : picturesOf(material)) {
                    if (*image < 0)
                        continue;
                    const Image& own = level.surfaces->images[static_cast<std::size_t>(*image)];
                    const auto [where, unseen] =
                        known.try_emplace(contentHash(own.encoded), static_cast<int>(set.surfaces.images.size()));
                    if (unseen)
                        set.surfaces.images.push_back(own);
                    *image = where->second;
                }
                set.surfaces.materials.push_back(material);
            }
        Mesh mesh = *level.mesh;
        for (MeshPart& part : mesh.parts)
            part.material += at->second;
        set.meshes.push_back(std::make_shared<const Mesh>(std::move(mesh)));
    }
    dropUnused(set);
    return set;
}

std::vector<ViewGrid> viewsOf(const Subject& subject) {
    std::vector<ViewGrid> out;
    for (const Level& level : subject.mesh().levels)
        out.push_back(level.views);
    return out;
}

double sharedVertexBytes(const Subject& subject) {
    if (!subject.mesh().cutRules.reuseVertices || !subject.mesh().source().mesh ||
        subject.mesh().source().vertices == 0)
        return 0;
    const Mesh& source = *subject.mesh().source().mesh;
    const double vertex =
        static_cast<double>(source.bytes() - source.indices.size() * sizeof(std::uint32_t)) / source.vertexCount();
    double bytes = 0;
    for (const Level& level : subject.mesh().levels)
        if (level.origin == LevelOrigin::Collapsed && !level.materials.merge)
            bytes += vertex * level.vertices;
    return bytes;
}

std::vector<LevelCost> costsOf(const Subject& subject, const SwitchRule& rule) {
    std::vector<LevelCost> costs;
    for (const Level& level : subject.mesh().levels)
        costs.push_back(
            {level.triangles, level.vertices, level.draws, level.decisive(rule), level.fixed, 0, level.counted(rule)});
    return costs;
}

std::vector<LevelCost> costsOf(const Subject& subject) {
    return costsOf(subject, subject.rule);
}

ResolvedChain chainOf(const Subject& subject, const View& view) {
    return resolveChain(costsOf(subject), loosened(subject.rule, view.looser(subject.id)), subject.bounds,
                        subject.radius, view);
}

ResolvedChain chainIn(const Subject& field, const Subject& asset, const View& view) {
    std::vector<LevelCost> costs = costsOf(asset, field.rule);
    const auto& fixed = std::get<InstancesBody>(field.body).fixed;
    for (std::size_t i = 1; i < costs.size() && i < fixed.size(); ++i)
        if (fixed[i])
            costs[i].fixed = fixed[i];
    return resolveChain(costs, loosened(field.rule, view.looser(field.id)), asset.bounds, asset.radius, view);
}

bool careIsNewer(const Subject& subject) {
    const bool cut = std::any_of(subject.mesh().levels.begin(), subject.mesh().levels.end(),
                                 [](const Level& l) { return l.origin == LevelOrigin::Collapsed; });
    return cut && subject.mesh().care != subject.mesh().careCut;
}

void refreshSubject(Subject& subject) {
    for (Level& level : subject.mesh().levels)
        if (level.mesh) {
            level.triangles = level.mesh->triangleCount();
            level.vertices = level.mesh->vertexCount();
            level.draws = static_cast<std::uint32_t>(level.mesh->parts.size());
        }
    if (subject.mesh().levels.empty() || !subject.mesh().source().mesh)
        return;
    const Mesh& first = *subject.mesh().source().mesh;
    subject.bounds = boundsOf(first);
    subject.radius = radiusAround(first, subject.bounds.centre());
}

void takeMeasures(Level& to, const Level& from) {
    to.deviation = from.deviation;
    to.visible = from.visible;
    to.promised = from.promised;
    to.p99 = from.p99;
    to.rms = from.rms;
    to.posed = from.posed;
    to.seen = from.seen;
    to.driftTexels = from.driftTexels;
    to.driftDegrees = from.driftDegrees;
}

void keepSeen(Level& made, const Level& was) {
    made.seen = was.visible > 0 ? was.seen * made.visible / was.visible : was.seen;
}

Level levelFrom(std::shared_ptr<const Mesh> mesh, const Deviation& deviation, LevelOrigin origin) {
    Level level;
    level.triangles = mesh->triangleCount();
    level.vertices = mesh->vertexCount();
    level.draws = static_cast<std::uint32_t>(mesh->parts.size());
    level.mesh = std::move(mesh);
    level.content = levelContent(level);
    level.origin = origin;
    level.deviation = deviation.max();
    level.visible = deviation.visible;
    level.promised = deviation.promised();
    level.p99 = deviation.p99();
    level.rms = deviation.rms();
    return level;
}

} // namespace thicket
