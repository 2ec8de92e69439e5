#include "support/rays.h"
#include "support/shapes.h"
#include "switching/copies.h"
#include "switching/copy_distance.h"

#include <cmath>
#include <gtest/gtest.h>
#include <random>

namespace thicket {
namespace {

std::shared_ptr<const Occluder> solid(const Mesh& mesh) {
    return std::make_shared<const Occluder>(occluderOf(mesh, std::vector<bool>(mesh.parts.size(), true)));
}

/// The plate stood upright, facing along Z, one square a metre, its middle at the origin.
Mesh standing(Mesh plate) {
    const Bounds bounds = boundsOf(plate);
    for (Vec3f& p : plate.positions) {
        const Vec3d q = p.cast<double>() - bounds.centre();
        p = Vec3d(q.x(), -q.z(), q.y()).cast<float>();
    }
    return plate;
}

/// What was chosen for each copy, in the order in which they were placed.
struct Looked {
    std::vector<Pick> picks;
    SubjectCost total;
    std::uint32_t occluders = 0;
};

/// Meshes with one level each, copies of them, and the brute force: whether anything stands between two points.
struct World {
    std::vector<Mesh> meshes;
    std::vector<ResolvedChain> chains;
    struct {
        std::vector<Vec3d> position;
        std::vector<Quatd> rotation;
        std::vector<double> scale;
        std::vector<std::uint32_t> chain;
        [[nodiscard]] std::size_t size() const { return position.size(); }
    } copies;
    std::vector<std::vector<std::shared_ptr<const Occluder>>> occluders;

    void addMesh(Mesh mesh, const View& view) {
        const Bounds bounds = boundsOf(mesh);
        SwitchRule rule;
        rule.cullBelowPx = 0;
        chains.push_back(resolveChain({{mesh.triangleCount(), mesh.vertexCount(), 1, 0, {}}}, rule, bounds,
                                      radiusAround(mesh, bounds.centre()), view));
        occluders.push_back({solid(mesh)});
        meshes.push_back(std::move(mesh));
    }
    void place(std::uint32_t chain, const Vec3d& at, const Quatd& turn = Quatd::Identity(), double scale = 1) {
        copies.position.push_back(at);
        copies.rotation.push_back(turn);
        copies.scale.push_back(scale);
        copies.chain.push_back(chain);
    }
    [[nodiscard]] test::Chosen chosen() const {
        test::Chosen out;
        for (std::uint32_t c = 0; c < chains.size(); ++c) {
            Placements own;
            for (std::size_t i = 0; i < copies.size(); ++i)
                if (copies.chain[i] == c)
                    own.push_back({0, 0, copies.position[i], copies.rotation[i], copies.scale[i], 1});
            out.add(chains[c], std::move(own));
            out.input.batches.back().occluders = occluders[c];
        }
        return out;
    }
    [[nodiscard]] Looked looked(const test::Chosen& chosen) const {
        Looked out{{}, chosen.out.total, chosen.out.occluders};
        std::vector<std::uint32_t> next(chains.size(), 0);
        for (const std::uint32_t c : copies.chain)
            out.picks.push_back(chosen.pick(next[c]++, c));
        return out;
    }
    [[nodiscard]] Vec3d inWorld(std::size_t copy, const Vec3d& p) const {
        return copies.position[copy] + copies.rotation[copy] * (p * copies.scale[copy]);
    }
    [[nodiscard]] bool stands(std::size_t copy, const Vec3d& from, const Vec3d& to) const {
        const Mesh& mesh = meshes[copies.chain[copy]];
        const auto own = [&](const Vec3d& p) -> Vec3d {
            return copies.rotation[copy].conjugate() * (p - copies.position[copy]) / copies.scale[copy];
        };
        return shapes::standsBetween(mesh, own(from), own(to), false);
    }
    [[nodiscard]] Looked look(const View& view, bool hidden = true) const {
        test::Chosen all = chosen();
        all.options.fades = false;
        all.options.cullHidden = hidden;
        all.at(view);
        return looked(all);
    }
};

bool onScreen(const View& view, const Vec3d& p) {
    const Vec3d q = p - view.eye;
    const double depth = q.dot(view.forward);
    const double tangent = std::tan(view.fovY / 2);
    return depth > view.nearMetres && std::abs(q.dot(view.up)) < depth * tangent &&
           std::abs(q.dot(view.forward.cross(view.up))) < depth * tangent * view.aspect;
}

} // namespace

TEST(Occluder, knows_who_shares_an_edge) {
    const Occluder closed = occluderOf(shapes::box(3, {1, 1, 1}), {true});
    EXPECT_EQ(closed.edges.size(), closed.triangleCount() * 3 / 2);
    for (const Occluder::Edge& e : closed.edges)
        EXPECT_NE(e.left, e.right) << "a closed surface has no open edge";
    const Occluder seamed = occluderOf(shapes::texturedSphere(12, 8), {true});
    for (const Occluder::Edge& e : seamed.edges)
        EXPECT_NE(e.left, e.right) << "a seam of UVs is no edge of the surface";
    EXPECT_TRUE(occluderOf(shapes::box(1, {1, 1, 1}), {false}).indices.empty()) << "nothing hides behind glass";
}

TEST(Hidden, a_wall_hides_what_is_wholly_behind_it_and_nothing_else) {
    const View view = lookAt({}, {0, 0, 10}, {0, 0, 0});
    World world;
    world.addMesh(shapes::box(4, {8, 5, 0.5}), view);
    world.addMesh(shapes::sphere(3, 0.5), view);
    const Vec3d middle = boundsOf(world.meshes[0]).centre();
    world.place(0, -middle);
    world.place(1, {0, 0, -6});   // behind
    world.place(1, {3, 1, -12});  // behind, and far to the side of the way through the middle
    world.place(1, {0, 0, 4});    // before
    world.place(1, {0, 4.6, -6}); // over its top
    world.place(1, {0, 3.9, -4}); // its head looks out
    const Looked s = world.look(view);
    EXPECT_EQ(s.picks[0].culled, Culled::No);
    EXPECT_EQ(s.picks[1].culled, Culled::Hidden);
    EXPECT_EQ(s.picks[2].culled, Culled::Hidden);
    EXPECT_EQ(s.picks[3].culled, Culled::No);
    EXPECT_EQ(s.picks[4].culled, Culled::No);
    EXPECT_EQ(s.picks[5].culled, Culled::No);
    EXPECT_EQ(s.total.culledBy[static_cast<std::size_t>(Culled::Hidden)], 2U);
    EXPECT_EQ(s.total.drawn, 4U);
    EXPECT_EQ(s.total.triangles, world.meshes[0].triangleCount() + 3ULL * world.meshes[1].triangleCount());
    EXPECT_EQ(world.look(view, false).total.drawn, 6U);
}

TEST(Hidden, a_hole_lets_it_be_seen) {
    const View view = lookAt({}, {0.5, 0.5, 12}, {0.5, 0.5, 0});
    World world;
    Mesh plate = standing(shapes::plateWithHoles(24));
    std::size_t holes = 24 * 24 - plate.triangleCount() / 2;
    ASSERT_GT(holes, 10U);
    world.addMesh(plate, view);
    world.addMesh(shapes::sphere(3, 0.2), view);
    world.place(0, {0, 0, 0});
    for (int x = -8; x <= 8; ++x)
        for (int y = -4; y <= 4; ++y)
            world.place(1, {x * 0.9, y * 0.9, -2});
    const Looked s = world.look(view);
    std::size_t hidden = 0;
    std::size_t seen = 0;
    for (std::size_t i = 1; i < world.copies.size(); ++i) {
        bool through = false;
        for (const Vec3f& p : world.meshes[1].positions)
            through |= !world.stands(0, view.eye, world.inWorld(i, p.cast<double>()));
        seen += through ? 1 : 0;
        hidden += s.picks[i].culled == Culled::Hidden ? 1 : 0;
        if (through) {
            EXPECT_EQ(s.picks[i].culled, Culled::No);
        }
    }
    EXPECT_GT(seen, 10U);
    EXPECT_GT(hidden, 30U) << "small things between the holes are found hidden";
}

TEST(Hidden, a_slit_narrower_than_a_pixel_of_the_buffer_lets_it_be_seen) {
    // Boards with three centimetres between them, twelve metres away: a third of a pixel. Fences of both directions.
    const View view = lookAt({}, {0, 0, 12}, {0, 0, 0});
    for (const bool upright : {true, false}) {
        World world;
        Mesh fence;
        for (int i = -8; i <= 8; ++i) {
            const double at = 0.53 * i;
            shapes::append(fence, shapes::box(1, upright ? Vec3d(0.5, 9, 0.02) : Vec3d(9, 0.5, 0.02)),
                           upright ? Vec3d(at, 0, 0) : Vec3d(0, at, 0));
        }
        shapes::onePart(fence);
        world.addMesh(fence, view);
        world.addMesh(shapes::sphere(4, 0.08), view);
        world.place(0, {0, 0, 0});
        for (int i = -36; i <= 36; ++i)
            world.place(1, upright ? Vec3d(0.07 * i, 0.3, -1) : Vec3d(0.3, 0.07 * i, -1));
        const Looked s = world.look(view);
        int between = 0;
        int hidden = 0;
        for (std::size_t i = 1; i < world.copies.size(); ++i) {
            // Where the ball is seen from the eye, drawn on the fence: within a board, or over a slit.
            const double shrink = 12.0 / 13.0;
            const double middle = shrink * (upright ? world.copies.position[i].x() : world.copies.position[i].y());
            const double radius = 0.075 * shrink;
            const double phase = std::remainder(middle, 0.53); // slits are from 0.25 to 0.28, boards round 0
            const bool seen = std::abs(phase) + radius > 0.2502;
            between += seen ? 1 : 0;
            hidden += s.picks[i].culled == Culled::Hidden ? 1 : 0;
            if (seen) {
                EXPECT_EQ(s.picks[i].culled, Culled::No) << "ball " << i << (upright ? " upright" : " lying");
            }
        }
        EXPECT_GT(between, 20);
        EXPECT_GT(hidden, 3) << "behind the middle of a board it is hidden";
    }
}

TEST(Hidden, nothing_that_any_ray_sees_is_ever_culled) {
    std::mt19937 random(29);
    std::uniform_real_distribution<double> u(-1, 1);
    std::size_t hidden = 0;
    std::size_t rays = 0;
    for (int round = 0; round < 40; ++round) {
        View view;
        view.aspect = 0.7 + 0.8 * std::abs(u(random));
        view.fovY = 0.6 + 0.5 * std::abs(u(random));
        // Some eyes are so near that the near plane cuts what hides.
        view = lookAt(view, Vec3d(4 * u(random), 3 * u(random), 9 + 8 * u(random)), Vec3d(u(random), u(random), -5));
        World world;
        world.addMesh(shapes::box(3, {7, 5, 0.4}), view);
        world.addMesh(shapes::bumpy(7, static_cast<unsigned>(round)), view);
        world.addMesh(standing(shapes::plateWithHoles(12)), view);
        world.addMesh(shapes::torus(24, 12, 2, 0.8), view);
        world.addMesh(shapes::sphere(2, 0.3), view);
        const auto turn = [&] {
            return Quatd(u(random), 0.3 * u(random), 0.3 * u(random), 0.3 * u(random)).normalized();
        };
        for (std::uint32_t i = 0; i < 8; ++i)
            world.place(i % 4, {5 * u(random), 4 * u(random), 3 * u(random)}, turn(), 0.6 + std::abs(u(random)));
        for (int i = 0; i < 60; ++i)
            world.place(4, {9 * u(random), 6 * u(random), -8 + 8 * u(random)}, turn(), 0.5 + std::abs(u(random)));
        const Looked s = world.look(view);
        for (std::size_t i = 0; i < world.copies.size(); ++i) {
            if (s.picks[i].culled != Culled::Hidden)
                continue;
            ++hidden;
            const Mesh& mesh = world.meshes[world.copies.chain[i]];
            for (std::size_t t = 0; t + 2 < mesh.indices.size(); t += 3) {
                double a = std::abs(u(random));
                double b = std::abs(u(random));
                if (a + b > 1) {
                    a = 1 - a;
                    b = 1 - b;
                }
                const Vec3d p0 = mesh.positions[mesh.indices[t]].cast<double>();
                const Vec3d p = p0 + a * (mesh.positions[mesh.indices[t + 1]].cast<double>() - p0) +
                                b * (mesh.positions[mesh.indices[t + 2]].cast<double>() - p0);
                const Vec3d there = world.inWorld(i, p);
                if (!onScreen(view, there))
                    continue;
                ++rays;
                bool blocked = false;
                for (std::size_t k = 0; k < world.copies.size() && !blocked; ++k)
                    blocked = s.picks[k].culled == Culled::No && world.stands(k, view.eye, there);
                ASSERT_TRUE(blocked) << "round " << round << ", copy " << i << " is seen";
            }
        }
    }
    EXPECT_GT(hidden, 200U);
    EXPECT_GT(rays, 5000U);
}

TEST(Hidden, looking_first_for_what_may_stand_behind_others_leaves_nothing_out) {
    std::mt19937 random(37);
    std::uniform_real_distribution<double> u(-1, 1);
    std::size_t hidden = 0;
    for (int round = 0; round < 40; ++round) {
        View view;
        view.aspect = 0.8 + 0.8 * std::abs(u(random));
        view = lookAt(view, Vec3d(3 * u(random), 2 * u(random), 10 + 4 * u(random)), Vec3d(u(random), u(random), -5));
        World world;
        world.addMesh(shapes::box(3, {3, 2.5, 0.4}), view);
        world.addMesh(shapes::sphere(2, 0.3), view);
        for (int i = 0; i < 6; ++i) // few, and large enough for all of them to be drawn
            world.place(0, {4 * u(random), 3 * u(random), 2 * u(random)}, Quatd::Identity(), 1);
        for (int i = 0; i < 100; ++i) // more than a cell of copies that are looked at one by one would hold
            world.place(1, {7 * u(random), 5 * u(random), -8 + 5 * u(random)}, Quatd::Identity(), 0.3);
        const test::Chosen before = world.chosen();
        CoverBuffer buffer;
        buffer.begin(view, 128);
        for (std::size_t i = 0; i < 6; ++i)
            buffer.add(*world.occluders[0][0], world.copies.position[i], Quatd::Identity(), 1);
        const Looked s = world.look(view);
        ASSERT_EQ(s.occluders, 6U);
        for (std::size_t i = 6; i < world.copies.size(); ++i) {
            if (s.picks[i].culled == Culled::OutOfView)
                continue;
            const Placement& copy = before.input.batches[1].copies->placements->at(i - 6);
            const bool behind = buffer.hides(boxOf(world.chains[1], copy, 0));
            EXPECT_EQ(s.picks[i].culled == Culled::Hidden, behind) << "round " << round << ", copy " << i;
            hidden += behind ? 1 : 0;
        }
    }
    EXPECT_GT(hidden, 300U);
}

TEST(Hidden, heavy_copies_of_a_field_are_looked_for_by_themselves_and_light_ones_beside_others) {
    const View view = lookAt({}, {0, 0, 10}, {0, 0, 0});
    const auto hiddenOf = [&](int splits, bool besideAnother) {
        World world;
        world.addMesh(shapes::box(4, {8, 5, 0.5}), view);
        world.addMesh(shapes::sphere(splits, 0.3), view);
        world.place(0, -boundsOf(world.meshes[0]).centre());
        if (besideAnother)
            world.place(1, {0, 0, -6});
        test::Chosen all = world.chosen();
        Placements field;
        for (int i = 0; i < 40; ++i)
            field.push_back({static_cast<std::uint32_t>(i), 0, {0.1 * (i - 20), 0, -4}});
        Thinning thinning;
        thinning.keep.points = {{50, 1}, {80, 0}};
        all.addField(world.chains[1], std::move(field), thinning);
        all.options.cullHidden = true;
        all.at(view);
        return all.out.subjects[2].culledBy[static_cast<std::size_t>(Culled::Hidden)];
    };
    EXPECT_EQ(hiddenOf(6, false), 40U) << "720 triangles each";
    EXPECT_EQ(hiddenOf(3, false), 0U) << "180: not worth a buffer of their own";
    EXPECT_EQ(hiddenOf(3, true), 40U) << "but looked for where there is one";
}

TEST(Hidden, quick_looks_never_deny_what_is_hidden) {
    std::mt19937 random(31);
    std::uniform_real_distribution<double> u(-1, 1);
    const Mesh wall = shapes::box(3, {5, 4, 0.4});
    const std::vector<bool> solid(wall.parts.size(), true);
    const Occluder occluder = occluderOf(wall, solid);
    std::size_t hidden = 0;
    std::size_t denied = 0;
    for (int round = 0; round < 30; ++round) {
        const View view =
            lookAt(View(), Vec3d(3 * u(random), 2 * u(random), 9 + 4 * u(random)), Vec3d(u(random), 0, 0));
        CoverBuffer buffer;
        buffer.begin(view, 128);
        buffer.add(occluder, Vec3d(2 * u(random), u(random), 0), Quatd::Identity(), 1);
        for (int i = 0; i < 400; ++i) {
            const Vec3d middle(9 * u(random), 6 * u(random), -6 + 7 * u(random));
            const double half = 0.02 + 0.4 * std::abs(u(random));
            const OrientedBox box{middle, {Vec3d(half, 0, 0), Vec3d(0, half, 0), Vec3d(0, 0, half)}};
            const double off = 0.2 * std::abs(u(random));
            const Vec3d about = middle + 0.57 * off * Vec3d(u(random), u(random), u(random));
            const bool said = buffer.hides(box);
            hidden += said ? 1 : 0;
            denied += buffer.mayHideAbout(about, off) ? 0 : 1;
            if (!said)
                continue;
            EXPECT_TRUE(buffer.mayHide(box));
            EXPECT_TRUE(buffer.mayHide(middle));
            EXPECT_TRUE(buffer.mayHide(middle, 1.8 * half));
            EXPECT_TRUE(buffer.mayHideAbout(about, off)) << "round " << round;
        }
    }
    EXPECT_GT(hidden, 500U);
    EXPECT_GT(denied, 2000U) << "most of what is in sight is told apart at once";
}

namespace {

/// Walls, and behind them things that switch and fade, some of a field.
test::Chosen walledGarden(double hysteresis) {
    const View view;
    World world;
    world.addMesh(shapes::box(3, {6, 4, 0.5}), view);
    for (int i = 0; i < 5; ++i)
        world.place(0, {-12.0 + 6 * i, 0, -4.0 * (i % 2)});
    test::Chosen out = world.chosen();
    SwitchRule rule;
    rule.hysteresis = hysteresis;
    rule.fadeSeconds = 0.2;
    rule.cullBelowPx = 0;
    const std::vector<LevelCost> levels{{900, 500, 2, 0, {}},
                                        {300, 200, 1, 0.01, FixedSwitch{DecideBy::Distance, 14}},
                                        {90, 60, 1, 0.05, FixedSwitch{DecideBy::Distance, 18}}};
    const ResolvedChain things = resolveChain(levels, rule, {{-0.2, 0, -0.2}, {0.2, 0.6, 0.2}}, 0.5, view);
    std::mt19937 random(41);
    std::uniform_real_distribution<double> u(-1, 1);
    Placements single;
    Placements field;
    for (std::uint32_t i = 0; i < 300; ++i)
        single.push_back({i, 0, {16 * u(random), 0.5 * u(random), -9 + 4 * u(random)}});
    for (std::uint32_t i = 0; i < 400; ++i)
        field.push_back({i, 0, {16 * u(random), 0, -9 + 4 * u(random)}});
    out.add(things, std::move(single));
    Thinning thinning;
    thinning.keep.points = {{8, 1}, {30, 0.2}};
    out.addField(things, std::move(field), thinning);
    return out;
}

View walkPastWalls(int frame) {
    const double t = frame / 60.0;
    const Vec3d eye(4 * std::sin(0.7 * t), 1 + 0.3 * std::sin(2 * t), 9 - 1.5 * std::cos(0.5 * t));
    return lookAt({}, eye, {3 * std::sin(1.1 * t), 0, -5});
}

/// Each copy of all batches: what is chosen for it.
template <class Each> void eachPick(const test::Chosen& chosen, const Each& each) {
    for (std::uint32_t b = 0; b < chosen.input.batches.size(); ++b)
        for (std::uint32_t slot = 0; slot < chosen.input.batches[b].copies->size(); ++slot)
            each(CopyRef{b, slot},
                 pickOf(chosen.input, chosen.view, chosen.seconds, chosen.options, chosen.state, CopyRef{b, slot}));
}

} // namespace

TEST(Hidden, what_is_decided_about_copies_goes_on_while_they_are_hidden) {
    test::Chosen walled = walledGarden(0.1);
    test::Chosen open = walledGarden(0.1);
    open.options.cullHidden = false;
    std::size_t hidden = 0;
    std::size_t cameBack = 0;
    std::vector<std::vector<bool>> was(3, std::vector<bool>(400, false));
    for (int frame = 0; frame < 600; ++frame) {
        const SubjectCost& cost = walled.at(walkPastWalls(frame), frame / 60.0);
        open.at(walkPastWalls(frame), frame / 60.0);
        std::uint64_t triangles = 0;
        std::uint32_t drawn = 0;
        std::uint32_t unseen = 0;
        eachPick(walled, [&](CopyRef copy, const Pick& pick) {
            const Pick other = pickOf(open.input, open.view, open.seconds, open.options, open.state, copy);
            const bool isHidden = pick.culled == Culled::Hidden;
            ASSERT_EQ(isHidden ? Culled::No : pick.culled, other.culled) << "frame " << frame;
            hidden += isHidden ? 1 : 0;
            unseen += isHidden ? 1 : 0;
            if (pick.culled == Culled::No) {
                ASSERT_EQ(pick.level, other.level) << "frame " << frame;
                ASSERT_EQ(pick.fadingFrom, other.fadingFrom) << "frame " << frame;
                ASSERT_EQ(pick.fade, other.fade);
                cameBack += was[copy.batch][copy.slot] ? 1 : 0;
                ++drawn;
                const ResolvedChain& chain = walled.input.batches[copy.batch].chain;
                triangles += chain.levels[static_cast<std::size_t>(pick.level)].triangles;
                if (pick.fadingFrom >= 0)
                    triangles += chain.levels[static_cast<std::size_t>(pick.fadingFrom)].triangles;
            }
            was[copy.batch][copy.slot] = isHidden;
        });
        ASSERT_EQ(cost.triangles, triangles) << "frame " << frame;
        ASSERT_EQ(cost.drawn, drawn);
        ASSERT_EQ(cost.culledBy[static_cast<std::size_t>(Culled::Hidden)], unseen);
    }
    EXPECT_GT(hidden, 30'000U);
    EXPECT_GT(cameBack, 100U);
}

TEST(Hidden, the_same_is_hidden_where_copies_are_decided_ahead) {
    test::Chosen one = walledGarden(0.1);
    std::uint64_t hidden = 0;
    selectInTurn(
        one.input, 400,
        [&](std::size_t i) {
            return SelectMoment{walkPastWalls(static_cast<int>(i)), static_cast<double>(i) / 60, one.options};
        },
        [&](std::size_t i, const SelectMoment& moment, const Selection& ahead) {
            SCOPED_TRACE("frame " + std::to_string(i));
            const SubjectCost& cost = one.at(moment.view, moment.seconds);
            test::expectSameCost(ahead.total, cost);
            EXPECT_EQ(ahead.occluders, one.out.occluders);
            hidden += cost.culledBy[static_cast<std::size_t>(Culled::Hidden)];
        },
        [](std::size_t) { return true; });
    EXPECT_GT(hidden, 10'000U);
}

TEST(Hidden, a_copy_that_is_hidden_as_it_switches_made_no_switch) {
    const View view;
    World world;
    world.addMesh(shapes::box(4, {8, 5, 0.5}), view);
    world.place(0, -boundsOf(world.meshes[0]).centre());
    test::Chosen one = world.chosen();
    const std::vector<LevelCost> levels{{900, 500, 1, 0, {}}, {300, 200, 1, 0.01, FixedSwitch{DecideBy::Distance, 25}}};
    one.add(
        resolveChain(levels, {}, {{-0.2, -0.2, -0.2}, {0.2, 0.2, 0.2}}, 0.35, view),
        {{0, 0, {0, 0, -6}}, {1, 0, {8, 0, -6}, Quatd::Identity(), 1, 10}}); // the other is always seen at its finest
    const std::array<View, 2> views{lookAt(view, {30, 0, 10}, {4, 0, -6}), lookAt(view, {0, 0, 10}, {4, 0, -6})};
    selectInTurn(
        one.input, views.size(),
        [&](std::size_t i) {
            return SelectMoment{views[i], static_cast<double>(i), one.options};
        },
        [&](std::size_t i, const SelectMoment& moment, const Selection& ahead) {
            const SubjectCost& cost = one.at(moment.view, moment.seconds);
            test::expectSameCost(ahead.total, cost);
            EXPECT_EQ(cost.culledBy[static_cast<std::size_t>(Culled::Hidden)], i) << "one, from the front";
            EXPECT_EQ(ahead.total.crossed, 0U);
        },
        [](std::size_t) { return true; });
}

TEST(Hidden, what_comes_to_be_hidden_is_found_within_a_fifth_of_a_second_and_at_once_at_rest) {
    test::Chosen kept = walledGarden(0);
    test::Chosen fresh = walledGarden(0);
    kept.options.fades = fresh.options.fades = false;
    const auto missingAt = [&](const View& view, double seconds) {
        kept.at(view, seconds);
        fresh.forget();
        fresh.at(view, seconds);
        std::size_t missing = 0;
        eachPick(fresh, [&](CopyRef copy, const Pick& pick) {
            const Pick known = pickOf(kept.input, kept.view, kept.seconds, kept.options, kept.state, copy);
            if (known.culled == Culled::Hidden) {
                EXPECT_EQ(pick.culled, Culled::Hidden) << "nothing else is ever said to be hidden";
            }
            missing += pick.culled == Culled::Hidden && known.culled != Culled::Hidden ? 1 : 0;
        });
        return missing;
    };
    std::size_t missed = 0;
    int sinceAll = 0;
    for (int frame = 0; frame < 240; ++frame) {
        const std::size_t missing = missingAt(walkPastWalls(frame), frame / 60.0);
        missed += missing;
        sinceAll = missing == 0 ? 0 : sinceAll + 1;
        EXPECT_LE(sinceAll, 12) << "frame " << frame;
    }
    EXPECT_GT(missed, 0U) << "or this shows nothing";
    for (int frame = 240; frame < 300; frame += 5) {
        missingAt(walkPastWalls(frame), frame / 60.0);
        missingAt(walkPastWalls(frame + 1), (frame + 1) / 60.0);
        EXPECT_EQ(missingAt(walkPastWalls(frame + 1), (frame + 2) / 60.0), 0U) << "the camera rests";
    }
    const View turned = lookAt({}, walkPastWalls(300).eye, {6, 0, -5});
    EXPECT_EQ(missingAt(turned, 301 / 60.0), 0U) << "the camera leaps";
}

TEST(Hidden, behind_copies_it_is_looked_less_often_while_nothing_is_found_there) {
    // A wall, and things that stand beside it until the camera has gone far enough to the side.
    const View front = lookAt({}, {0, 0, 10}, {0, 0, -6});
    World world;
    world.addMesh(shapes::box(4, {4, 4, 0.5}), front);
    world.addMesh(shapes::sphere(3, 1), front);
    world.place(0, -boundsOf(world.meshes[0]).centre());
    for (int i = 0; i < 40; ++i)
        world.place(1, {2 + 0.2 * i, 0, -8}, Quatd::Identity(), 0.2);
    const auto hiddenIn = [](const test::Chosen& chosen) {
        return chosen.out.total.culledBy[static_cast<std::size_t>(Culled::Hidden)];
    };
    int waited = 0; // frames at most until the first was found
    for (int start = 0; start < 48; start += 8) {
        test::Chosen kept = world.chosen();
        test::Chosen fresh = world.chosen();
        kept.options.fades = fresh.options.fades = false;
        int first = -1; // frame in which something is hidden at all
        int found = -1; // and in which that was found
        int late = 0;   // frames in a row, later on, in which more is hidden than was found
        for (int frame = 0; frame < 400; ++frame) {
            const double x = 4 - 0.02 * (frame + start);
            const View view = lookAt(front, {x, 0, 10}, {x, 0, -6});
            kept.at(view, frame / 60.0);
            fresh.forget();
            fresh.at(view, frame / 60.0);
            ASSERT_LE(hiddenIn(kept), hiddenIn(fresh));
            first = first < 0 && hiddenIn(fresh) > 0 ? frame : first;
            found = found < 0 && hiddenIn(kept) > 0 ? frame : found;
            late = found >= 0 && hiddenIn(kept) < hiddenIn(fresh) ? late + 1 : 0;
            EXPECT_LE(late, 24) << "once something was found, more is soon; frame " << frame;
        }
        EXPECT_GT(first, 60) << "or there is nothing to wait for";
        EXPECT_LE(found, first + 48);
        waited = std::max(waited, found - first);
    }
    EXPECT_GT(waited, 12) << "else it was looked as often as ever";
}

TEST(Hidden, what_fades_hides_nothing) {
    const View view = lookAt({}, {0, 0, 10}, {0, 0, 0});
    World world;
    world.addMesh(shapes::box(4, {8, 5, 0.5}), view);
    world.addMesh(shapes::sphere(3, 0.5), view);
    // A second level of the wall, which comes in at 9 m.
    LevelCost coarser{12, 8, 1, 0.001, FixedSwitch{DecideBy::Distance, 9}};
    SwitchRule rule;
    rule.fadeSeconds = 1;
    world.chains[0] =
        resolveChain({world.chains[0].levels[0], coarser}, rule, world.chains[0].bounds, world.chains[0].radius, view);
    world.occluders[0].push_back(world.occluders[0][0]);
    world.place(0, -boundsOf(world.meshes[0]).centre());
    world.place(1, {0, 0, -6});
    test::Chosen chosen = world.chosen();
    const View nearer = lookAt({}, {0, 0, 8}, {0, 0, 0});
    const View farther = lookAt({}, {0, 0, 12}, {0, 0, 0});
    chosen.at(nearer, 0);
    EXPECT_EQ(chosen.pick(0, 1).culled, Culled::Hidden);
    chosen.at(farther, 0.1);
    ASSERT_EQ(chosen.pick(0, 0).fadingFrom, 0);
    EXPECT_EQ(chosen.pick(0, 1).culled, Culled::No);
    chosen.at(farther, 2);
    EXPECT_EQ(chosen.pick(0, 1).culled, Culled::Hidden);
}

} // namespace thicket
