#include "scene/strand_subject.h"

#include <gtest/gtest.h>
#include <random>

namespace thicket {

TEST(StrandLikeness, shows_strands_that_stand_far_apart_as_a_tuft) {
    std::mt19937 random(4);
    std::uniform_real_distribution<float> place(-300, 300);
    StrandSet set;
    set.first.push_back(0);
    for (int i = 0; i < 2000; ++i) {
        const Vec3f root(place(random), 0, place(random));
        for (int k = 0; k < 4; ++k) {
            set.points.push_back(root + Vec3f(0, 0.2F * static_cast<float>(k), 0));
            set.widths.push_back(0.01F);
        }
        set.first.push_back(static_cast<std::uint32_t>(set.points.size()));
    }
    StrandsBody body;
    body.strands = std::make_shared<const StrandSet>(std::move(set));
    const auto made = makeStrands("Rushes", Role::GroundCover, std::move(body), {});
    ASSERT_TRUE(made) << made.error().text();
    const Bounds likeness = boundsOf(*made->strands()->likeness);
    EXPECT_NEAR(likeness.size().y(), 0.6, 0.05) << "as long as they are";
    EXPECT_LT(likeness.size().x(), 4 * 0.6);
    EXPECT_LT(likeness.size().z(), 4 * 0.6);
    EXPECT_GT(made->bounds.size().x(), 500) << "the strands themselves stay where they are";
}

TEST(StrandUnit, levels_and_what_their_role_gave_go_along_and_what_was_set_by_hand_stays) {
    StrandSet set;
    set.first.push_back(0);
    for (int i = 0; i < 50; ++i) {
        for (int k = 0; k < 8; ++k) {
            const auto t = static_cast<float>(k);
            set.points.emplace_back(static_cast<float>(3 * i), 2 * t, 0.3F * t * t);
            set.widths.push_back(0.2F);
        }
        set.first.push_back(static_cast<std::uint32_t>(set.points.size()));
    }
    StrandSet small = set;
    for (Vec3f& p : small.points)
        p *= 0.01F;
    for (float& width : small.widths)
        width *= 0.01F;
    const auto madeOf = [](const StrandSet& of, double unit) {
        StrandsBody body;
        body.strands = std::make_shared<const StrandSet>(of);
        body.unit = unit;
        return *makeStrands("Hair", Role::Dressing, std::move(body), {});
    };
    Subject wrong = madeOf(set, 1);
    const Subject right = madeOf(small, 0.01);
    const auto readAgain = [&](const Subject& from) {
        return *withStrands(inUnit(from, 0.01), std::make_shared<const StrandSet>(small), {});
    };
    const Subject again = readAgain(wrong);
    EXPECT_EQ(again.rule, right.rule);
    EXPECT_EQ(again.strands()->thinning, right.strands()->thinning);
    ASSERT_EQ(again.strands()->levels.size(), right.strands()->levels.size());
    for (std::size_t i = 0; i < right.strands()->levels.size(); ++i) {
        EXPECT_EQ(again.strands()->levels[i].segments, right.strands()->levels[i].segments);
        EXPECT_NEAR(again.strands()->levels[i].deviation, right.strands()->levels[i].deviation, 1e-6);
    }
    std::get<StrandsBody>(wrong.body).levels[1].fixed = FixedSwitch{DecideBy::Distance, 400};
    wrong.rule.allowPx = 2;
    const Subject kept = readAgain(wrong);
    EXPECT_EQ(kept.rule, wrong.rule);
    ASSERT_TRUE(kept.strands()->levels[1].fixed);
    EXPECT_NEAR(kept.strands()->levels[1].fixed->value, 4, 1e-9);
}

} // namespace thicket
