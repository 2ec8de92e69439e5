#include "app/viewport/ground_tiles.h"

#include "base/parallel.h"

#include <algorithm>
#include <array>
#include <chrono>
#include <functional>
#include <optional>
#include <set>

namespace thicket::app {
namespace {

std::size_t bytesOf(const GroundMesh& tile) {
    return tile.mesh.bytes() + tile.extras.size() * sizeof(float) + (tile.lighter ? bytesOf(*tile.lighter) : 0);
}

} // namespace

/// Marks tiles that an edit has changed; forgets all of them where the ground is another one.
void GroundTiles::follow(std::uint32_t subject, const std::shared_ptr<const TileTree>& tree) {
    auto& known = m_trees[subject];
    if (known == tree)
        return;
    const bool alike = known && known->tiles.size() == tree->tiles.size() && known->columns == tree->columns &&
                       known->cells == tree->cells && known->origin == tree->origin && known->spacing == tree->spacing;
    // Where it differs from what is known: of an edit, and of one that takes the place of another.
    std::optional<TileTree::Rect> edited;
    const auto before = tree->editedFrom.lock();
    if (alike && before && before == known) {
        edited = tree->edited;
    } else if (alike && before && before == known->editedFrom.lock()) {
        const TileTree::Rect& a = tree->edited;
        const TileTree::Rect& b = known->edited;
        edited = TileTree::Rect{std::min(a.x0, b.x0), std::min(a.y0, b.y0), std::max(a.x1, b.x1), std::max(a.y1, b.y1)};
    }
    const auto apart = [&](TileTree::Ref r) {
        const std::uint64_t side = std::uint64_t{tree->cells} << r.level;
        // Normals and coarser places look one point further.
        const std::uint64_t wider = (std::uint64_t{2} << r.level) + 1;
        return r.x * side > edited->x1 + wider || (r.x + 1) * side + wider < edited->x0 ||
               r.y * side > edited->y1 + wider || (r.y + 1) * side + wider < edited->y0;
    };
    for (auto at = m_tiles.lower_bound({subject, 0, 0}); at != m_tiles.end() && at->first.subject == subject;) {
        if (alike) { // until it is made again a tile stands in for itself
            at->second.stale = at->second.stale || !edited || !apart(tree->refOf(at->first.tile));
            ++at;
        } else {
            m_bytes -= bytesOf(*at->second.mesh);
            at = m_tiles.erase(at);
        }
    }
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

GroundTiles::Kept* GroundTiles::anyOf(std::uint32_t subject, std::uint32_t tile) {
    const auto found = m_tiles.lower_bound({subject, tile, 0});
    return found != m_tiles.end() && found->first.subject == subject && found->first.tile == tile ? &found->second
                                                                                                  : nullptr;
}

void GroundTiles::keep(const Key& key, std::shared_ptr<const GroundMesh> mesh) {
    Kept& kept = m_tiles[key];
    if (kept.mesh)
        m_bytes -= bytesOf(*kept.mesh);
    m_bytes += bytesOf(*mesh);
    kept.mesh = std::move(mesh);
    kept.stale = false;
}

void GroundTiles::takeMade() {
    for (TileMaker::Made& made : m_maker.take())
        if (const auto known = m_trees.find(made.of.subject);
            known != m_trees.end() && known->second == made.of.tree) // of ground that is another one now: not
            keep({made.of.subject, made.of.tree->index(made.of.ref), made.of.stitch}, std::move(made.mesh));
}

/// What is not there yet of a selection: those above its tiles first, the highest before all, since they stand in for
/// others; then the tiles, nearest first.
std::vector<GroundTiles::Missing> GroundTiles::missingOf(const Ground& ground, const std::vector<DrawnTile>& tiles) {
    const TileTree& tree = *ground.tree;
    std::vector<Missing> out;
    std::set<std::uint32_t, std::greater<>> above; // those of coarser levels have the larger numbers
    for (const DrawnTile& tile : tiles)
        for (TileTree::Ref up = tile.ref; up.level + 1 < tree.levels.size();) {
            up = {up.level + 1, up.x / 2, up.y / 2};
            if (!above.insert(tree.index(up)).second)
                break;
        }
    for (const std::uint32_t index : above) {
        if (Kept* kept = anyOf(ground.subject, index))
            kept->used = m_picture;
        else
            out.push_back({tree.refOf(index), 0});
    }
    for (const DrawnTile& tile : tiles) {
        const auto found = m_tiles.find({ground.subject, tree.index(tile.ref), tile.stitch});
        if (found == m_tiles.end() || found->second.stale)
            out.push_back({tile.ref, tile.stitch});
    }
    return out;
}

/// Makes what is missing here and now while that takes no longer than a frame allows; the rest is wanted.
void GroundTiles::makeSome(const Ground& ground, const std::vector<Missing>& missing,
                           std::vector<TileMaker::Wanted>& wanted) {
    constexpr std::chrono::milliseconds kHere{8};
    constexpr std::size_t kTogether = 4;
    const auto start = std::chrono::steady_clock::now();
    std::size_t next = 0;
    // What lies in a file may have to be fetched from the disk, which takes as long as it takes.
    while (!ground.body->heights->grid.stored() && next < missing.size() &&
           std::chrono::steady_clock::now() - start < kHere) {
        const std::size_t count = std::min(kTogether, missing.size() - next);
        std::array<std::shared_ptr<const GroundMesh>, kTogether> fresh;
        parallelChunks(count, 1, [&](std::size_t from, std::size_t to) {
            for (std::size_t i = from; i < to; ++i)
                fresh[i] = makeGroundTile(*ground.body->heights, *ground.tree, missing[next + i].ref,
                                          missing[next + i].stitch);
        });
        for (std::size_t i = 0; i < count; ++i)
            keep({ground.subject, ground.tree->index(missing[next + i].ref), missing[next + i].stitch},
                 std::move(fresh[i]));
        next += count;
    }
    m_made += next;
    for (; next < missing.size(); ++next)
        wanted.push_back({ground.subject, ground.body->heights, ground.tree, missing[next].ref, missing[next].stitch});
}

void GroundTiles::draw(const Ground& ground, const DrawnTile& tile, Kept& kept, std::vector<DrawItem>& out) const {
    kept.used = m_picture;
    if (kept.mesh->mesh.indices.empty())
        return;
    DrawItem item;
    item.ground = kept.mesh;
    for (int i = 0; i < ground.halvings && item.ground->lighter; ++i)
        item.ground = item.ground->lighter;
    item.mesh = {item.ground, &item.ground->mesh};
    item.level = static_cast<int>(tile.ref.level);
    item.morph = tile.morph;
    item.morphEdges = tile.edges;
    item.errorShare = static_cast<float>(static_cast<double>(tile.errorPx) / ground.allowPx);
    const TileTree& tree = *ground.tree;
    const double side = static_cast<double>(std::uint64_t{tree.cells} << tile.ref.level) * tree.spacing;
    item.model.translate(static_cast<float>(tree.origin.x() + tile.ref.x * side), static_cast<float>(tree.origin.y()),
                         static_cast<float>(tree.origin.z() + tile.ref.y * side));
    if (ground.crossFade && tile.morph > 0 && tile.morph < 1) {
        DrawItem coarser = item;
        item.morph = 0;
        item.fade = 1 - tile.morph;
        coarser.morph = 1;
        coarser.fade = -item.fade; // in the pixels that the finer one leaves
        out.push_back(std::move(coarser));
    }
    out.push_back(std::move(item));
}

/// The tiles of a selection, and of those that are not there yet what covers the same ground: their quarters where
/// these were drawn before, else the nearest of those above.
void GroundTiles::drawAll(const Ground& ground, const std::vector<DrawnTile>& tiles, std::vector<DrawItem>& out) {
    const TileTree& tree = *ground.tree;
    const auto keptOf = [&](const DrawnTile& tile) -> Kept* {
        const auto found = m_tiles.find({ground.subject, tree.index(tile.ref), tile.stitch});
        return found != m_tiles.end() ? &found->second : nullptr;
    };
    const auto quartersOf = [&](TileTree::Ref r) {
        std::vector<std::pair<TileTree::Ref, Kept*>> out4;
        if (r.level == 0)
            return out4;
        const TileTree::Level& below = tree.levels[r.level - 1];
        for (std::uint32_t k = 0; k < 4; ++k) {
            const TileTree::Ref child{r.level - 1, 2 * r.x + (k & 1U), 2 * r.y + (k >> 1U)};
            if (child.x >= below.across || child.y >= below.down)
                continue;
            Kept* kept = anyOf(ground.subject, tree.index(child));
            if (kept == nullptr)
                return std::vector<std::pair<TileTree::Ref, Kept*>>();
            out4.emplace_back(child, kept);
        }
        return out4;
    };
    // What stands in for a tile from above covers all that lies below it.
    std::set<std::uint32_t> standIns;
    for (const DrawnTile& tile : tiles) {
        if (keptOf(tile) != nullptr || anyOf(ground.subject, tree.index(tile.ref)) != nullptr ||
            !quartersOf(tile.ref).empty())
            continue;
        for (TileTree::Ref up = tile.ref; up.level + 1 < tree.levels.size();) {
            up = {up.level + 1, up.x / 2, up.y / 2};
            if (anyOf(ground.subject, tree.index(up)) == nullptr)
                continue;
            standIns.insert(tree.index(up));
            break;
        }
    }
    std::set<std::uint32_t> shown;
    for (const DrawnTile& tile : tiles) {
        std::optional<TileTree::Ref> under; // the highest that covers it
        for (TileTree::Ref up = tile.ref; !standIns.empty() && up.level + 1 < tree.levels.size();) {
            up = {up.level + 1, up.x / 2, up.y / 2};
            if (standIns.contains(tree.index(up)))
                under = up;
        }
        if (under) {
            if (shown.insert(tree.index(*under)).second) {
                DrawnTile coarse;
                coarse.ref = *under;
                draw(ground, coarse, *anyOf(ground.subject, tree.index(*under)), out);
            }
        } else if (Kept* kept = keptOf(tile)) {
            draw(ground, tile, *kept, out);
        } else if (Kept* other = anyOf(ground.subject, tree.index(tile.ref))) {
            draw(ground, tile, *other, out);
        } else {
            for (const auto& [ref, quarter] : quartersOf(tile.ref)) {
                DrawnTile fine;
                fine.ref = ref;
                draw(ground, fine, *quarter, out);
            }
        }
    }
}

void GroundTiles::add(const Scene& scene, const SelectInput& input, const Selection& selection, int halvings,
                      std::vector<DrawItem>& out) {
    ++m_picture;
    m_made = 0;
    takeMade();
    std::vector<TileMaker::Wanted> wanted;
    for (std::size_t g = 0; g < input.grounds.size() && g < selection.grounds.size(); ++g) {
        const GroundBatch& batch = input.grounds[g];
        const Subject& subject = scene.subjects[batch.subject];
        const TerrainBody* body = subject.terrain();
        if (body == nullptr || body->tree != batch.tree)
            continue;
        follow(subject.id, batch.tree);
        const Ground ground{subject.id, body, batch.tree, batch.rule.allowPx, batch.rule.crossFade, halvings};
        const std::vector<DrawnTile>& tiles = selection.grounds[g].tiles;
        makeSome(ground, missingOf(ground, tiles), wanted);
        drawAll(ground, tiles, out);
    }
    m_waiting = wanted.size();
    m_maker.want(std::move(wanted));
    makeRoom();
}

} // namespace thicket::app
