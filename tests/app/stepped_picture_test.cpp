// A picture that comes about piece by piece is the whole of it, in order, whatever a piece takes.

#include "app/viewport/stepped_picture.h"

#include <gtest/gtest.h>
#include <random>

namespace thicket::app {
namespace {

struct Drawn {
    int item;
    std::uint64_t from;
    std::uint64_t count;
};

/// Draws a picture of items of so many triangles in pieces; what a piece may have changes from step to step.
std::vector<Drawn> drawAll(SteppedPicture& picture, const std::vector<std::uint64_t>& triangles, std::mt19937& random,
                           int& finished) {
    std::vector<Drawn> out;
    int guard = 0;
    while (!picture.done() && ++guard < 100'000) {
        EXPECT_TRUE(picture.making());
        picture.step(
            [&](const DrawItem& item, const QVector3D& /*eye*/, std::uint64_t from, std::uint64_t most) {
                const std::uint64_t all = triangles[static_cast<std::size_t>(item.level)];
                const std::uint64_t count = std::min(most, all - from);
                out.push_back({item.level, from, count});
                return from + count == all ? 0 : from + count;
            },
            1 + random() % 90, [&] { ++finished; });
    }
    return out;
}

std::vector<DrawItem> itemsOfLevels(int count) {
    std::vector<DrawItem> out(static_cast<std::size_t>(count));
    for (int i = 0; i < count; ++i)
        out[static_cast<std::size_t>(i)].level = i;
    return out;
}

TEST(SteppedPicture, has_each_triangle_once_in_order_and_ends_once) {
    std::mt19937 random(5);
    for (int run = 0; run < 40; ++run) {
        const int items = static_cast<int>(random() % 7);
        std::vector<std::uint64_t> triangles;
        for (int i = 0; i < items; ++i)
            triangles.push_back(random() % 300); // none too
        SteppedPicture picture;
        EXPECT_FALSE(picture.valid());
        picture.begin(itemsOfLevels(items), {}, {}, Shading::Shaded);
        for (int time = 0; time < 2; ++time) {
            int finished = 0;
            const auto drawn = drawAll(picture, triangles, random, finished);
            EXPECT_EQ(finished, 1);
            EXPECT_TRUE(picture.done() && picture.valid() && !picture.making());
            std::vector<std::uint64_t> next(static_cast<std::size_t>(items), 0);
            int item = 0;
            for (const Drawn& d : drawn) {
                EXPECT_GE(d.item, item);
                item = d.item;
                EXPECT_EQ(d.from, next[static_cast<std::size_t>(d.item)]);
                next[static_cast<std::size_t>(d.item)] += d.count;
            }
            EXPECT_EQ(next, triangles);
            picture.again(); // the same from the beginning
        }
    }
}

TEST(SteppedPicture, is_of_what_it_was_begun_with_until_it_is_forgotten) {
    SteppedPicture picture;
    QMatrix4x4 matrix;
    matrix.translate(1, 2, 3);
    picture.begin(itemsOfLevels(2), matrix, {}, Shading::Edges);
    EXPECT_TRUE(picture.isOf(itemsOfLevels(2), matrix, Shading::Edges));
    EXPECT_FALSE(picture.isOf(itemsOfLevels(3), matrix, Shading::Edges));
    EXPECT_FALSE(picture.isOf(itemsOfLevels(2), {}, Shading::Edges)) << "the camera went on";
    EXPECT_FALSE(picture.isOf(itemsOfLevels(2), matrix, Shading::Levels));
    picture.forget();
    EXPECT_FALSE(picture.isOf(itemsOfLevels(2), matrix, Shading::Edges));
    EXPECT_FALSE(picture.valid() || picture.making() || picture.done());
}

} // namespace
} // namespace thicket::app
