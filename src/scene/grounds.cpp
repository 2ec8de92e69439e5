#include "scene/grounds.h"

#include "base/parallel.h"
#include "terrain/build_tree.h"

#include <algorithm>
#include <array>
#include <atomic>
#include <cmath>
#include <fmt/format.h>
#include <tuple>

namespace thicket {

Result<Subject> makeTerrain(std::string name, TerrainBody body, const JobContext& job,
                            std::shared_ptr<const TileTree> tree) {
    Subject out;
    out.name = std::move(name);
    out.role = Role::Horizon;
    out.rule.hysteresis = 0.3;
    out.rule.cullBelowPx = 0;
    auto source = body.source;
    if (!source && body.trial)
        source = std::make_shared<const Heights>(makeHeights(*body.trial));
    out.body = std::move(body);
    return withHeights(std::move(out), std::move(source), job, std::move(tree));
}

namespace {

void takeTree(Subject& terrain, std::shared_ptr<const TileTree> tree) {
    TerrainBody& body = std::get<TerrainBody>(terrain.body);
    body.tree = std::move(tree);
    std::tie(body.likeness, body.likenessSurfaces) = groundLikeness(*body.heights);
    refresh({}, terrain);
}

} // namespace

Result<Subject> withHeights(Subject terrain, std::shared_ptr<const Heights> source, const JobContext& job,
                            std::shared_ptr<const TileTree> tree) {
    TerrainBody& body = std::get<TerrainBody>(terrain.body);
    body.source = source;
    body.heights = std::move(source);
    if (tree && tree->cells != body.cells)
        tree.reset();
    for (const auto& stroke : body.strokes) {
        if (job.cancelled())
            return cancelledError();
        const Stroked laid = applyStroke(body.heights, *stroke);
        body.heights = laid.heights;
        if (tree && laid.touched.x1 >= laid.touched.x0)
            tree = editTileTree(tree, *body.heights, laid.touched);
    }
    if (!tree)
        return withTileSize(std::move(terrain), body.cells, job);
    takeTree(terrain, std::move(tree));
    return terrain;
}

Result<Subject> withTileSize(Subject terrain, std::uint32_t cells, const JobContext& job) {
    if (!isTileSize(cells))
        return Error{ErrorCode::BadInput, terrain.name, fmt::format("{} cells are no tile", cells),
                     "give an even number from 2 to 256"};
    TerrainBody& body = std::get<TerrainBody>(terrain.body);
    body.cells = cells;
    auto tree = buildTileTree(*body.heights, cells, job);
    if (!tree)
        return tree.error();
    takeTree(terrain, std::move(*tree));
    return terrain;
}

StrokeOutcome layStroke(const Subject& terrain, const GroundBefore& under, const GroundStroke& stroke, bool replacing) {
    StrokeOutcome out{terrain, 0, {1, 1, 0, 0}};
    TerrainBody& body = std::get<TerrainBody>(out.terrain.body);
    const Stroked laid = applyStroke(under.heights, stroke);
    out.touched = laid.touched;
    if (replacing)
        body.strokes.pop_back();
    body.strokes.push_back(std::make_shared<const GroundStroke>(stroke));
    body.heights = laid.heights;
    body.tree = under.tree;
    if (laid.touched.x1 >= laid.touched.x0)
        body.tree = editTileTree(under.tree, *laid.heights, laid.touched, &out.tiles);
    refresh({}, out.terrain);
    return out;
}

std::vector<LevelCost> groundCosts(const TerrainBody& body) {
    std::vector<LevelCost> out;
    if (!body.tree)
        return out;
    for (std::uint32_t level = 0; level < body.tree->levels.size(); ++level) {
        const double cell = static_cast<double>(std::uint64_t{1} << level) * body.tree->spacing;
        const double cells = std::min(1e6 / (cell * cell), 2e9);
        LevelCost cost;
        cost.triangles = static_cast<std::uint32_t>(std::max(1.0, 2 * cells));
        cost.vertices = static_cast<std::uint32_t>(std::max(1.0, cells));
        cost.draws = static_cast<std::uint32_t>(std::ceil(cells / (body.cells * body.cells)));
        cost.deviationMetres = static_cast<double>(body.tree->levels[level].typical);
        if (level < body.fixed.size())
            cost.fixed = body.fixed[level];
        out.push_back(cost);
    }
    return out;
}

ResolvedChain groundChain(const Subject& terrain, const View& view) {
    return resolveChain(groundCosts(*terrain.terrain()), loosened(terrain.rule, view.looser(terrain.id)),
                        terrain.bounds, terrain.radius, view);
}

TileRule tileRuleOf(const Subject& terrain, const View& view) {
    const TerrainBody& body = *terrain.terrain();
    const ResolvedChain chain = groundChain(terrain, view);
    TileRule rule;
    rule.allowPx = chain.rule.allowPx;
    rule.band = body.between == Passing::Sudden ? 0 : terrain.rule.hysteresis;
    rule.crossFade = body.between == Passing::CrossFade;
    rule.factor = chain.detail;
    rule.reach = terrain.rule.reachMetres;
    rule.margin = terrain.rule.marginMetres;
    rule.fromMetres.resize(chain.levels.size());
    for (std::size_t level = 1; level < chain.levels.size(); ++level)
        if (chain.levels[level].fixed)
            rule.fromMetres[level] = chain.fromMetres[level] / chain.detail;
    return rule;
}

std::pair<std::shared_ptr<const Mesh>, std::shared_ptr<const Surfaces>> groundLikeness(const Heights& heights) {
    constexpr std::uint32_t kSide = 48;
    Mesh mesh;
    std::array<MeshPart, 3> parts{};
    Surfaces surfaces;
    const std::uint32_t across = std::min(kSide, heights.columns - 1);
    const std::uint32_t down = std::min(kSide, heights.rows - 1);
    float low = 1e30F;
    float high = -1e30F;
    for (std::uint32_t j = 0; j <= down; ++j)
        for (std::uint32_t i = 0; i <= across; ++i) {
            const std::uint32_t x = i * (heights.columns - 1) / across;
            const std::uint32_t y = j * (heights.rows - 1) / down;
            const float h = heights.at(x, y);
            low = std::min(low, h);
            high = std::max(high, h);
            mesh.positions.emplace_back(static_cast<float>(x * heights.spacing), h,
                                        static_cast<float>(y * heights.spacing));
            mesh.normals.push_back(
                heights.normalAt(heights.origin.x() + x * heights.spacing, heights.origin.z() + y * heights.spacing)
                    .cast<float>());
        }
    // Its relief is made tall enough to be seen in a picture of some pixels.
    const auto wide = static_cast<float>(std::max(heights.width(), heights.depth()));
    const float taller = std::max(1.0F, 0.12F * wide / std::max(high - low, 1e-3F));
    for (Vec3f& p : mesh.positions)
        p.y() *= taller;
    std::array<std::vector<std::uint32_t>, 3> lists;
    for (std::uint32_t j = 0; j < down; ++j)
        for (std::uint32_t i = 0; i < across; ++i) {
            const std::uint32_t a = j * (across + 1) + i;
            const float h = (mesh.positions[a].y() / taller - low) / std::max(high - low, 1e-3F);
            std::vector<std::uint32_t>& to = lists[h < 0.33F ? 0 : h < 0.66F ? 1 : 2];
            for (const std::uint32_t v : {a, a + across + 1, a + 1, a + 1, a + across + 1, a + across + 2})
                to.push_back(v);
        }
    for (std::size_t k = 0; k < 3; ++k) {
        parts[k] = {mesh.triangleCount(), static_cast<std::uint32_t>(lists[k].size() / 3),
                    static_cast<std::uint32_t>(k)};
        mesh.indices.insert(mesh.indices.end(), lists[k].begin(), lists[k].end());
        if (parts[k].triangleCount > 0)
            mesh.parts.push_back(parts[k]);
        Material material;
        const Vec3f color = groundColor(low + (high - low) * (0.17F + 0.33F * static_cast<float>(k)), 1);
        material.baseColor = {color.x(), color.y(), color.z(), 1};
        surfaces.materials.push_back(material);
    }
    return {std::make_shared<const Mesh>(std::move(mesh)), std::make_shared<const Surfaces>(std::move(surfaces))};
}

Vec3f groundColor(float height, float up) {
    // Wet silt, mud, sand, salt grass, meadow; bare earth where it is steep.
    static const std::array<std::pair<float, Vec3f>, 6> kBands{{{-2.5F, {0.075F, 0.072F, 0.058F}},
                                                                {-0.4F, {0.15F, 0.128F, 0.093F}},
                                                                {0.5F, {0.27F, 0.225F, 0.15F}},
                                                                {1.3F, {0.155F, 0.165F, 0.07F}},
                                                                {4.0F, {0.105F, 0.135F, 0.05F}},
                                                                {12.0F, {0.16F, 0.165F, 0.085F}}}};
    Vec3f color = kBands.back().second;
    if (height <= kBands.front().first)
        color = kBands.front().second;
    else
        for (std::size_t i = 1; i < kBands.size(); ++i)
            if (height < kBands[i].first) {
                const float t = (height - kBands[i - 1].first) / (kBands[i].first - kBands[i - 1].first);
                color = kBands[i - 1].second * (1 - t) + kBands[i].second * t;
                break;
            }
    const float steep = std::clamp((0.93F - up) / 0.18F, 0.0F, 1.0F);
    return color * (1 - steep) + Vec3f(0.21F, 0.165F, 0.115F) * steep;
}

std::optional<double> groundHeight(const Scene& scene, double x, double z) {
    std::optional<double> out;
    for (const Subject& subject : scene.subjects)
        if (const TerrainBody* body = subject.terrain(); body != nullptr && body->heights)
            if (const auto height = body->heights->heightAt(x, z); height && (!out || *height > *out))
                out = height;
    return out;
}

StoodOnGround standOnGround(const Scene& scene, Placements copies) {
    constexpr std::size_t kTogether = 4096;
    StoodOnGround out{std::move(copies)};
    std::atomic<std::size_t> moved = 0;
    std::atomic<std::size_t> without = 0;
    parallelChunks(out.copies.size(), kTogether, [&](std::size_t from, std::size_t to) {
        for (std::size_t i = from; i < to; ++i) {
            Vec3d& at = out.copies[i].position;
            const auto height = groundHeight(scene, at.x(), at.z());
            without += height ? 0 : 1;
            if (height && *height != at.y()) {
                at.y() = *height;
                ++moved;
            }
        }
    });
    out.moved = moved;
    out.without = without;
    return out;
}

} // namespace thicket
