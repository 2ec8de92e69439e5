// A fit holds every frame where something can, says so where nothing can, and touches nothing that it should not.

#include "budget/fit.h"

#include "budget/first_audit.h"
#include "budget/rings.h"
#include "support/shapes.h"

#include <cmath>
#include <gtest/gtest.h>
#include <random>

namespace thicket {
namespace {

using test::auditOf;
using test::mostTriangles;
using test::plain;
using test::sceneOf;
using test::seenOf;
using test::tight;

Fit fitOf(const Scene& scene, const Device& device, const FitOptions& options = {}) {
    auto fit = fitScene(scene, scene.settings.routes[0], device, options, {});
    EXPECT_TRUE(fit);
    return std::move(*fit);
}

} // namespace

TEST(Fit, holds_every_frame_where_something_can) {
    for (unsigned seed = 1; seed <= 6; ++seed) {
        const Scene scene = sceneOf(4, seed);
        const Device device = tight(scene, 0.3);
        const Fit fit = fitOf(scene, device);
        EXPECT_FALSE(fit.before.holds());
        EXPECT_TRUE(fit.holds()) << seed;
        EXPECT_TRUE(fit.unheld.empty());
        // What it found is what the device does with it.
        Device fitted = device;
        fitted.fitted = fit.fitted;
        const Audit again = auditOf(scene, fitted);
        EXPECT_TRUE(again.holds());
        EXPECT_EQ(mostTriangles(again), mostTriangles(fit.after));
        // No frame that held is over now.
        for (std::size_t f = 0; f < again.frames.size(); ++f)
            EXPECT_LE(again.frames[f].triangles, fit.before.frames[f].triangles);
    }
}

TEST(Fit, no_looser_subject_is_said_to_cost_more_though_the_frame_waits_for_something_else_now) {
    const Scene scene = sceneOf(4, 3);
    Device device = plain();
    device.nsPerVertex = 0;
    const Audit before = auditOf(scene, device);
    const AuditFrame& worst = before.frames[before.worstFrame];
    // Pixels take a little less than what the triangles of the worst frame take: with fewer of these they are waited for.
    device.nsPerTriangle = 5e6 / static_cast<double>(worst.triangles);
    device.nsPerPixel = 4.5e6 / (before.watched.total.pixels * device.overdraw);
    device.frameMs = frameMs(device, before.watched.total);
    device.triangleBudget = tight(scene, 0.4).triangleBudget;
    const Fit fit = fitOf(scene, device);
    ASSERT_TRUE(fit.holds());
    EXPECT_EQ(fit.before.frames[fit.before.worstFrame].bound, Bound::Geometry);
    EXPECT_EQ(fit.after.frames[fit.before.worstFrame].bound, Bound::Pixels);
    bool any = false;
    for (const FitRow& row : fit.rows) {
        EXPECT_GE(row.savesMs, -1e-9) << row.subject;
        any |= row.savesMs > 0.1;
    }
    EXPECT_TRUE(any);
}

TEST(Fit, no_random_setting_that_holds_is_seen_much_less) {
    for (unsigned seed = 1; seed <= 5; ++seed) {
        Scene scene = sceneOf(4, seed);
        for (std::size_t s = 0; s < scene.subjects.size(); ++s)
            scene.subjects[s].rule.importance = s % 2 == 0 ? 1 : 1.5;
        const Device device = tight(scene, 0.3);
        const auto own = seenOf(scene, device, fitOf(scene, device).fitted);
        ASSERT_TRUE(own);
        std::mt19937 random(seed);
        std::uniform_real_distribution<double> any(0, 1);
        std::size_t held = 0;
        for (int i = 0; i < 300; ++i) {
            Loosened times;
            for (const Subject& s : scene.subjects)
                times[s.id] = std::pow(8, any(random));
            const auto other = seenOf(scene, device, times);
            held += other ? 1 : 0;
            EXPECT_LT(*own, 1.03 * other.value_or(HUGE_VAL)) << "scene " << seed << ", setting " << i;
        }
        EXPECT_GT(held, 10U) << "there is a choice";
    }
}

TEST(Fit, changes_nothing_where_nothing_is_over) {
    const Scene scene = sceneOf(3, 9);
    const Fit fit = fitOf(scene, plain());
    EXPECT_TRUE(fit.fitted.empty());
    EXPECT_TRUE(fit.holds());
}

TEST(Fit, says_what_cannot_be_held_and_what_would_have_to_give) {
    const Scene scene = sceneOf(3, 4);
    Device device = plain();
    device.triangleBudget = 500;
    const Fit fit = fitOf(scene, device);
    EXPECT_FALSE(fit.holds());
    ASSERT_EQ(fit.unheld.size(), 1U);
    EXPECT_EQ(fit.unheld[0].limit, FrameLimit::Triangles);
    EXPECT_EQ(fit.unheld[0].frames, fit.after.framesOver);
    EXPECT_EQ(fit.unheld[0].needed, static_cast<double>(mostTriangles(fit.after)));
    // With what it says is needed it holds.
    device.triangleBudget = static_cast<std::uint64_t>(fit.unheld[0].needed);
    EXPECT_TRUE(fitOf(scene, device).holds());
    EXPECT_NE(sentenceOf(fit.unheld[0], scene).find("triangles cannot be held"), std::string::npos);
}

TEST(Fit, gives_nothing_for_a_limit_that_it_cannot_hold) {
    for (unsigned seed = 1; seed <= 4; ++seed) {
        const Scene scene = sceneOf(4, seed);
        const Device device = tight(scene, 0.3);
        Device fewDraws = device;
        fewDraws.drawBudget = 1;
        const Fit fit = fitOf(scene, device);
        const Fit beside = fitOf(scene, fewDraws);
        EXPECT_TRUE(fit.holds()) << seed;
        EXPECT_EQ(beside.fitted, fit.fitted) << seed << ": no more is seen for draws that are over in any case";
        ASSERT_EQ(beside.unheld.size(), 1U) << seed;
        EXPECT_EQ(beside.unheld.front().limit, FrameLimit::Draws);
    }
}

TEST(Fit, names_the_one_subject_that_is_in_the_way) {
    Scene scene = sceneOf(3, 5);
    Subject& heavy = scene.subjects[1]; // one level, of which nothing can be taken
    heavy.mesh().levels.resize(1);
    Scene without = scene;
    without.subjects.erase(without.subjects.begin() + 1);
    Device device = plain();
    device.triangleBudget = mostTriangles(auditOf(without, device)) + 10;
    const Fit fit = fitOf(scene, device);
    EXPECT_FALSE(fit.holds());
    ASSERT_EQ(fit.unheld.size(), 1U);
    EXPECT_EQ(fit.unheld[0].without, heavy.id);
}

TEST(Fit, is_the_same_every_time) {
    const Scene scene = sceneOf(5, 7);
    const Device device = tight(scene, 0.4);
    EXPECT_EQ(fitOf(scene, device).fitted, fitOf(scene, device).fitted);
}

TEST(Fit, of_many_subjects_holds_too_and_is_the_same_every_time) {
    const Scene scene = sceneOf(70, 6); // more than are looked at for exchanges
    const Device device = tight(scene, 0.4);
    const Fit fit = fitOf(scene, device);
    EXPECT_FALSE(fit.before.holds());
    EXPECT_TRUE(fit.holds());
    ASSERT_EQ(fit.rows.size(), scene.subjects.size());
    EXPECT_EQ(fitOf(scene, device).fitted, fit.fitted);
    Device fitted = device;
    fitted.fitted = fit.fitted;
    EXPECT_TRUE(auditOf(scene, fitted).holds());
}

TEST(Fit, leaves_alone_what_is_left_out_or_set_by_hand) {
    Scene scene = sceneOf(4, 8);
    for (std::size_t l = 1; l < 4; ++l)
        scene.subjects[2].mesh().levels[l].fixed = FixedSwitch{DecideBy::Distance, 30.0 * static_cast<double>(l)};
    Device device = tight(scene, 0.5);
    device.fitted[scene.subjects[1].id] = 1.5;
    FitOptions options;
    options.leftOut = {scene.subjects[0].id, scene.subjects[1].id};
    const Fit fit = fitOf(scene, device, options);
    EXPECT_FALSE(fit.fitted.contains(scene.subjects[0].id));
    EXPECT_EQ(fit.fitted.at(scene.subjects[1].id), 1.5) << "it stays as it was";
    EXPECT_FALSE(fit.fitted.contains(scene.subjects[2].id)) << "loosening what is set by hand takes nothing off";
    device.fitted = fit.fitted;
    const View view = scene.statedView(&device);
    const ResolvedChain chain = chainOf(scene.subjects[2], view);
    for (std::size_t l = 1; l < 4; ++l)
        EXPECT_EQ(chain.fromMetres[l], 30.0 * static_cast<double>(l));
}

TEST(Fit, takes_from_what_matters_less) {
    Scene scene = sceneOf(1, 3);
    Subject twin = scene.subjects[0];
    twin.id = scene.nextId++;
    twin.name = "twin";
    scene.subjects.push_back(twin);
    // Importance moves switches as well: what is more important begins with more to take.
    scene.subjects[0].rule.importance = 4;
    scene.subjects[0].rule.allowPx *= 4;
    const Fit fit = fitOf(scene, tight(scene, 0.8));
    ASSERT_TRUE(fit.holds());
    EXPECT_GT(fit.rows[1].times, fit.rows[0].times);
}

TEST(Fit, is_near_the_best_of_all_settings) {
    // Two subjects, all pairs of settings: the least error of those that hold.
    for (unsigned seed = 21; seed <= 23; ++seed) {
        const Scene scene = sceneOf(2, seed);
        const Device device = tight(scene, 0.35);
        const auto errorOf = [&](const Device& on, bool& holds) {
            const SelectInput input = selectInput(scene, scene.statedView(&on));
            double error = 0;
            holds = true;
            const auto flown = flyRoute(scene, input, scene.settings.routes[0], on, 1, {},
                                        [&](std::size_t, const View& view, const Selection& selection) {
                                            const Ledger ledger = ledgerOf(input, selection, view, on);
                                            holds &=
                                                !overBudget(on, ledger.ms, ledger.total.triangles, ledger.total.draws);
                                            for (const SubjectCost& cost : selection.subjects)
                                                error += cost.worstErrorPx;
                                        });
            EXPECT_TRUE(flown);
            return error;
        };
        double best = 1e300;
        for (int a = 0; a <= 12; ++a)
            for (int b = 0; b <= 12; ++b) {
                Device on = device;
                on.fitted = {{scene.subjects[0].id, std::pow(2, a / 4.0)},
                             {scene.subjects[1].id, std::pow(2, b / 4.0)}};
                bool holds = false;
                if (const double error = errorOf(on, holds); holds)
                    best = std::min(best, error);
            }
        Device on = device;
        const Fit fit = fitOf(scene, device);
        on.fitted = fit.fitted;
        bool holds = false;
        const double found = errorOf(on, holds);
        EXPECT_TRUE(holds);
        EXPECT_LE(found, 1.1 * best) << seed;
    }
}

TEST(Fit, refuses_a_device_of_nothing_and_keeps_a_cancel) {
    const Scene scene = sceneOf(1, 1);
    Device nothing = plain();
    nothing.drawBudget = 0;
    EXPECT_EQ(fitScene(scene, scene.settings.routes[0], nothing, {}, {}).error().code, ErrorCode::BadInput);
    std::stop_source stop;
    stop.request_stop();
    EXPECT_EQ(fitScene(scene, scene.settings.routes[0], plain(), {}, {stop.get_token(), {}, 0, 1}).error().code,
              ErrorCode::Cancelled);
}

TEST(Loosened, thins_out_nearer_and_allows_more) {
    Scene scene = sceneOf(1, 2);
    Device device = plain();
    device.fitted[scene.subjects[0].id] = 2;
    const ResolvedChain before = chainOf(scene.subjects[0], scene.statedView());
    const ResolvedChain after = chainOf(scene.subjects[0], scene.statedView(&device));
    for (std::size_t l = 1; l < 4; ++l)
        EXPECT_NEAR(after.fromMetres[l], before.fromMetres[l] / 2, 1e-9);
    Thinning thinning;
    thinning.keep.points = {{10, 1}, {100, 0.2}};
    const Thinning nearer = nearerBy(thinning, 2);
    for (const double metres : {1.0, 7.0, 20.0, 40.0, 60.0})
        EXPECT_NEAR(nearer.keepAt(metres), thinning.keepAt(2 * metres), 1e-12);
}

TEST(Pacing, tells_how_far_and_how_long_frames_are_over) {
    Audit audit;
    for (int f = 0; f < 100; ++f) {
        AuditFrame frame;
        frame.ms = f + 1;
        frame.over = (f >= 10 && f < 13) || (f >= 40 && f < 47) || f == 99;
        audit.frames.push_back(frame);
    }
    const Pacing pacing = pacingOf(audit);
    EXPECT_EQ(pacing.p50, 50);
    EXPECT_EQ(pacing.p95, 95);
    EXPECT_EQ(pacing.p99, 99);
    EXPECT_EQ(pacing.worst, 100);
    EXPECT_EQ(pacing.longestOver, 7U);
    EXPECT_EQ(pacing.longestFrom, 40U);
}

} // namespace thicket
