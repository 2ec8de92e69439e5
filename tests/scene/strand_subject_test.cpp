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

} // namespace thicket
