// A stroke in the making shows what it will be when it is done, and is worked out no oftener than it changes.

#include "app/viewport/care_brush.h"

#include "support/shapes.h"

#include <algorithm>
#include <gtest/gtest.h>

namespace thicket::app {
namespace {

std::shared_ptr<const Mesh> ball() {
    return std::make_shared<const Mesh>(shapes::sphere(20));
}

CareStroke brush(float radius, CareStroke::Kind kind = CareStroke::Kind::Paint) {
    CareStroke out;
    out.kind = kind;
    out.radius = radius;
    out.strength = 0.8F;
    return out;
}

} // namespace

TEST(CareBrush, places_close_to_the_last_are_left_out) {
    CareBrush care;
    care.goOn({1, 0, 0});
    EXPECT_FALSE(care.end()) << "no stroke was begun";
    care.begin(7, brush(0.2F), {1, 0, 0});
    EXPECT_TRUE(care.painting());
    EXPECT_EQ(care.subject(), 7U);
    for (int i = 1; i <= 1000; ++i)
        care.goOn({1, 0.001F * static_cast<float>(i), 0});
    const auto stroke = care.end();
    ASSERT_TRUE(stroke);
    EXPECT_FALSE(care.painting());
    EXPECT_LT(stroke->path.size(), 40U);
    EXPECT_GT(stroke->path.size(), 20U);
    for (std::size_t i = 1; i < stroke->path.size(); ++i) {
        const float step = (stroke->path[i] - stroke->path[i - 1]).norm();
        EXPECT_GT(step, 0.1F * 0.2F);
        EXPECT_LT(step, 0.2F) << "no gap wider than the brush";
    }
    EXPECT_EQ(stroke->radius, 0.2F);
    EXPECT_FALSE(care.end()) << "it is given away once";
}

TEST(CareBrush, what_is_seen_while_painting_is_what_the_stroke_lays) {
    const auto mesh = ball();
    CareBrush care;
    care.begin(1, brush(0.4F), mesh->positions[5]);
    for (const std::uint32_t v : {40U, 90U, 300U})
        care.goOn(mesh->positions[v]);
    const CareBrush::Values seen = care.valuesOn(mesh, nullptr, false);
    ASSERT_TRUE(seen);
    const auto stroke = care.end();
    ASSERT_TRUE(stroke);
    EXPECT_EQ(*seen, careOf(*mesh, {*stroke}));
    EXPECT_GT(*std::max_element(seen->begin(), seen->end()), 0.7F);
    EXPECT_EQ(*std::min_element(seen->begin(), seen->end()), 0) << "the far side has none";
}

TEST(CareBrush, it_lies_on_top_of_what_was_laid_before) {
    const auto mesh = ball();
    CareStroke first = brush(3);
    first.path = {mesh->positions[0]};
    const auto laid = std::make_shared<const std::vector<float>>(careOf(*mesh, {first}));
    CareBrush care;
    care.begin(1, brush(0.5F, CareStroke::Kind::Erase), mesh->positions[0]);
    const CareBrush::Values seen = care.valuesOn(mesh, laid, true);
    ASSERT_TRUE(seen);
    ASSERT_EQ(seen->size(), laid->size());
    std::size_t less = 0;
    for (std::size_t v = 0; v < seen->size(); ++v) {
        EXPECT_LE((*seen)[v], (*laid)[v]);
        less += (*seen)[v] < (*laid)[v] ? 1 : 0;
    }
    EXPECT_GT(less, 0U);
    EXPECT_LT(less, seen->size());
}

TEST(CareBrush, the_same_picture_is_worked_out_once) {
    const auto mesh = ball();
    CareBrush care;
    care.begin(1, brush(0.3F), mesh->positions[0]);
    const CareBrush::Values once = care.valuesOn(mesh, nullptr, false);
    EXPECT_EQ(care.valuesOn(mesh, nullptr, false), once);
    care.goOn(mesh->positions[0]); // nowhere new
    EXPECT_EQ(care.valuesOn(mesh, nullptr, false), once);
    care.goOn(mesh->positions[mesh->positions.size() / 2]);
    EXPECT_NE(care.valuesOn(mesh, nullptr, false), once);
    // Another mesh has values of its own.
    const auto other = ball();
    EXPECT_NE(care.valuesOn(other, nullptr, false), care.valuesOn(mesh, nullptr, false));
}

TEST(CareBrush, what_was_seen_last_stays_until_the_stroke_is_laid) {
    const auto mesh = ball();
    CareBrush care;
    care.begin(1, brush(0.3F), mesh->positions[0]);
    const CareBrush::Values seen = care.valuesOn(mesh, nullptr, false);
    ASSERT_TRUE(care.end());
    EXPECT_EQ(care.valuesOn(mesh, nullptr, true), seen) << "it is being worked out";
    const auto laid = std::make_shared<const std::vector<float>>(mesh->positions.size(), 0.5F);
    EXPECT_EQ(care.valuesOn(mesh, laid, true), laid);
    EXPECT_FALSE(care.valuesOn(mesh, nullptr, false)) << "it was taken back";
    care.forget();
    EXPECT_FALSE(care.valuesOn(mesh, nullptr, true)) << "of another subject nothing is left";
}

} // namespace thicket::app
