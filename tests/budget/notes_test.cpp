// Notes on an audit are true: what they say changes nothing changes nothing.

#include "budget/notes.h"

#include "budget/first_audit.h"
#include "scene/grounds.h"
#include "scene/kinds.h"
#include "support/balls.h"

#include <bit>
#include <gtest/gtest.h>

namespace thicket {
namespace {

using test::auditOf;

/// A ball of four levels that a route comes no nearer to than 40 m, and a lump of one level.
Scene sceneFarOff() {
    Scene scene;
    scene.settings.cullHidden = false;
    Subject ball = test::ballOfLevels(1, {0.0, 0.005, 0.03, 3.0});
    ball.rule.cullBelowPx = 0;
    ball.mesh().placed = std::make_shared<const Placements>(Placements{{10, 0, {0, 0, 0}, Quatd::Identity(), 1, 1}});
    Subject lump = ball;
    lump.id = 2;
    lump.name = "lump";
    lump.mesh().levels.resize(1);
    lump.mesh().placed = std::make_shared<const Placements>(Placements{{11, 0, {4, 0, 0}, Quatd::Identity(), 1, 1}});
    scene.subjects = {ball, lump};
    scene.nextId = 20;
    scene.settings.routes = {{"by", {{0, {0, 2, 90}, {0, 0, 0}}, {4, {0, 2, 40}, {0, 0, 0}}}}};
    return scene;
}

Device tight() {
    Device d;
    d.frameRate = 20;
    d.triangleBudget = 100;
    return d;
}

std::size_t countOf(const std::vector<BudgetNote>& notes, BudgetNoteKind kind) {
    return static_cast<std::size_t>(
        std::count_if(notes.begin(), notes.end(), [kind](const BudgetNote& n) { return n.kind == kind; }));
}

} // namespace

TEST(Notes, a_level_that_never_shows_can_go_and_no_frame_changes) {
    Scene scene = sceneFarOff();
    const Audit before = auditOf(scene, tight());
    const auto notes = notesOn(before, scene);
    ASSERT_GE(countOf(notes, BudgetNoteKind::NeverShown), 1U);
    std::vector<std::size_t> never;
    for (const BudgetNote& note : notes)
        if (note.kind == BudgetNoteKind::NeverShown) {
            EXPECT_EQ(note.subject, 1U);
            never.push_back(note.level);
        }
    auto& levels = scene.subjects[0].mesh().levels;
    for (auto level = never.rbegin(); level != never.rend(); ++level)
        levels.erase(levels.begin() + static_cast<std::ptrdiff_t>(*level));
    const Audit after = auditOf(scene, tight());
    ASSERT_EQ(after.frames.size(), before.frames.size());
    for (std::size_t f = 0; f < after.frames.size(); ++f) {
        EXPECT_EQ(after.frames[f].triangles, before.frames[f].triangles);
        EXPECT_EQ(after.frames[f].worstErrorPx, before.frames[f].worstErrorPx);
    }
    EXPECT_EQ(countOf(notesOn(after, scene), BudgetNoteKind::NeverShown), 0U);
}

TEST(Notes, what_switches_only_where_no_camera_looks_need_not_fade) {
    Scene scene = sceneFarOff();
    Subject& ball = scene.subjects[0];
    ball.rule.fadeSeconds = 0.5;
    // One copy stays near, one far off: both levels show. A third is passed by, and is behind when it would switch.
    ball.mesh().placed = std::make_shared<const Placements>(Placements{{10, 0, {0, 0, 0}, Quatd::Identity(), 1, 1},
                                                                       {11, 0, {0, 0, -900}, Quatd::Identity(), 1, 1},
                                                                       {12, 0, {3, 0, 16}, Quatd::Identity(), 1, 1}});
    scene.subjects.resize(1);
    scene.settings.routes = {{"by", {{0, {0, 0, 20}, {0, 0, 0}}, {2, {0, 0, 12}, {0, 0, 0}}}}};
    const Audit before = auditOf(scene, tight());
    ASSERT_GE(std::popcount(before.own[0].shown), 2);
    const auto notes = notesOn(before, scene);
    const auto note = std::find_if(notes.begin(), notes.end(),
                                   [](const BudgetNote& n) { return n.kind == BudgetNoteKind::OffScreen; });
    ASSERT_NE(note, notes.end());
    EXPECT_TRUE(note->whole);
    EXPECT_EQ(note->subject, 1U);
    scene.subjects[0].rule.fadeSeconds = 0;
    const Audit after = auditOf(scene, tight());
    ASSERT_EQ(after.frames.size(), before.frames.size());
    for (std::size_t f = 0; f < after.frames.size(); ++f) {
        EXPECT_EQ(before.frames[f].switches, 0U);
        EXPECT_EQ(after.frames[f].triangles, before.frames[f].triangles);
        EXPECT_EQ(after.frames[f].draws, before.frames[f].draws);
    }
    // Backwards and far enough, each switch between the levels that show is made in view, and none is named.
    scene.settings.routes = {{"back", {{0, {0, 0, 12}, {0, 0, 0}}, {40, {0, 0, 400}, {0, 0, 0}}}}};
    const Audit back = auditOf(scene, tight());
    ASSERT_GE(std::popcount(back.own[0].shown), 2);
    EXPECT_NE(back.own[0].crossed, 0U);
    EXPECT_EQ(countOf(notesOn(back, scene), BudgetNoteKind::OffScreen), 0U);
}

TEST(Notes, of_several_switches_only_those_that_nobody_sees_are_named) {
    Scene scene = sceneFarOff();
    Subject& ball = scene.subjects[0];
    ball.rule.fadeSeconds = 0.5;
    // One copy comes so near that it switches, in view; one is far off all the time.
    ball.mesh().placed = std::make_shared<const Placements>(
        Placements{{10, 0, {0, 0, 0}, Quatd::Identity(), 1, 1}, {11, 0, {0, 0, -900}, Quatd::Identity(), 1, 1}});
    scene.subjects.resize(1);
    scene.settings.routes = {{"near", {{0, {0, 0, 20}, {0, 0, 0}}, {6, {0, 0, 2}, {0, 0, 0}}}}};
    const Audit audit = auditOf(scene, tight());
    const std::vector<BudgetNote> notes = notesOn(audit, scene);
    ASSERT_EQ(countOf(notes, BudgetNoteKind::OffScreen), 1U);
    const auto note = std::find_if(notes.begin(), notes.end(),
                                   [](const BudgetNote& n) { return n.kind == BudgetNoteKind::OffScreen; });
    EXPECT_FALSE(note->whole) << "another of its switches is seen";
    EXPECT_NE(audit.own[0].crossed, 0U);
    EXPECT_EQ(audit.own[0].crossed >> note->level & 1U, 0U);
    EXPECT_EQ(audit.own[0].shown >> note->level & 1U, 1U);
    // The claim: with another switch there the same is drawn, as long as no copy is between the two.
    const Audit same = auditOf(scene, tight());
    const double now = ownChainOf(scene.subjects[0], scene.statedView())->fromMetres[note->level + 1];
    scene.subjects[0].mesh().levels[note->level + 1].fixed = FixedSwitch{DecideBy::Distance, 1.5 * now};
    const Audit moved = auditOf(scene, tight());
    ASSERT_EQ(moved.frames.size(), same.frames.size());
    for (std::size_t f = 0; f < moved.frames.size(); ++f)
        EXPECT_EQ(moved.frames[f].triangles, same.frames[f].triangles);
}

TEST(Notes, of_what_stands_in_fields_alone_the_field_says_how_it_switches) {
    Scene scene = sceneFarOff();
    scene.subjects.resize(1);
    scene.subjects[0].rule.fadeSeconds = 0.5;
    scene.subjects[0].mesh().placed = nullptr;
    Subject field;
    field.id = 3;
    field.name = "field";
    field.body =
        InstancesBody{{1},
                      std::make_shared<const Placements>(Placements{{10, 0, {0, 0, 0}, Quatd::Identity(), 1, 1},
                                                                    {11, 0, {0, 0, -900}, Quatd::Identity(), 1, 1}})};
    field.rule.cullBelowPx = 0;
    scene.subjects.push_back(field);
    scene.settings.routes = {{"by", {{0, {0, 0, 20}, {0, 0, 0}}, {2, {0, 0, 12}, {0, 0, 0}}}}};
    const Audit audit = auditOf(scene, tight());
    ASSERT_GE(std::popcount(audit.shown[0]), 2) << "its levels are shown, by the field";
    EXPECT_EQ(audit.own[0].shown, 0U);
    EXPECT_EQ(countOf(notesOn(audit, scene), BudgetNoteKind::OffScreen), 0U);
}

TEST(Notes, what_has_no_coarser_level_and_takes_much_is_named) {
    const Scene scene = sceneFarOff();
    const auto notes = notesOn(auditOf(scene, tight()), scene);
    ASSERT_EQ(countOf(notes, BudgetNoteKind::OneLevel), 1U);
    const auto one = std::find_if(notes.begin(), notes.end(),
                                  [](const BudgetNote& n) { return n.kind == BudgetNoteKind::OneLevel; });
    EXPECT_EQ(one->subject, 2U);
    EXPECT_GT(one->share, 0.1);
}

TEST(Notes, frames_that_wait_for_draws_or_pixels_are_not_made_shorter_by_fewer_triangles) {
    Scene scene = sceneFarOff();
    for (const BudgetNoteKind kind : {BudgetNoteKind::DrawBound, BudgetNoteKind::PixelBound}) {
        Device device = tight();
        device.usPerDraw = kind == BudgetNoteKind::DrawBound ? 5000 : 0;
        device.nsPerPixel = kind == BudgetNoteKind::PixelBound ? 1e5 : 0;
        device.frameMs = 1;
        const Audit before = auditOf(scene, device);
        const auto notes = notesOn(before, scene);
        ASSERT_EQ(countOf(notes, kind), 1U);
        // The claim: fewer triangles take next to nothing off.
        Device loose = device;
        loose.fitted = {{1, 64}};
        const Audit after = auditOf(scene, loose);
        EXPECT_LT(after.frames.front().triangles, before.frames.front().triangles);
        EXPECT_NEAR(after.frames.front().ms, before.frames.front().ms, 0.02 * before.frames.front().ms);
    }
    // Where nothing is over nothing waits.
    Device roomy = tight();
    roomy.triangleBudget = 1'000'000'000;
    roomy.frameMs = 1e6;
    roomy.usPerDraw = 5000;
    EXPECT_EQ(countOf(notesOn(auditOf(scene, roomy), scene), BudgetNoteKind::DrawBound), 0U);
}

TEST(Notes, where_a_coarser_level_would_pay_it_is_said) {
    Scene scene = sceneFarOff();
    scene.subjects.erase(scene.subjects.begin() + 1);
    scene.subjects[0].mesh().levels.resize(2);
    refreshSubject(scene.subjects[0]);
    Device device = tight();
    device.baseMs = 0;
    const Audit audit = auditOf(scene, device);
    ASSERT_EQ(audit.shownAtWorst[0], 2U) << "its coarsest alone";
    const auto notes = notesOn(audit, scene);
    ASSERT_EQ(countOf(notes, BudgetNoteKind::LevelPays), 1U);
    // With one it is no longer said.
    scene.subjects[0].mesh().levels = sceneFarOff().subjects[0].mesh().levels;
    refreshSubject(scene.subjects[0]);
    const Audit after = auditOf(scene, device);
    EXPECT_EQ(countOf(notesOn(after, scene), BudgetNoteKind::LevelPays), 0U);
    EXPECT_LT(after.frames[after.worstFrame].triangles, audit.frames[audit.worstFrame].triangles);
}

TEST(Notes, culling_that_takes_nothing_away_is_said) {
    Scene scene = sceneFarOff();
    scene.settings.cullHidden = true;
    scene.subjects[0].rule.reachMetres = 500;
    scene.subjects[1].rule.reachMetres = 60;
    const Audit audit = auditOf(scene, tight());
    const auto notes = notesOn(audit, scene);
    EXPECT_EQ(countOf(notes, BudgetNoteKind::HidesNothing), 1U);
    ASSERT_EQ(countOf(notes, BudgetNoteKind::ReachesAll), 1U) << "the lump's ends it at the far end of the route";
    for (const BudgetNote& note : notes)
        if (note.kind == BudgetNoteKind::ReachesAll) {
            EXPECT_EQ(note.subject, 1U);
            EXPECT_NE(note.text.find("ball"), std::string::npos);
        }
    scene.settings.cullHidden = false;
    scene.subjects[0].rule.reachMetres = 0;
    const Audit after = auditOf(scene, tight());
    for (std::size_t f = 0; f < after.frames.size(); ++f)
        ASSERT_EQ(after.frames[f].triangles, audit.frames[f].triangles) << "no frame has changed";
    EXPECT_EQ(countOf(notesOn(after, scene), BudgetNoteKind::HidesNothing), 0U);
    EXPECT_EQ(countOf(notesOn(after, scene), BudgetNoteKind::ReachesAll), 0U);
}

TEST(Notes, nothing_is_advised_that_would_change_a_frame_or_cannot_be_had) {
    Scene scene = sceneFarOff();
    scene.subjects.erase(scene.subjects.begin() + 1);
    Subject& ball = scene.subjects[0];
    ball.rule.reachMetres = 500;
    // Its levels come in at shares of the reach: without it they would come in elsewhere.
    ball.mesh().levels[1].fixed = FixedSwitch{DecideBy::ShareOfReach, 0.1};
    EXPECT_EQ(countOf(notesOn(auditOf(scene, tight()), scene), BudgetNoteKind::ReachesAll), 0U);
    ball.mesh().levels[1].fixed.reset();
    EXPECT_EQ(countOf(notesOn(auditOf(scene, tight()), scene), BudgetNoteKind::ReachesAll), 1U);
    // Crossed cards are as light as a level gets.
    Device device = tight();
    device.baseMs = 0;
    ball.mesh().levels.resize(2);
    refreshSubject(ball);
    ASSERT_EQ(countOf(notesOn(auditOf(scene, device), scene), BudgetNoteKind::LevelPays), 1U);
    ball.mesh().levels[1].origin = LevelOrigin::Cards;
    EXPECT_EQ(countOf(notesOn(auditOf(scene, device), scene), BudgetNoteKind::LevelPays), 0U);
}

TEST(Notes, of_ground_the_levels_that_are_finer_than_any_frame_shows_are_said) {
    TerrainBody body;
    body.trial = GroundRecipe();
    body.trial->columns = body.trial->rows = 257;
    body.cells = 16;
    auto ground = makeTerrain("bed", std::move(body), {});
    ASSERT_TRUE(ground);
    ground->id = 1;
    ground->rule.allowPx = 4;
    Scene scene;
    scene.subjects = {*ground};
    scene.nextId = 20;
    scene.settings.routes = {{"over", {{0, {0, 900, 300}, {0, 0, 0}}, {2, {0, 900, 200}, {0, 0, 0}}}}};
    const Audit high = auditOf(scene, tight());
    const auto notes = notesOn(high, scene);
    ASSERT_EQ(countOf(notes, BudgetNoteKind::NeverShown), 1U);
    EXPECT_NE(notes.back().text.find("heights"), std::string::npos) << notes.back().text;
    scene.subjects[0].rule.allowPx = 0.2;
    scene.settings.routes = {{"on", {{0, {0, 12, 60}, {0, 8, 0}}, {2, {0, 12, 40}, {0, 8, 0}}}}};
    EXPECT_EQ(countOf(notesOn(auditOf(scene, tight()), scene), BudgetNoteKind::NeverShown), 0U);
}

TEST(Notes, worst_moments_are_different_moments) {
    Audit audit;
    for (int f = 0; f < 400; ++f) {
        AuditFrame frame;
        frame.seconds = f / 20.0;
        frame.ms = 5 + 3 * std::cos(f * 0.1) + 0.001 * f; // peaks about every 3.1 s, later ones a little higher
        audit.frames.push_back(frame);
    }
    const auto worst = worstMoments(audit, 5, 1.5);
    ASSERT_EQ(worst.size(), 5U);
    for (std::size_t i = 0; i < worst.size(); ++i) {
        for (std::size_t k = 0; k < i; ++k) {
            EXPECT_GE(std::abs(audit.frames[worst[i]].seconds - audit.frames[worst[k]].seconds), 1.5);
            EXPECT_LE(audit.frames[worst[i]].ms, audit.frames[worst[k]].ms);
        }
        EXPECT_GT(audit.frames[worst[i]].ms, 7.9) << "a peak, not the side of one";
    }
    EXPECT_EQ(worstMoments(audit, 1000, 0).size(), 400U);
    EXPECT_TRUE(worstMoments({}, 5, 1).empty());
}

} // namespace thicket
