// Far levels hold the outline: at the distance where a level comes in, it shifts by no more than the level's farthest
// point does there. Switching by what is seen of a level lets that be somewhat more than the allowance: in cells of 0.04 px
// and finer the windpump's L3 shifts by 1.16 px and the sluice gate's L4 by 1.17, of 1.

#include "models.h"
#include "scene/thin_subject.h"

#include <algorithm>
#include <gtest/gtest.h>

namespace thicket {
namespace {

void expectOutlinesHeld(demo::Model model, Role role) {
    constexpr double kMore = 1.2; // times the allowance
    Subject subject;
    subject.name = model.name;
    subject.role = role;
    subject.mesh().surfaces = std::make_shared<const Surfaces>(std::move(model.surfaces));
    subject.mesh().levels.push_back(
        levelFrom(std::make_shared<const Mesh>(std::move(model.levels.front())), {}, LevelOrigin::Source));
    refreshSubject(subject);
    const auto state = recordSubject(subject, {}, {});
    ASSERT_TRUE(state);
    const RolePreset preset = presetFor(role, subject.mesh().levels.front().triangles);
    auto thinned = thinSubject(subject, *state, preset.targets, {});
    ASSERT_TRUE(thinned) << thinned.error().text();
    ASSERT_GE(thinned->mesh().levels.size(), 4U);
    View view;
    SwitchRule rule;
    rule.allowPx = preset.allowPx;
    const auto costs = costsOf(*thinned);
    const Appearance source(*thinned->mesh().levels.front().mesh, *thinned->mesh().surfaces);
    for (std::size_t i = thinned->mesh().levels.size() - 2; i < thinned->mesh().levels.size(); ++i) {
        const Appearance level(*thinned->mesh().levels[i].mesh, *thinned->mesh().surfaces);
        SilhouetteOptions options;
        options.directions = 3;
        options.elevations = {0.15};
        options.cells = 1024;
        const auto apart = silhouetteDifference(source, level, options, {});
        ASSERT_TRUE(apart);
        const double from = switchDistance(costs[i], rule, thinned->radius, view);
        const double px = pixelError(view, apart->shift, from);
        const double cellPx = pixelError(view, apart->cell, from);
        const double farthestPx = pixelError(view, thinned->mesh().levels[i].deviation, from);
        EXPECT_LE(px, std::max(preset.allowPx, farthestPx) + 1.5 * cellPx)
            << model.name << " L" << i << ", cells of " << cellPx << " px";
        EXPECT_LE(px, kMore * preset.allowPx + 1.5 * cellPx) << model.name << " L" << i;
        ::testing::Test::RecordProperty(model.name + " L" + std::to_string(i),
                                        std::to_string(px) + " px of " + std::to_string(preset.allowPx));
    }
}

TEST(Outline, of_the_eel_traps_far_levels_is_held) {
    expectOutlinesHeld(demo::eelTrap(), Role::Dressing);
}

TEST(Outline, of_the_windpumps_far_levels_is_held) {
    expectOutlinesHeld(demo::windpump(), Role::Landmark);
}

TEST(Outline, of_the_sluice_gates_far_levels_is_held) {
    expectOutlinesHeld(demo::sluiceGate(), Role::WorkingPiece);
}

} // namespace
} // namespace thicket
