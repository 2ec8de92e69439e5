// Levels with materials of their own.

#include "scene/thin_subject.h"
#include "support/shapes.h"

#include <algorithm>
#include <gtest/gtest.h>
#include <thread>

namespace thicket {
namespace {

Image dots(int side, std::uint8_t value) {
    Pixels p{side, side, {}};
    for (int i = 0; i < side * side; ++i)
        p.rgba.insert(p.rgba.end(), {value, static_cast<std::uint8_t>(i), 0, 255});
    return encodePng(p, "dots");
}

Subject textured() {
    Subject s;
    s.name = "ball";
    Surfaces surfaces;
    surfaces.images = {dots(16, 10), dots(32, 200)};
    surfaces.materials.resize(2);
    surfaces.materials[0].baseColorImage = 0;
    surfaces.materials[1].baseColorImage = 1;
    s.mesh().surfaces = std::make_shared<const Surfaces>(std::move(surfaces));
    Mesh mesh = shapes::texturedSphere(40, 20);
    const std::uint32_t half = mesh.triangleCount() / 2;
    mesh.parts = {{0, half, 0}, {half, mesh.triangleCount() - half, 1}};
    s.mesh().levels.push_back(levelFrom(std::make_shared<const Mesh>(std::move(mesh)), {}, LevelOrigin::Source));
    refreshSubject(s);
    return s;
}

TEST(Levels, are_joined_with_each_picture_once) {
    Subject s = textured();
    // A level that leaves one picture as it is and has another of its own.
    Level own = s.mesh().levels.front();
    Surfaces light = *s.mesh().surfaces;
    light.images[1] = dots(8, 77);
    own.surfaces = std::make_shared<const Surfaces>(std::move(light));
    s.mesh().levels.push_back(own);
    s.mesh().levels.push_back(own); // two levels may share surfaces
    const LevelSet set = joinLevels(s);
    ASSERT_EQ(set.meshes.size(), 3U);
    EXPECT_EQ(set.surfaces.images.size(), 3U) << "two of the subject's, one that is new";
    EXPECT_EQ(set.surfaces.materials.size(), 4U);
    EXPECT_EQ(set.meshes[0], s.mesh().levels[0].mesh) << "what has nothing of its own is passed on as it is";
    for (const std::size_t i : {1U, 2U}) {
        const auto& parts = set.meshes[i]->parts;
        EXPECT_EQ(parts[0].material, 2U);
        EXPECT_EQ(parts[1].material, 3U);
        EXPECT_EQ(set.surfaces.materials[2].baseColorImage, 0);
        EXPECT_EQ(set.surfaces.images[static_cast<std::size_t>(set.surfaces.materials[3].baseColorImage)].encoded,
                  own.surfaces->images[1].encoded);
    }
}

TEST(Levels, texture_memory_counts_what_is_used_once) {
    const Subject s = textured();
    const double both = (16 * 16 + 32 * 32) * 4 * 4.0 / 3;
    EXPECT_NEAR(textureBytesOf(s, s.mesh().levels[0]), both, 1);
    Level half = s.mesh().levels[0];
    Mesh mesh = *half.mesh;
    mesh.indices.resize(3 * std::size_t{mesh.parts[0].triangleCount});
    mesh.parts.resize(1);
    half.mesh = std::make_shared<const Mesh>(std::move(mesh));
    EXPECT_NEAR(textureBytesOf(s, half), 16 * 16 * 4 * 4.0 / 3, 1);
}

TEST(Levels, content_tells_meshes_and_surfaces_apart) {
    const Subject s = textured();
    Level a = s.mesh().levels[0];
    Level b = a;
    EXPECT_EQ(levelContent(a), levelContent(b));
    b.surfaces = s.mesh().surfaces;
    EXPECT_NE(levelContent(a), levelContent(b));
    Mesh moved = *a.mesh;
    moved.positions[5].x() += 1e-6F;
    b = a;
    b.mesh = std::make_shared<const Mesh>(std::move(moved));
    EXPECT_NE(levelContent(a), levelContent(b));
}

TEST(Levels, a_hand_made_one_takes_its_place_and_a_heavier_one_is_refused) {
    Subject s = textured();
    const auto added = addHandMade(s, shapes::texturedSphere(12, 6), *s.mesh().surfaces, {});
    ASSERT_TRUE(added);
    ASSERT_EQ(added->mesh().levels.size(), 2U);
    EXPECT_GT(added->mesh().levels[1].promised, 0);
    const auto between = addHandMade(*added, shapes::texturedSphere(24, 12), *s.mesh().surfaces, {});
    ASSERT_TRUE(between);
    EXPECT_GT(between->mesh().levels[1].triangles, between->mesh().levels[2].triangles);
    const auto refused = addHandMade(s, shapes::texturedSphere(80, 40), *s.mesh().surfaces, {});
    ASSERT_FALSE(refused);
    EXPECT_EQ(refused.error().code, ErrorCode::BadInput);
    EXPECT_FALSE(refused.error().remedy.empty());
}

TEST(Levels, made_beside_each_other_are_those_made_one_after_another) {
    const Subject s = textured();
    const auto state = recordSubject(s, {}, {});
    ASSERT_TRUE(state);
    // The third asks for more than the second has: it depends on that one.
    const std::vector<LevelTarget> targets{{TargetKind::ShareOfFirst, 0.6},
                                           {TargetKind::Triangles, 300},
                                           {TargetKind::Triangles, 500},
                                           {TargetKind::ShareOfFirst, 0.05}};
    ChainTimings timings;
    const auto thinned = thinSubject(s, *state, targets, {}, &timings);
    ASSERT_TRUE(thinned);
    std::uint32_t previous = s.mesh().source().triangles;
    ASSERT_EQ(thinned->mesh().levels.size(), targets.size() + 1);
    for (std::size_t i = 0; i < targets.size(); ++i) {
        const auto alone =
            cutLevel(*state->source, *state->query, *state->record, state->curve, targets[i], previous, {});
        ASSERT_TRUE(alone);
        const Level& level = thinned->mesh().levels[i + 1];
        EXPECT_LT(level.triangles, previous);
        EXPECT_EQ(level.mesh->positions, alone->mesh.positions);
        EXPECT_EQ(level.mesh->indices, alone->mesh.indices);
        EXPECT_EQ(level.deviation, alone->deviation.max());
        previous = level.triangles;
    }
    EXPECT_GT(timings.polishMs, 0);
    EXPECT_GT(timings.measureMs, 0);
}

TEST(Levels, made_beside_each_other_say_how_far_they_are_where_they_were_asked_and_can_be_stopped) {
    const Subject s = textured();
    const auto state = recordSubject(s, {}, {});
    ASSERT_TRUE(state);
    std::vector<LevelTarget> many;
    for (int i = 0; i < 6; ++i)
        many.push_back({TargetKind::ShareOfFirst, 0.8 - 0.12 * i});
    const auto here = std::this_thread::get_id();
    std::vector<double> fractions;
    std::stop_source stop;
    std::size_t stopAfter = SIZE_MAX;
    const JobContext job{stop.get_token(), [&](double fraction, std::string_view) {
                             EXPECT_EQ(std::this_thread::get_id(), here);
                             fractions.push_back(fraction);
                             if (fractions.size() >= stopAfter)
                                 stop.request_stop();
                         }};
    ASSERT_TRUE(thinSubject(s, *state, many, job));
    EXPECT_GT(fractions.size(), 5U) << "within a level too";
    EXPECT_TRUE(std::is_sorted(fractions.begin(), fractions.end()));
    EXPECT_LE(fractions.back(), 1);
    stopAfter = 1;
    fractions.clear();
    const auto stopped = thinSubject(s, *state, many, job);
    ASSERT_FALSE(stopped);
    EXPECT_EQ(stopped.error().code, ErrorCode::Cancelled);
}

TEST(Levels, cut_again_keep_their_counts_their_switches_and_what_is_locked) {
    Subject s = textured();
    const auto plain = recordSubject(s, {}, {});
    auto thinned = thinSubject(s, *plain, presetFor(Role::WorkingPiece, s.mesh().levels[0].triangles).targets, {});
    ASSERT_TRUE(thinned);
    thinned->mesh().levels[1].fixed = FixedSwitch{DecideBy::Distance, 7};
    thinned->mesh().levels[1].seen = 3 * thinned->mesh().levels[1].visible;
    thinned->mesh().levels[2].locked = true;
    const auto locked = thinned->mesh().levels[2].mesh;
    CareStroke stroke;
    stroke.path = {{0, 1, 0}};
    stroke.radius = 0.8F;
    thinned->mesh().care = std::make_shared<const Care>(Care{stroke});
    EXPECT_TRUE(careIsNewer(*thinned));
    EXPECT_FALSE(plain->fits(*thinned)) << "a record without the care is another record";
    const auto careful = recordSubject(*thinned, {}, {});
    ASSERT_TRUE(careful);
    const auto again = recutLevels(*thinned, *careful, {});
    ASSERT_TRUE(again);
    EXPECT_FALSE(careIsNewer(*again));
    ASSERT_EQ(again->mesh().levels.size(), thinned->mesh().levels.size());
    EXPECT_EQ(again->mesh().levels[2].mesh, locked);
    EXPECT_EQ(again->mesh().levels[1].fixed, thinned->mesh().levels[1].fixed);
    EXPECT_NE(again->mesh().levels[1].content, thinned->mesh().levels[1].content);
    EXPECT_NEAR(again->mesh().levels[1].seen, 3 * again->mesh().levels[1].visible, 1e-12)
        << "it counts as off in proportion until it is looked at";
    EXPECT_LE(again->mesh().levels[1].triangles, thinned->mesh().levels[1].triangles);
    EXPECT_GT(again->mesh().levels[1].triangles, 0.95 * thinned->mesh().levels[1].triangles);
}

} // namespace
} // namespace thicket
