// Strands: the true deviation of fewer points, growing by a recipe, costs against a count by hand, cover as rendered.

#include "strands/grow_strands.h"
#include "strands/nearest_root.h"
#include "strands/ribbon_mesh.h"
#include "strands/strand_cards.h"
#include "strands/strand_cover.h"

#include <algorithm>
#include <cmath>
#include <gtest/gtest.h>
#include <limits>
#include <random>

namespace thicket {
namespace {

StrandSet wild(std::size_t strands, unsigned seed) {
    std::mt19937 dice(seed);
    std::uniform_real_distribution<float> any(-1, 1);
    StrandSet out;
    out.first.push_back(0);
    for (std::size_t s = 0; s < strands; ++s) {
        const auto points = 2 + dice() % 14;
        Vec3f at(20 * any(dice), 0, 20 * any(dice));
        for (std::size_t i = 0; i < points; ++i) {
            out.points.push_back(at);
            out.widths.push_back(0.01F * (1.1F + any(dice)));
            at += Vec3f(0.05F * any(dice), 0.1F, 0.05F * any(dice));
        }
        out.first.push_back(static_cast<std::uint32_t>(out.points.size()));
    }
    return out;
}

double distanceToSegment(const Vec3d& p, const Vec3d& a, const Vec3d& b) {
    const Vec3d along = b - a;
    const double length2 = along.squaredNorm();
    const double t = length2 > 0 ? std::clamp((p - a).dot(along) / length2, 0.0, 1.0) : 0;
    return (p - a - t * along).norm();
}

/// How far one strand is from another at most: 16 places a segment, from both sides.
double apart(const StrandSet& a, std::size_t i, const StrandSet& b, std::size_t k) {
    const auto oneWay = [](const StrandSet& from, std::size_t f, const StrandSet& to, std::size_t t) {
        double most = 0;
        for (std::uint32_t p = from.first[f]; p + 1 < from.first[f + 1]; ++p)
            for (int step = 0; step <= 16; ++step) {
                const Vec3f at =
                    from.points[p] + (static_cast<float>(step) / 16) * (from.points[p + 1] - from.points[p]);
                double least = 1e300;
                for (std::uint32_t q = to.first[t]; q + 1 < to.first[t + 1]; ++q)
                    least = std::min(least, distanceToSegment(at.cast<double>(), to.points[q].cast<double>(),
                                                              to.points[q + 1].cast<double>()));
                most = std::max(most, least);
            }
        return most;
    };
    return std::max(oneWay(a, i, b, k), oneWay(b, k, a, i));
}

std::vector<float> worthOf(const StrandSet& set) {
    auto worth = weighPoints(set, {});
    EXPECT_TRUE(worth);
    return *worth;
}

StrandRecipe dune(double density = 40) {
    StrandRecipe r;
    r.where.lowX = r.where.lowZ = -10;
    r.where.highX = r.where.highZ = 10;
    r.where.density = density;
    return r;
}

StrandSet grown(const StrandRecipe& recipe) {
    auto made = growStrands(recipe, levelGround(recipe.where), {});
    EXPECT_TRUE(made) << (made ? "" : made.error().text());
    return made ? *made : StrandSet();
}

/// A set as the selector sees it.
struct Chosen {
    StrandSet set;
    std::vector<float> worth;
    std::vector<StrandLevel> levels;
    SelectInput input;
    SelectState state;
    Selection out;

    Chosen(StrandSet of, Thinning thinning, const View& view) : set(std::move(of)), worth(worthOf(set)) {
        levels = usualLevels(set, worth, 4);
        const StrandPlaces places = placesOf(set);
        const StrandLayout layout = layOut(set, worth, places, levels, nullptr);
        std::vector<LevelCost> costs;
        for (const StrandLevel& level : levels)
            costs.push_back({0, 0, 1, level.deviation, {}});
        SwitchRule rule;
        rule.cullBelowPx = 0;
        thinning.widths = true;
        Batch batch;
        batch.chain = resolveChain(costs, rule, places.bounds, places.radius, view);
        batch.copies = layout.cells;
        batch.instanced = true;
        batch.thinning = std::move(thinning);
        batch.strands = layout.costs;
        input.subjects = {1};
        input.batches = {batch};
    }
};

} // namespace

TEST(StrandLevels, are_off_by_no_more_than_they_say_and_by_as_much) {
    for (unsigned seed = 1; seed <= 12; ++seed) {
        const StrandSet set = wild(40, seed);
        const std::vector<float> worth = worthOf(set);
        for (const double allowed : {0.002, 0.01, 0.03, 0.2}) {
            const StrandLevel level = levelWithin(set, worth, allowed);
            ASSERT_LE(level.deviation, allowed);
            const StrandSet cut = cutStrands(set, worth, level.deviation, 1, 1);
            ASSERT_EQ(cut.size(), set.size());
            EXPECT_EQ(cut.segments(), level.segments);
            for (std::size_t s = 0; s < set.size(); ++s) {
                EXPECT_LE(apart(set, s, cut, s), level.deviation + 1e-5);
                EXPECT_EQ(cut.points[cut.first[s]], set.points[set.first[s]]) << "ends stay";
                EXPECT_EQ(cut.points[cut.first[s + 1] - 1], set.points[set.first[s + 1] - 1]);
            }
        }
    }
}

TEST(StrandLevels, have_the_share_of_points_that_was_asked_for) {
    const StrandSet set = wild(2000, 3);
    const std::vector<float> worth = worthOf(set);
    const auto inner = static_cast<double>(set.segments() - set.size());
    double before = -1;
    for (const double share : {1.0, 0.5, 0.25, 0.1, 0.0}) {
        const StrandLevel level = levelWithShare(set, worth, share);
        EXPECT_NEAR(static_cast<double>(level.segments - set.size()) / inner, share, 0.01);
        EXPECT_GT(level.deviation, before);
        before = level.deviation;
    }
}

TEST(StrandLevels, a_width_that_bulges_keeps_its_point) {
    StrandSet set;
    set.first = {0, 3};
    set.points = {{0, 0, 0}, {0, 1, 0}, {0, 2, 0}};
    set.widths = {0.1F, 0.5F, 0.1F};
    EXPECT_NEAR(static_cast<double>(worthOf(set)[1]), 0.2, 1e-6) << "half of what the width is off";
}

TEST(StrandSets, what_cannot_be_is_refused) {
    StrandSet good = wild(3, 1);
    EXPECT_TRUE(checkStrands(good, "x"));
    EXPECT_FALSE(checkStrands({}, "x"));
    StrandSet single = good;
    single.first = {0, 1, single.first[2], single.first[3]};
    EXPECT_NE(checkStrands(single, "x").error().text().find("single point"), std::string::npos);
    StrandSet nan = good;
    nan.points[4].x() = std::numeric_limits<float>::quiet_NaN();
    EXPECT_FALSE(checkStrands(nan, "x"));
    StrandSet negative = good;
    negative.widths[2] = -1;
    EXPECT_NE(checkStrands(negative, "x").error().text().find("negative"), std::string::npos);
}

TEST(StrandSets, moving_the_origin_and_ordering_change_no_place) {
    StrandSet set = wild(500, 9);
    for (Vec3f& p : set.points)
        p += Vec3f(3000, 0, -2000);
    StrandSet centred = set;
    centreStrands(centred);
    EXPECT_LT(centred.points.front().norm(), 60);
    EXPECT_LT((centred.origin + centred.points[7].cast<double>() - set.points[7].cast<double>()).norm(), 1e-3);
    const auto ordered = inStrandOrder(set, {});
    ASSERT_TRUE(ordered);
    EXPECT_EQ(ordered->points.size(), set.points.size());
    std::vector<float> a;
    std::vector<float> b;
    for (std::size_t s = 0; s < set.size(); ++s) {
        a.push_back(set.points[set.first[s]].x());
        b.push_back(ordered->points[ordered->first[s]].x());
    }
    EXPECT_NE(a, b);
    std::sort(a.begin(), a.end());
    std::sort(b.begin(), b.end());
    EXPECT_EQ(a, b);
}

TEST(Growing, makes_strands_as_the_recipe_says_and_the_same_again) {
    StrandRecipe r = dune();
    r.lengthVary = 0.2;
    r.curl = 0;
    r.clump = 0;
    const StrandSet set = grown(r);
    EXPECT_NEAR(static_cast<double>(set.size()), 16000, 200);
    EXPECT_TRUE(checkStrands(set, "grown"));
    EXPECT_EQ(set, grown(r));
    for (std::size_t s = 0; s < set.size(); s += 37) {
        double length = 0;
        for (std::uint32_t i = set.first[s] + 1; i < set.first[s + 1]; ++i)
            length += static_cast<double>((set.points[i] - set.points[i - 1]).norm());
        EXPECT_GT(length, 0.6 * 0.8 - 1e-4);
        EXPECT_LT(length, 0.6 * 1.2 + 1e-4);
        EXPECT_EQ(set.widths[set.first[s]], 0.008F);
        EXPECT_GT(set.points[set.first[s + 1] - 1].y(), set.points[set.first[s]].y());
    }
    r.where.seed = 2;
    EXPECT_NE(set, grown(r));
}

TEST(Growing, clumps_bring_tips_together) {
    StrandRecipe r = dune();
    r.bendDegrees = r.leanDegrees = 0;
    const auto nearest = [](const StrandSet& set) {
        double sum = 0;
        for (std::size_t s = 0; s < 300; ++s) {
            double least = 1e300;
            for (std::size_t o = 0; o < set.size(); ++o)
                if (o != s) {
                    const Vec3f away = set.points[set.first[s + 1] - 1] - set.points[set.first[o + 1] - 1];
                    least = std::min(least, std::hypot(static_cast<double>(away.x()), static_cast<double>(away.z())));
                }
            sum += least;
        }
        return sum;
    };
    r.clump = 0;
    const double loose = nearest(grown(r));
    r.clump = 0.9;
    EXPECT_LT(nearest(grown(r)), 0.6 * loose);
}

TEST(Growing, refuses_what_cannot_be_and_what_would_be_too_many) {
    StrandRecipe r = dune();
    r.length = -1;
    EXPECT_FALSE(growStrands(r, levelGround(r.where), {}));
    r = dune(1e6);
    const auto many = growStrands(r, levelGround(r.where), {});
    ASSERT_FALSE(many);
    EXPECT_EQ(many.error().code, ErrorCode::TooLarge);
    EXPECT_NE(many.error().text().find("400.00 M"), std::string::npos) << many.error().text();
    r = dune();
    r.points = 1;
    EXPECT_FALSE(growStrands(r, levelGround(r.where), {}));
    std::stop_source stop;
    stop.request_stop();
    JobContext job;
    job.stop = stop.get_token();
    EXPECT_EQ(growStrands(dune(), levelGround(dune().where), job).error().code, ErrorCode::Cancelled);
}

TEST(StrandCosts, are_those_of_the_strands_that_are_drawn) {
    View view;
    Thinning thinning;
    thinning.keep.points = {{5, 1}, {40, 0.2}};
    std::mt19937 dice(5);
    std::uniform_real_distribution<double> any(-1, 1);
    Chosen chosen(wild(3000, 21), thinning, view);
    SelectOptions options;
    options.fades = false;
    std::size_t levelsSeen = 0;
    for (int flight = 0; flight < 20; ++flight) {
        const Vec3d eye(30 * any(dice), 1 + any(dice), 30 * any(dice));
        const View from = lookAt(view, eye, Vec3d(10 * any(dice), 0, 10 * any(dice)));
        chosen.state = {};
        select(chosen.input, from, 0, options, chosen.state, chosen.out);
        std::uint64_t triangles = 0;
        std::uint64_t vertices = 0;
        std::array<bool, 8> shown{};
        for (std::uint32_t slot = 0; slot < chosen.set.size(); ++slot) {
            const Pick pick = pickOf(chosen.input, from, 0, options, chosen.state, {0, slot});
            if (pick.culled != Culled::No)
                continue;
            const auto level = static_cast<std::size_t>(pick.level);
            shown[level] = true;
            const std::uint32_t strand = chosen.input.batches[0].copies->placementOf[slot];
            std::uint32_t points = 0;
            eachKept(chosen.set, chosen.worth, strand,
                     level == 0 ? -1 : static_cast<float>(chosen.levels[level].deviation),
                     [&points](std::uint32_t) { ++points; });
            triangles += 2 * (points - 1);
            vertices += 2 * points;
        }
        EXPECT_EQ(chosen.out.total.triangles, triangles);
        EXPECT_EQ(chosen.out.total.vertices, vertices);
        EXPECT_EQ(chosen.out.total.draws, static_cast<std::uint64_t>(std::count(shown.begin(), shown.end(), true)));
        levelsSeen = std::max(levelsSeen, static_cast<std::size_t>(std::count(shown.begin(), shown.end(), true)));
        EXPECT_LE(chosen.out.total.worstErrorPx, 1.0001);
    }
    EXPECT_GE(levelsSeen, 2U) << "the flights must show several levels";
}

TEST(StrandCosts, a_wider_strand_is_no_larger_one) {
    View view;
    Thinning thinning;
    thinning.keep.points = {{0, 0.3}};
    thinning.growAtMost = 8;
    Chosen thin(wild(500, 2), thinning, view);
    Chosen whole(wild(500, 2), {}, view);
    const View from = lookAt(view, {0, 2, 60}, {0, 0, 0});
    for (Chosen* c : {&thin, &whole})
        select(c->input, from, 0, {}, c->state, c->out);
    const Pick pick = pickOf(thin.input, from, 0, {}, thin.state, {0, 0});
    const Pick same = pickOf(whole.input, from, 0, {}, whole.state, {0, 0});
    EXPECT_EQ(pick.distance, same.distance);
    EXPECT_EQ(pick.nextFrom, same.nextFrom);
}

TEST(StrandCover, is_held_by_width_and_falls_without) {
    StrandRecipe r = dune(60);
    r.width = 0.004;
    const StrandSet set = grown(r);
    const std::vector<float> worth = worthOf(set);
    View view;
    ResolvedChain chain;
    chain.levels.resize(1);
    chain.fromMetres = {0};
    const std::vector<double> distances = {40, 80, 120};
    Thinning held;
    held.widths = true;
    held.keep.points = {{20, 1}, {60, 0.4}, {120, 0.25}};
    held.growAtMost = 6;
    const auto with = measureCover(set, worth, chain, held, {}, view, distances, {});
    ASSERT_TRUE(with);
    Thinning bare = held;
    bare.growAtMost = 1;
    const auto without = measureCover(set, worth, chain, bare, {}, view, distances, {});
    ASSERT_TRUE(without);
    for (std::size_t i = 0; i < distances.size(); ++i) {
        EXPECT_GT((*with)[i].full, 0.02);
        EXPECT_NEAR((*with)[i].share(), 1, 0.1) << distances[i];
        EXPECT_NEAR(coverAt(held, distances[i]), 1, 1e-9);
        EXPECT_LT((*with)[i].colour, 2.5) << distances[i];
    }
    EXPECT_LT((*without)[2].share(), 0.6);
    EXPECT_LT((*with)[2].drawn, 0.35 * (*with)[2].strands);
    // Nothing thinned: nothing differs.
    const auto same = measureCover(set, worth, chain, {}, {}, view, distances, {});
    for (const StrandCover& c : *same) {
        EXPECT_EQ(c.share(), 1);
        EXPECT_EQ(c.colour, 0);
    }
}

TEST(StrandCards, stand_for_all_strands_and_cover_what_they_cover) {
    StrandRecipe r = dune(60);
    r.width = 0.005;
    const StrandSet set = grown(r);
    const std::vector<float> worth = worthOf(set);
    View view;
    const std::vector<double> distances = {40, 80, 120};
    ResolvedChain chain;
    chain.levels.resize(2);
    chain.fromMetres = {0, 1};
    for (const std::uint32_t perCard : {8U, 30U}) {
        const StrandCards cards = *cardsOf(set, perCard, {});
        EXPECT_EQ(cards.count(), set.size() / perCard);
        EXPECT_EQ(cards.picture.size(), static_cast<std::size_t>(cards.width) * static_cast<std::size_t>(cards.height));
        EXPECT_GT(cards.deviation, 0);
        EXPECT_LT(cards.deviation, 2 * static_cast<double>(cards.high - cards.low));
        const auto covers = measureCover(set, worth, chain, {}, {}, view, distances, {}, &cards);
        ASSERT_TRUE(covers);
        for (const StrandCover& c : *covers) {
            EXPECT_NEAR(c.share(), 1, 0.15) << perCard << " a card, " << c.metres << " m";
            EXPECT_LT(c.colour, 5) << perCard << " a card, " << c.metres << " m";
            EXPECT_NEAR(static_cast<double>(c.drawn) * perCard / c.strands, 1, 0.2);
        }
        EXPECT_EQ(*cardsOf(set, perCard, {}), cards) << "the same again";
    }
}

TEST(StrandCards, a_picture_is_that_of_its_tuft) {
    // Three posts side by side, far from three others like them.
    StrandSet set;
    set.first.push_back(0);
    for (const float tuft : {0.0F, 50.0F})
        for (const float x : {0.0F, 0.4F, -0.4F}) {
            set.points.insert(set.points.end(), {Vec3f(tuft + x, 0, 0), Vec3f(tuft + x, 2, 0)});
            set.widths.insert(set.widths.end(), 2, 0.1F);
            set.first.push_back(static_cast<std::uint32_t>(set.points.size()));
        }
    // In a progressive order one of each tuft comes first.
    StrandSet ordered;
    ordered.first.push_back(0);
    for (const std::size_t s : {0, 3, 1, 4, 2, 5}) {
        ordered.points.insert(ordered.points.end(), set.points.begin() + 2 * static_cast<std::ptrdiff_t>(s),
                              set.points.begin() + 2 * static_cast<std::ptrdiff_t>(s) + 2);
        ordered.widths.insert(ordered.widths.end(), 2, 0.1F);
        ordered.first.push_back(static_cast<std::uint32_t>(ordered.points.size()));
    }
    const StrandCards cards = *cardsOf(ordered, 3, {});
    EXPECT_EQ(cards.count(), 2U);
    EXPECT_NEAR(cards.half, 0.45, 1e-3);
    EXPECT_NEAR(cards.high, 2.05, 1e-3);
    for (const StrandCards::Stand& stand : cards.stands) {
        EXPECT_NEAR(stand.axis.y(), 1, 1e-6);
        EXPECT_NEAR(stand.size, 1, 1e-6);
    }
    for (const float v : {0.2F, 0.5F, 0.9F}) {
        for (const float x : {-0.4F, 0.0F, 0.4F}) {
            const float t = cards.at(0.5F + x / (2 * cards.half), v);
            EXPECT_NEAR(t, (cards.low + v * (cards.high - cards.low)) / 2, 0.02) << x;
        }
        for (const float x : {-0.2F, 0.2F})
            EXPECT_LT(cards.at(0.5F + x / (2 * cards.half), v), 0) << x;
    }
    // Both tufts are alike, but seen from their end they are one post: so far the outline is off.
    EXPECT_NEAR(cards.deviation, 0.4, 0.12);
}

TEST(StrandCards, each_strand_is_of_the_tuft_whose_card_is_nearest) {
    const StrandSet set = wild(600, 12);
    const StrandCards cards = *cardsOf(set, 9, {});
    std::vector<Vec3f> lines(cards.count(), Vec3f::Zero());
    for (std::uint32_t s = 0; s < set.size(); ++s) {
        std::uint32_t nearest = 0;
        for (std::uint32_t c = 1; c < cards.count(); ++c)
            if ((set.points[set.first[c]] - set.points[set.first[s]]).squaredNorm() <
                (set.points[set.first[nearest]] - set.points[set.first[s]]).squaredNorm())
                nearest = c;
        lines[nearest] += set.points[set.first[s + 1] - 1] - set.points[set.first[s]];
    }
    for (std::uint32_t c = 0; c < cards.count(); ++c)
        EXPECT_LT((lines[c].normalized() - cards.stands[c].axis).norm(), 1e-4F) << c;
}

TEST(StrandCards, nearest_roots_are_those_that_looking_at_all_finds) {
    std::mt19937 dice(31);
    std::uniform_real_distribution<float> any(-1, 1);
    for (int round = 0; round < 12; ++round) {
        // Spread, in one plane, on one line, many in one place, and one far from all others.
        StrandSet set;
        set.first.push_back(0);
        for (int s = 0; s < 300; ++s) {
            Vec3f root(20 * any(dice), 20 * any(dice), 20 * any(dice));
            if (round % 4 >= 1)
                root.y() = 0;
            if (round % 4 >= 2)
                root.z() = 0;
            if (round % 4 == 3)
                root.x() = std::floor(root.x() / 10);
            if (s == 250)
                root.x() = 1e5F;
            set.points.insert(set.points.end(), {root, root + Vec3f(0, 1, 0)});
            set.widths.insert(set.widths.end(), 2, 0.01F);
            set.first.push_back(static_cast<std::uint32_t>(set.points.size()));
        }
        const std::uint32_t count = round == 0 ? 1 : 40 + 40 * static_cast<std::uint32_t>(round % 3);
        const NearestRoot nearest(set, count);
        for (std::uint32_t s = 0; s < set.size(); ++s) {
            const Vec3f place = set.points[set.first[s]] + 0.3F * Vec3f(any(dice), any(dice), any(dice));
            std::uint32_t best = 0;
            for (std::uint32_t c = 1; c < count; ++c)
                if ((set.points[set.first[c]] - place).squaredNorm() <
                    (set.points[set.first[best]] - place).squaredNorm())
                    best = c;
            ASSERT_EQ(nearest.of(place), best) << "round " << round << ", strand " << s;
        }
    }
}

TEST(StrandCards, one_strand_far_away_costs_nothing_and_a_cancel_is_heard) {
    StrandSet set;
    set.first.push_back(0);
    std::mt19937 dice(2);
    std::uniform_real_distribution<float> any(0, 1);
    constexpr int kMany = 60'000;
    for (int s = 0; s < kMany; ++s) {
        const Vec3f root(s == kMany / 2 ? 9e5F : any(dice), 0, any(dice));
        set.points.insert(set.points.end(), {root, root + Vec3f(0, 0.1F, 0)});
        set.widths.insert(set.widths.end(), 2, 0.001F);
        set.first.push_back(static_cast<std::uint32_t>(set.points.size()));
    }
    const auto cards = cardsOf(set, 2, {});
    ASSERT_TRUE(cards);
    EXPECT_EQ(cards->count(), static_cast<std::uint32_t>(kMany / 2));
    std::stop_source stop;
    stop.request_stop();
    const auto cancelled = cardsOf(set, 2, JobContext{stop.get_token(), {}});
    ASSERT_FALSE(cancelled);
    EXPECT_EQ(cancelled.error().code, ErrorCode::Cancelled);
}

TEST(StrandCards, grow_only_once_some_of_them_go) {
    Thinning thinning;
    thinning.keep.points = {{0, 1}, {100, 0}};
    thinning.growAtMost = 3;
    thinning.band = 0;
    EXPECT_EQ(cardGrowthAt(thinning, 50, 0.1), 1) << "half of the strands is five times as many as have cards";
    EXPECT_NEAR(cardGrowthAt(thinning, 95, 0.1), 2, 1e-9);
    EXPECT_EQ(cardGrowthAt(thinning, 99, 0.1), 3) << "at most so much";
    thinning.holdCover = false;
    EXPECT_EQ(cardGrowthAt(thinning, 95, 0.1), 1);
}

TEST(StrandCosts, of_cards_are_two_triangles_for_each_that_has_one) {
    View view;
    Chosen chosen(wild(1200, 4), {}, view);
    const auto cards = std::make_shared<const StrandCards>(*cardsOf(chosen.set, 12, {}));
    StrandLevel level;
    level.perCard = 12;
    level.deviation = cards->deviation;
    level.segments = cards->count();
    chosen.levels.push_back(level);
    const StrandLayout layout = layOut(chosen.set, chosen.worth, placesOf(chosen.set), chosen.levels, nullptr, cards);
    ASSERT_EQ(layout.cards, cards);
    const std::size_t last = chosen.levels.size() - 1;
    const auto all = static_cast<std::uint32_t>(chosen.set.size());
    EXPECT_EQ(layout.costs->triangles(last, 0, all), 2U * cards->count());
    EXPECT_EQ(layout.costs->vertices(last, 2U * cards->count(), all), 4U * cards->count());
    EXPECT_EQ(layout.costs->triangles(0, 0, all), 2 * chosen.set.segments());
    for (std::uint32_t slot = 0; slot < all; ++slot)
        EXPECT_EQ(layout.costs->triangles(last, slot, 1), layout.cells->placementOf[slot] < cards->count() ? 2U : 0U);
}

TEST(Ribbons, are_as_wide_as_their_strands) {
    const StrandSet set = wild(50, 8);
    const Mesh mesh = ribbonMesh(set, {});
    EXPECT_EQ(mesh.triangleCount(), 2 * set.segments());
    EXPECT_TRUE(checkMesh(mesh, "ribbons"));
    for (std::size_t i = 0; i < set.points.size(); ++i) {
        EXPECT_NEAR((mesh.positions[2 * i] - mesh.positions[2 * i + 1]).norm(), set.widths[i], 1e-5F);
        EXPECT_LT(((mesh.positions[2 * i] + mesh.positions[2 * i + 1]) / 2 - set.points[i]).norm(), 1e-5F);
        EXPECT_NEAR(mesh.normals[2 * i].norm(), 1, 1e-5F);
    }
}

} // namespace thicket
