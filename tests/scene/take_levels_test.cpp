// One subject's levels for another one of its kind: what is taken, and what stays.

#include "scene/take_levels.h"

#include "scene/emitter_subject.h"
#include "scene/grounds.h"
#include "scene/strand_subject.h"
#include "support/balls.h"

#include <gtest/gtest.h>

namespace thicket {
namespace {

Subject ball(std::uint32_t id, int levels) {
    std::vector<double> off;
    for (int i = 0; i < levels; ++i)
        off.push_back(0.01 * i);
    return test::ballOfLevels(id, off);
}

EmitterPart part(const std::string& name, double rate) {
    EmitterPart p;
    p.name = name;
    p.rate = rate;
    return p;
}

} // namespace

TEST(TakeLevels, of_a_mesh_its_rule_and_the_switches_set_by_hand) {
    Subject from = ball(1, 3);
    from.rule.allowPx = 3;
    from.rule.reachMetres = 80;
    from.role = Role::Landmark;
    from.mesh().levels[1].fixed = FixedSwitch{DecideBy::Distance, 12};
    from.mesh().levels[2].fixed = FixedSwitch{DecideBy::Distance, 30};
    Subject to = ball(2, 4);
    to.mesh().levels[3].fixed = FixedSwitch{DecideBy::Distance, 99};
    const auto made = takeLevels(to, from, {});
    ASSERT_TRUE(made);
    EXPECT_EQ(made->rule.allowPx, 3);
    EXPECT_EQ(made->rule.reachMetres, 80);
    EXPECT_EQ(made->name, "ball 2");
    EXPECT_NE(made->role, Role::Landmark);
    EXPECT_EQ(made->mesh().levels.size(), 4U);
    EXPECT_EQ(made->mesh().levels[1].fixed, from.mesh().levels[1].fixed);
    EXPECT_EQ(made->mesh().levels[2].mesh, to.mesh().levels[2].mesh) << "the meshes are its own";
    EXPECT_FALSE(made->mesh().levels[3].fixed) << "the other has no such level";
    EXPECT_FALSE(takeLevels(to, to, {}));
}

TEST(TakeLevels, of_an_emitter_its_levels_for_parts_of_the_same_names) {
    Emitter fire;
    fire.parts = {part("smoke", 20), part("sparks", 90)};
    fire.levels.resize(3);
    for (std::size_t l = 0; l < 3; ++l) {
        fire.levels[l].parts.resize(2);
        fire.levels[l].from = {DecideBy::Distance, 40.0 * static_cast<double>(l)};
    }
    fire.levels[1].parts[0].rate = 10;
    fire.levels[2].parts[1].on = false;
    Emitter beacon;
    beacon.parts = {part("glow", 5), part("sparks", 30), part("smoke", 8)};
    beacon.levels.resize(1);
    beacon.levels[0].parts.resize(3);
    auto from = makeEmitter("fire", fire, std::vector<std::shared_ptr<const Image>>(2));
    auto to = makeEmitter("beacon", beacon, std::vector<std::shared_ptr<const Image>>(3));
    ASSERT_TRUE(from);
    ASSERT_TRUE(to);
    from->id = 1;
    to->id = 2;
    const auto made = takeLevels(*to, *from, {});
    ASSERT_TRUE(made) << made.error().text();
    const Emitter& e = made->emitter()->emitter;
    ASSERT_EQ(e.levels.size(), 3U);
    EXPECT_EQ(e.levels[1].parts[2].rate, 10.0) << "smoke is its third part";
    EXPECT_EQ(e.levels[2].parts[1].on, false);
    EXPECT_EQ(e.levels[2].parts[0], PartOverride()) << "the fire has no glow";
    EXPECT_EQ(e.parts, beacon.parts);
    beacon.parts = {part("haze", 5)};
    beacon.levels[0].parts.resize(1);
    auto other = makeEmitter("marsh", beacon, std::vector<std::shared_ptr<const Image>>(1));
    ASSERT_TRUE(other);
    other->id = 3;
    const auto none = takeLevels(*other, *from, {});
    ASSERT_FALSE(none);
    EXPECT_NE(none.error().what.find("no part"), std::string::npos);
    EXPECT_FALSE(takeLevels(*to, ball(7, 2), {})) << "another kind";
}

TEST(TakeLevels, of_strands_how_far_their_levels_may_be_off_and_of_ground_how_it_switches) {
    const auto grass = [](std::uint32_t id, unsigned turn) {
        auto set = std::make_shared<StrandSet>();
        set->first = {0};
        for (std::uint32_t i = 0; i < 200; ++i) {
            for (std::uint32_t k = 0; k < 9; ++k) {
                const auto at = static_cast<float>(k);
                set->points.emplace_back(0.1F * static_cast<float>(i) + 0.002F * at * at * static_cast<float>(turn),
                                         0.05F * at, 0.01F * static_cast<float>((i * 7 + k * k) % 5));
                set->widths.push_back(0.004F);
            }
            set->first.push_back(static_cast<std::uint32_t>(set->points.size()));
        }
        StrandsBody body;
        body.strands = std::move(set);
        auto made = makeStrands("grass", Role::GroundCover, std::move(body), {});
        EXPECT_TRUE(made) << made.error().text();
        made->id = id;
        return *made;
    };
    Subject from = grass(1, 1);
    const Subject to = grass(2, 3);
    from.rule.allowPx = 2.5;
    std::vector<StrandLevel> levels = from.strands()->levels;
    levels.resize(1);
    StrandLevel coarse = from.strands()->levels.front();
    coarse.deviation = 0.03;
    levels.push_back(coarse);
    from = *withStrandLevels(std::move(from), std::move(levels), {});
    std::get<StrandsBody>(from.body).thinning.holdCover = false;
    const auto made = takeLevels(to, from, {});
    ASSERT_TRUE(made);
    EXPECT_EQ(made->strands()->strands, to.strands()->strands);
    EXPECT_EQ(made->strands()->levels.size(), 2U);
    EXPECT_LE(made->strands()->levels[1].deviation, 0.03 + 1e-6) << "true of its own lines";
    EXPECT_LT(made->strands()->levels[1].segments, made->strands()->levels[0].segments);
    EXPECT_EQ(made->strands()->thinning, from.strands()->thinning);

    const auto bed = [](std::uint32_t id, std::uint32_t side) {
        TerrainBody body;
        body.trial = GroundRecipe();
        body.trial->columns = body.trial->rows = side;
        auto ground = makeTerrain("bed", std::move(body), {});
        EXPECT_TRUE(ground);
        ground->id = id;
        return *ground;
    };
    Subject sudden = bed(3, 513);
    auto& body = std::get<TerrainBody>(sudden.body);
    body.between = Passing::CrossFade;
    body.fixed.resize(4);
    body.fixed[3] = FixedSwitch{DecideBy::Distance, 700};
    const Subject small = bed(4, 129);
    const auto ground = takeLevels(small, sudden, {});
    ASSERT_TRUE(ground);
    EXPECT_EQ(ground->terrain()->between, Passing::CrossFade);
    EXPECT_LE(ground->terrain()->fixed.size(), small.terrain()->tree->levels.size());
    EXPECT_EQ(ground->terrain()->heights, small.terrain()->heights);
}

} // namespace thicket
