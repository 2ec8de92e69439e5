// Numbers as they are written: read back they are what they were to the digits that are shown, in order, and never in a
// spelling that nobody reads aloud.

#include "base/text.h"

#include <algorithm>
#include <cmath>
#include <gtest/gtest.h>
#include <limits>
#include <random>
#include <string>

namespace thicket {
namespace {

/// A number with commas, and the word behind it.
std::pair<double, std::string> readBack(std::string text) {
    std::erase(text, ',');
    std::size_t used = 0;
    const double value = std::stod(text, &used);
    return {value, used < text.size() ? text.substr(used + (text[used] == ' ' ? 1 : 0)) : std::string()};
}

double metresOf(const std::string& text) {
    const auto [value, unit] = readBack(text);
    EXPECT_TRUE(unit == "mm" || unit == "m" || unit == "km") << text;
    return value * (unit == "mm" ? 1e-3 : unit == "km" ? 1e3 : 1);
}

double bytesOf(const std::string& text) {
    const auto [value, unit] = readBack(text);
    EXPECT_TRUE(unit == "B" || unit == "kB" || unit == "MB" || unit == "GB") << text;
    return value * (unit == "B" ? 1 : unit == "kB" ? 1e3 : unit == "MB" ? 1e6 : 1e9);
}

class AnySize {
public:
    /// Of any order of magnitude between two.
    double between(double low, double high) {
        return std::exp(std::uniform_real_distribution<double>(std::log(low), std::log(high))(m_random));
    }

private:
    std::mt19937 m_random{7};
};

} // namespace

TEST(Numbers, a_figure_read_back_is_right_to_its_digits_and_has_no_exponent) {
    AnySize any;
    for (int i = 0; i < 3000; ++i) {
        const double value = (i % 2 == 0 ? 1 : -1) * any.between(1e-5, 1e12);
        for (const int digits : {1, 2, 3, 6}) {
            const std::string text = figure(value, digits);
            EXPECT_EQ(text.find('e'), std::string::npos) << text;
            const double off = std::abs(readBack(text).first - value);
            // At most nine places behind the point, however small it is.
            EXPECT_LE(off, std::max(0.51 * std::abs(value) * std::pow(10.0, 1 - digits), 5.1e-10)) << text;
            EXPECT_NE(text.back(), '.');
            if (text.find('.') != std::string::npos) {
                EXPECT_NE(text.back(), '0') << text;
            }
        }
    }
    EXPECT_EQ(figure(0, 3), "0");
    EXPECT_EQ(figure(std::numeric_limits<double>::quiet_NaN(), 3), "0");
    EXPECT_EQ(figure(1234.5, 2), "1,235");
}

TEST(Numbers, lengths_read_back_are_right_to_two_digits_and_in_order) {
    AnySize any;
    for (int i = 0; i < 3000; ++i) {
        const double metres = any.between(2e-4, 1e9);
        const std::string text = length(metres);
        EXPECT_EQ(text.find('e'), std::string::npos) << text;
        EXPECT_NEAR(metresOf(text), metres, 0.051 * metres) << text;
        EXPECT_EQ(length(-metres), "-" + text);
        const double longer = metres * (1 + any.between(1e-4, 3));
        EXPECT_LE(metresOf(text), metresOf(length(longer)) * (1 + 1e-12)) << text << " and " << length(longer);
    }
}

TEST(Numbers, sizes_of_memory_read_back_are_right_to_three_digits_and_in_order) {
    AnySize any;
    for (int i = 0; i < 3000; ++i) {
        const double bytes = std::floor(any.between(1, 1e13));
        const std::string text = memorySize(bytes);
        EXPECT_NEAR(bytesOf(text), bytes, 0.051 * bytes) << text;
        const double more = std::floor(bytes * (1 + any.between(1e-3, 5)));
        EXPECT_LE(bytesOf(text), bytesOf(memorySize(more))) << text << " and " << memorySize(more);
    }
}

TEST(Numbers, counts_are_grouped_to_the_very_ends) {
    EXPECT_EQ(grouped(std::numeric_limits<std::int64_t>::max()), "9,223,372,036,854,775,807");
    EXPECT_EQ(grouped(std::numeric_limits<std::int64_t>::min()), "-9,223,372,036,854,775,808");
    std::mt19937_64 random(3);
    for (int i = 0; i < 2000; ++i) {
        const auto value = static_cast<std::int64_t>(random()) >> (random() % 63);
        std::string text = grouped(value);
        std::size_t sinceComma = 0;
        for (auto c = text.rbegin(); c != text.rend() && *c != '-'; ++c)
            if (*c == ',') {
                EXPECT_EQ(sinceComma, 3U) << text;
                sinceComma = 0;
            } else {
                ++sinceComma;
                EXPECT_LE(sinceComma, 3U) << text;
            }
        std::erase(text, ',');
        EXPECT_EQ(std::stoll(text), value);
    }
}

TEST(Numbers, short_counts_stay_short) {
    AnySize any;
    for (int i = 0; i < 2000; ++i) {
        const double value = std::floor(any.between(1, 9e8));
        const std::string text = shortCount(value);
        EXPECT_LE(text.size(), 8U) << text;
        const auto [read, unit] = readBack(text);
        EXPECT_NEAR(read * (unit == "M" ? 1e6 : unit == "k" ? 1e3 : 1), value, 0.051 * value) << text;
    }
}

} // namespace thicket
