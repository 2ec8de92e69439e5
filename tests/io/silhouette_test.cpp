// Far levels hold the outline: at the distance where a level comes in, it shifts by no more than is allowed where switches
// are looked at. Where they go by surfaces alone it may be somewhat more, but no more than the level's farthest point: in
// cells of 0.04 px and finer the windpump's L3 shifts by 1.16 px and the sluice gate's L4 by 1.17, of 1.

#include "models.h"
#include "scene/smooth.h"
#include "scene/thin_subject.h"

#include <algorithm>
#include <gtest/gtest.h>

namespace thicket {
namespace {

struct Outlined {
    Subject subject; ///< thinned to its role
    double allowPx = 1;
};

Outlined thinned(demo::Model model, Role role) {
    Outlined out;
    Subject& subject = out.subject;
    subject.name = model.name;
    subject.role = role;
    subject.mesh().surfaces = std::make_shared<const Surfaces>(std::move(model.surfaces));
    subject.mesh().levels.push_back(
        levelFrom(std::make_shared<const Mesh>(std::move(model.levels.front())), {}, LevelOrigin::Source));
    refreshSubject(subject);
    const RolePreset preset = presetFor(role, subject.mesh().levels.front().triangles);
    out.allowPx = subject.rule.allowPx = preset.allowPx;
    const auto state = recordSubject(subject, {}, {});
    EXPECT_TRUE(state);
    auto levels = thinSubject(subject, *state, preset.targets, {});
    EXPECT_TRUE(levels) << levels.error().text();
    subject = std::move(*levels);
    return out;
}

/// The last two levels' outlines against the source's where they come in.
/// times  how many times the allowance they may shift.
void expectOutlinesHeld(const Outlined& what, double times, int directions) {
    const Subject& s = what.subject;
    const auto& levels = s.mesh().levels;
    ASSERT_GE(levels.size(), 4U);
    const View view;
    const ResolvedChain chain = chainOf(s, view);
    const Appearance source(*levels.front().mesh, *s.mesh().surfaces);
    for (std::size_t i = levels.size() - 2; i < levels.size(); ++i) {
        const Appearance level(*levels[i].mesh, *surfacesOf(s, levels[i]));
        SilhouetteOptions options;
        options.directions = directions;
        options.elevations = {0.15};
        options.cells = 1024;
        const auto apart = silhouetteDifference(source, level, options, {});
        ASSERT_TRUE(apart);
        const double px = pixelError(view, apart->shift, chain.fromMetres[i]);
        const double cellPx = pixelError(view, apart->cell, chain.fromMetres[i]);
        const double farthestPx = pixelError(view, levels[i].deviation, chain.fromMetres[i]);
        EXPECT_LE(px, std::max(what.allowPx, farthestPx) + 1.5 * cellPx)
            << s.name << " L" << i << ", cells of " << cellPx << " px";
        EXPECT_LE(px, times * what.allowPx + 1.5 * cellPx) << s.name << " L" << i;
        ::testing::Test::RecordProperty(s.name + " L" + std::to_string(i),
                                        std::to_string(px) + " px of " + std::to_string(what.allowPx));
    }
}

constexpr double kBySurfaces = 1.2;

void expectOutlinesHeldByBoth(Outlined what) {
    expectOutlinesHeld(what, kBySurfaces, 3);
    const auto looked = lookAtSwitches(what.subject, View(), std::nullopt, {});
    ASSERT_TRUE(looked);
    what.subject = looked->subject;
    expectOutlinesHeld(what, 1, 6);
}

TEST(Outline, of_the_eel_traps_far_levels_is_held) {
    expectOutlinesHeld(thinned(demo::eelTrap(), Role::Dressing), kBySurfaces, 3);
}

TEST(Outline, of_the_windpumps_far_levels_is_held) {
    expectOutlinesHeldByBoth(thinned(demo::windpump(), Role::Landmark));
}

TEST(Outline, of_the_sluice_gates_far_levels_is_held) {
    expectOutlinesHeldByBoth(thinned(demo::sluiceGate(), Role::WorkingPiece));
}

} // namespace
} // namespace thicket
