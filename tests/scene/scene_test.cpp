#include "scene/edits.h"
#include "scene/kinds.h"
#include "scene/select_input.h"
#include "scene/thin_subject.h"
#include "support/shapes.h"

#include <gtest/gtest.h>
#include <random>
#include <set>

namespace thicket {
namespace {

Subject ball(const std::string& name, int splits) {
    Subject s;
    s.name = name;
    s.mesh().surfaces = std::make_shared<const Surfaces>();
    s.mesh().levels.push_back(
        levelFrom(std::make_shared<const Mesh>(shapes::bumpy(splits, 1)), {}, LevelOrigin::Source));
    refreshSubject(s);
    return s;
}

Placement placedAt(std::uint32_t id, const Vec3d& at, double scale = 1) {
    return {id, 0, at, Quatd::Identity(), scale, 1};
}

SharedPlacements shared(Placements placements) {
    return std::make_shared<const Placements>(std::move(placements));
}

/// A field of two assets, copies of them in turn along X.
Subject fieldOf(std::uint32_t first, std::uint32_t second, int count) {
    Subject field;
    field.name = "Reeds";
    Placements copies;
    for (int i = 0; i < count; ++i) {
        copies.push_back(placedAt(1000 + static_cast<std::uint32_t>(i), {3.0 * i, 0, 0}));
        copies.back().asset = static_cast<std::uint32_t>(i) % 2;
    }
    field.body = InstancesBody{{first, second}, shared(std::move(copies))};
    return field;
}

bool same(const Scene& a, const Scene& b) {
    if (a.settings.name != b.settings.name || a.subjects.size() != b.subjects.size() || a.nextId < b.nextId ||
        a.settings.device != b.settings.device || a.settings.view.fovY != b.settings.view.fovY)
        return false;
    for (std::size_t i = 0; i < a.subjects.size(); ++i)
        if (a.subjects[i].id != b.subjects[i].id || a.subjects[i].name != b.subjects[i].name ||
            a.subjects[i].mesh().levels.size() != b.subjects[i].mesh().levels.size() ||
            a.subjects[i].rule.allowPx != b.subjects[i].rule.allowPx ||
            a.subjects[i].mesh().placed != b.subjects[i].mesh().placed)
            return false;
    return true;
}

} // namespace

TEST(Edits, any_run_of_edits_undoes_to_where_it_began) {
    std::mt19937 random(4);
    Scene scene;
    apply(scene, addSubjects(scene, {ball("a", 3), ball("b", 3), ball("c", 3)}, "add"));
    scene.subjects[0].mesh().placed = shared({placedAt(10, {1, 0, 0})});
    scene.subjects[1].mesh().placed = shared({placedAt(11, {2, 0, 0})});
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
            auto settings = scene.settings;
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
    scene.subjects[0].mesh().placed = shared({placedAt(10, {0, 0, 0})});
    scene.subjects[1].mesh().placed = shared({placedAt(11, {0, 0, 0})});
    const auto array = scene.subjects[0].mesh().placed;
    const Edit edit = removeSubject(scene, scene.subjects[0].id);
    apply(scene, edit);
    EXPECT_EQ(findCopy(scene, 10), nullptr);
    EXPECT_NE(findCopy(scene, 11), nullptr);
    apply(scene, edit.inverse());
    EXPECT_EQ(scene.subjects[0].mesh().placed, array) << "the same array, not a copy of it";
}

TEST(Edits, ids_never_come_back) {
    Scene scene;
    std::set<std::uint32_t> given;
    for (int i = 0; i < 20; ++i) {
        const Edit add = addSubjects(scene, {ball("a", 2)}, "add");
        apply(scene, add);
        EXPECT_TRUE(given.insert(scene.subjects.back().id).second) << "an id was given twice";
        if (i % 2 == 0)
            apply(scene, add.inverse());
        else
            apply(scene, removeSubject(scene, scene.subjects.back().id));
    }
}

TEST(Edits, say_what_they_touch) {
    Scene scene;
    apply(scene, addSubjects(scene, {ball("a", 2), ball("b", 2)}, "add"));
    Subject after = scene.subjects[1];
    after.name = "other";
    const Touched one = changeSubject(scene, after, "rename").touched();
    EXPECT_TRUE(one.subject(after.id));
    EXPECT_FALSE(one.subject(scene.subjects[0].id));
    EXPECT_FALSE(one.settings);
    EXPECT_TRUE(changeSettings(scene, scene.settings, "nothing").touched().settings);
    EXPECT_TRUE(removeSubject(scene, after.id).touched().subject(after.id));
}

TEST(Edits, one_copy_is_changed_wherever_it_stands) {
    Scene scene;
    apply(scene, addSubjects(scene, {ball("a", 2), ball("b", 2)}, "add"));
    apply(scene, addSubjects(scene, {fieldOf(scene.subjects[0].id, scene.subjects[1].id, 6)}, "field"));
    scene.subjects[0].mesh().placed = shared({placedAt(10, {0, 0, 0}), placedAt(11, {5, 0, 0})});
    for (const std::uint32_t id : {11U, 1004U}) {
        const auto untouched = scene.subjects[id == 11 ? 2 : 0];
        Placement after = *findCopy(scene, id);
        after.importance = 3;
        const Edit edit = changeCopy(scene, id, after, "matter more");
        apply(scene, edit);
        EXPECT_EQ(findCopy(scene, id)->importance, 3);
        apply(scene, edit.inverse());
        EXPECT_EQ(findCopy(scene, id)->importance, 1);
    }
    EXPECT_TRUE(changeCopy(scene, 77, {}, "nobody").empty());
}

TEST(Fields, are_counted_selected_and_lose_copies_with_their_asset) {
    Scene scene;
    apply(scene, addSubjects(scene, {ball("a", 2), ball("b", 3)}, "add"));
    const std::uint32_t a = scene.subjects[0].id;
    const std::uint32_t b = scene.subjects[1].id;
    apply(scene, addSubjects(scene, {fieldOf(a, b, 40)}, "field"));
    refresh(scene, scene.subjects[2]);
    EXPECT_GT(scene.subjects[2].bounds.size().x(), 3 * 39);
    EXPECT_EQ(weightText(scene.subjects[2]), "40 copies of 2 assets");
    EXPECT_EQ(likenessOf(scene, scene.subjects[2]).mesh, scene.subjects[0].mesh().source().mesh);
    EXPECT_FALSE(isIncomplete(scene, scene.subjects[2]));
    const SelectInput input = selectInput(scene, scene.settings.view);
    ASSERT_EQ(input.batches.size(), 2U) << "one an asset, and assets do not stand by themselves";
    EXPECT_EQ(input.copies(), 40U);
    SelectState state;
    Selection out;
    SelectOptions all;
    all.cullView = all.cullSmall = false;
    select(input, lookAt(scene.settings.view, {60, 40, 60}, {60, 0, 0}), 0, all, state, out);
    EXPECT_EQ(out.subjects[2].drawn, 40U) << "the field pays, not its assets";
    EXPECT_EQ(out.subjects[0].drawn, 0U);
    EXPECT_EQ(out.total.draws, 2U) << "one a level and asset: the engine draws copies together";
    const Edit remove = removeSubject(scene, a);
    apply(scene, remove);
    ASSERT_EQ(scene.subjects.size(), 2U);
    const InstancesBody& left = *scene.subjects[1].instances();
    EXPECT_EQ(left.assets, std::vector<std::uint32_t>{b});
    EXPECT_EQ(left.copies->size(), 20U);
    for (const Placement& copy : *left.copies)
        EXPECT_EQ(copy.asset, 0U);
    apply(scene, remove.inverse());
    EXPECT_EQ(scene.subjects[2].instances()->copies->size(), 40U);
}

TEST(SelectInput, an_edit_orders_only_the_copies_it_touches_anew) {
    Scene scene;
    apply(scene, addSubjects(scene, {ball("a", 2), ball("b", 2)}, "add"));
    apply(scene, addSubjects(scene, {fieldOf(scene.subjects[0].id, scene.subjects[1].id, 300)}, "field"));
    scene.subjects[0].mesh().placed = shared({placedAt(10, {0, 0, 0})});
    const SelectInput before = selectInput(scene, scene.settings.view);
    scene.subjects[0].rule.allowPx = 5; // another rule: the same copies
    SelectInput after = selectInput(scene, scene.settings.view, &before);
    ASSERT_EQ(after.batches.size(), before.batches.size());
    for (std::size_t i = 0; i < after.batches.size(); ++i)
        EXPECT_EQ(after.batches[i].copies, before.batches[i].copies);
    EXPECT_EQ(after.batches[0].chain.rule.allowPx, 5);
    scene.subjects[0].mesh().placed = shared({placedAt(10, {9, 0, 0})});
    const SelectInput moved = selectInput(scene, scene.settings.view, &after);
    EXPECT_NE(moved.batches[0].copies, after.batches[0].copies);
    EXPECT_EQ(moved.batches[1].copies, after.batches[1].copies);
    EXPECT_EQ(moved.batches[2].copies, after.batches[2].copies);
}

TEST(Thin, every_role_gives_a_chain_that_falls_strictly) {
    Subject s = ball("ball", 24);
    const auto state = recordSubject(s, {}, {});
    ASSERT_TRUE(state);
    for (const auto& [role, key, name] : kRoles) {
        const auto thinned = thinSubject(s, *state, presetFor(role, s.mesh().levels[0].triangles).targets, {});
        ASSERT_TRUE(thinned) << name;
        ASSERT_GE(thinned->mesh().levels.size(), 3U);
        for (std::size_t i = 1; i < thinned->mesh().levels.size(); ++i) {
            EXPECT_LT(thinned->mesh().levels[i].triangles, thinned->mesh().levels[i - 1].triangles);
            EXPECT_GE(thinned->mesh().levels[i].promised, thinned->mesh().levels[i].deviation);
            if (i > 1) {
                EXPECT_GT(thinned->mesh().levels[i].visible, 1.25 * thinned->mesh().levels[i - 1].visible)
                    << "each level buys something that the next does not";
            }
        }
        EXPECT_TRUE(findChainProblems(*thinned).empty());
    }
}

TEST(Thin, levels_of_a_role_come_in_at_distances_of_one_factor) {
    for (const Role role : {Role::Landmark, Role::WorkingPiece}) {
        Subject s = ball("ball", 32);
        const auto state = recordSubject(s, {}, {});
        ASSERT_TRUE(state);
        const RolePreset preset = presetFor(role, s.mesh().levels[0].triangles);
        auto thinned = thinSubject(s, *state, preset.targets, {});
        ASSERT_TRUE(thinned);
        thinned->rule.allowPx = preset.allowPx;
        View view;
        view.fovY = 1;
        view.lines = 1080;
        const ResolvedChain chain = chainOf(*thinned, view);
        const std::size_t levels = chain.fromMetres.size();
        ASSERT_EQ(levels, preset.targets.size() + 1);
        EXPECT_NEAR(screenHeight(view, s.radius, chain.fromMetres[1] + s.radius), 1, 0.5) << "fills the screen";
        EXPECT_NEAR(screenHeight(view, s.radius, chain.fromMetres.back() + s.radius) * 1080 / 16, 1, 0.5)
            << "few pixels tall";
        const double factor = std::pow(1080.0 / 16, 1.0 / (static_cast<double>(levels) - 2));
        for (std::size_t i = 2; i < levels; ++i)
            EXPECT_NEAR(chain.fromMetres[i] / chain.fromMetres[i - 1] / factor, 1, 0.45) << i;
    }
}

TEST(Thin, a_role_makes_no_level_that_is_hardly_lighter) {
    for (const int splits : {1, 2, 3, 5, 9})
        for (const auto& [role, key, name] : kRoles) {
            Subject s = ball("ball", 4);
            s.mesh().levels[0] =
                levelFrom(std::make_shared<const Mesh>(shapes::bumpy(splits, 3)), {}, LevelOrigin::Source);
            refreshSubject(s);
            const auto state = recordSubject(s, {}, {});
            ASSERT_TRUE(state);
            const auto thinned = thinSubject(s, *state, presetFor(role, s.mesh().levels[0].triangles).targets, {});
            if (!thinned) {
                EXPECT_EQ(thinned.error().code, ErrorCode::CheckFailed);
                EXPECT_LE(splits, 2) << name << ": there is something to be had";
                continue;
            }
            const auto& levels = thinned->mesh().levels;
            for (std::size_t i = 1; i < levels.size(); ++i)
                EXPECT_LE(levels[i].triangles, 0.7 * levels[i - 1].triangles) << name << " " << splits;
        }
}

TEST(Thin, of_levels_that_are_off_alike_only_the_lightest_is_kept) {
    // Flat faces of thousands of triangles: whatever a role asks for, twelve of them look the same.
    Subject s = ball("crate", 4);
    s.mesh().levels[0] =
        levelFrom(std::make_shared<const Mesh>(shapes::box(24, Vec3d(1, 1, 1))), {}, LevelOrigin::Source);
    refreshSubject(s);
    const auto state = recordSubject(s, {}, {});
    ASSERT_TRUE(state);
    const auto targets = presetFor(Role::Landmark, s.mesh().levels[0].triangles).targets;
    ASSERT_GE(targets.size(), 3U);
    const auto thinned = thinSubject(s, *state, targets, {});
    ASSERT_TRUE(thinned);
    ASSERT_EQ(thinned->mesh().levels.size(), 2U);
    EXPECT_LT(thinned->mesh().levels[1].triangles, s.mesh().levels[0].triangles / 50);
    EXPECT_LT(thinned->mesh().levels[1].visible, 1e-4);
    // What is asked for by counts is made as it was asked.
    const auto counts = thinSubject(s, *state, {{TargetKind::Triangles, 4000}, {TargetKind::Triangles, 900}}, {});
    ASSERT_TRUE(counts);
    EXPECT_EQ(counts->mesh().levels.size(), 3U);
}

TEST(Thin, locked_and_hand_made_levels_are_left_alone) {
    Subject s = ball("ball", 30);
    const auto state = recordSubject(s, {}, {});
    auto thinned = thinSubject(s, *state, presetFor(Role::Landmark, s.mesh().levels[0].triangles).targets, {});
    ASSERT_TRUE(thinned);
    thinned->mesh().levels[2].locked = true;
    thinned->mesh().levels[1].origin = LevelOrigin::HandMade;
    const auto kept2 = thinned->mesh().levels[2].mesh;
    const auto kept1 = thinned->mesh().levels[1].mesh;
    const auto again =
        thinSubject(*thinned, *state, presetFor(Role::Horizon, s.mesh().levels[0].triangles).targets, {});
    ASSERT_TRUE(again);
    const auto has = [&](const std::shared_ptr<const Mesh>& mesh) {
        return std::any_of(again->mesh().levels.begin(), again->mesh().levels.end(),
                           [&](const Level& l) { return l.mesh == mesh; });
    };
    EXPECT_TRUE(has(kept1));
    EXPECT_TRUE(has(kept2));
    EXPECT_TRUE(findChainProblems(*again).empty());
}

TEST(Thin, a_kept_level_wins_over_a_cut_of_the_same_weight) {
    const Subject subject = ball("ball", 30);
    const auto state = recordSubject(subject, {}, {});
    ASSERT_TRUE(state);
    const auto targets = presetFor(Role::WorkingPiece, subject.mesh().levels[0].triangles).targets;
    auto thinned = thinSubject(subject, *state, targets, {});
    ASSERT_TRUE(thinned);
    thinned->mesh().levels[1].locked = true;
    thinned->mesh().levels[1].fixed = FixedSwitch{DecideBy::Distance, 12};
    thinned->mesh().levels[2].origin = LevelOrigin::HandMade;
    // The same targets give cuts of the same counts.
    const auto again = thinSubject(*thinned, *state, targets, {});
    ASSERT_TRUE(again);
    ASSERT_EQ(again->mesh().levels.size(), thinned->mesh().levels.size());
    EXPECT_TRUE(again->mesh().levels[1].locked);
    EXPECT_EQ(again->mesh().levels[1].fixed, thinned->mesh().levels[1].fixed);
    EXPECT_EQ(again->mesh().levels[2].origin, LevelOrigin::HandMade);
}

TEST(Thin, levels_cut_again_are_the_same) {
    Subject s = ball("ball", 30);
    const auto state = recordSubject(s, {}, {});
    const auto thinned = thinSubject(s, *state, presetFor(Role::Dressing, s.mesh().levels[0].triangles).targets, {});
    Subject opened = *thinned;
    for (std::size_t i = 1; i < opened.mesh().levels.size(); ++i)
        opened.mesh().levels[i].mesh.reset();
    const Subject restored = restoreLevels(opened, *recordSubject(s, {}, {}));
    for (std::size_t i = 1; i < opened.mesh().levels.size(); ++i) {
        ASSERT_TRUE(restored.mesh().levels[i].mesh);
        EXPECT_EQ(restored.mesh().levels[i].mesh->indices, thinned->mesh().levels[i].mesh->indices);
        EXPECT_TRUE(restored.mesh().levels[i].mesh->positions == thinned->mesh().levels[i].mesh->positions);
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
    scene.subjects[0].mesh().placed = shared({placedAt(10, {5, 0, 0}, 2), placedAt(11, {9, 0, 0})});
    const SelectInput s = selectInput(scene, scene.settings.view);
    ASSERT_EQ(s.copies(), 4U);
    ASSERT_EQ(s.batches.size(), 3U);
    const Placement& b = s.batches[1].copies->at(0);
    const Placement& c = s.batches[2].copies->at(0);
    EXPECT_EQ(s.batches[1].subject, 1U);
    EXPECT_EQ(b.id, 0U) << "nobody has placed it";
    EXPECT_EQ(b.position, Vec3d(0, 0, 0));
    EXPECT_GT((c.position - b.position).norm(), scene.subjects[1].bounds.size().x());
    const SelectInput again = selectInput(scene, scene.settings.view, &s);
    EXPECT_EQ(again.batches[2].copies, s.batches[2].copies);
}

TEST(ThinSubject, a_mesh_too_light_to_gain_is_told_so) {
    Subject subject;
    subject.name = "Crate";
    subject.mesh().levels.resize(1);
    subject.mesh().levels[0].mesh = std::make_shared<const Mesh>(shapes::box(1, {1, 1, 1}));
    refreshSubject(subject);
    const auto state = recordSubject(subject, {}, {});
    ASSERT_TRUE(state);
    const auto thinned = thinSubject(subject, *state, presetFor(Role::WorkingPiece, 12).targets, {});
    ASSERT_FALSE(thinned) << "a level of " << thinned->mesh().levels.back().triangles << " triangles";
    EXPECT_EQ(thinned.error().code, ErrorCode::CheckFailed);
    // Asked for by number it is made all the same, and says how far it is off.
    const auto asked = thinSubject(subject, *state, {{TargetKind::Triangles, 8}}, {});
    ASSERT_TRUE(asked) << asked.error().text();
    EXPECT_GT(asked->mesh().levels[1].deviation, 0.1);
}

} // namespace thicket
