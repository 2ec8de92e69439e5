#include "scene/pops.h"

#include "emitters/emitter_look.h"
#include "scene/grounds.h"
#include "scene/kinds.h"
#include "scene/level_looks.h"
#include "terrain/tile_grid.h"

#include <algorithm>
#include <memory>
#include <optional>
#include <set>
#include <tuple>

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
        key.blurPx = eyeBlurPx(scene.settings.view.pixelsADegree);
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
                            chain.fromMetres[i], view.pixelScale(), judgedBlur(s, view)}});
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

/// What is made ready of a switch, by what it is one of.
struct SwitchLooks::Looks {
    struct OfMesh {
        LevelLooks finer;
        LevelLooks coarser;
    };
    struct OfGround {
        Mesh fine, coarse;
        Surfaces surfaces;
        std::optional<Appearance> finer, coarser;
    };
    std::optional<OfMesh> mesh;
    std::optional<OfGround> ground;
    std::vector<BandLooks> band;
    Bounds bounds; ///< of what switches
};

SwitchLooks::SwitchLooks(const Subject& subject, const SwitchPlace& place)
    : m_place(place), m_looks(std::make_unique<Looks>()) {
    const PopKey& key = place.key;
    m_looks->bounds = subject.bounds;
    if (key.emitter)
        return;
    if (!key.band.none()) {
        m_looks->band = looksOf(key.band);
        return;
    }
    if (key.tree) {
        const TileTree& tree = *key.tree;
        auto& ground = m_looks->ground.emplace();
        std::tie(ground.coarse, ground.fine) = tileAndQuarters(*subject.terrain()->heights, tree, tree.refOf(key.tile));
        ground.surfaces.materials.emplace_back();
        const Vec3f color = groundColor(0.5F * (tree.tiles[key.tile].low + tree.tiles[key.tile].high), 1);
        ground.surfaces.materials.back().baseColor = {color.x(), color.y(), color.z(), 1};
        ground.finer.emplace(ground.fine, ground.surfaces);
        ground.coarser.emplace(ground.coarse, ground.surfaces);
        m_looks->bounds = boundsOf(ground.fine);
        return;
    }
    const auto looksOfLevel = [&](const std::shared_ptr<const Mesh>& mesh,
                                  const std::shared_ptr<const Surfaces>& surfaces) {
        const auto& levels = subject.mesh().levels;
        const auto level =
            std::find_if(levels.begin(), levels.end(), [&mesh](const Level& l) { return l.mesh == mesh; });
        return LevelLooks(mesh, surfaces, level == levels.end() ? ViewGrid() : level->views);
    };
    m_looks->mesh.emplace(
        Looks::OfMesh{looksOfLevel(key.finer, key.finerSurfaces), looksOfLevel(key.coarser, key.coarserSurfaces)});
}

SwitchLooks::~SwitchLooks() = default;

Result<PopScore> SwitchLooks::score(double metres, const PopOptions& options, const JobContext& job) {
    if (job.cancelled())
        return cancelledError();
    const SwitchPlace place = m_place.movedTo(metres);
    if (place.key.emitter)
        return scoreEmitter(place);
    if (!place.key.band.none())
        return scoreBand(place.key.band, m_looks->band, place.view, options, job);
    Looks& looks = *m_looks;
    const LookFrom finer = [&](const Vec3d& back) -> const Appearance& {
        return looks.ground ? *looks.ground->finer : looks.mesh->finer.from(back);
    };
    const LookFrom coarser = [&](const Vec3d& back) -> const Appearance& {
        return looks.ground ? *looks.ground->coarser : looks.mesh->coarser.from(back);
    };
    // The switch happens so far from the nearest point of the bounds; the middle is farther by about their half depth.
    const Vec3d half = looks.bounds.size() / 2;
    const double depth = std::max(half.x(), half.z());
    PopOptions asked = options;
    asked.blurPx = place.key.blurPx;
    return scorePop(finer, coarser, looks.bounds, std::max(metres + depth, 1.2 * depth + 1e-6), place.key.pixelScale,
                    asked, job);
}

Result<PopScore> scoreSwitch(const Subject& subject, const SwitchPlace& place, const PopOptions& options,
                             const JobContext& job) {
    if (job.cancelled())
        return cancelledError();
    return SwitchLooks(subject, place).score(place.key.metres, options, job);
}

} // namespace thicket
