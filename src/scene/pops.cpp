#include "scene/pops.h"

#include "emitters/emitter_look.h"
#include "scene/grounds.h"
#include "scene/kinds.h"
#include "scene/level_looks.h"
#include "terrain/tile_grid.h"

#include <algorithm>
#include <memory>
#include <set>

namespace thicket {
namespace {

/// The switches of a terrain's levels, each at the tile where it shows most.
void addGround(const Subject& s, const Scene& scene, const View& view, std::vector<SwitchPlace>& out) {
    const TerrainBody& body = *s.terrain();
    const TileRule rule = tileRuleOf(s, view);
    if (!body.tree || rule.band > 0)
        return;
    const TileTree& tree = *body.tree;
    for (std::uint32_t level = 1; level < tree.levels.size(); ++level) {
        const TileTree::Level& row = tree.levels[level];
        const auto first = tree.tiles.begin() + row.first;
        const auto worst =
            std::max_element(first, first + static_cast<std::ptrdiff_t>(std::size_t{row.across} * row.down),
                             [](const TileTree::Tile& a, const TileTree::Tile& b) { return a.error < b.error; });
        const double metres = tileSwitchDistance(tree, level, rule, view);
        if (worst->error <= 0 || (rule.reach > 0 && metres > rule.reach))
            continue;
        PopKey key;
        key.metres = metres;
        key.pixelScale = scene.settings.view.pixelScale();
        key.tree = body.tree;
        key.tile = static_cast<std::uint32_t>(worst - tree.tiles.begin());
        out.push_back({s.id, static_cast<int>(level) - 1, static_cast<int>(level), std::move(key)});
    }
}

/// The switches of an emitter's levels, where these go by the distance.
void addEmitter(const Subject& s, const Scene& scene, const View& view, std::vector<SwitchPlace>& out) {
    const Emitter& emitter = s.emitter()->emitter;
    if (emitter.levelBy != LevelBy::Distance || emitter.forced)
        return;
    const ResolvedChain chain = *ownChainOf(s, view);
    for (std::size_t level = 1; level < emitter.levels.size(); ++level) {
        if (chain.beyondReach(level) || chain.neverShows(level))
            continue;
        PopKey key;
        key.metres = chain.fromMetres[level];
        key.pixelScale = scene.settings.view.pixelScale();
        key.emitter = emitter;
        key.emitterLevel = level;
        out.push_back({s.id, static_cast<int>(level) - 1, static_cast<int>(level), std::move(key)});
    }
}

/// The switches of a field's copies, those of all assets to one level together.
void addField(const Subject& s, const Scene& scene, const View& view, std::vector<SwitchPlace>& out) {
    for (std::size_t level = 1; level < mostLevels(scene, s); ++level) {
        PopKey key;
        key.band = bandOf(scene, s, level, view);
        if (key.band.none())
            continue;
        key.metres = key.band.metres();
        key.pixelScale = scene.settings.view.pixelScale();
        const int finer = key.band.finer;
        out.push_back({s.id, finer, static_cast<int>(level), std::move(key), view});
    }
}

/// Meshes that only fields place.
std::set<std::uint32_t> onlyInFields(const Scene& scene) {
    std::set<std::uint32_t> out;
    for (const Subject& s : scene.subjects)
        if (const InstancesBody* field = s.instances())
            out.insert(field->assets.begin(), field->assets.end());
    std::erase_if(out, [&scene](std::uint32_t id) {
        const Subject* s = scene.findMesh(id);
        return s == nullptr || copyCount(*s) > 0;
    });
    return out;
}

PopScore scoreEmitter(const SwitchPlace& place) {
    const EmitterPop pop =
        emitterPop(*place.key.emitter, place.key.emitterLevel, place.key.metres, place.key.pixelScale);
    PopScore out;
    out.cloud = true;
    out.changedPixels = pop.coverChange();
    out.meanDeltaE = pop.deltaE;
    out.scale = pop.scale;
    const auto pictureOf = [&](const auto& colourOf) {
        Pixels p{pop.before.width, pop.before.height, {}};
        for (std::size_t k = 0; k < pop.before.colour.size(); ++k) {
            const Vec3f colour = colourOf(k);
            for (Eigen::Index c = 0; c < 3; ++c)
                p.rgba.push_back(toSrgb(colour[c]));
            p.rgba.push_back(255);
        }
        return p;
    };
    out.before = pictureOf([&](std::size_t k) { return pop.before.colour[k]; });
    out.after = pictureOf([&](std::size_t k) { return pop.after.colour[k]; });
    out.difference = pictureOf([&](std::size_t k) {
        return Vec3f::Constant((pop.after.colour[k] - pop.before.colour[k]).cwiseAbs().maxCoeff() * 4).eval();
    });
    int first = pop.before.height;
    int last = -1;
    for (int y = 0; y < pop.before.height; ++y)
        for (int x = 0; x < pop.before.width; ++x)
            if (pop.before.cover[static_cast<std::size_t>(y) * static_cast<std::size_t>(pop.before.width) +
                                 static_cast<std::size_t>(x)] > 0.02F) {
                first = std::min(first, y);
                last = std::max(last, y);
            }
    out.pixelsTall = std::max(0, last - first + 1) / pop.scale;
    return out;
}

/// A tile, and the four that it takes the place of, each as one mesh.
std::pair<Mesh, Mesh> tileAndQuarters(const Heights& heights, const TileTree& tree, TileTree::Ref r) {
    Mesh finer;
    for (std::uint32_t k = 0; k < 4; ++k) {
        const TileTree::Ref child{r.level - 1, 2 * r.x + (k & 1U), 2 * r.y + (k >> 1U)};
        if (child.x >= tree.levels[child.level].across || child.y >= tree.levels[child.level].down)
            continue;
        const Mesh mesh = tileMesh(heights, tree, child, 0);
        const auto base = static_cast<std::uint32_t>(finer.positions.size());
        finer.positions.insert(finer.positions.end(), mesh.positions.begin(), mesh.positions.end());
        finer.normals.insert(finer.normals.end(), mesh.normals.begin(), mesh.normals.end());
        for (const std::uint32_t v : mesh.indices)
            finer.indices.push_back(base + v);
    }
    finer.parts = {{0, finer.triangleCount(), 0}};
    return {tileMesh(heights, tree, r, 0), std::move(finer)};
}

Result<PopScore> scoreGround(const Subject& subject, const SwitchPlace& place, const PopOptions& options,
                             const JobContext& job) {
    const TileTree& tree = *place.key.tree;
    const TileTree::Ref r = tree.refOf(place.key.tile);
    const auto [coarse, fine] = tileAndQuarters(*subject.terrain()->heights, tree, r);
    Surfaces surfaces;
    surfaces.materials.emplace_back();
    const Vec3f color = groundColor(0.5F * (tree.tiles[place.key.tile].low + tree.tiles[place.key.tile].high), 1);
    surfaces.materials.back().baseColor = {color.x(), color.y(), color.z(), 1};
    const Appearance finer(fine, surfaces);
    const Appearance coarser(coarse, surfaces);
    const Bounds bounds = boundsOf(fine);
    const Vec3d half = bounds.size() / 2;
    const double depth = std::max(half.x(), half.z());
    return scorePop([&](const Vec3d&) -> const Appearance& { return finer; },
                    [&](const Vec3d&) -> const Appearance& { return coarser; }, bounds,
                    std::max(place.key.metres + depth, 1.2 * depth + 1e-6), place.key.pixelScale, options, job);
}

} // namespace

std::vector<SwitchPlace> switchesOf(const Scene& scene) {
    std::vector<SwitchPlace> out;
    const View view = scene.statedView();
    const std::set<std::uint32_t> inFields = onlyInFields(scene);
    for (const Subject& s : scene.subjects) {
        if (s.instances() != nullptr)
            addField(s, scene, view, out);
        if (s.terrain() != nullptr)
            addGround(s, scene, view, out);
        if (s.emitter() != nullptr)
            addEmitter(s, scene, view, out);
        if (!s.isMesh() || inFields.contains(s.id))
            continue;
        const ResolvedChain chain = chainOf(s, view);
        const std::vector<Level>& levels = s.mesh().levels;
        std::size_t shown = 0; // the level in force before the switch
        for (std::size_t i = 1; i < levels.size(); ++i) {
            if (chain.neverShows(i) || chain.beyondReach(i) || !levels[i].mesh || !levels[shown].mesh)
                continue;
            out.push_back({s.id,
                           static_cast<int>(shown),
                           static_cast<int>(i),
                           {levels[shown].mesh, levels[i].mesh, surfacesOf(s, levels[shown]), surfacesOf(s, levels[i]),
                            chain.fromMetres[i], scene.settings.view.pixelScale()}});
            shown = i;
        }
    }
    return out;
}

SwitchPlace SwitchPlace::movedTo(double metres) const {
    SwitchPlace out = *this;
    out.key.metres = metres;
    if (!key.band.none())
        out.key.band = key.band.movedTo(metres);
    return out;
}

Result<PopScore> scoreSwitch(const Subject& subject, const SwitchPlace& place, const PopOptions& options,
                             const JobContext& job) {
    if (job.cancelled())
        return cancelledError();
    if (place.key.emitter)
        return scoreEmitter(place);
    if (place.key.tree)
        return scoreGround(subject, place, options, job);
    if (!place.key.band.none())
        return scoreBand(place.key.band, place.view, options, job);
    const auto viewsOfLevel = [&](const std::shared_ptr<const Mesh>& mesh) {
        for (const Level& level : subject.mesh().levels)
            if (level.mesh == mesh)
                return level.views;
        return ViewGrid();
    };
    LevelLooks finer(place.key.finer, place.key.finerSurfaces, viewsOfLevel(place.key.finer));
    LevelLooks coarser(place.key.coarser, place.key.coarserSurfaces, viewsOfLevel(place.key.coarser));
    // The switch happens so far from the nearest point of the bounds; the middle is farther by about their half depth.
    const Vec3d half = subject.bounds.size() / 2;
    const double depth = std::max(half.x(), half.z());
    return scorePop([&](const Vec3d& back) -> const Appearance& { return finer.from(back); },
                    [&](const Vec3d& back) -> const Appearance& { return coarser.from(back); }, subject.bounds,
                    std::max(place.key.metres + depth, 1.2 * depth + 1e-6), place.key.pixelScale, options, job);
}

} // namespace thicket
