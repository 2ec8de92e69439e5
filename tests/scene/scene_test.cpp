#include "scene/edits.h"
#include "scene/thin_subject.h"
#include "support/shapes.h"

#include <gtest/gtest.h>
#include <random>

namespace thicket {
namespace {

Subject ball(const std::string& name, int splits) {
    Subject s;
    s.name = name;
    s.surfaces = std::make_shared<const Surfaces>();
    s.levels.push_back(levelFrom(std::make_shared<const Mesh>(shapes::bumpy(splits, 1)), {}, LevelOrigin::Source));
    refreshSubject(s);
    return s;
}

bool same(const Scene& a, const Scene& b) {
    if (a.name != b.name || a.subjects.size() != b.subjects.size() || a.placements.size() != b.placements.size() ||
        a.device != b.device || a.view.fovY != b.view.fovY)
        return false;
    for (std::size_t i = 0; i < a.subjects.size(); ++i)
        if (a.subjects[i].id != b.subjects[i].id || a.subjects[i].name != b.subjects[i].name ||
            a.subjects[i].levels.size() != b.subjects[i].levels.size() ||
            a.subjects[i].rule.allowPx != b.subjects[i].rule.allowPx)
            return false;
    return true;
}

} // namespace

TEST(Edits, any_run_of_edits_undoes_to_where_it_began) {
    std::mt19937 random(4);
    Scene scene;
    apply(scene, addSubjects(scene, {ball("a", 3), ball("b", 3), ball("c", 3)}, "add"));
    scene.placements = {{10, scene.subjects[0].id, {1, 0, 0}, Quatd::Identity(), 1},
                        {11, scene.subjects[1].id, {2, 0, 0}, Quatd::Identity(), 1}};
    const Scene start = scene;
    std::vector<Edit> done;
    for (int i = 0; i < 60; ++i) {
        Edit edit;
        switch (random() % 4) {
        case 0:
            edit = addSubjects(scene, {ball("n" + std::to_string(i), 2)}, "add");
            break;
        case 1:
            if (!scene.subjects.empty())
                edit = removeSubject(scene, scene.subjects[random() % scene.subjects.size()].id);
            break;
        case 2:
            if (!scene.subjects.empty()) {
                Subject s = scene.subjects[random() % scene.subjects.size()];
                s.rule.allowPx += 0.5;
                s.name += "'";
                edit = changeSubject(scene, s, "change");
            }
            break;
        default: {
            auto settings = settingsOf(scene);
            settings.name += "!";
            settings.view.fovY += 0.01;
            edit = changeSettings(scene, settings, "settings");
        }
        }
        apply(scene, edit);
        done.push_back(edit);
    }
    for (auto edit = done.rbegin(); edit != done.rend(); ++edit)
        apply(scene, edit->inverse());
    EXPECT_TRUE(same(scene, start));
}

TEST(Edits, removing_a_subject_takes_its_placements_along_and_back) {
    Scene scene;
    apply(scene, addSubjects(scene, {ball("a", 2), ball("b", 2)}, "add"));
    scene.placements = {{10, scene.subjects[0].id, Vec3d(0, 0, 0), Quatd::Identity(), 1},
                        {11, scene.subjects[1].id, Vec3d(0, 0, 0), Quatd::Identity(), 1}};
    const Edit edit = removeSubject(scene, scene.subjects[0].id);
    apply(scene, edit);
    ASSERT_EQ(scene.placements.size(), 1U);
    EXPECT_EQ(scene.placements[0].subject, scene.subjects[0].id);
    apply(scene, edit.inverse());
    EXPECT_EQ(scene.placements.size(), 2U);
}

TEST(Thin, every_role_gives_a_chain_that_falls_strictly) {
    Subject s = ball("ball", 40);
    const auto state = recordSubject(s, {}, {});
    ASSERT_TRUE(state);
    for (const Role role : kRoles) {
        const auto thinned = thinSubject(s, *state, presetFor(role, s.levels[0].triangles).targets, {});
        ASSERT_TRUE(thinned) << roleName(role);
        ASSERT_GE(thinned->levels.size(), 3U);
        for (std::size_t i = 1; i < thinned->levels.size(); ++i) {
            EXPECT_LT(thinned->levels[i].triangles, thinned->levels[i - 1].triangles);
            EXPECT_GE(thinned->levels[i].promised, thinned->levels[i].deviation);
        }
        EXPECT_TRUE(findChainProblems(*thinned).empty());
    }
}

TEST(Thin, locked_and_hand_made_levels_are_left_alone) {
    Subject s = ball("ball", 30);
    const auto state = recordSubject(s, {}, {});
    auto thinned = thinSubject(s, *state, presetFor(Role::Landmark, s.levels[0].triangles).targets, {});
    ASSERT_TRUE(thinned);
    thinned->levels[2].locked = true;
    thinned->levels[1].origin = LevelOrigin::HandMade;
    const auto kept2 = thinned->levels[2].mesh;
    const auto kept1 = thinned->levels[1].mesh;
    const auto again = thinSubject(*thinned, *state, presetFor(Role::Horizon, s.levels[0].triangles).targets, {});
    ASSERT_TRUE(again);
    const auto has = [&](const std::shared_ptr<const Mesh>& mesh) {
        return std::any_of(again->levels.begin(), again->levels.end(), [&](const Level& l) { return l.mesh == mesh; });
    };
    EXPECT_TRUE(has(kept1));
    EXPECT_TRUE(has(kept2));
    EXPECT_TRUE(findChainProblems(*again).empty());
}

TEST(Thin, a_kept_level_wins_over_a_cut_of_the_same_weight) {
    const Subject subject = ball("ball", 30);
    const auto state = recordSubject(subject, {}, {});
    ASSERT_TRUE(state);
    const auto targets = presetFor(Role::WorkingPiece, subject.levels[0].triangles).targets;
    auto thinned = thinSubject(subject, *state, targets, {});
    ASSERT_TRUE(thinned);
    thinned->levels[1].locked = true;
    thinned->levels[1].fixed = FixedSwitch{DecideBy::Distance, 12};
    thinned->levels[2].origin = LevelOrigin::HandMade;
    // The same targets give cuts of the same counts.
    const auto again = thinSubject(*thinned, *state, targets, {});
    ASSERT_TRUE(again);
    ASSERT_EQ(again->levels.size(), thinned->levels.size());
    EXPECT_TRUE(again->levels[1].locked);
    EXPECT_EQ(again->levels[1].fixed, thinned->levels[1].fixed);
    EXPECT_EQ(again->levels[2].origin, LevelOrigin::HandMade);
}

TEST(Thin, levels_cut_again_are_the_same) {
    Subject s = ball("ball", 30);
    const auto state = recordSubject(s, {}, {});
    const auto thinned = thinSubject(s, *state, presetFor(Role::Dressing, s.levels[0].triangles).targets, {});
    Subject opened = *thinned;
    for (std::size_t i = 1; i < opened.levels.size(); ++i)
        opened.levels[i].mesh.reset();
    const Subject restored = restoreLevels(opened, *recordSubject(s, {}, {}));
    for (std::size_t i = 1; i < opened.levels.size(); ++i) {
        ASSERT_TRUE(restored.levels[i].mesh);
        EXPECT_EQ(restored.levels[i].mesh->indices, thinned->levels[i].mesh->indices);
        EXPECT_TRUE(restored.levels[i].mesh->positions == thinned->levels[i].mesh->positions);
    }
}

TEST(Route, passes_through_its_keys) {
    const Route route{"r", {{0, {0, 1, 0}, {0, 1, -5}}, {2, {4, 2, 0}, {4, 2, -5}}, {5, {8, 1, 3}, {0, 0, 0}}}};
    for (const RouteKey& key : route.keys)
        EXPECT_LT((viewOnRoute(route, {}, key.seconds).eye - key.eye).norm(), 1e-9);
    EXPECT_LT((viewOnRoute(route, {}, 99).eye - route.keys.back().eye).norm(), 1e-9);
    const View middle = viewOnRoute(route, {}, 1);
    EXPECT_NEAR(middle.forward.norm(), 1, 1e-9);
    EXPECT_NEAR(middle.forward.dot(middle.up), 0, 1e-9);
}

TEST(Select, unplaced_subjects_stand_in_a_row) {
    Scene scene;
    apply(scene, addSubjects(scene, {ball("a", 2), ball("b", 2), ball("c", 2)}, "add"));
    scene.placements = {{10, scene.subjects[0].id, {5, 0, 0}, Quatd::Identity(), 2},
                        {11, scene.subjects[0].id, {9, 0, 0}, Quatd::Identity(), 1}};
    const SelectScene s = selectScene(scene, scene.view);
    ASSERT_EQ(s.copies.size(), 4U);
    EXPECT_GT((s.copies.centre[3] - s.copies.centre[2]).norm(), 2 * scene.subjects[1].bounds.size().x() / 2);
    EXPECT_EQ(s.copies.chain[2], 1U);
    EXPECT_EQ(s.copies.position[2], Vec3d(0, 0, 0));
    EXPECT_NEAR(s.copies.radius[0], 2 * scene.subjects[0].radius, 1e-9);
}

TEST(ThinSubject, a_mesh_too_light_to_gain_is_told_so) {
    Subject subject;
    subject.name = "Crate";
    subject.levels.resize(1);
    subject.levels[0].mesh = std::make_shared<const Mesh>(shapes::box(1, {1, 1, 1}));
    refreshSubject(subject);
    const auto state = recordSubject(subject, {}, {});
    ASSERT_TRUE(state);
    const auto thinned = thinSubject(subject, *state, presetFor(Role::WorkingPiece, 12).targets, {});
    ASSERT_FALSE(thinned) << "a level of " << thinned->levels.back().triangles << " triangles";
    EXPECT_EQ(thinned.error().code, ErrorCode::CheckFailed);
    // Asked for by number it is made all the same, and says how far it is off.
    const auto asked = thinSubject(subject, *state, {{TargetKind::Triangles, 8}}, {});
    ASSERT_TRUE(asked) << asked.error().text();
    EXPECT_GT(asked->levels[1].deviation, 0.1);
}

} // namespace thicket
