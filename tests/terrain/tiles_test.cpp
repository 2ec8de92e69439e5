// Tiles: no cracks, no point off by more than is allowed, neighbours one level apart, edits as if made from nothing.

#include "switching/select_tiles.h"
#include "terrain/build_tree.h"
#include "terrain/crack_check.h"
#include "terrain/make_heights.h"
#include "terrain/tile_grid.h"

#include <algorithm>
#include <cmath>
#include <gtest/gtest.h>
#include <map>
#include <random>
#include <set>

namespace thicket {
namespace {

Heights randomGround(std::mt19937& random, std::uint32_t columns, std::uint32_t rows, bool holes) {
    GroundRecipe recipe;
    recipe.columns = columns;
    recipe.rows = rows;
    recipe.spacing = 0.5 + static_cast<double>(random() % 4);
    recipe.feature = 40;
    recipe.relief = 40;
    recipe.seed = static_cast<std::uint32_t>(random());
    Heights h = makeHeights(recipe);
    for (std::uint32_t k = 0; k < 20; ++k) // cliffs and spikes
        h.grid.edit(static_cast<std::uint32_t>(random()) % rows)[random() % columns] +=
            static_cast<float>(random() % 30);
    if (holes) {
        std::vector<bool> missing(h.grid.size(), false);
        for (std::uint32_t k = 0; k < 12; ++k)
            missing[random() % missing.size()] = true;
        const std::uint32_t x = static_cast<std::uint32_t>(random()) % (columns / 2);
        const std::uint32_t y = static_cast<std::uint32_t>(random()) % (rows / 2);
        for (std::uint32_t j = y; j < y + rows / 4; ++j)
            for (std::uint32_t i = x; i < x + columns / 3; ++i)
                missing[std::size_t{j} * columns + i] = true;
        EXPECT_TRUE(makeHoles(h, missing, "heights"));
    }
    return h;
}

std::shared_ptr<const TileTree> treeOf(const Heights& h, std::uint32_t cells) {
    return *buildTileTree(h, cells, {});
}

View randomView(std::mt19937& random, const Heights& h) {
    std::uniform_real_distribution<double> unit(0, 1);
    View view;
    const double x = h.origin.x() + h.width() * (1.4 * unit(random) - 0.2);
    const double z = h.origin.z() + h.depth() * (1.4 * unit(random) - 0.2);
    const double y = 30 * unit(random) + (unit(random) < 0.3 ? 200 : 0);
    return lookAt(view, {x, y, z}, {x + unit(random) - 0.5, y - unit(random) * 0.5, z + unit(random) - 0.5});
}

TileCut cutOf(const std::shared_ptr<const TileTree>& tree, const View& view, const TileRule& rule) {
    TileState state;
    state.settle(tree);
    TileCut cut;
    selectTiles(view, rule, state, cut);
    return cut;
}

std::vector<Mesh> meshesOf(const Heights& h, const TileTree& tree, const TileCut& cut) {
    std::vector<Mesh> out;
    for (const DrawnTile& tile : cut.tiles)
        out.push_back(tileMesh(h, tree, tile.ref, tile.stitch));
    return out;
}

/// Height of a mesh over a place; very low where it has none.
class Drawn {
public:
    Drawn(const Heights& h, const std::vector<Mesh>& meshes) : m_heights(h), m_over(h.grid.size(), -1e30) {
        for (const Mesh& mesh : meshes)
            for (std::size_t t = 0; t < mesh.indices.size(); t += 3)
                take(mesh.positions[mesh.indices[t]].cast<double>(), mesh.positions[mesh.indices[t + 1]].cast<double>(),
                     mesh.positions[mesh.indices[t + 2]].cast<double>());
    }
    /// Largest distance of a drawn triangle from the height in a column and row; none drawn: negative.
    double over(std::uint32_t x, std::uint32_t y) const { return m_over[std::size_t{y} * m_heights.columns + x]; }

private:
    void take(const Vec3d& a, const Vec3d& b, const Vec3d& c) {
        const auto column = [&](double x) { return (x - m_heights.origin.x()) / m_heights.spacing; };
        const auto row = [&](double z) { return (z - m_heights.origin.z()) / m_heights.spacing; };
        const double area = (b.x() - a.x()) * (c.z() - a.z()) - (b.z() - a.z()) * (c.x() - a.x());
        EXPECT_LT(area, 0) << "a triangle that faces down or has no area";
        const auto lowX = static_cast<std::uint32_t>(std::lround(column(std::min({a.x(), b.x(), c.x()}))));
        const auto highX = static_cast<std::uint32_t>(std::lround(column(std::max({a.x(), b.x(), c.x()}))));
        const auto lowY = static_cast<std::uint32_t>(std::lround(row(std::min({a.z(), b.z(), c.z()}))));
        const auto highY = static_cast<std::uint32_t>(std::lround(row(std::max({a.z(), b.z(), c.z()}))));
        for (std::uint32_t y = lowY; y <= highY; ++y)
            for (std::uint32_t x = lowX; x <= highX; ++x) {
                const double px = m_heights.origin.x() + x * m_heights.spacing;
                const double pz = m_heights.origin.z() + y * m_heights.spacing;
                const double wb = ((px - a.x()) * (c.z() - a.z()) - (pz - a.z()) * (c.x() - a.x())) / area;
                const double wc = ((b.x() - a.x()) * (pz - a.z()) - (b.z() - a.z()) * (px - a.x())) / area;
                if (wb < -1e-9 || wc < -1e-9 || wb + wc > 1 + 1e-9)
                    continue;
                const double at = a.y() + (b.y() - a.y()) * wb + (c.y() - a.y()) * wc;
                double& off = m_over[std::size_t{y} * m_heights.columns + x];
                off = std::max(off, std::abs(at - m_heights.origin.y() - static_cast<double>(m_heights.at(x, y))));
            }
    }
    const Heights& m_heights;
    std::vector<double> m_over;
};

} // namespace

TEST(Stitching, all_sixteen_patterns_cover_a_tile_once_and_match_coarser_sides) {
    for (const std::uint32_t n : {2U, 4U, 6U, 16U, 64U})
        for (std::uint8_t stitch = 0; stitch < 16; ++stitch) {
            const auto triangles = stitchedTriangles(n, stitch);
            std::int64_t area = 0;
            std::set<std::pair<std::uint32_t, std::uint32_t>> used;
            for (std::size_t t = 0; t < triangles.size(); t += 3) {
                const auto x = [&](std::size_t k) { return static_cast<std::int64_t>(triangles[t + k] % (n + 1)); };
                const auto y = [&](std::size_t k) { return static_cast<std::int64_t>(triangles[t + k] / (n + 1)); };
                const std::int64_t twice = (y(1) - y(0)) * (x(2) - x(0)) - (x(1) - x(0)) * (y(2) - y(0));
                EXPECT_GT(twice, 0) << "of " << n << " stitched " << int(stitch);
                area += twice;
                for (std::size_t k = 0; k < 3; ++k)
                    used.emplace(x(k), y(k));
            }
            EXPECT_EQ(area, std::int64_t{2} * n * n) << "of " << n << " stitched " << int(stitch);
            for (std::uint32_t i = 1; i < n; ++i) {
                const bool odd = i % 2 == 1;
                EXPECT_EQ(used.contains({i, 0}), !(odd && (stitch & kNorth) != 0));
                EXPECT_EQ(used.contains({i, n}), !(odd && (stitch & kSouth) != 0));
                EXPECT_EQ(used.contains({0, i}), !(odd && (stitch & kWest) != 0));
                EXPECT_EQ(used.contains({n, i}), !(odd && (stitch & kEast) != 0));
            }
        }
}

TEST(Tiles, drawn_sets_have_no_cracks_and_every_height_is_within_the_allowance) {
    std::mt19937 random(11);
    const std::uint32_t sizes[] = {2, 4, 6, 8, 16, 32};
    std::uint64_t met = 0;
    std::uint32_t stitched = 0;
    for (int round = 0; round < 60; ++round) {
        const std::uint32_t cells = sizes[random() % 6];
        const Heights h = randomGround(random, 40 + static_cast<std::uint32_t>(random() % 120),
                                       40 + static_cast<std::uint32_t>(random() % 120), round % 3 == 0);
        const auto tree = treeOf(h, cells);
        TileRule rule;
        rule.cullView = false;
        rule.horizon = false;
        rule.band = 0;
        rule.allowPx = 1 + static_cast<double>(random() % 20);
        const View view = randomView(random, h);
        const TileCut cut = cutOf(tree, view, rule);
        const std::vector<Mesh> meshes = meshesOf(h, *tree, cut);
        const CrackReport cracks = findCracks(meshes);
        EXPECT_EQ(cracks.cracks, 0U) << cracks.first << " with tiles of " << cells << ", round " << round;
        met += cracks.edges;
        std::uint64_t triangles = 0;
        for (const Mesh& mesh : meshes)
            triangles += mesh.triangleCount();
        EXPECT_EQ(triangles, cut.triangles) << "what is counted is drawn, round " << round;
        for (const DrawnTile& tile : cut.tiles)
            stitched += tile.stitch != 0 ? 1 : 0;
        const Drawn drawn(h, meshes);
        for (std::uint32_t y = 0; y < h.rows; ++y)
            for (std::uint32_t x = 0; x < h.columns; ++x) {
                const bool ground = (x < h.columns - 1 && y < h.rows - 1 && !h.holeAt(x, y)) ||
                                    (x > 0 && y > 0 && !h.holeAt(x - 1, y - 1));
                const double off = drawn.over(x, y);
                if (!ground)
                    continue;
                if (!h.holes) {
                    ASSERT_GE(off, 0) << "no ground is drawn in column " << x << ", row " << y;
                }
                const Vec3d at(h.origin.x() + x * h.spacing, static_cast<double>(h.at(x, y)),
                               h.origin.z() + y * h.spacing);
                ASSERT_LE(off * view.pixelScale() / (at - view.eye).norm(), rule.allowPx * 1.001 + 1e-4)
                    << "column " << x << ", row " << y << ", round " << round << ", tiles of " << cells;
            }
    }
    EXPECT_GT(met, 10000U);
    EXPECT_GT(stitched, 200U);
}

TEST(Tiles, errors_are_those_of_the_heights_and_not_larger_than_need_be) {
    std::mt19937 random(5);
    const Heights h = randomGround(random, 97, 70, false);
    const auto tree = treeOf(h, 8);
    for (std::uint32_t i = 0; i < tree->tiles.size(); ++i) {
        const TileTree::Ref r = tree->refOf(i);
        const std::vector<Mesh> one{tileMesh(h, *tree, r, 0)};
        const Drawn drawn(h, one);
        double worst = 0;
        for (std::uint32_t y = 0; y < h.rows; ++y)
            for (std::uint32_t x = 0; x < h.columns; ++x)
                worst = std::max(worst, drawn.over(x, y));
        EXPECT_LE(worst, static_cast<double>(tree->tiles[i].error) + 1e-3);
        if (r.level == 1) { // nothing below or beside it has a say
            EXPECT_NEAR(worst, static_cast<double>(tree->tiles[i].error), 1e-3);
        }
    }
    EXPECT_GT(tree->tiles.back().error, 1);
}

TEST(Tiles, a_cross_fade_chooses_as_morphing_does_and_counts_both_levels) {
    std::mt19937 random(8);
    std::uniform_real_distribution<double> unit(-1, 1);
    std::uint32_t fading = 0;
    for (int look = 0; look < 12; ++look) {
        const auto tree = treeOf(randomGround(random, 280, 240, look % 2 == 1), 16);
        const Vec3d eye(60 * unit(random), 30 + 20 * unit(random), 60 * unit(random));
        const View view = lookAt(View(), eye, eye + Vec3d(unit(random), -0.4, unit(random)));
        TileRule rule;
        rule.allowPx = 3;
        const TileCut morphs = cutOf(tree, view, rule);
        rule.crossFade = true;
        const TileCut fades = cutOf(tree, view, rule);
        ASSERT_EQ(fades.tiles.size(), morphs.tiles.size());
        std::uint64_t twice = 0;
        std::uint32_t both = 0;
        for (std::size_t i = 0; i < fades.tiles.size(); ++i) {
            const DrawnTile& tile = fades.tiles[i];
            EXPECT_EQ(tile.ref, morphs.tiles[i].ref);
            EXPECT_EQ(tile.morph, morphs.tiles[i].morph);
            EXPECT_EQ(tile.edges, morphs.tiles[i].edges);
            if (tile.morph > 0 && tile.morph < 1) {
                twice += tree->trianglesOf(tile.ref, tile.stitch);
                ++both;
            }
        }
        EXPECT_EQ(fades.triangles, morphs.triangles + twice);
        EXPECT_EQ(fades.fading, both);
        EXPECT_EQ(morphs.fading, 0U);
        fading += both;
    }
    EXPECT_GT(fading, 12U) << "there must be some to be seen";
}

TEST(Tiles, what_was_drawn_before_is_no_matter_and_what_changed_is_said) {
    std::mt19937 random(3);
    std::uniform_real_distribution<double> unit(-1, 1);
    for (int flight = 0; flight < 6; ++flight) {
        const Heights h = randomGround(random, 300, 220, flight % 2 == 1);
        const auto tree = treeOf(h, 16);
        TileState kept;
        kept.settle(tree);
        TileRule rule;
        rule.allowPx = 4;
        rule.reach = flight == 3 ? 200 : 0;
        rule.horizon = flight != 4;
        std::map<std::uint32_t, std::uint8_t> shown;
        View view;
        Vec3d eye(0, 40, 0);
        Vec3d towards(1, 0, 0);
        for (int frame = 0; frame < 120; ++frame) {
            towards = (towards + 0.2 * Vec3d(unit(random), 0.3 * unit(random), unit(random))).normalized();
            eye += 4 * towards;
            view = lookAt(view, eye, eye + towards - Vec3d(0, 0.3, 0));
            TileCut cut;
            selectTiles(view, rule, kept, cut);
            const TileCut fresh = cutOf(tree, view, rule);
            ASSERT_EQ(cut.tiles.size(), fresh.tiles.size());
            for (std::size_t i = 0; i < cut.tiles.size(); ++i) {
                ASSERT_EQ(cut.tiles[i].ref, fresh.tiles[i].ref);
                ASSERT_EQ(cut.tiles[i].stitch, fresh.tiles[i].stitch);
                ASSERT_EQ(cut.tiles[i].morph, fresh.tiles[i].morph);
                ASSERT_EQ(cut.tiles[i].edges, fresh.tiles[i].edges);
            }
            for (const TileTree::Ref r : cut.removed)
                ASSERT_EQ(shown.erase(tree->index(r)), 1U);
            std::map<std::uint32_t, std::uint8_t> now;
            for (const DrawnTile& tile : cut.tiles)
                now[tree->index(tile.ref)] = tile.stitch;
            for (const TileTree::Ref r : cut.added)
                ASSERT_TRUE(shown.emplace(tree->index(r), now[tree->index(r)]).second);
            for (const TileTree::Ref r : cut.restitched)
                shown[tree->index(r)] = now[tree->index(r)];
            ASSERT_EQ(shown, now);
        }
    }
}

TEST(Tiles, neighbours_are_one_level_apart_and_sides_agree_on_where_their_points_are) {
    std::mt19937 random(8);
    int unlike = 0;
    for (int round = 0; round < 30; ++round) {
        const Heights h = randomGround(random, 200, 260, false);
        const auto tree = treeOf(h, 8);
        TileRule rule;
        rule.allowPx = 2 + round;
        rule.cullView = round % 2 == 0;
        if (round % 5 == 0)
            rule.fromMetres = {std::nullopt, 30, 34, 90};
        const View view = randomView(random, h);
        const TileCut cut = cutOf(tree, view, rule);
        std::map<std::uint32_t, const DrawnTile*> byIndex;
        for (const DrawnTile& tile : cut.tiles)
            byIndex[tree->index(tile.ref)] = &tile;
        for (const DrawnTile& tile : cut.tiles)
            for (std::size_t side = 0; side < 4; ++side) {
                const TileTree::Ref beside{tile.ref.level, tile.ref.x + static_cast<std::uint32_t>(kSideX[side]),
                                           tile.ref.y + static_cast<std::uint32_t>(kSideY[side])};
                const TileTree::Level& row = tree->levels[tile.ref.level];
                if (beside.x >= row.across || beside.y >= row.down)
                    continue;
                if (const auto equal = byIndex.find(tree->index(beside)); equal != byIndex.end()) {
                    EXPECT_EQ(tile.edges[side], equal->second->edges[(side + 2) % 4]);
                    EXPECT_EQ(tile.stitch & kSides[side], 0);
                    continue;
                }
                TileTree::Ref up = beside;
                while (up.level + 1 < tree->levels.size() && !byIndex.contains(tree->index(up)))
                    up = {up.level + 1, up.x / 2, up.y / 2};
                if (!byIndex.contains(tree->index(up)))
                    continue;
                EXPECT_EQ(up.level, tile.ref.level + 1);
                EXPECT_NE(tile.stitch & kSides[side], 0);
                EXPECT_EQ(byIndex[tree->index(up)]->edges[(side + 2) % 4], 0);
                ++unlike;
            }
    }
    EXPECT_GT(unlike, 500);
}

TEST(Tiles, what_the_horizon_hides_cannot_be_seen) {
    GroundRecipe recipe;
    recipe.columns = recipe.rows = 257;
    recipe.relief = 90;
    recipe.feature = 120;
    const Heights h = makeHeights(recipe);
    const auto tree = treeOf(h, 8);
    TileRule rule;
    rule.allowPx = 2;
    std::mt19937 random(2);
    std::uint32_t hidden = 0;
    for (int round = 0; round < 25; ++round) {
        View view = randomView(random, h);
        const double ground = h.heightAt(view.eye.x(), view.eye.z()).value_or(0);
        view.eye.y() = ground + 2;
        const TileCut cut = cutOf(tree, view, rule);
        TileRule open = rule;
        open.horizon = false;
        const TileCut all = cutOf(tree, view, open);
        hidden += cut.hidden;
        std::set<std::uint32_t> drawn;
        for (const DrawnTile& tile : cut.tiles)
            drawn.insert(tree->index(tile.ref));
        for (const DrawnTile& tile : all.tiles) {
            if (drawn.contains(tree->index(tile.ref)))
                continue;
            // No height of it may be in sight: the finest ground is above the line to it somewhere.
            const std::uint32_t step = 1U << tile.ref.level;
            for (std::uint32_t j = 0; j <= tree->cells; j += 4)
                for (std::uint32_t i = 0; i <= tree->cells; i += 4) {
                    const std::uint32_t x = sampleAt(*tree, tile.ref.level, tile.ref.x, i, h.columns);
                    const std::uint32_t y = sampleAt(*tree, tile.ref.level, tile.ref.y, j, h.rows);
                    const Vec3d to(h.origin.x() + x, static_cast<double>(h.at(x, y)), h.origin.z() + y);
                    bool blocked = false;
                    for (int k = 1; k < 2000 && !blocked; ++k) {
                        const Vec3d p = view.eye + (to - view.eye) * (k / 2000.0);
                        // The levels drawn may be off by their errors.
                        blocked = h.heightAt(p.x(), p.z()).value_or(-1e9) > p.y() - 1.0;
                    }
                    EXPECT_TRUE(blocked) << "level " << tile.ref.level << " step " << step;
                }
        }
    }
    EXPECT_GT(hidden, 20U);
}

TEST(Tiles, an_edit_is_the_same_as_a_tree_from_nothing) {
    std::mt19937 random(21);
    for (int round = 0; round < 12; ++round) {
        Heights h = randomGround(random, 180, 130, round % 3 == 0);
        auto tree = treeOf(h, round % 2 == 0 ? 8 : 16);
        for (int stroke = 0; stroke < 6; ++stroke) {
            const auto x0 = static_cast<std::uint32_t>(random() % (h.columns - 20));
            const auto y0 = static_cast<std::uint32_t>(random() % (h.rows - 20));
            const HeightRect edited{x0, y0, x0 + static_cast<std::uint32_t>(random() % 20),
                                    y0 + static_cast<std::uint32_t>(random() % 20)};
            for (std::uint32_t y = edited.y0; y <= edited.y1; ++y)
                for (std::uint32_t x = edited.x0; x <= edited.x1; ++x)
                    h.grid.edit(y)[x] += static_cast<float>(random() % 100) * 0.1F - 5;
            std::uint32_t touched = 0;
            tree = editTileTree(tree, h, edited, &touched);
            const auto anew = treeOf(h, tree->cells);
            ASSERT_EQ(tree->tiles.size(), anew->tiles.size());
            EXPECT_LT(touched, tree->tiles.size());
            for (std::size_t i = 0; i < tree->tiles.size(); ++i) {
                const TileTree::Tile& a = tree->tiles[i];
                const TileTree::Tile& b = anew->tiles[i];
                ASSERT_EQ(a.error, b.error) << i;
                ASSERT_EQ(a.low, b.low);
                ASSERT_EQ(a.high, b.high);
                ASSERT_EQ(a.reachLow, b.reachLow);
                ASSERT_EQ(a.reachHigh, b.reachHigh);
                ASSERT_EQ(a.triangles, b.triangles);
            }
        }
    }
}

TEST(Tiles, the_crack_check_finds_what_is_wrong) {
    std::mt19937 random(4);
    const Heights h = randomGround(random, 129, 129, false);
    const auto tree = treeOf(h, 16);
    TileRule rule;
    rule.cullView = rule.horizon = false;
    rule.allowPx = 12;
    const TileCut cut = cutOf(tree, lookAt({}, {-60, 20, -60}, {0, 0, 0}), rule);
    std::vector<Mesh> meshes;
    std::size_t unstitched = 0;
    for (const DrawnTile& tile : cut.tiles) {
        meshes.push_back(tileMesh(h, *tree, tile.ref, 0));
        unstitched += tile.stitch != 0 ? 1 : 0;
    }
    ASSERT_GT(unstitched, 0U);
    EXPECT_GT(findCracks(meshes).cracks, 0U);
    std::vector<Mesh> whole = meshesOf(h, *tree, cut);
    EXPECT_EQ(findCracks(whole).cracks, 0U);
    whole.front().positions.front().y() += 1;
    EXPECT_GT(findCracks(whole).cracks, 0U);
}

} // namespace thicket
