// The switches of a scene and their scores.

#include "image/colour.h"
#include "scene/edits.h"
#include "scene/emitter_subject.h"
#include "scene/fields.h"
#include "scene/grounds.h"
#include "scene/kinds.h"
#include "scene/select_input.h"
#include "scene/smooth.h"
#include "scene/thin_subject.h"
#include "scene/thin_unseen.h"
#include "support/shapes.h"

#include <cmath>
#include <gtest/gtest.h>

namespace thicket {
namespace {

Subject ballOf(int columns, int rows, Surfaces surfaces) {
    Subject s;
    s.id = 7;
    s.name = "ball";
    s.mesh().surfaces = std::make_shared<const Surfaces>(std::move(surfaces));
    s.mesh().levels.push_back(
        levelFrom(std::make_shared<const Mesh>(shapes::texturedSphere(columns, rows)), {}, LevelOrigin::Source));
    refreshSubject(s);
    return s;
}

Scene ballScene() {
    const Subject s = ballOf(60, 30, {});
    const auto state = recordSubject(s, {}, {});
    Scene scene;
    scene.subjects = {*thinSubject(s, *state, {{TargetKind::Triangles, 600}, {TargetKind::Triangles, 120}}, {})};
    return scene;
}

TEST(Pops, every_switch_that_can_happen_is_listed_once) {
    Scene scene = ballScene();
    Subject& s = scene.subjects[0];
    auto places = switchesOf(scene);
    ASSERT_EQ(places.size(), 2U);
    EXPECT_EQ(places[0].key.finer, s.mesh().levels[0].mesh);
    EXPECT_EQ(places[1].key.coarser, s.mesh().levels[2].mesh);
    EXPECT_LT(places[0].key.metres, places[1].key.metres);
    EXPECT_EQ(switchesOf(scene)[0].key, places[0].key);
    // A level whose switch is where the next one's is never shows: the switch is from the one before it.
    s.mesh().levels[1].fixed = FixedSwitch{DecideBy::Distance, 40};
    s.mesh().levels[2].fixed = FixedSwitch{DecideBy::Distance, 40};
    places = switchesOf(scene);
    ASSERT_EQ(places.size(), 1U);
    EXPECT_EQ(places[0].level, 2);
    EXPECT_EQ(places[0].key.finer, s.mesh().levels[0].mesh);
    s.rule.reachMetres = 30;
    EXPECT_TRUE(switchesOf(scene).empty()) << "beyond the reach nothing switches";
}

TEST(Pops, of_ground_are_where_its_levels_switch_suddenly_and_go_when_they_pass_into_each_other) {
    TerrainBody body;
    body.trial = GroundRecipe();
    body.trial->columns = body.trial->rows = 129;
    body.trial->relief = 30;
    body.cells = 16;
    body.between = Passing::Sudden;
    auto ground = makeTerrain("bed", std::move(body), {});
    ASSERT_TRUE(ground);
    ground->id = 3;
    Scene scene;
    scene.subjects = {*ground};
    const auto places = switchesOf(scene);
    ASSERT_EQ(places.size(), ground->terrain()->tree->levels.size() - 1);
    const TileTree& tree = *ground->terrain()->tree;
    PopOptions options;
    options.directions = 2;
    options.samplesPerSide = 2;
    options.mostPixels = 224;
    for (const SwitchPlace& place : places) {
        EXPECT_EQ(tree.refOf(place.key.tile).level, static_cast<std::uint32_t>(place.level));
        EXPECT_EQ(tree.tiles[place.key.tile].error, tree.levels[static_cast<std::size_t>(place.level)].worst);
        if (place.level > 1)
            continue;
        const auto score = scoreSwitch(scene.subjects[0], place, options, {});
        ASSERT_TRUE(score);
        EXPECT_LE(score->outlineShift, scene.subjects[0].rule.allowPx + 1) << "as is promised";
        EXPECT_GT(score->pixelsTall, 0);
    }
    SwitchPlace near = places.back(); // the whole of it, off most
    near.key.metres /= 30;
    const auto seen = scoreSwitch(scene.subjects[0], near, options, {});
    const auto promised = scoreSwitch(scene.subjects[0], places.back(), options, {});
    EXPECT_GT(seen->changedPixels, promised->changedPixels);
    EXPECT_GT(seen->pixelsTall, 2 * promised->pixelsTall);
    const auto smooth = smoothLater(scene, 3, std::nullopt, options, {});
    ASSERT_TRUE(smooth);
    EXPECT_EQ(smooth->switches.size(), places.size());
    scene.subjects[0] = smooth->subject;
    EXPECT_TRUE(switchesOf(scene).empty());
    scene.subjects[0].rule.reachMetres = 1;
    std::get<TerrainBody>(scene.subjects[0].body).between = Passing::Sudden;
    EXPECT_TRUE(switchesOf(scene).empty()) << "beyond the reach nothing switches";
}

TEST(Pops, of_smoke_are_that_its_mean_becomes_another_one_and_are_seen_less_from_farther_away) {
    Emitter emitter;
    EmitterPart smoke;
    smoke.name = "smoke";
    smoke.rate = 30;
    emitter.parts = {smoke};
    emitter.levels.resize(3);
    for (std::size_t l = 0; l < 3; ++l) {
        emitter.levels[l].parts.resize(1);
        emitter.levels[l].from = {DecideBy::Distance, 30.0 * static_cast<double>(l)};
    }
    emitter.levels[1].parts[0].rate = 29;
    emitter.levels[2].parts[0].rate = 2;
    auto made = makeEmitter("mist", emitter, std::vector<std::shared_ptr<const Image>>(1));
    ASSERT_TRUE(made) << made.error().text();
    made->id = 4;
    Scene scene;
    scene.subjects = {*made};
    const auto places = switchesOf(scene);
    ASSERT_EQ(places.size(), 2U);
    EXPECT_NEAR(places[1].key.metres, 60, 1e-6);
    const auto little = scoreSwitch(scene.subjects[0], places[0], {}, {});
    const auto much = scoreSwitch(scene.subjects[0], places[1], {}, {});
    ASSERT_TRUE(little);
    ASSERT_TRUE(much);
    EXPECT_TRUE(much->cloud);
    EXPECT_GT(much->changedPixels, 0.5) << "a fifteenth of the smoke covers less than half";
    EXPECT_GT(much->meanDeltaE, little->meanDeltaE);
    EXPECT_TRUE(little->unseen(1));
    EXPECT_GT(much->severity(1), little->severity(1));
    EXPECT_EQ(much->before.rgba.size(), much->after.rgba.size());
    EXPECT_GT(much->pixelsTall, 0);
    // Kept until it is asked for otherwise: by the device, or always the same.
    auto& body = std::get<EmitterBody>(scene.subjects[0].body);
    body.emitter.forced = 1;
    EXPECT_TRUE(switchesOf(scene).empty());
    body.emitter.forced.reset();
    scene.subjects[0].rule.reachMetres = 40;
    EXPECT_EQ(switchesOf(scene).size(), 1U);
}

TEST(Pops, are_seen_less_the_later_the_switch_and_hold_the_outline_of_the_promise) {
    Scene scene = ballScene();
    Subject& s = scene.subjects[0];
    PopOptions options;
    options.samplesPerSide = 3;
    const auto promised = scoreSwitch(s, switchesOf(scene)[1], options, {});
    ASSERT_TRUE(promised);
    EXPECT_LE(promised->outlineShift, s.rule.allowPx + 1) << "a pixel more for the grid of half pixels on both";
    const double at = switchesOf(scene)[1].key.metres;
    s.mesh().levels[2].fixed = FixedSwitch{DecideBy::Distance, at / 4};
    s.mesh().levels[1].fixed = FixedSwitch{DecideBy::Distance, at / 8};
    const auto early = scoreSwitch(s, switchesOf(scene)[1], options, {});
    EXPECT_GT(early->outlineShift, 1.8 * promised->outlineShift);
    s.mesh().levels[2].fixed = FixedSwitch{DecideBy::Distance, at * 4};
    const auto late = scoreSwitch(s, switchesOf(scene)[1], options, {});
    EXPECT_LE(late->outlineShift, promised->outlineShift);
    EXPECT_LT(late->pixelsTall, early->pixelsTall);
    // Looked at from several distances in turn, each score is as if nothing else had been looked at.
    const SwitchPlace place = switchesOf(scene)[1];
    SwitchLooks looks(s, place);
    for (const double metres : {at / 4, at * 4, at / 4}) {
        const auto kept = looks.score(metres, options, {});
        const auto anew = scoreSwitch(s, place.movedTo(metres), options, {});
        EXPECT_EQ(kept->changedPixels, anew->changedPixels);
        EXPECT_EQ(kept->outlineShift, anew->outlineShift);
        EXPECT_EQ(kept->before.rgba, anew->before.rgba);
    }
    std::stop_source stop;
    stop.request_stop();
    EXPECT_FALSE(scoreSwitch(s, switchesOf(scene)[1], options, {stop.get_token(), {}}));
}

/// A square of balls, some of which switch to a level of another colour.
Scene ballField(const Vec4f& coarse, double softBand) {
    Scene scene = ballScene();
    Subject& ball = scene.subjects[0];
    ball.mesh().levels.resize(2);
    for (Level& level : ball.mesh().levels) {
        auto own = std::make_shared<Surfaces>();
        own->materials.resize(1);
        own->materials[0].baseColor = {0.2F, 0.5F, 0.2F, 1};
        level.surfaces = own;
    }
    auto other = std::make_shared<Surfaces>(*ball.mesh().levels[1].surfaces);
    other->materials[0].baseColor = coarse;
    ball.mesh().levels[1].surfaces = other;
    Placements copies;
    for (std::uint32_t i = 0; i < 3000; ++i) {
        Placement p;
        p.id = i + 1;
        // Evenly spread, whatever the number: the additive recurrence of the plastic number.
        p.position = {60 * std::fmod(0.5 + 0.7548776662 * i, 1.0), 0, 60 * std::fmod(0.5 + 0.5698402910 * i, 1.0)};
        p.scale = 0.5;
        copies.push_back(p);
    }
    Subject field = makeField(scene, "Field", Role::Dressing, {7}, std::move(copies));
    field.rule.softBand = softBand;
    field.rule.reachMetres = 0;
    std::get<InstancesBody>(field.body).thinning = {};
    std::get<InstancesBody>(field.body).fixed = {std::nullopt, FixedSwitch{DecideBy::Distance, 25}};
    apply(scene, addSubjects(scene, {std::move(field)}, "Field"));
    return scene;
}

PopScore fieldScore(const Scene& scene) {
    const auto places = switchesOf(scene);
    EXPECT_EQ(places.size(), 1U);
    PopOptions options;
    options.directions = 1;
    return *scoreSwitch(scene.subjects.back(), places.at(0), options, {});
}

TEST(Pops, are_judged_by_how_well_pixels_are_told_apart) {
    Scene scene = ballScene();
    const auto changed = [&](double pixelsADegree) {
        scene.settings.view.pixelsADegree = pixelsADegree;
        const SwitchPlace place = switchesOf(scene)[1].movedTo(40);
        EXPECT_NEAR(place.key.blurPx, 0.02 * pixelsADegree, 1e-4 * pixelsADegree);
        return scoreSwitch(scene.subjects[0], place, {}, {})->changedPixels;
    };
    const double each = changed(0);
    const double desk = changed(40);
    const double handheld = changed(85);
    EXPECT_GT(each, 0.005);
    EXPECT_LT(desk, each);
    EXPECT_LT(handheld, desk);
    // Which leaf shows where is not seen wherever one sits; what one sees from still farther off counts all the same.
    scene.subjects[0].mesh().aggregate = true;
    View view;
    EXPECT_NEAR(judgedBlur(scene.subjects[0], view), 1.2, 1e-3);
    view.pixelsADegree = 85;
    EXPECT_NEAR(judgedBlur(scene.subjects[0], view), 1.7, 2e-3);
    // Levels that come in unseen come in nearer then.
    scene.subjects[0].mesh().aggregate = false;
    const auto from = [&](double pixelsADegree) {
        view.pixelsADegree = pixelsADegree;
        const auto looked = lookAtSwitches(scene.subjects[0], view, std::nullopt, {});
        EXPECT_TRUE(looked);
        return chainOf(looked->subject, view).fromMetres;
    };
    const auto pixelByPixel = from(0);
    const auto byEye = from(60);
    for (std::size_t i = 1; i < byEye.size(); ++i)
        EXPECT_LE(byEye[i], pixelByPixel[i]);
    EXPECT_LT(byEye.back(), pixelByPixel.back());
}

TEST(Pops, of_a_field_are_judged_at_its_band_with_it_and_without) {
    const Vec4f red(0.6F, 0.2F, 0.2F, 1);
    const PopScore sudden = fieldScore(ballField(red, 0));
    EXPECT_TRUE(sudden.field);
    EXPECT_GT(sudden.line, 5) << "green before red";
    EXPECT_EQ(sudden.line, sudden.suddenLine) << "there is no band";
    EXPECT_FALSE(sudden.unseen(100));
    const PopScore soft = fieldScore(ballField(red, 0.4));
    EXPECT_LT(soft.line, 0.6 * soft.suddenLine);
    EXPECT_NEAR(soft.suddenLine, sudden.suddenLine, 0.1 * sudden.suddenLine)
        << "what it would be without is the same, but for the copies beside it";
    EXPECT_GT(soft.changedPixels, 0.5) << "one copy by itself changes its colour all the same";
    EXPECT_EQ(soft.before.rgba, fieldScore(ballField(red, 0.4)).before.rgba);
    const PopScore like = fieldScore(ballField({0.2F, 0.5F, 0.2F, 1}, 0));
    EXPECT_LT(like.suddenLine, PopScore::kLineDeltaE) << "the same colour before and after";
}

TEST(Pops, meshes_that_stand_in_fields_alone_are_judged_there) {
    Scene scene = ballField({1, 1, 1, 1}, 0.1);
    const auto places = switchesOf(scene);
    ASSERT_EQ(places.size(), 1U);
    EXPECT_EQ(places[0].subject, scene.subjects.back().id);
    EXPECT_EQ(places[0].key.metres, 25);
    // Another band, another score; and moved, all of it moves.
    scene.subjects.back().rule.softBand = 0.2;
    EXPECT_FALSE(switchesOf(scene)[0].key == places[0].key);
    EXPECT_NEAR(places[0].movedTo(50).key.band.metres(), 50, 1e-9);
    scene.subjects[0].mesh().placed = std::make_shared<const Placements>(Placements{Placement{90}});
    EXPECT_EQ(switchesOf(scene).size(), 2U) << "it stands by itself too";
    std::stop_source stop;
    stop.request_stop();
    EXPECT_FALSE(scoreSwitch(scene.subjects.back(), places[0], {}, {stop.get_token(), {}}));
    // Moved by hand, the switch is where it was said, in the unit of the rule.
    const Subject moved = withSwitchAt(scene, places[0], 40);
    ASSERT_TRUE(moved.instances()->fixed.at(1));
    scene.subjects.back() = moved;
    EXPECT_NEAR(switchesOf(scene).back().key.metres, 40, 1e-6);
}

TEST(Pops, of_a_field_show_copies_as_the_selector_draws_them) {
    Scene scene = ballField({0.6F, 0.2F, 0.2F, 1}, 0.35);
    Subject& field = scene.subjects.back();
    auto& body = std::get<InstancesBody>(field.body);
    body.thinning.keep.points = {{10, 1}, {30, 0.4}, {60, 0.2}};
    field.rule.hysteresis = 0; // on the way to finer levels
    field.rule.cullBelowPx = 0;
    Placements copies = *body.copies;
    for (std::size_t i = 0; i < copies.size(); ++i) {
        copies[i].scale = 0.3 + 0.4 * std::fmod(0.618 * static_cast<double>(i), 1.0);
        copies[i].rotation = Quatd(Eigen::AngleAxisd(static_cast<double>(i), kUp));
        copies[i].importance = i % 5 == 0 ? 1.5 : 1;
    }
    body.copies = std::make_shared<const Placements>(std::move(copies));
    for (const DecideBy unit : {DecideBy::Distance, DecideBy::ScreenHeight})
        for (const MeasureFrom from : {MeasureFrom::NearestPoint, MeasureFrom::Centre}) {
            field.rule.decideBy = unit;
            field.rule.measureFrom = from;
            body.fixed[1] = FixedSwitch{unit, unit == DecideBy::Distance ? 25 : 0.03};
            const View view = lookAt(scene.statedView(), {30, 4, 90}, {30, 0, 20});
            const FieldBand band = bandOf(scene, field, 1, view);
            ASSERT_EQ(band.assets.size(), 1U);
            const SelectInput input = selectInput(scene, view);
            SelectOptions options;
            options.fades = options.cullView = options.cullHidden = false;
            SelectState state;
            Selection selection;
            select(input, view, 0, options, state, selection);
            ASSERT_EQ(input.batches.size(), 1U);
            const CellTable& table = *input.batches[0].copies;
            std::size_t drawn = 0;
            std::size_t coarser = 0;
            for (std::uint32_t slot = 0; slot < table.size(); ++slot) {
                const Pick pick = pickOf(input, view, 0, options, state, {0, slot});
                const BandDrawn here = drawnFrom(band, band.assets[0], table.placementOf[slot], view);
                ASSERT_EQ(here.size > 0, pick.culled == Culled::No) << slot;
                if (pick.culled != Culled::No)
                    continue;
                ++drawn;
                EXPECT_NEAR(here.size, drawnSize(input.batches[0], view, options, slot), 1e-12);
                EXPECT_NEAR(here.distance, pick.distance, 1e-9);
                ASSERT_EQ(here.distance >= here.softFrom, pick.level == 1) << slot;
                coarser += pick.level == 1 ? 1 : 0;
            }
            EXPECT_GT(coarser, 100U);
            EXPECT_GT(drawn, coarser + 20) << "both levels are there";
        }
}

TEST(Pops, of_a_field_know_how_far_apart_the_colours_are) {
    // Flat squares that face the eye fill the ground from side to side: what is compared are two known colours.
    Mesh square;
    square.positions = {{-0.6F, 0, 0}, {0.6F, 0, 0}, {0.6F, 6, 0}, {-0.6F, 6, 0}};
    square.indices = {0, 1, 2, 0, 2, 3};
    square.parts = {{0, 2, 0}};
    const auto painted = [](const Vec3f& color) {
        Surfaces out;
        out.materials.resize(1);
        out.materials[0].baseColor = {color.x(), color.y(), color.z(), 1};
        out.materials[0].doubleSided = true;
        return out;
    };
    const Vec3f green(0.2F, 0.5F, 0.2F);
    const Vec3f brown(0.3F, 0.3F, 0.1F);
    const Surfaces finer = painted(green);
    const Surfaces coarser = painted(brown);
    const Appearance finerSeen(square, finer);
    const Appearance coarserSeen(square, coarser);
    // Rows behind one another on a slope, so that each is seen above the one before; the farther half has switched.
    BandShot shot{{0, 60, 60}, {0, 0, 0}, {}};
    for (int row = -6; row <= 6; ++row)
        for (int column = -20; column <= 20; ++column)
            shot.copies.push_back({&finerSeen, &coarserSeen, Vec3d(column, -2.0 * row, 2.0 * row), Quatd::Identity(), 1,
                                   (row + column) % 2 == 0, row < 0});
    const auto line = lookAtBand(std::span(&shot, 1), 900, {}, {});
    ASSERT_TRUE(line);
    const double shade =
        0.35 + 0.65 * Vec3d(0, 0, 1).dot(Vec3d(std::sin(0.6), 0.9, std::cos(0.6) / std::sqrt(2)).normalized());
    const double apart = static_cast<double>(
        (labOf(static_cast<float>(shade) * brown) - labOf(static_cast<float>(shade) * green)).norm());
    EXPECT_NEAR(line->sudden, apart, 0.12 * apart) << "one colour above the other";
    EXPECT_LT(line->soft, 0.25 * apart) << "every other one everywhere makes no line";
    for (BandCopy& copy : shot.copies)
        copy.soft = copy.sudden = true;
    const auto all = lookAtBand(std::span(&shot, 1), 900, {}, {});
    EXPECT_LT(all->sudden, 1e-3) << "where all have switched there is none either";
    std::stop_source stop;
    stop.request_stop();
    EXPECT_FALSE(lookAtBand(std::span(&shot, 1), 900, {}, {stop.get_token(), {}}));
}

/// Fewer pictures and smaller ones.
PopOptions quick() {
    PopOptions options;
    options.directions = 2;
    options.mostPixels = 112;
    return options;
}

TEST(Smooth, moves_a_switch_that_is_seen_just_as_far_as_nobody_sees_it) {
    Scene scene = ballScene();
    Subject& s = scene.subjects[0];
    const double at = switchesOf(scene)[0].key.metres;
    s.mesh().levels[2].fixed = FixedSwitch{DecideBy::Distance, 90 * at};
    double near = at / 9; // or where it is seen at all
    do {
        near /= 1.2;
        s.mesh().levels[1].fixed = FixedSwitch{DecideBy::Distance, near};
    } while (scoreSwitch(s, switchesOf(scene)[0], quick(), {})->unseen(s.rule.allowPx));
    const auto only = smoothLater(scene, s.id, 1, quick(), {});
    ASSERT_TRUE(only);
    ASSERT_EQ(only->switches.size(), 1U);
    const SmoothedSwitch& moved = only->switches[0];
    EXPECT_TRUE(moved.unseen);
    EXPECT_NEAR(moved.fromMetres, near, 1e-9);
    EXPECT_GT(moved.toMetres, moved.fromMetres);
    EXPECT_EQ(only->subject.mesh().levels[2].fixed, s.mesh().levels[2].fixed) << "only the one that was asked for";
    // It is unseen there, and seen a third nearer.
    scene.subjects = {only->subject};
    SwitchPlace place = switchesOf(scene)[0];
    EXPECT_NEAR(place.key.metres, moved.toMetres, 1e-6 * moved.toMetres);
    EXPECT_TRUE(scoreSwitch(only->subject, place, quick(), {})->unseen(s.rule.allowPx));
    place.key.metres = moved.toMetres / 1.35;
    EXPECT_FALSE(scoreSwitch(only->subject, place, quick(), {})->unseen(s.rule.allowPx));
}

TEST(Smooth, all_levels_of_a_subject_come_out_in_order_and_what_is_unseen_stays) {
    Scene scene = ballScene();
    Subject& s = scene.subjects[0];
    s.rule.decideBy = DecideBy::Distance;
    const double at = switchesOf(scene)[1].key.metres;
    s.mesh().levels[1].fixed = FixedSwitch{DecideBy::Distance, 4 * at};
    s.mesh().levels[2].fixed = FixedSwitch{DecideBy::Distance, 8 * at};
    const auto quiet = smoothLater(scene, s.id, std::nullopt, quick(), {});
    ASSERT_TRUE(quiet);
    ASSERT_EQ(quiet->switches.size(), 2U);
    for (const SmoothedSwitch& one : quiet->switches) {
        EXPECT_TRUE(one.unseen);
        EXPECT_EQ(one.toMetres, one.fromMetres);
    }
    s.mesh().levels[1].fixed->value = at / 10;
    s.mesh().levels[2].fixed->value = at / 9;
    const auto made = smoothLater(scene, s.id, std::nullopt, quick(), {});
    ASSERT_TRUE(made);
    scene.subjects = {made->subject};
    double last = 0;
    for (const SwitchPlace& place : switchesOf(scene)) {
        EXPECT_GT(place.key.metres, last);
        last = place.key.metres;
    }
    std::stop_source stop;
    stop.request_stop();
    EXPECT_EQ(smoothLater(scene, 7, std::nullopt, quick(), {stop.get_token(), {}}).error().code, ErrorCode::Cancelled);
}

TEST(Smooth, a_switch_that_follows_the_allowance_goes_on_to_do_so) {
    Scene scene = ballScene();
    Subject& s = scene.subjects[0];
    for (Level& level : s.mesh().levels) // so that all are seen where they come in
        level.visible *= 0.5;
    const auto places = switchesOf(scene);
    ASSERT_EQ(places.size(), 2U);
    ASSERT_FALSE(scoreSwitch(s, places[0], {}, {})->unseen(s.rule.allowPx));
    const auto made = lookAtSwitches(s, scene.statedView(), std::nullopt, {});
    ASSERT_TRUE(made);
    const Subject looked = made->subject;
    scene.subjects = {looked};
    const auto after = switchesOf(scene);
    ASSERT_EQ(after.size(), 2U) << "each is still worth having";
    for (std::size_t i = 0; i < 2; ++i) {
        EXPECT_FALSE(looked.mesh().levels[i + 1].fixed);
        EXPECT_GT(after[i].key.metres, places[i].key.metres);
        EXPECT_TRUE(scoreSwitch(looked, after[i], {}, {})->unseen(s.rule.allowPx)) << i;
    }
    // A fit may loosen it, and by surfaces alone it is where it was.
    Subject& now = scene.subjects[0];
    now.rule.allowPx *= 2;
    EXPECT_NEAR(switchesOf(scene)[0].key.metres, after[0].key.metres / 2, 1e-9);
    now.rule.allowPx /= 2;
    now.rule.looks = false;
    EXPECT_NEAR(switchesOf(scene)[1].key.metres, places[1].key.metres, 1e-9);
    // In a soft band the copies that switch soonest do so where it goes unseen.
    now.rule.looks = true;
    now.rule.softBand = 0.2;
    EXPECT_NEAR(switchesOf(scene)[0].key.metres, after[0].key.metres / 0.8, 1e-9);
    const auto again = lookAtSwitches(now, scene.statedView(), std::nullopt, {});
    ASSERT_TRUE(again);
    EXPECT_EQ(again->subject.mesh().levels[1].seen, now.mesh().levels[1].seen) << "what is unseen stays";
}

TEST(Smooth, what_is_seen_wherever_it_is_looked_at_stays) {
    Scene scene = ballScene();
    Subject& s = scene.subjects[0];
    Level& last = s.mesh().levels[2];
    auto red = std::make_shared<Surfaces>();
    red->materials.resize(1);
    red->materials[0].baseColor = {1, 0, 0, 1};
    last.surfaces = red; // of another colour it is seen at any size
    const double from = switchesOf(scene)[1].key.metres;
    const auto made = smoothLater(scene, s.id, 2, quick(), {});
    ASSERT_TRUE(made);
    ASSERT_EQ(made->switches.size(), 1U);
    EXPECT_FALSE(made->switches[0].unseen);
    EXPECT_EQ(made->switches[0].toMetres, from);
    scene.subjects = {made->subject};
    EXPECT_EQ(switchesOf(scene)[1].key.metres, from);
}

TEST(Smooth, looks_leave_alone_what_is_set_by_hand_and_what_is_not_asked_for) {
    Scene scene = ballScene();
    Subject& s = scene.subjects[0];
    const View view = scene.statedView();
    for (Level& level : s.mesh().levels)
        level.visible *= 0.5;
    const auto places = switchesOf(scene);
    ASSERT_FALSE(scoreSwitch(s, places[0], {}, {})->unseen(s.rule.allowPx));
    // Only the second, though the first is seen as well.
    const auto second = lookAtSwitches(s, view, 2, {});
    ASSERT_TRUE(second);
    ASSERT_EQ(second->switches.size(), 1U);
    EXPECT_EQ(second->subject.mesh().levels[1].seen, 0);
    EXPECT_GT(second->subject.mesh().levels[2].seen, 0);
    // By hand: neither in looks nor in what follows it.
    s.mesh().levels[1].fixed = FixedSwitch{DecideBy::Distance, places[0].key.metres};
    const auto by = lookAtSwitches(s, view, std::nullopt, {});
    ASSERT_TRUE(by);
    ASSERT_EQ(by->switches.size(), 1U) << "it is seen, and stays where the hand set it";
    EXPECT_EQ(by->switches[0].level, 2);
    EXPECT_EQ(by->subject.mesh().levels[1].fixed, s.mesh().levels[1].fixed);
    EXPECT_EQ(by->subject.mesh().levels[1].seen, 0);
    // Where surfaces alone decide nothing is looked at.
    s.mesh().levels[1].fixed.reset();
    s.rule.looks = false;
    const auto none = lookAtSwitches(s, view, std::nullopt, {});
    ASSERT_TRUE(none);
    EXPECT_TRUE(none->switches.empty());
    EXPECT_EQ(none->subject.mesh().levels[2].seen, 0);
}

TEST(Smooth, a_level_that_the_one_before_was_moved_beyond_comes_in_after_it) {
    Scene scene = ballScene();
    Subject& s = scene.subjects[0];
    s.mesh().levels[1].seen = 3 * s.mesh().levels[2].visible; // as if it were seen from far beyond the second
    ASSERT_EQ(switchesOf(scene).size(), 1U);
    const auto made = lookAtSwitches(s, scene.statedView(), std::nullopt, {});
    ASSERT_TRUE(made);
    scene.subjects = {made->subject};
    const auto places = switchesOf(scene);
    ASSERT_EQ(places.size(), 2U);
    EXPECT_GE(places[1].key.metres, 1.1 * places[0].key.metres * (1 - 1e-9));
    for (const SwitchPlace& place : places)
        EXPECT_TRUE(scoreSwitch(made->subject, place, {}, {})->unseen(s.rule.allowPx)) << place.level;
    // Set by hand beyond the second, the first never shows, and stays so.
    s.mesh().levels[1].seen = 0;
    s.mesh().levels[1].fixed = FixedSwitch{DecideBy::Distance, 2 * places[1].key.metres};
    const auto hidden = lookAtSwitches(s, scene.statedView(), std::nullopt, {});
    scene.subjects = {hidden->subject};
    EXPECT_EQ(switchesOf(scene).size(), 1U);
}

TEST(Smooth, roles_cut_levels_that_go_unseen_where_the_role_wants_them) {
    Surfaces surfaces;
    Pixels checks{256, 256, {}};
    for (int y = 0; y < 256; ++y)
        for (int x = 0; x < 256; ++x) {
            const std::uint8_t value = (x / 8 + y / 8) % 2 == 0 ? 40 : 230;
            checks.rgba.insert(checks.rgba.end(), {value, value, value, 255});
        }
    surfaces.images = {encodePng(checks, "checks")};
    surfaces.materials.resize(1);
    surfaces.materials[0].baseColorImage = 0;
    Subject s = ballOf(36, 18, std::move(surfaces));
    const auto state = recordSubject(s, {}, {});
    ASSERT_TRUE(state);
    const RolePreset preset = presetFor(Role::WorkingPiece, s.mesh().source().triangles);
    s.rule.allowPx = preset.allowPx;
    Scene scene;
    scene.subjects = {*thinSubject(s, *state, preset.targets, {})};
    std::size_t seen = 0;
    for (const SwitchPlace& place : switchesOf(scene))
        seen += scoreSwitch(scene.subjects[0], place, {}, {})->unseen(s.rule.allowPx) ? 0 : 1;
    EXPECT_GT(seen, 0U) << "by its surface alone checks are seen to move";
    scene.subjects = {lookAtSwitches(scene.subjects[0], scene.statedView(), std::nullopt, {})->subject};
    const double moved = switchesOf(scene)[0].key.metres;
    const auto made = thinUnseen(s, *state, preset.targets, scene.statedView(), {});
    ASSERT_TRUE(made);
    scene.subjects = {*made};
    const auto places = switchesOf(scene);
    const std::vector<Level>& levels = made->mesh().levels;
    EXPECT_EQ(places.size() + 1, levels.size()) << "none that never shows";
    for (const SwitchPlace& place : places)
        EXPECT_TRUE(scoreSwitch(*made, place, {}, {})->unseen(s.rule.allowPx)) << place.level;
    for (std::size_t i = 1; i < levels.size(); ++i)
        EXPECT_LT(levels[i].triangles, levels[i - 1].triangles);
    EXPECT_LE(places[0].key.metres, moved) << "heavier rather than farther away";
    // What is set by hand and locked stays as it is, and by surfaces alone levels are those of the surface.
    Subject kept = *made;
    kept.mesh().levels[1].locked = true;
    kept.mesh().levels[1].fixed = FixedSwitch{DecideBy::Distance, 3};
    const auto again = thinUnseen(kept, *state, preset.targets, scene.statedView(), {});
    ASSERT_TRUE(again);
    const auto same =
        std::find_if(again->mesh().levels.begin(), again->mesh().levels.end(), [](const Level& l) { return l.locked; });
    ASSERT_NE(same, again->mesh().levels.end());
    EXPECT_EQ(same->mesh, kept.mesh().levels[1].mesh);
    EXPECT_EQ(same->fixed, kept.mesh().levels[1].fixed);
    s.rule.looks = false;
    const auto surfaceOnly = thinUnseen(s, *state, preset.targets, scene.statedView(), {});
    const auto plain = thinSubject(s, *state, preset.targets, {});
    ASSERT_EQ(surfaceOnly->mesh().levels.size(), plain->mesh().levels.size());
    for (std::size_t i = 1; i < plain->mesh().levels.size(); ++i) {
        EXPECT_EQ(surfaceOnly->mesh().levels[i].triangles, plain->mesh().levels[i].triangles);
        EXPECT_EQ(surfaceOnly->mesh().levels[i].seen, 0);
    }
    s.rule.looks = true;
    std::stop_source stop;
    stop.request_stop();
    EXPECT_EQ(thinUnseen(s, *state, preset.targets, scene.statedView(), {stop.get_token(), {}}).error().code,
              ErrorCode::Cancelled);
}

TEST(Smooth, roles_leave_no_gap_that_a_level_between_would_fill_unseen) {
    Surfaces plain;
    plain.materials.resize(1);
    Subject s = ballOf(40, 20, std::move(plain));
    const auto state = recordSubject(s, {}, {});
    ASSERT_TRUE(state);
    const RolePreset preset = presetFor(Role::Landmark, s.mesh().source().triangles);
    s.rule.allowPx = preset.allowPx;
    Scene scene;
    ChainTimings timings;
    double last = 0;
    int said = 0;
    JobContext job;
    job.progress = [&](double fraction, std::string_view phrase) {
        EXPECT_GE(fraction, last - 1e-9) << "runs back at " << phrase;
        last = fraction;
        ++said;
    };
    const auto made = thinUnseen(s, *state, preset.targets, scene.statedView(), job, &timings);
    ASSERT_TRUE(made);
    EXPECT_GT(timings.looksMs, 0);
    EXPECT_GT(said, 10);
    EXPECT_GT(last, 0.9);
    scene.subjects = {*made};
    const std::vector<Level>& levels = made->mesh().levels;
    const ResolvedChain chain = chainOf(*made, scene.statedView());
    // By what the role asks for alone 388 triangles come in at 34 m, and then 122 at 293 m.
    for (std::size_t i = 2; i < levels.size(); ++i)
        EXPECT_LT(chain.fromMetres[i], 4 * chain.fromMetres[i - 1]) << i;
    for (std::size_t i = 1; i < levels.size(); ++i)
        EXPECT_LT(levels[i].triangles, levels[i - 1].triangles);
    for (const SwitchPlace& place : switchesOf(scene))
        EXPECT_TRUE(scoreSwitch(*made, place, {}, {})->unseen(s.rule.allowPx)) << place.level;
}

TEST(Smooth, roles_leave_out_a_level_after_which_the_next_comes_in_at_once) {
    Mesh ring = shapes::torus(120, 60, 1, 0.3);
    shapes::onePart(ring);
    Subject s;
    s.id = 9;
    s.mesh().surfaces = std::make_shared<const Surfaces>(shapes::white());
    s.mesh().levels.push_back(levelFrom(std::make_shared<const Mesh>(std::move(ring)), {}, LevelOrigin::Source));
    refreshSubject(s);
    const auto state = recordSubject(s, {}, {});
    ASSERT_TRUE(state);
    RolePreset preset = presetFor(Role::Landmark, s.mesh().source().triangles);
    preset.targets.resize(2);
    s.rule.allowPx = preset.allowPx;
    const View view = Scene().statedView();
    const auto made = thinUnseen(s, *state, preset.targets, view, {});
    ASSERT_TRUE(made);
    // Looked at one by one, 3,100 triangles come in at 2.9 m and 2,064 at 3.3 m.
    const std::vector<double> from = chainOf(*made, view).fromMetres;
    ASSERT_EQ(from.size(), 3U);
    for (std::size_t i = 2; i < from.size(); ++i)
        EXPECT_GT(from[i], 1.4 * from[i - 1]) << i;
}

TEST(Smooth, moves_the_switch_of_a_field_and_leaves_its_meshes_alone) {
    Scene scene = ballField({0.2F, 0.5F, 0.2F, 1}, 0.2);
    Subject& field = scene.subjects.back();
    const auto metres = [&] { return switchesOf(scene).at(0).key.metres; };
    double near = 25;
    PopScore seen;
    do { // until a copy by itself is seen to switch
        near /= 1.5;
        std::get<InstancesBody>(field.body).fixed[1] = FixedSwitch{DecideBy::Distance, near};
        seen = *scoreSwitch(field, switchesOf(scene)[0], quick(), {});
    } while (seen.unseen(field.rule.allowPx) && near > 0.3);
    ASSERT_FALSE(seen.unseen(field.rule.allowPx));
    const Subject ball = scene.subjects[0];
    const auto made = smoothLater(scene, field.id, 1, quick(), {});
    ASSERT_TRUE(made);
    ASSERT_EQ(made->switches.size(), 1U);
    EXPECT_NEAR(made->switches[0].fromMetres, near, 1e-9);
    EXPECT_TRUE(made->switches[0].unseen);
    EXPECT_GT(made->switches[0].toMetres, near);
    EXPECT_EQ(made->subject.id, field.id);
    field = made->subject;
    EXPECT_NEAR(metres(), made->switches[0].toMetres, 1e-6 * metres());
    EXPECT_TRUE(scoreSwitch(field, switchesOf(scene)[0], quick(), {})->unseen(field.rule.allowPx));
    EXPECT_EQ(scene.subjects[0].mesh().levels[1].fixed, ball.mesh().levels[1].fixed);
    // A field without one of its meshes has no switch of it.
    scene.subjects.erase(scene.subjects.begin());
    EXPECT_TRUE(switchesOf(scene).empty());
}

} // namespace
} // namespace thicket
