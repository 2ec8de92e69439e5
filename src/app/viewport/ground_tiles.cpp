#include "app/viewport/ground_tiles.h"

#include "base/parallel.h"
#include "scene/grounds.h"
#include "terrain/tile_grid.h"

#include <algorithm>

namespace thicket::app {
namespace {

/// The number of a grid's point: 0 inside, else 1 + the side it lies on, in the order of kSides.
float sideOf(std::uint32_t cells, std::uint32_t i, std::uint32_t j) {
    return j == 0 ? 1.0F : i == cells ? 2.0F : j == cells ? 3.0F : i == 0 ? 4.0F : 0.0F;
}

/// A tile relative to its north-west corner at height 0.
std::shared_ptr<const GroundMesh> makeTile(const Heights& heights, const TileTree& tree, TileTree::Ref ref,
                                           std::uint8_t stitch) {
    const std::uint32_t n = tree.cells;
    TilePoints points = tilePoints(heights, tree, ref);
    auto out = std::make_shared<GroundMesh>();
    Mesh& mesh = out->mesh;
    mesh.indices = tileTriangles(heights, tree, ref, stitch);
    mesh.normals = std::move(points.normals);
    mesh.positions.reserve(points.heights.size());
    out->extras.reserve(5 * points.heights.size());
    const std::uint32_t x0 = sampleAt(tree, ref.level, ref.x, 0, heights.columns);
    const std::uint32_t y0 = sampleAt(tree, ref.level, ref.y, 0, heights.rows);
    for (std::uint32_t j = 0; j <= n; ++j)
        for (std::uint32_t i = 0; i <= n; ++i) {
            const std::size_t at = mesh.positions.size();
            const std::uint32_t x = sampleAt(tree, ref.level, ref.x, i, heights.columns);
            const std::uint32_t y = sampleAt(tree, ref.level, ref.y, j, heights.rows);
            mesh.positions.emplace_back(static_cast<float>((x - x0) * tree.spacing), points.heights[at],
                                        static_cast<float>((y - y0) * tree.spacing));
            const Vec3f color = groundColor(points.heights[at], mesh.normals[at].y());
            for (const float v :
                 {points.coarser[at] - points.heights[at], sideOf(n, i, j), color.x(), color.y(), color.z()})
                out->extras.push_back(v);
        }
    mesh.parts = {{0, mesh.triangleCount(), 0}};
    return out;
}

std::size_t bytesOf(const GroundMesh& tile) {
    return tile.mesh.bytes() + tile.extras.size() * sizeof(float);
}

} // namespace

/// Forgets tiles that an edit has changed; all of them where the ground is another one.
void GroundTiles::follow(std::uint32_t subject, const std::shared_ptr<const TileTree>& tree) {
    auto& known = m_trees[subject];
    if (known == tree)
        return;
    const auto before = tree->editedFrom.lock();
    const bool edited = known && before == known;
    std::erase_if(m_tiles, [&](const auto& entry) {
        if (entry.first.subject != subject)
            return false;
        if (edited) {
            const TileTree::Ref r = tree->refOf(entry.first.tile);
            const TileTree::Rect& e = tree->edited;
            const std::uint64_t side = std::uint64_t{tree->cells} << r.level;
            // Normals and coarser places look one point further.
            const std::uint64_t wider = (std::uint64_t{2} << r.level) + 1;
            const bool apart = r.x * side > e.x1 + wider || (r.x + 1) * side + wider < e.x0 ||
                               r.y * side > e.y1 + wider || (r.y + 1) * side + wider < e.y0;
            if (apart)
                return false;
        }
        m_bytes -= bytesOf(*entry.second.mesh);
        return true;
    });
    known = tree;
}

/// What was not drawn for longest goes first.
void GroundTiles::makeRoom() {
    if (m_bytes <= kMostBytes)
        return;
    std::vector<std::pair<std::uint64_t, Key>> old;
    for (const auto& [key, kept] : m_tiles)
        if (kept.used != m_picture)
            old.emplace_back(kept.used, key);
    std::sort(old.begin(), old.end());
    for (const auto& [used, key] : old) {
        if (m_bytes <= kMostBytes * 3 / 4)
            break;
        const auto found = m_tiles.find(key);
        m_bytes -= bytesOf(*found->second.mesh);
        m_tiles.erase(found);
    }
}

void GroundTiles::add(const Scene& scene, const SelectInput& input, const Selection& selection,
                      std::vector<DrawItem>& out) {
    ++m_picture;
    m_made = 0;
    for (std::size_t g = 0; g < input.grounds.size() && g < selection.grounds.size(); ++g) {
        const GroundBatch& ground = input.grounds[g];
        const Subject& subject = scene.subjects[ground.subject];
        const TerrainBody* body = subject.terrain();
        if (body == nullptr || body->tree != ground.tree)
            continue;
        follow(subject.id, ground.tree);
        const std::vector<DrawnTile>& tiles = selection.grounds[g].tiles;
        std::vector<const DrawnTile*> missing;
        for (const DrawnTile& tile : tiles)
            if (!m_tiles.contains({subject.id, ground.tree->index(tile.ref), tile.stitch}))
                missing.push_back(&tile);
        m_made += missing.size();
        std::vector<std::shared_ptr<const GroundMesh>> fresh(missing.size());
        parallelChunks(missing.size(), 1, [&](std::size_t from, std::size_t to) {
            for (std::size_t i = from; i < to; ++i)
                fresh[i] = makeTile(*body->heights, *ground.tree, missing[i]->ref, missing[i]->stitch);
        });
        for (std::size_t i = 0; i < missing.size(); ++i) {
            m_bytes += bytesOf(*fresh[i]);
            m_tiles[{subject.id, ground.tree->index(missing[i]->ref), missing[i]->stitch}].mesh = std::move(fresh[i]);
        }
        const double spacing = ground.tree->spacing;
        for (const DrawnTile& tile : tiles) {
            Kept& kept = m_tiles[{subject.id, ground.tree->index(tile.ref), tile.stitch}];
            kept.used = m_picture;
            if (kept.mesh->mesh.indices.empty())
                continue;
            DrawItem item;
            item.ground = kept.mesh;
            item.mesh = {kept.mesh, &kept.mesh->mesh};
            item.level = static_cast<int>(tile.ref.level);
            item.morph = tile.morph;
            item.morphEdges = tile.edges;
            const double side = static_cast<double>(std::uint64_t{ground.tree->cells} << tile.ref.level) * spacing;
            item.model.translate(static_cast<float>(ground.tree->origin.x() + tile.ref.x * side),
                                 static_cast<float>(ground.tree->origin.y()),
                                 static_cast<float>(ground.tree->origin.z() + tile.ref.y * side));
            out.push_back(std::move(item));
        }
    }
    makeRoom();
}

} // namespace thicket::app
