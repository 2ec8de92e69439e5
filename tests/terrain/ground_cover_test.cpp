// What ground hides: never anything that would be seen, and enough to be worth asking.

#include "support/rays.h"
#include "switching/copies.h"
#include "switching/copy_distance.h"
#include "switching/ground_cover.h"
#include "terrain/build_tree.h"
#include "terrain/make_heights.h"
#include "terrain/measure_lows.h"
#include "terrain/tile_grid.h"

#include <algorithm>
#include <cmath>
#include <gtest/gtest.h>
#include <random>

namespace thicket {
namespace {

Heights hills(std::uint32_t side, unsigned seed, bool holes) {
    GroundRecipe recipe;
    recipe.columns = recipe.rows = side;
    recipe.relief = 40;
    recipe.feature = 60;
    recipe.seed = seed;
    Heights h = makeHeights(recipe);
    if (holes) {
        std::vector<bool> missing(h.grid.size(), false);
        for (std::uint32_t y = side / 3; y < side / 2; ++y)
            for (std::uint32_t x = side / 4; x < side / 2; ++x)
                missing[std::size_t{y} * side + x] = true;
        EXPECT_TRUE(makeHoles(h, missing, "heights"));
    }
    return h;
}

/// Level ground of so many heights a side, a metre apart, with a ridge across it in those rows.
Heights ridge(std::uint32_t side, std::uint32_t from, std::uint32_t to, float height) {
    Heights h;
    h.columns = h.rows = side;
    h.grid = HeightGrid(side, side);
    centreHeights(h);
    for (std::uint32_t y = from; y < to; ++y)
        std::fill_n(h.grid.edit(y), side, height);
    return h;
}

TEST(GroundCover, what_is_hidden_cannot_be_seen_past_the_tiles_that_are_drawn) {
    std::uint32_t hidden = 0;
    std::uint32_t asked = 0;
    for (unsigned seed = 1; seed <= 12; ++seed) {
        std::mt19937 random(seed);
        std::uniform_real_distribution<double> unit(0, 1);
        const Heights h = hills(129, seed, seed % 4 == 0);
        const auto tree = *buildTileTree(h, 8, {});
        TileRule rule;
        rule.allowPx = seed % 3 == 0 ? 12 : 1.5; // coarse tiles cut through hills
        rule.band = 0;
        for (int round = 0; round < 6; ++round) {
            View view;
            view.aspect = 1.6;
            view.farMetres = 1000;
            const double x = h.origin.x() + h.width() * unit(random);
            const double z = h.origin.z() + h.depth() * unit(random);
            const double y = h.heightAt(x, z).value_or(0) + 1 + 6 * unit(random);
            view = lookAt(view, {x, y, z},
                          {x + unit(random) - 0.5, y + 0.4 * (unit(random) - 0.7), z + unit(random) - 0.5});
            if (round % 2 == 1) // a camera that is tilted sideways
                view.up = (view.up + (unit(random) - 0.5) * view.forward.cross(view.up)).normalized();
            TileState state;
            state.settle(tree);
            TileCut cut;
            selectTiles(view, rule, state, cut);
            std::vector<Mesh> meshes;
            for (const DrawnTile& tile : cut.tiles)
                meshes.push_back(tileMesh(h, *tree, tile.ref, tile.stitch));
            GroundCover cover;
            cover.look(view, tree, rule, cut);
            const Frustum frustum = frustumOf(view);
            for (int k = 0; k < 60; ++k) {
                const double bx = h.origin.x() + h.width() * unit(random);
                const double bz = h.origin.z() + h.depth() * unit(random);
                const Vec3d half(0.2 + unit(random), 0.2 + 2 * unit(random), 0.2 + unit(random));
                const Vec3d middle(bx, h.heightAt(bx, bz).value_or(0) + half.y() - 0.2, bz);
                const OrientedBox box{middle, {Vec3d(half.x(), 0, 0), Vec3d(0, half.y(), 0), Vec3d(0, 0, half.z())}};
                ++asked;
                if (!cover.hides(box))
                    continue;
                EXPECT_TRUE(cover.mayHide(middle, {0, 0, 0}));
                for (int corner = 0; corner < 8; ++corner) {
                    const Vec3d at = middle + Vec3d((corner & 1) != 0 ? half.x() : -half.x(),
                                                    (corner & 2) != 0 ? half.y() : -half.y(),
                                                    (corner & 4) != 0 ? half.z() : -half.z());
                    bool inView = true;
                    for (std::size_t p = 0; p < 6; ++p)
                        inView = inView && frustum.normal[p].dot(at) + frustum.offset[p] > 0;
                    if (!inView)
                        continue;
                    ++hidden;
                    EXPECT_TRUE(
                        std::any_of(meshes.begin(), meshes.end(),
                                    [&](const Mesh& mesh) { return shapes::standsBetween(mesh, view.eye, at, true); }))
                        << "seed " << seed << " round " << round;
                }
            }
        }
    }
    EXPECT_GT(hidden, asked / 20) << "enough to be worth asking";
}

TEST(GroundCover, a_ridge_hides_what_stands_behind_it_and_nothing_before_or_above_it) {
    const Heights h = ridge(401, 180, 192, 10); // between z = -20 and z = -8
    const auto tree = *buildTileTree(h, 16, {});
    View view;
    view.farMetres = 2000;
    view = lookAt(view, {0, 1.7, 80}, {0, 1.7, 0});
    TileRule rule;
    TileState state;
    state.settle(tree);
    TileCut cut;
    selectTiles(view, rule, state, cut);
    GroundCover cover;
    cover.look(view, tree, rule, cut);
    const auto hides = [&](double y, double z) {
        return cover.hides({{0, y, z}, {Vec3d(1, 0, 0), Vec3d(0, 1, 0), Vec3d(0, 0, 1)}});
    };
    EXPECT_TRUE(hides(1, -60));
    EXPECT_TRUE(hides(1, -150));
    EXPECT_FALSE(hides(1, 30)) << "before it";
    EXPECT_FALSE(hides(40, -60)) << "above it";
    EXPECT_FALSE(hides(0, -14)) << "in it, where it is drawn";
    // From above, or from below ground, nothing is.
    view = lookAt(view, {0, 120, 80}, {0, 1.7, 0});
    selectTiles(view, rule, state, cut);
    cover.look(view, tree, rule, cut);
    EXPECT_FALSE(hides(1, -60));
    view = lookAt(view, {0, -3, 80}, {0, -3, 0});
    selectTiles(view, rule, state, cut);
    cover.look(view, tree, rule, cut);
    EXPECT_FALSE(hides(1, -60));
}

TEST(GroundCover, the_selector_leaves_out_what_it_hides_and_counts_it) {
    const Heights h = ridge(257, 120, 132, 12);
    Placements copies;
    for (int i = 0; i < 40; ++i)
        copies.push_back({0, 0, {-20.0 + i, 0.5, i % 2 == 0 ? -60.0 : 40.0}});
    test::Chosen chosen;
    const Bounds bounds{{-0.5F, -0.5F, -0.5F}, {0.5F, 0.5F, 0.5F}};
    chosen.add(resolveChain({{200, 100, 1, 0, {}}}, {}, bounds, 0.87, {}), std::move(copies));
    GroundBatch ground;
    ground.subject = 1;
    ground.tree = *buildTileTree(h, 16, {});
    chosen.input.subjects.push_back(2);
    chosen.input.grounds = {ground};
    View view;
    view.farMetres = 1000;
    view = lookAt(view, {0, 1.7, 100}, {0, 1.7, 0});
    const auto hidden = static_cast<std::size_t>(Culled::Hidden);
    chosen.options.cullHidden = true;
    chosen.at(view);
    EXPECT_GE(chosen.out.subjects[0].culledBy[hidden], 17U) << "all but some at the edge of the picture";
    EXPECT_LE(chosen.out.subjects[0].culledBy[hidden], 20U);
    for (int frame = 1; frame < 6; ++frame) { // before it is looked for everywhere again
        const View aside = lookAt(view, {0.01 * frame, 1.7, 100}, {0.01 * frame, 1.7, 0});
        chosen.at(aside, frame / 60.0);
        ASSERT_EQ(chosen.state.hidden.everywhere.seconds, 0) << "else this is no frame in between";
        EXPECT_GE(chosen.out.subjects[0].culledBy[hidden], 17U) << "frame " << frame;
    }
    chosen.options.cullHidden = false;
    chosen.at(view, 1);
    EXPECT_EQ(chosen.out.subjects[0].culledBy[hidden], 0U);
}

TEST(GroundCover, what_stands_with_others_all_round_the_eye_is_found_as_well) {
    const Heights h = ridge(801, 390, 402, 12);
    Placements front;
    for (int i = 0; i < 40; i += 2)
        front.push_back({0, 0, {-20.0 + i, 0.5, -60}});
    Placements round = front;
    for (int i = 1; i < 40; i += 2) // far behind the camera, and so is the middle of their cell
        round.push_back({0, 0, {-20.0 + i, 0.5, 320}});
    GroundBatch ground;
    ground.subject = 1;
    ground.tree = *buildTileTree(h, 16, {});
    View view;
    view.farMetres = 1000;
    const auto hiddenOf = [&](const Placements& copies) {
        test::Chosen chosen;
        const Bounds bounds{{-0.5F, -0.5F, -0.5F}, {0.5F, 0.5F, 0.5F}};
        chosen.add(resolveChain({{200, 100, 1, 0, {}}}, {}, bounds, 0.87, {}), copies);
        EXPECT_EQ(chosen.input.batches[0].copies->cells.size(), 1U);
        chosen.input.subjects.push_back(2);
        chosen.input.grounds = {ground};
        chosen.options.cullHidden = true;
        chosen.at(lookAt(view, {0, 1.7, 100}, {0, 1.7, 0}));
        return chosen.out.subjects[0].culledBy[static_cast<std::size_t>(Culled::Hidden)];
    };
    EXPECT_GT(hiddenOf(front), 8U);
    EXPECT_EQ(hiddenOf(round), hiddenOf(front));
}

TEST(GroundCover, what_is_kept_from_view_to_view_changes_nothing) {
    std::mt19937 random(8);
    std::uniform_real_distribution<double> unit(0, 1);
    const Heights h = hills(257, 5, true);
    const auto tree = *buildTileTree(h, 8, {});
    const auto other = *buildTileTree(hills(257, 6, false), 8, {});
    GroundCover kept;
    GroundCover few; // asked about little, so that it looks along little
    TileState state;
    std::size_t hidden = 0;
    std::size_t standing = 0;
    std::size_t found = 0;
    Vec3d eye(h.origin.x() + 0.4 * h.width(), 0, h.origin.z() + 0.8 * h.depth());
    for (int step = 0; step < 60; ++step) {
        const auto& ground = step % 20 == 19 ? other : tree; // another ground in between
        eye += Vec3d(0.1 * unit(random), 0, -0.15 * unit(random));
        eye.y() = h.heightAt(eye.x(), eye.z()).value_or(0) + (step % 2 == 0 ? 30 : 6) + 4 * unit(random);
        View view;
        view.farMetres = 1000;
        view = lookAt(view, eye, eye + Vec3d(unit(random) - 0.5, -0.3, -1));
        TileRule rule;
        rule.allowPx = step % 7 == 0 ? 12 : 2; // other tiles, so that other pieces are asked anew
        rule.band = 0;
        state.settle(ground);
        TileCut cut;
        selectTiles(view, rule, state, cut);
        kept.look(view, ground, rule, cut);
        GroundCover fresh;
        fresh.look(view, ground, rule, cut);
        for (int i = 0; i < 200; ++i) {
            const Vec3d middle(h.origin.x() + h.width() * unit(random), 40 * (unit(random) - 0.5),
                               h.origin.z() + h.depth() * unit(random));
            const OrientedBox box{middle, {Vec3d(1, 0, 0), Vec3d(0, 1, 0), Vec3d(0, 0, 1)}};
            ASSERT_EQ(kept.hides(box), fresh.hides(box)) << "step " << step;
            hidden += fresh.hides(box) ? 1 : 0;
        }
        using As = AskedOfGround::As;
        std::vector<AskedOfGround> asked;
        for (int i = 0; i < 60; ++i) {
            Vec3d foot(h.origin.x() + h.width() * unit(random), 0, h.origin.z() + h.depth() * unit(random));
            foot.y() = h.heightAt(foot.x(), foot.z()).value_or(0);
            asked.push_back({{foot - Vec3d(0.3, 0, 0.3), foot + Vec3d(0.3, 0.6, 0.3)},
                             i % 3 == 0 ? As::Whole : (i % 3 == 1 ? As::One : As::Any),
                             foot.y() + 0.6});
        }
        few.look(view, ground, rule, cut, step % 5 == 0 ? nullptr : &asked);
        for (const auto& [at, as, top] : asked) {
            const Vec3d half = at.size() / 2;
            const OrientedBox box{at.centre(), {Vec3d(half.x(), 0, 0), Vec3d(0, half.y(), 0), Vec3d(0, 0, half.z())}};
            ASSERT_LE(few.hides(box), fresh.hides(box)) << "step " << step;
            if (fresh.hides(box)) {
                const Vec3d away = eye - 300 * view.forward; // of no account but for how far it is looked
                const std::vector<AskedOfGround> alone{{at, as, top},
                                                       {{away, away + Vec3d(1, 1, 1)}, As::One, away.y()}};
                GroundCover one;
                one.look(view, ground, rule, cut, &alone);
                ASSERT_TRUE(one.hides(box)) << "step " << step;
                ASSERT_TRUE(one.mayHide(at.centre(), {30, 5, 30})) << "one of others that stand farther off";
            }
            standing += fresh.hides(box) ? 1 : 0;
            found += few.hides(box) ? 1 : 0;
        }
    }
    EXPECT_GT(hidden, 100U);
    EXPECT_GT(found, 10U);
    EXPECT_EQ(found, standing) << "what is asked about is found as well";
}

TEST(GroundCover, what_is_asked_about_by_the_selector_is_all_that_may_be_hidden) {
    std::mt19937 random(12);
    std::uniform_real_distribution<double> unit(-1, 1);
    const Bounds bounds{{-0.4F, -0.7F, -0.2F}, {0.4F, 0.7F, 0.2F}};
    std::size_t hidden = 0;
    std::size_t inBetween = 0;
    for (unsigned seed = 1; seed <= 6; ++seed) {
        const Heights h = hills(257, seed, seed % 3 == 0);
        const auto placedAt = [&](double x, double z) {
            const Quatd turn(Eigen::AngleAxisd(3 * unit(random), Vec3d(unit(random), 2, unit(random)).normalized()));
            return Placement{0, 0, {x, h.heightAt(x, z).value_or(0), z}, turn, 1 + 0.5 * unit(random), 1};
        };
        Placements apart;
        Placements together; // in heaps, far and near
        for (int i = 0; i < 90; ++i)
            apart.push_back(placedAt(120 * unit(random), 120 * unit(random)));
        for (int i = 0; i < 600; ++i)
            together.push_back(placedAt(40 * (i % 4) - 60 + 6 * unit(random), 50 * (i % 3) - 50 + 6 * unit(random)));
        SwitchRule rule;
        rule.cullBelowPx = 0;
        const ResolvedChain chain = resolveChain({{200, 100, 1, 0, {}}}, rule, bounds, 0.85, {});
        test::Chosen chosen;
        chosen.add(chain, std::move(apart));
        chosen.add(chain, std::move(together));
        GroundBatch ground;
        ground.subject = 2;
        ground.tree = *buildTileTree(h, 8, {});
        chosen.input.subjects.push_back(3);
        chosen.input.grounds = {ground};
        chosen.options.cullHidden = true;
        Vec3d eye(100 * unit(random), 0, 100 * unit(random));
        for (int frame = 0; frame < 40; ++frame) {
            eye += Vec3d(0.1, 0, 0.06);
            eye.y() = h.heightAt(eye.x(), eye.z()).value_or(0) + 5;
            View view;
            view.farMetres = 1000;
            view = lookAt(view, eye, eye + Vec3d(std::sin(0.02 * frame + seed), -0.1, std::cos(0.02 * frame + seed)));
            chosen.at(view, frame / 60.0);
            const bool everywhere = chosen.state.hidden.everywhere.seconds == frame / 60.0;
            inBetween += everywhere ? 0 : 1;
            GroundCover all; // asked about anything
            all.look(view, ground.tree, ruleOf(chosen.input.grounds[0], view, chosen.options), chosen.out.grounds[0]);
            for (std::uint32_t b = 0; b < 2; ++b) {
                const auto& table = *chosen.input.batches[b].copies;
                for (std::uint32_t slot = 0; slot < table.size(); ++slot) {
                    const Culled culled =
                        pickOf(chosen.input, view, frame / 60.0, chosen.options, chosen.state, {b, slot}).culled;
                    if (culled != Culled::No && culled != Culled::Hidden)
                        continue;
                    const bool behind = all.hides(boxOf(chain, table.at(slot), 0));
                    if (everywhere)
                        EXPECT_EQ(culled == Culled::Hidden, behind) << "seed " << seed << " frame " << frame;
                    else
                        EXPECT_LE(culled == Culled::Hidden, behind) << "seed " << seed << " frame " << frame;
                    hidden += culled == Culled::Hidden ? 1 : 0;
                }
            }
        }
    }
    EXPECT_GT(hidden, 2000U);
    EXPECT_GT(inBetween, 100U);
}

TEST(GroundLows, squares_know_their_lowest_and_an_edit_is_the_same_as_from_nothing) {
    std::mt19937 random(4);
    for (int round = 0; round < 20; ++round) {
        Heights h = hills(40 + static_cast<std::uint32_t>(random()) % 90, static_cast<unsigned>(round), round % 2 == 0);
        GroundLows lows = measureLows(h);
        const GroundLows held = lows;
        const GroundLows first = measureLows(h);
        const double most = h.columns - 1;
        for (int k = 0; k < 200; ++k) {
            std::uniform_real_distribution<double> at(0, most);
            double x0 = at(random);
            double x1 = at(random);
            double y0 = at(random);
            double y1 = at(random);
            if (x0 > x1)
                std::swap(x0, x1);
            if (y0 > y1)
                std::swap(y0, y1);
            const auto level = static_cast<std::uint32_t>(random() % lows.lows.size());
            const float low = lows.lowest(level, x0, y0, x1, y1);
            const float high = lows.highest(x0, y0, x1, y1);
            for (auto y = static_cast<std::uint32_t>(y0); y <= std::ceil(y1); ++y)
                for (auto x = static_cast<std::uint32_t>(x0); x <= std::ceil(x1); ++x) {
                    ASSERT_LE(low, h.at(x, y));
                    ASSERT_GE(high, h.at(x, y));
                }
        }
        EXPECT_EQ(lows.lowest(0, -1, 0, 5, 5), GroundLows::kNoGround);
        TileTree::Rect edited{static_cast<std::uint32_t>(random()) % h.columns,
                              static_cast<std::uint32_t>(random()) % h.rows, 0, 0};
        edited.x1 = std::min(h.columns - 1, edited.x0 + 9);
        edited.y1 = std::min(h.rows - 1, edited.y0 + 5);
        for (std::uint32_t y = edited.y0; y <= edited.y1; ++y)
            for (std::uint32_t x = edited.x0; x <= edited.x1; ++x)
                h.grid.edit(y)[x] -= 3;
        measureLowsAgain(lows, h, edited);
        EXPECT_EQ(held.lows, first.lows) << "who holds the old one keeps it";
        const GroundLows again = measureLows(h);
        EXPECT_EQ(lows.lows, again.lows);
        EXPECT_EQ(lows.highs, again.highs);
    }
}

} // namespace
} // namespace thicket
