// What is said about a chain, and that every mend mends.

#include "scene/chain_notes.h"
#include "support/shapes.h"

#include <algorithm>
#include <gtest/gtest.h>

namespace thicket {
namespace {

Subject chainOf(const std::vector<double>& deviations) {
    Subject s;
    s.name = "post";
    s.mesh().surfaces = std::make_shared<const Surfaces>();
    const auto mesh = std::make_shared<const Mesh>(shapes::sphere(3));
    for (std::size_t i = 0; i < deviations.size(); ++i) {
        Level level = levelFrom(mesh, {}, i == 0 ? LevelOrigin::Source : LevelOrigin::Collapsed);
        level.triangles = static_cast<std::uint32_t>(1000 >> i);
        level.visible = level.promised = level.deviation = deviations[i];
        s.mesh().levels.push_back(level);
    }
    s.bounds = boundsOf(*mesh);
    s.radius = 1;
    return s;
}

bool has(const std::vector<ChainNote>& notes, ChainNoteKind kind) {
    return std::any_of(notes.begin(), notes.end(), [kind](const ChainNote& n) { return n.kind == kind; });
}

TEST(ChainNotes, say_nothing_of_a_chain_in_order) {
    EXPECT_TRUE(chainNotes(chainOf({0, 0.002, 0.01, 0.06}), {}).empty());
    EXPECT_TRUE(chainNotes(chainOf({0}), {}).empty());
}

TEST(ChainNotes, each_mistake_is_found_explained_and_mended) {
    const View view;
    const Subject good = chainOf({0, 0.002, 0.01, 0.06}); // about 1.9, 9.4 and 56 m
    struct Case {
        ChainNoteKind kind;
        std::function<void(Subject&)> spoil;
    };
    const std::vector<Case> cases{
        {ChainNoteKind::OutOfOrder,
         [](Subject& s) {
             s.mesh().levels[2].fixed = FixedSwitch{DecideBy::Distance, 1};
         }},
        {ChainNoteKind::NeverShows, [](Subject& s) { s.mesh().levels[2].visible = s.mesh().levels[3].visible; }},
        {ChainNoteKind::BandTooWide,
         [](Subject& s) {
             s.mesh().levels[1].visible = 0.0095;
             s.rule.hysteresis = 0.3;
         }},
        {ChainNoteKind::BeyondReach, [](Subject& s) { s.rule.reachMetres = 30; }},
        {ChainNoteKind::BeyondFar, [](Subject& s) { s.mesh().levels[3].visible = 50; }},
        {ChainNoteKind::CoarserThanPromise, [](Subject& s) {
             s.mesh().levels[3].fixed = FixedSwitch{DecideBy::Distance, 20};
         }}};
    for (const Case& c : cases) {
        Subject s = good;
        c.spoil(s);
        auto notes = chainNotes(s, view);
        ASSERT_TRUE(has(notes, c.kind)) << static_cast<int>(c.kind);
        for (const ChainNote& n : notes) {
            EXPECT_FALSE(n.text.empty());
            EXPECT_FALSE(n.mend.empty());
        }
        int steps = 0;
        while (!notes.empty() && ++steps < 10) {
            s = notes.front().mended;
            notes = chainNotes(s, view);
        }
        EXPECT_TRUE(notes.empty()) << static_cast<int>(c.kind) << ": " << notes.front().text;
        EXPECT_GE(s.mesh().levels.size(), 3U) << "mending takes out no more than it must";
    }
}

TEST(ChainNotes, locked_levels_are_never_taken_out) {
    Subject s = chainOf({0, 0.002, 0.06, 0.06});
    s.mesh().levels[2].locked = true;
    EXPECT_FALSE(has(chainNotes(s, {}), ChainNoteKind::NeverShows));
}

} // namespace
} // namespace thicket
