// Cells decide for many copies at once, and must decide what each copy by itself would.

#include "switching/copies.h"

#include <algorithm>
#include <cmath>
#include <gtest/gtest.h>
#include <random>
#include <set>

namespace thicket {
namespace {
using test::BruteCopy;
using test::Chosen;

unsigned seed() {
    const char* set = std::getenv("THICKET_SEED");
    return set != nullptr ? static_cast<unsigned>(std::atoi(set)) : 20261127U;
}

class Dice {
public:
    explicit Dice(unsigned s) : m_random(s) {}
    double between(double low, double high) { return std::uniform_real_distribution<double>(low, high)(m_random); }
    bool coin() { return between(0, 1) < 0.5; }
    int upTo(int last) { return std::uniform_int_distribution<int>(0, last)(m_random); }
    Vec3d box(const Vec3d& half) {
        return {between(-1, 1) * half.x(), between(-1, 1) * half.y(), between(-1, 1) * half.z()};
    }

private:
    std::mt19937 m_random;
};

ResolvedChain anyChain(Dice& dice, const View& view) {
    std::vector<LevelCost> levels{
        {4000, 2100, 2, 0, {}}, {1000, 600, 2, 0.004, {}}, {200, 120, 1, 0.03, {}}, {12, 8, 1, 0.15, {}}};
    if (dice.coin())
        levels[2].fixed = FixedSwitch{DecideBy::Distance, dice.between(20, 60)};
    SwitchRule rule;
    rule.measureFrom = static_cast<MeasureFrom>(dice.upTo(2));
    rule.hysteresis = dice.coin() ? 0 : dice.between(0, 0.3);
    rule.fadeSeconds = dice.coin() ? 0 : dice.between(0.05, 1);
    rule.dwellSeconds = dice.coin() ? 0 : dice.between(0, 1);
    rule.checkSeconds = dice.coin() ? 0 : dice.between(0, 0.5);
    rule.cullBelowPx = dice.coin() ? 0 : dice.between(1, 20);
    rule.reachMetres = dice.coin() ? 0 : dice.between(60, 400);
    rule.marginMetres = dice.between(0, 2);
    const Vec3d half(dice.between(0.2, 2), dice.between(0.2, 3), dice.between(0.2, 2));
    const Vec3d middle = dice.box({1, 1, 1});
    ResolvedChain chain =
        resolveChain(levels, rule, {middle - half, middle + half}, half.norm() * dice.between(0.8, 1), view);
    if (dice.upTo(3) == 0)
        chain.measuredFrom = dice.box({100, 5, 100});
    return chain;
}

Thinning anyThinning(Dice& dice) {
    Thinning out;
    double at = dice.between(0, 40);
    double kept = 1;
    for (int i = 1 + dice.upTo(4); i > 0; --i) {
        out.keep.points.push_back({at, kept});
        out.grow.points.push_back({at, dice.between(1, 3)});
        at += dice.between(0.5, 120);
        kept *= dice.upTo(4) == 0 ? 0 : dice.between(0.2, 1);
    }
    out.holdCover = dice.coin();
    out.growAtMost = dice.between(1, 4);
    out.band = dice.upTo(3) == 0 ? 0 : dice.between(0, 0.4);
    return out;
}

Placements anyField(Dice& dice, int count, const Vec3d& middle) {
    Placements out;
    const bool alike = dice.coin();
    const bool important = dice.coin();
    const double lean = dice.upTo(2) == 0 ? 3 : dice.between(0, 0.3);
    for (int i = 0; i < count; ++i) {
        Placement p;
        p.id = static_cast<std::uint32_t>(i) + 1;
        p.position = middle + dice.box({250, dice.coin() ? 0.0 : 20.0, 250});
        const Vec3d about = Vec3d(dice.between(-1, 1), 0, dice.between(-1, 1)).normalized();
        p.rotation = Quatd(Eigen::AngleAxisd(dice.between(-lean, lean), about) *
                           Eigen::AngleAxisd(dice.between(-3, 3), Vec3d(0, 1, 0)));
        p.scale = alike ? 1 : dice.between(0.5, 2.5);
        p.importance = important && i % 7 == 0 ? dice.between(0.2, 4) : 1;
        out.push_back(p);
    }
    return out;
}

} // namespace

TEST(Cells, hold_every_copy_once_near_each_other) {
    Dice dice(seed());
    const auto field = std::make_shared<const Placements>(anyField(dice, 5000, {0, 0, 0}));
    const Bounds bounds{{-1, 0, -1}, {1, 2, 1}};
    const auto table = makeCells(field, std::nullopt, bounds, 1.8);
    ASSERT_EQ(table->size(), field->size());
    std::vector<bool> seen(field->size(), false);
    std::uint32_t next = 0;
    double sizes = 0;
    for (const CellTable::Cell& cell : table->cells) {
        EXPECT_EQ(cell.first, next);
        EXPECT_GE(cell.count, 1U);
        EXPECT_LE(cell.count, kMostInCell);
        next += cell.count;
        sizes += cell.half().norm() * cell.count;
        for (std::uint32_t slot = cell.first; slot < next; ++slot) {
            EXPECT_EQ(table->cellOf(slot), static_cast<std::uint32_t>(&cell - table->cells.data()));
            ASSERT_FALSE(seen[table->placementOf[slot]]);
            seen[table->placementOf[slot]] = true;
            const Placement& p = table->at(slot);
            const Vec3d off = (centreOf(p, bounds) - cell.origin).cwiseAbs();
            EXPECT_TRUE((off.array() <= cell.half().array() + 1e-9).all());
            EXPECT_GE(p.scale, cell.leastScale);
            EXPECT_LE(p.scale * p.importance, cell.mostProduct);
        }
    }
    EXPECT_EQ(next, field->size());
    EXPECT_LT(sizes / static_cast<double>(field->size()), 60) << "cells of a field of 500 m are small";
}

TEST(Cells, copies_in_one_place_still_come_in_cells_of_the_largest_size) {
    Placements heap(1000);
    const auto table =
        makeCells(std::make_shared<const Placements>(heap), std::nullopt, {{-1, -1, -1}, {1, 1, 1}}, 1.7);
    EXPECT_EQ(table->cells.size(), 4U);
    EXPECT_TRUE(makeCells(std::make_shared<const Placements>(), std::nullopt, {}, 1)->cells.empty());
}

TEST(Cells, only_the_copies_of_one_asset_are_taken) {
    Placements mixed(10);
    for (std::uint32_t i = 0; i < 10; ++i)
        mixed[i].asset = i % 3;
    const auto table = makeCells(std::make_shared<const Placements>(mixed), 1, {{-1, -1, -1}, {1, 1, 1}}, 1.7);
    EXPECT_EQ(table->size(), 3U);
}

/// Every copy's level, reason and fade, and every count, against one copy at a time, along random flights.
TEST(Cells, choose_for_each_copy_what_it_would_choose_alone) {
    std::uint64_t compared = 0;
    std::uint64_t mixed = 0;
    std::uint64_t allThinned = 0;
    for (unsigned round = 0; round < 60; ++round) {
        SCOPED_TRACE("seed " + std::to_string(seed()) + ", round " + std::to_string(round));
        Dice dice(seed() + round);
        const View base;
        // Far from the origin floats are coarse; the outcome must not be.
        const Vec3d middle =
            round % 3 == 0 ? Vec3d(0, 0, 0) : Vec3d(dice.between(-1e4, 1e4), 0, dice.between(-1e4, 1e4));
        Chosen chosen;
        chosen.options.halfSpeed = dice.coin() ? 0 : 10;
        chosen.options.speed = dice.between(0, 20);
        chosen.options.allowanceFactor = dice.coin() ? 1 : dice.between(1, 4);
        chosen.options.fades = dice.coin();
        chosen.options.smallFactor = dice.coin() ? 1 : dice.between(1, 5);
        chosen.options.cullView = dice.upTo(4) != 0;
        chosen.options.keepFactor = dice.upTo(2) == 0 ? dice.between(0.02, 1) : 1;
        ResolvedChain chain = anyChain(dice, base);
        const Placements field = anyField(dice, 1 + dice.upTo(3000), middle);
        const bool thins = dice.coin();
        const Thinning thinning = anyThinning(dice);
        if (thins) {
            chain.rule.softBand = dice.coin() ? 0 : dice.between(0, 0.5);
            chain.rule.reachGrows = dice.coin() ? 0 : dice.between(0, 10);
            chosen.addField(chain, field, thinning);
        } else {
            chosen.add(chain, field);
        }
        std::vector<BruteCopy> brute(field.size());
        double before = -1e18;
        Vec3d eye = middle + dice.box({200, 10, 200});
        Vec3d target = middle + dice.box({200, 10, 200});
        // A jump changes everything; what is kept while the camera goes on shows in small steps, and in none.
        const double stride = std::array{1.0, 0.1, 0.01, 0.0}[dice.upTo(3)];
        const double turn = std::array{1.0, 0.03, 0.0}[dice.upTo(2)];
        const int frames = stride < 1 ? 60 : 25;
        const Vec3d heading = dice.box({6, 1, 6});
        for (int frame = 0; frame < frames; ++frame) {
            eye += stride * (dice.coin() ? heading : dice.box({6, 1, 6}));
            target += stride * heading + turn * dice.box({6, 1, 6});
            if (frame % 9 == 8)
                eye = middle + dice.box({200, 10, 200});
            const View view = lookAt(base, eye, target);
            const double seconds = 100 + frame * 0.13;
            chosen.at(view, seconds);
            test::bruteSelect(chain, field, view, before, seconds, chosen.options, brute, thins ? &thinning : nullptr);
            before = seconds;
            SubjectCost expected;
            std::set<int> shown;
            const CellTable& table = *chosen.input.batches[0].copies;
            for (std::uint32_t slot = 0; slot < table.size(); ++slot) {
                const BruteCopy& b = brute[table.placementOf[slot]];
                const std::uint32_t c = table.cellOf(slot);
                const CopyMemory& m = chosen.state.of(0, c, slot - table.cells[c].first);
                ASSERT_EQ(m.culled, b.culled) << "slot " << slot << " frame " << frame;
                ASSERT_EQ(m.level, b.level) << "slot " << slot << " frame " << frame;
                ASSERT_EQ(m.fadingFrom, b.fadingFrom) << "slot " << slot << " frame " << frame;
                ASSERT_EQ(m.cameFrom >= 0, b.culled == Culled::No && b.switched);
                mixed += chosen.state.batches[0].cells[c].mixed ? 1 : 0;
                ++compared;
                ++expected.culledBy[static_cast<std::size_t>(b.culled)];
                allThinned += b.culled == Culled::Thinned ? 1 : 0;
                if (b.culled != Culled::No)
                    continue;
                ++expected.drawn;
                expected.switches += b.switched ? 1 : 0;
                expected.fading += b.fadingFrom >= 0 ? 1 : 0;
                expected.worstErrorPx = std::max(expected.worstErrorPx, b.errorPx);
                for (const int level : {b.level, b.fadingFrom})
                    if (level >= 0) {
                        expected.triangles += chain.levels[static_cast<std::size_t>(level)].triangles;
                        expected.vertices += chain.levels[static_cast<std::size_t>(level)].vertices;
                        expected.draws += chain.levels[static_cast<std::size_t>(level)].draws;
                        shown.insert(level);
                    }
            }
            if (thins) { // all copies of a level are one draw a material
                expected.draws = 0;
                for (const int level : shown)
                    expected.draws += chain.levels[static_cast<std::size_t>(level)].draws;
            }
            const SubjectCost& total = chosen.out.total;
            ASSERT_EQ(total.triangles, expected.triangles);
            ASSERT_EQ(total.vertices, expected.vertices);
            ASSERT_EQ(total.draws, expected.draws);
            ASSERT_EQ(total.drawn, expected.drawn);
            ASSERT_EQ(total.switches, expected.switches);
            ASSERT_EQ(total.fading, expected.fading);
            for (std::size_t i = 0; i < kCullReasons; ++i)
                ASSERT_EQ(total.culledBy[i], expected.culledBy[i]);
            ASSERT_NEAR(total.worstErrorPx, expected.worstErrorPx, 1e-9 * (1 + expected.worstErrorPx));
        }
    }
    EXPECT_GT(compared, 1'000'000U);
    EXPECT_GT(allThinned, compared / 50) << "fields must have thinned out";
    EXPECT_GT(mixed, compared / 50) << "some cells must have been looked into";
    EXPECT_LT(mixed, compared * 9 / 10) << "and some not";
}

TEST(Cells, depth_from_a_target_far_off_follows_each_turn_of_the_camera) {
    Dice dice(7);
    const View base;
    SwitchRule rule;
    rule.measureFrom = MeasureFrom::Depth;
    rule.cullBelowPx = 0;
    ResolvedChain chain = resolveChain({{4000, 2100, 1, 0, {}}, {400, 220, 1, 0.02, {}}, {40, 22, 1, 0.15, {}}}, rule,
                                       {{-1, -1, -1}, {1, 1, 1}}, 1.5, base);
    const Vec3d eye(0, 2, 30);
    chain.measuredFrom = Vec3d(900, 0, -300); // farther from the copies than the camera is
    Placements field;
    for (std::uint32_t i = 1; i <= 600; ++i)
        field.push_back({i, 0, dice.box({40, 0, 25}), Quatd::Identity(), 1, 1});
    Chosen goesOn;
    goesOn.add(chain, field);
    goesOn.options.cullView = goesOn.options.fades = false;
    std::uint64_t switches = 0;
    for (int frame = 0; frame < 400; ++frame) {
        const double turn = 0.004 * frame - 0.8;
        const View view = lookAt(base, eye, eye + Vec3d(std::sin(turn), 0, -std::cos(turn)));
        goesOn.at(view, 1 + frame);
        Chosen anew;
        anew.add(chain, field);
        anew.options = goesOn.options;
        anew.at(view, 1 + frame);
        ASSERT_EQ(goesOn.out.total.triangles, anew.out.total.triangles) << "frame " << frame;
        switches += goesOn.out.total.switches;
    }
    EXPECT_GT(switches, 300U);
}

TEST(Cells, what_went_as_the_camera_walked_away_is_back_when_it_is) {
    const View base;
    SwitchRule rule;
    rule.cullBelowPx = 0;
    rule.hysteresis = 0;
    const ResolvedChain chain = resolveChain({{40, 22, 1, 0, {}}}, rule, {{-0.2, 0, -0.2}, {0.2, 1, 0.2}}, 0.6, base);
    Thinning thinning;
    thinning.keep.points = {{5, 1}, {30, 0.4}, {70, 0}};
    std::uint32_t came = 0;
    for (unsigned round = 0; round < 20; ++round) {
        Dice dice(100 + round);
        Placements field; // so few that they are one cell, all of which may be gone though none was sure to go
        for (std::uint32_t i = 1; i <= 30; ++i)
            field.push_back({i, 0, dice.box({15, 0, 15}), Quatd::Identity(), 1, 1});
        Chosen goesOn;
        goesOn.addField(chain, field, thinning);
        goesOn.options.cullView = false;
        std::uint32_t before = 0;
        for (int frame = 0; frame < 400; ++frame) {
            const double way = 0.2 * frame + 6 * std::sin(0.1 * frame); // out, and back a little again and again
            const View view = lookAt(base, {way, 1.7, 0.3 * way}, {way - 10, 1.7, 0});
            goesOn.at(view, 1 + frame);
            Chosen anew;
            anew.addField(chain, field, thinning);
            anew.options = goesOn.options;
            anew.at(view, 1 + frame);
            const std::uint32_t drawn = goesOn.out.total.drawn;
            ASSERT_EQ(drawn, anew.out.total.drawn) << "round " << round << ", frame " << frame;
            came += before == 0 && drawn > 0 ? 1 : 0;
            before = drawn;
        }
    }
    EXPECT_GT(came, 20U);
}

TEST(Cells, runs_name_every_drawn_copy_once_with_its_level_and_fade) {
    Dice dice(seed());
    const View base;
    for (int round = 0; round < 10; ++round) {
        Chosen chosen;
        for (int i = 0; i < 3; ++i)
            chosen.add(anyChain(dice, base), anyField(dice, 800, {0, 0, 0}));
        for (int frame = 0; frame < 8; ++frame) {
            chosen.at(lookAt(base, dice.box({100, 10, 100}), dice.box({100, 10, 100})), frame * 0.1);
            std::vector<std::vector<bool>> seen;
            for (const Batch& batch : chosen.input.batches)
                seen.emplace_back(batch.copies->size(), false);
            std::uint32_t drawn = 0;
            for (const thicket::Run& run : chosen.out.runs)
                eachOf(chosen.out, run, [&](std::uint32_t slot) {
                    ASSERT_FALSE(seen[run.batch][slot]);
                    seen[run.batch][slot] = true;
                    ++drawn;
                    const Pick pick = pickOf(chosen.input, chosen.view, chosen.seconds, chosen.options, chosen.state,
                                             {run.batch, slot});
                    ASSERT_EQ(pick.level, run.level);
                    ASSERT_EQ(pick.fadingFrom, run.fadingFrom);
                    ASSERT_NEAR(pick.fade, run.fade, 1e-4);
                });
            EXPECT_EQ(drawn, chosen.out.total.drawn);
        }
    }
}

TEST(Cells, what_is_counted_depends_neither_on_runs_nor_on_how_many_cells_are_counted_at_once) {
    // So many cells that they are decided, hidden and counted in parts beside each other; and each by itself.
    Dice dice(seed());
    const View base;
    for (int round = 0; round < 4; ++round) {
        const ResolvedChain chain = anyChain(dice, base);
        const Placements field = anyField(dice, 150'000, {0, 0, 0});
        const Thinning thinning = anyThinning(dice);
        Chosen listed;
        listed.addField(chain, field, thinning);
        Chosen counted = listed;
        counted.options.listRuns = false;
        ASSERT_GT(listed.input.batches[0].copies->cells.size(), 1024U);
        const Vec3d eye = dice.box({100, 5, 100});
        for (int frame = 0; frame < 8; ++frame) {
            const View view = lookAt(base, eye + Vec3d(0.4 * frame, 2, 0), eye + dice.box({50, 3, 50}));
            const SubjectCost& with = listed.at(view, frame);
            const SubjectCost& without = counted.at(view, frame);
            EXPECT_EQ(with.triangles, without.triangles);
            EXPECT_EQ(with.draws, without.draws);
            EXPECT_EQ(with.pixels, without.pixels) << "to the last bit: sums are added up in one order";
            EXPECT_EQ(with.worstErrorPx, without.worstErrorPx);
            EXPECT_TRUE(counted.out.runs.empty());
            std::uint64_t drawn = 0;
            std::uint64_t triangles = 0;
            for (const auto& run : listed.out.runs) {
                drawn += run.count;
                for (const std::int8_t level : {run.level, run.fadingFrom})
                    triangles +=
                        level >= 0 ? std::uint64_t{run.count} * chain.levels[static_cast<std::size_t>(level)].triangles
                                   : 0;
            }
            EXPECT_EQ(drawn, with.drawn);
            EXPECT_EQ(triangles, with.triangles);
            SubjectCost cells; // one after the other
            for (const CellCost& cost : listed.state.batches[0].costs) {
                cells.triangles += cost.triangles;
                cells.drawn += cost.culledBy[static_cast<std::size_t>(Culled::No)];
            }
            EXPECT_EQ(cells.triangles, with.triangles);
            EXPECT_EQ(cells.drawn, with.drawn);
        }
    }
}

TEST(Cells, moments_in_turn_are_selected_as_one_after_the_other) {
    std::uint64_t drawn = 0;
    std::uint64_t switches = 0;
    for (unsigned round = 0; round < 24; ++round) {
        SCOPED_TRACE("seed " + std::to_string(seed()) + ", round " + std::to_string(round));
        Dice dice(seed() + round);
        const View base;
        Chosen one;
        one.options.halfSpeed = dice.coin() ? 0 : 10;
        one.addField(anyChain(dice, base), anyField(dice, 1 + dice.upTo(9000), {0, 0, 0}), anyThinning(dice));
        one.add(anyChain(dice, base), anyField(dice, 1 + dice.upTo(500), {0, 0, 0}));
        std::vector<SelectMoment> moments;
        Vec3d eye = dice.box({200, 10, 200});
        double seconds = 0;
        double heading = dice.between(0, 6);
        const double swing = dice.coin() ? dice.between(0, 0.5) : 0; // what leaves the view is back some moments later
        for (int i = dice.upTo(70); i >= 0; --i) {
            heading += dice.between(-0.02, 0.05);
            const double to = heading + swing * std::sin(1.3 * i);
            const Vec3d ahead(30 * std::cos(to), -2, 30 * std::sin(to));
            SelectMoment moment{lookAt(base, eye, eye + ahead), seconds, one.options};
            moment.options.speed = dice.upTo(3) == 0 ? dice.between(0, 20) : 5; // decides anew where it counts
            moment.options.listRuns = dice.coin();
            moments.push_back(moment);
            eye += dice.upTo(9) == 0 ? dice.box({100, 5, 100}) : dice.box({0.5, 0.1, 0.5});
            seconds += dice.upTo(20) == 0 ? 2500 : 1 / 60.0; // times are counted from elsewhere then
        }
        std::size_t next = 0;
        const auto expectSame = [&](std::size_t i, const SelectMoment& moment, const Selection& ahead) {
            ASSERT_EQ(i, next++);
            EXPECT_EQ(moment.seconds, moments[i].seconds);
            one.options = moment.options;
            one.at(moment.view, moment.seconds);
            ASSERT_EQ(ahead.subjects.size(), one.out.subjects.size());
            for (std::size_t s = 0; s < ahead.subjects.size(); ++s)
                test::expectSameCost(ahead.subjects[s], one.out.subjects[s]);
            test::expectSameCost(ahead.total, one.out.total);
            EXPECT_EQ(ahead.levels, one.out.levels);
            EXPECT_EQ(ahead.listed, one.out.listed);
            ASSERT_EQ(ahead.runs.size(), one.out.runs.size());
            drawn += ahead.total.drawn;
            switches += ahead.total.switches;
        };
        selectInTurn(
            one.input, moments.size(), [&](std::size_t i) { return moments[i]; }, expectSame,
            [](std::size_t) { return true; });
        EXPECT_EQ(next, moments.size());
    }
    EXPECT_GT(drawn, 10'000U);
    EXPECT_GT(switches, 200U);
}

TEST(Cells, moments_in_turn_end_when_that_is_enough) {
    Dice dice(seed());
    Chosen chosen;
    chosen.add(anyChain(dice, {}), anyField(dice, 100, {0, 0, 0}));
    std::size_t shown = 0;
    selectInTurn(
        chosen.input, 1000,
        [](std::size_t i) {
            return SelectMoment{{}, static_cast<double>(i), {}};
        },
        [&](std::size_t, const SelectMoment&, const Selection&) { ++shown; },
        [](std::size_t done) { return done < 100; });
    EXPECT_GE(shown, 100U);
    EXPECT_LT(shown, 200U);
}

TEST(Cells, covered_pixels_of_far_cells_are_those_of_their_copies) {
    Dice dice(seed());
    const View base;
    SwitchRule rule;
    rule.cullBelowPx = 0;
    const ResolvedChain chain = resolveChain({{100, 60, 1, 0, {}}}, rule, {{-0.5, 0, -0.5}, {0.5, 1, 0.5}}, 0.87, base);
    Placements field;
    for (int i = 0; i < 20'000; ++i)
        field.push_back(test::placed(dice.box({200, 0, 200}), dice.between(0.5, 2)));
    Chosen chosen;
    chosen.add(chain, field);
    const View view = lookAt(base, {0, 30, 300}, {0, 0, 0});
    chosen.at(view);
    double expected = 0;
    const Frustum frustum = frustumOf(view);
    for (const Placement& p : field) {
        const Vec3d centre = centreOf(p, chain.bounds);
        if (!frustum.touches(centre, chain.radius * p.scale, rule.marginMetres))
            continue;
        const double tall = screenHeight(view, chain.radius * p.scale, (centre - view.eye).norm()) * view.lines;
        expected += 0.3 * M_PI * tall * tall / 4;
    }
    EXPECT_NEAR(chosen.out.total.pixels, expected, 0.01 * expected);
}

TEST(Cells, an_edit_keeps_what_untouched_copies_remember) {
    Dice dice(seed());
    const View base;
    SwitchRule rule;
    rule.hysteresis = 0.3;
    rule.cullBelowPx = 0;
    const ResolvedChain chain =
        resolveChain({{100, 60, 1, 0, {}}, {10, 6, 1, 0.02, {}}}, rule, {{-1, -1, -1}, {1, 1, 1}}, 1.7, base);
    Chosen chosen;
    chosen.add(chain, {test::placed({0, 0, 0})});
    chosen.add(chain, {test::placed({0, 0, 0})});
    const double from = chain.fromMetres[1];
    const auto away = [&](double metres) { return lookAt(base, {0, 0, 1 + metres}, {0, 0, 0}); };
    chosen.at(away(from * 0.9));
    chosen.at(away(from * 1.1));
    ASSERT_EQ(chosen.pick(0, 0).level, 0) << "within the band";
    // The first is taken out: the second stands in its place and still remembers.
    chosen.input.subjects.erase(chosen.input.subjects.begin());
    chosen.input.batches.erase(chosen.input.batches.begin());
    chosen.input.batches[0].subject = chosen.input.batches[0].asset = 0;
    chosen.at(away(from * 1.1));
    EXPECT_EQ(chosen.pick(0, 0).level, 0);
    // One with other copies does not.
    chosen.input.batches[0] = test::batchOf(0, chain, {test::placed({0, 0, 0})});
    chosen.at(away(from * 1.1));
    EXPECT_EQ(chosen.pick(0, 0).level, 1);
}

TEST(Cells, hours_later_fades_and_bands_still_last_as_long) {
    const View base;
    SwitchRule rule;
    rule.hysteresis = 0;
    rule.fadeSeconds = 0.5;
    const ResolvedChain chain =
        resolveChain({{100, 60, 1, 0, {}}, {10, 6, 1, 0.02, {}}}, rule, {{-1, -1, -1}, {1, 1, 1}}, 1.7, base);
    Chosen chosen;
    chosen.add(chain, {test::placed({0, 0, 0})});
    const auto away = [&](double metres) { return lookAt(base, {0, 0, 1 + metres}, {0, 0, 0}); };
    for (const double hour : {0.0, 3600.0, 40'000.0}) {
        chosen.at(away(chain.fromMetres[1] * 0.9), hour);
        chosen.at(away(chain.fromMetres[1] * 1.1), hour + 1);
        ASSERT_EQ(chosen.out.total.fading, 1U);
        chosen.at(away(chain.fromMetres[1] * 1.1), hour + 1.25);
        EXPECT_NEAR(chosen.pick().fade, 0.5, 1e-3);
        chosen.at(away(chain.fromMetres[1] * 1.1), hour + 1.51);
        EXPECT_EQ(chosen.out.total.fading, 0U);
    }
}

TEST(Cells, the_nearest_copy_is_found_and_those_in_view_come_first) {
    Dice dice(seed());
    const View base;
    SwitchRule rule;
    rule.cullBelowPx = 0;
    const ResolvedChain chain = resolveChain({{100, 60, 1, 0, {}}}, rule, {{-1, 0, -1}, {1, 2, 1}}, 1.8, base);
    const Placements field = anyField(dice, 4000, {0, 0, 0});
    Chosen chosen;
    chosen.add(chain, field);
    for (int i = 0; i < 30; ++i) {
        const View view = lookAt(base, dice.box({250, 10, 250}), dice.box({250, 10, 250}));
        chosen.at(view);
        const auto found = nearestCopy(chosen.input, chosen.state, 0, view.eye);
        ASSERT_TRUE(found);
        double best = 1e300;
        const Frustum frustum = frustumOf(view);
        for (const Placement& p : field) {
            const Vec3d centre = centreOf(p, chain.bounds);
            const bool seen = frustum.touches(centre, chain.radius * p.scale, rule.marginMetres);
            best = std::min(best, (centre - view.eye).norm() + (seen ? 0 : 1e9));
        }
        const Placement& p = chosen.input.batches[0].copies->at(found->slot);
        EXPECT_NEAR((centreOf(p, chain.bounds) - view.eye).norm(), std::fmod(best, 1e9), 1e-6);
    }
    EXPECT_FALSE(nearestCopy(chosen.input, chosen.state, 7, {0, 0, 0}));
}

namespace {
/// Bytes a copy that the selector keeps beside the placements, after a camera has been about.
double bytesEach(const Placements& field, Dice& dice) {
    const View base;
    Chosen chosen;
    chosen.add(anyChain(dice, base), field);
    for (int i = 0; i < 20; ++i)
        chosen.at(lookAt(base, dice.box({250, 10, 250}), dice.box({250, 10, 250})), i);
    const CellTable& table = *chosen.input.batches[0].copies;
    const std::size_t arrays = table.placementOf.capacity() + table.x.capacity() + table.y.capacity() +
                               table.z.capacity() + table.scale.capacity() + table.factor.capacity();
    const CellTable::Boxes& boxes = table.boxes;
    const std::size_t doubles = boxes.x.capacity() + boxes.y.capacity() + boxes.z.capacity();
    const std::size_t floats = boxes.halfX.capacity() + boxes.halfY.capacity() + boxes.halfZ.capacity() +
                               boxes.half.capacity() + boxes.mostScale.capacity();
    return static_cast<double>(chosen.state.bytes() + table.cells.capacity() * sizeof(CellTable::Cell) +
                               doubles * sizeof(double) + floats * sizeof(float) + arrays * sizeof(float)) /
           static_cast<double>(table.size());
}
} // namespace

TEST(Cells, memory_is_within_what_a_million_copies_may_take) {
    Dice dice(seed());
    Placements field = anyField(dice, 200'000, {0, 0, 0});
    for (Placement& p : field)
        p.importance = 1;
    EXPECT_LE(bytesEach(field, dice), 32);
    field[7].importance = 2; // then each copy has a factor of its own
    EXPECT_LE(bytesEach(field, dice), 36);
}

} // namespace thicket
