#include "image/image.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <gtest/gtest.h>
#include <random>

namespace thicket {
namespace {

Pixels filled(int width, int height, std::uint8_t r, std::uint8_t g, std::uint8_t b, std::uint8_t a) {
    Pixels p{width, height, {}};
    for (int i = 0; i < width * height; ++i)
        p.rgba.insert(p.rgba.end(), {r, g, b, a});
    return p;
}

TEST(Image, png_comes_back_as_it_was) {
    std::mt19937 random(3);
    Pixels p{37, 21, {}};
    for (int i = 0; i < 37 * 21 * 4; ++i)
        p.rgba.push_back(static_cast<std::uint8_t>(random()));
    const Image image = encodePng(p, "noise");
    const auto size = imageSize(image);
    ASSERT_TRUE(size);
    EXPECT_EQ(size->width, 37);
    EXPECT_EQ(size->height, 21);
    const auto back = decodeImage(image);
    ASSERT_TRUE(back);
    EXPECT_EQ(back->rgba, p.rgba);
    EXPECT_NEAR(textureBytes(image), 37 * 21 * 4 * 4.0 / 3, 1);
}

TEST(Image, damaged_pictures_are_refused) {
    Image image = encodePng(filled(16, 16, 1, 2, 3, 255), "p");
    image.encoded.resize(image.encoded.size() / 2);
    EXPECT_FALSE(decodeImage(image));
    image.encoded.assign(40, std::byte{7});
    const auto refused = decodeImage(image);
    ASSERT_FALSE(refused);
    EXPECT_FALSE(refused.error().remedy.empty());
    EXPECT_FALSE(imageSize(image));
    EXPECT_EQ(textureBytes(image), 0);
}

TEST(Image, halving_keeps_colours_in_linear_light_and_takes_none_from_what_is_not_there) {
    Pixels half = halveImage(filled(32, 16, 200, 100, 50, 255), false);
    EXPECT_EQ(half.width, 16);
    EXPECT_EQ(half.height, 8);
    EXPECT_NEAR(half.at(8, 4)[0], 200, 1);
    // Black and white in equal parts are half as bright, which is 188 in sRGB, not 128.
    Pixels checks{32, 32, {}};
    for (int i = 0; i < 32 * 32; ++i) {
        const std::uint8_t v = (i % 32 + i / 32) % 2 == 0 ? 255 : 0;
        checks.rgba.insert(checks.rgba.end(), {v, v, v, 255});
    }
    EXPECT_NEAR(halveImage(checks, false).at(8, 8)[0], 188, 3);
    EXPECT_NEAR(halveImage(checks, true).at(8, 8)[0], 128, 3);
    // Red beside nothing that happens to be stored as green.
    Pixels edge = filled(32, 32, 255, 0, 0, 255);
    for (int y = 0; y < 32; ++y)
        for (int x = 0; x < 32; x += 2) {
            edge.at(x, y)[0] = 0;
            edge.at(x, y)[1] = 255;
            edge.at(x, y)[3] = 0;
        }
    const Pixels mixed = halveImage(edge, false);
    EXPECT_LT(mixed.at(8, 8)[1], 30);
    EXPECT_GT(mixed.at(8, 8)[0], 225);
    EXPECT_NEAR(mixed.at(8, 8)[3], 128, 3);
}

TEST(Image, sampling_is_exact_in_the_middle_of_pixels_and_repeats) {
    Pixels p = filled(4, 4, 0, 0, 0, 255);
    p.at(2, 1)[0] = 255;
    EXPECT_NEAR(sampleImage(p, {2.5F / 4, 1.5F / 4})[0], 1, 1e-6);
    EXPECT_NEAR(sampleImage(p, {2.5F / 4 + 3, 1.5F / 4 - 2})[0], 1, 1e-5);
    EXPECT_NEAR(sampleImage(p, {3.0F / 4, 1.5F / 4}, true)[0], 0.5, 1e-6);
}

TEST(Image, colours_run_on_into_what_is_not_covered_and_only_there) {
    Pixels p = filled(40, 20, 0, 0, 0, 0);
    for (int y = 5; y < 15; ++y)
        for (int x = 5; x < 10; ++x) {
            std::uint8_t* c = p.at(x, y);
            c[0] = 180;
            c[3] = 255;
        }
    p.at(30, 10)[1] = 90;
    p.at(30, 10)[3] = 255;
    bleedColors(p, 0, 20);
    EXPECT_NEAR(p.at(1, 1)[0], 180, 2);
    EXPECT_NEAR(p.at(19, 19)[0], 180, 2);
    EXPECT_EQ(p.at(19, 19)[1], 0) << "nothing comes over from the other side";
    EXPECT_EQ(p.at(1, 1)[3], 0) << "alpha stays";
    EXPECT_EQ(p.at(25, 3)[0], 0) << "outside of the columns nothing changes";
}

Pixels boxHalved(const Pixels& p) {
    Pixels half = filled(p.width / 2, p.height / 2, 0, 0, 0, 0);
    for (int y = 0; y < half.height; ++y)
        for (int x = 0; x < half.width; ++x) {
            int sum = 0;
            for (int k = 0; k < 4; ++k)
                sum += p.at(2 * x + (k & 1), 2 * y + (k >> 1))[3];
            half.at(x, y)[3] = static_cast<std::uint8_t>((sum + 2) / 4);
        }
    return half;
}

TEST(Image, the_alpha_test_keeps_the_cover_in_the_mipmaps) {
    // Wires of all slants, some thinner than a pixel, their cover as alpha.
    std::mt19937 engine(11);
    const auto random = [&engine](double most) { return most * static_cast<double>(engine() % 1000) / 1000; };
    std::vector<std::array<double, 4>> wires; // normal, offset, half width
    for (int k = 0; k < 14; ++k) {
        const double angle = random(3.14);
        wires.push_back({std::cos(angle), std::sin(angle), random(128) - 20, 0.3 + random(0.6)});
    }
    Pixels p = filled(128, 128, 60, 120, 40, 0);
    for (int y = 0; y < 128; ++y)
        for (int x = 0; x < 128; ++x) {
            int met = 0;
            for (int s = 0; s < 64; ++s) {
                const double px = x + (s % 8 + 0.5) / 8;
                const double py = y + (s / 8 + 0.5) / 8;
                met += std::any_of(wires.begin(), wires.end(),
                                   [&](const auto& w) { return std::abs(px * w[0] + py * w[1] - w[2]) < w[3]; });
            }
            p.at(x, y)[3] = static_cast<std::uint8_t>(255 * met / 64);
        }
    double truth = 0;
    for (std::size_t i = 3; i < p.rgba.size(); i += 4)
        truth += p.rgba[i] / 255.0 / (128 * 128);
    const float cutoff = coverageCutoff(p, 2);
    const auto off = [&](float at) {
        Pixels level = p;
        double sum = 0;
        for (int m = 0; m <= 2; ++m) {
            double passing = 0;
            for (std::size_t i = 3; i < level.rgba.size(); i += 4)
                passing += static_cast<float>(level.rgba[i]) / 255 >= at ? 1 : 0;
            sum += std::abs(passing / (level.width * level.height) - truth);
            level = boxHalved(level);
        }
        return sum;
    };
    for (const float other : {0.1F, 0.2F, 0.3F, 0.4F, 0.5F, 0.6F, 0.7F, 0.8F, 0.9F})
        EXPECT_LE(off(cutoff), off(other) + 0.01) << "a test at " << other << " keeps the cover better";
    // Texels that stand alone are drawn as smooth hills: 4 (1 - c + c ln c) texels of each pass a test at c.
    Pixels dots = filled(64, 64, 60, 120, 40, 0);
    for (int y = 1; y < 64; y += 3)
        for (int x = 1; x < 64; x += 3)
            dots.at(x, y)[3] = 255;
    const double c = coverageCutoff(dots, 0);
    EXPECT_NEAR(4 * (1 - c + c * std::log(c)), 1, 0.12);
    // A square in the middle of clear ones, and one that reaches to the border: half of what is between two texels is its own.
    Pixels square = filled(24, 24, 60, 120, 40, 0);
    for (int y = 6; y < 18; ++y)
        for (int x = 6; x < 18; ++x)
            square.at(x, y)[3] = 255;
    EXPECT_NEAR(coverageCutoff(square, 1), 0.5, 0.06);
    Pixels half = filled(24, 24, 60, 120, 40, 0);
    for (int y = 0; y < 24; ++y)
        for (int x = 0; x < 12; ++x)
            half.at(x, y)[3] = 255;
    EXPECT_NEAR(coverageCutoff(half, 1), 0.5, 0.06);
    EXPECT_LT(off(cutoff), 0.5 * off(0.9F));
}

} // namespace
} // namespace thicket
