#include "image/image.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <cstdlib>

#define STBI_ONLY_PNG
#define STBI_ONLY_JPEG
#define STB_WITH_RESIZE
#include "image/stb.h"

namespace thicket {
namespace {

const stbi_uc* bytesOf(const Image& image) {
    return reinterpret_cast<const stbi_uc*>(image.encoded.data());
}

} // namespace

std::string pictureType(std::span<const std::byte> data) {
    const auto begins = [&data](std::initializer_list<unsigned> bytes) {
        return data.size() > bytes.size() && std::equal(bytes.begin(), bytes.end(), data.begin(),
                                                        [](unsigned a, std::byte b) { return std::byte(a) == b; });
    };
    if (begins({0x89, 'P', 'N', 'G', 0x0D, 0x0A, 0x1A, 0x0A}))
        return "image/png";
    return begins({0xFF, 0xD8, 0xFF}) ? "image/jpeg" : "";
}

float toLinear(std::uint8_t srgb) {
    static const auto kTable = [] {
        std::array<float, 256> table{};
        for (std::size_t i = 0; i < 256; ++i) {
            const float s = static_cast<float>(i) / 255;
            table[i] = s <= 0.04045F ? s / 12.92F : std::pow((s + 0.055F) / 1.055F, 2.4F);
        }
        return table;
    }();
    return kTable[srgb];
}

std::uint8_t toSrgb(float linear) {
    const float l = std::clamp(linear, 0.0F, 1.0F);
    const float s = l <= 0.0031308F ? 12.92F * l : 1.055F * std::pow(l, 1 / 2.4F) - 0.055F;
    return static_cast<std::uint8_t>(std::lround(255 * s));
}

std::optional<ImageSize> imageSize(const Image& image) {
    ImageSize size;
    if (stbi_info_from_memory(bytesOf(image), static_cast<int>(image.encoded.size()), &size.width, &size.height,
                              &size.channels) == 0)
        return std::nullopt;
    return size;
}

std::vector<int> texelsAcross(const Surfaces& surfaces) {
    std::vector<int> out;
    for (const Material& m : surfaces.materials) {
        int largest = 0;
        for (const int i : {m.baseColorImage, m.normalImage, m.metallicRoughnessImage})
            if (i >= 0 && static_cast<std::size_t>(i) < surfaces.images.size())
                if (const auto size = imageSize(surfaces.images[static_cast<std::size_t>(i)]))
                    largest = std::max({largest, size->width, size->height});
        out.push_back(largest);
    }
    return out;
}

double textureBytes(const Image& image) {
    const auto size = imageSize(image);
    return size ? 4.0 * size->width * size->height * 4 / 3 : 0;
}

Result<Pixels> decodeImage(const Image& image) {
    const auto size = imageSize(image);
    if (!size)
        return Error{ErrorCode::BadInput, image.name, "is neither a PNG nor a JPEG that can be read",
                     "export the picture again"};
    if (size->width > kLargestSide || size->height > kLargestSide)
        return Error{ErrorCode::TooLarge, image.name, "is larger than 16,384 pixels a side", "make it smaller"};
    Pixels pixels;
    int channels = 0;
    const DecodedPixels data(stbi_load_from_memory(bytesOf(image), static_cast<int>(image.encoded.size()),
                                                   &pixels.width, &pixels.height, &channels, 4));
    if (!data)
        return Error{ErrorCode::BadInput, image.name, "is damaged", "export the picture again"};
    pixels.rgba.assign(data.get(), data.get() + 4 * static_cast<std::size_t>(pixels.width) *
                                                    static_cast<std::size_t>(pixels.height));
    return pixels;
}

namespace {

/// std::floor, in place where numbers are small enough to be whole ones.
float floorOf(float t) {
    constexpr float kWhole = 1e9F;
    if (!(std::abs(t) < kWhole))
        return std::floor(t);
    const auto whole = static_cast<float>(static_cast<int>(t));
    return whole > t ? whole - 1 : whole;
}

} // namespace

Vec4f sampleImage(const Pixels& pixels, const Vec2f& uv, bool plain) {
    const auto wrapped = [](float t, int size) { return (t - floorOf(t)) * static_cast<float>(size) - 0.5F; };
    const float x = wrapped(uv.x(), pixels.width);
    const float y = wrapped(uv.y(), pixels.height);
    const int x0 = static_cast<int>(floorOf(x)); // -1 at least, and less than the size
    const int y0 = static_cast<int>(floorOf(y));
    const float right = x - static_cast<float>(x0);
    const float below = y - static_cast<float>(y0);
    const int columns[2] = {x0 < 0 ? pixels.width - 1 : x0, x0 + 1 < pixels.width ? x0 + 1 : 0};
    const int rows[2] = {y0 < 0 ? pixels.height - 1 : y0, y0 + 1 < pixels.height ? y0 + 1 : 0};
    Vec4f sum = Vec4f::Zero();
    for (int k = 0; k < 4; ++k) {
        const float weight = ((k & 1) != 0 ? right : 1 - right) * ((k >> 1) != 0 ? below : 1 - below);
        const std::uint8_t* c = pixels.at(columns[k & 1], rows[k >> 1]);
        if (plain)
            sum.head<3>() += weight * (Vec3f(c[0], c[1], c[2]) / 255);
        else
            sum.head<3>() += weight * Vec3f(toLinear(c[0]), toLinear(c[1]), toLinear(c[2]));
        sum.w() += weight * (static_cast<float>(c[3]) / 255);
    }
    return sum;
}

Pixels halveImage(const Pixels& pixels, bool plain) {
    Pixels half{std::max(1, pixels.width / 2), std::max(1, pixels.height / 2), {}};
    half.rgba.resize(4 * static_cast<std::size_t>(half.width) * static_cast<std::size_t>(half.height));
    stbir_resize_uint8_generic(pixels.rgba.data(), pixels.width, pixels.height, 0, half.rgba.data(), half.width,
                               half.height, 0, 4, plain ? STBIR_ALPHA_CHANNEL_NONE : 3, 0, STBIR_EDGE_WRAP,
                               STBIR_FILTER_MITCHELL, plain ? STBIR_COLORSPACE_LINEAR : STBIR_COLORSPACE_SRGB, nullptr);
    return half;
}

void bleedColors(Pixels& pixels, int left, int right) {
    // Pull: each smaller picture is the alpha-weighted mean of the one before. Push: what has none takes from below.
    struct Layer {
        int width;
        int height;
        std::vector<Vec4f> colors; ///< weighted, with the weight in w
    };
    std::vector<Layer> layers;
    Layer first{right - left, pixels.height, {}};
    for (int y = 0; y < pixels.height; ++y)
        for (int x = left; x < right; ++x) {
            const std::uint8_t* c = pixels.at(x, y);
            const float a = c[3] > 0 ? 1.0F : 0.0F;
            first.colors.emplace_back(a * c[0], a * c[1], a * c[2], a);
        }
    layers.push_back(std::move(first));
    while (layers.back().width > 1 || layers.back().height > 1) {
        const Layer& fine = layers.back();
        Layer coarse{(fine.width + 1) / 2, (fine.height + 1) / 2, {}};
        coarse.colors.assign(static_cast<std::size_t>(coarse.width) * static_cast<std::size_t>(coarse.height),
                             Vec4f::Zero());
        for (int y = 0; y < fine.height; ++y)
            for (int x = 0; x < fine.width; ++x)
                coarse.colors[static_cast<std::size_t>((y / 2) * coarse.width + x / 2)] +=
                    fine.colors[static_cast<std::size_t>(y * fine.width + x)];
        layers.push_back(std::move(coarse));
    }
    for (std::size_t l = layers.size() - 1; l-- > 0;) {
        Layer& fine = layers[l];
        const Layer& coarse = layers[l + 1];
        for (int y = 0; y < fine.height; ++y)
            for (int x = 0; x < fine.width; ++x) {
                Vec4f& own = fine.colors[static_cast<std::size_t>(y * fine.width + x)];
                const Vec4f& below = coarse.colors[static_cast<std::size_t>((y / 2) * coarse.width + x / 2)];
                if (own.w() <= 0 && below.w() > 0)
                    own = below / below.w() * 1e-3F;
            }
    }
    for (int y = 0; y < pixels.height; ++y)
        for (int x = left; x < right; ++x) {
            std::uint8_t* c = pixels.at(x, y);
            const Vec4f& own = layers[0].colors[static_cast<std::size_t>(y * (right - left) + x - left)];
            if (c[3] == 0 && own.w() > 0)
                for (int i = 0; i < 3; ++i)
                    c[i] = static_cast<std::uint8_t>(std::clamp(own[i] / own.w(), 0.0F, 255.0F));
        }
}

namespace {

struct AlphaMap {
    int width = 0;
    int height = 0;
    std::vector<std::uint8_t> alpha;

    [[nodiscard]] std::uint8_t at(int x, int y) const {
        return alpha[static_cast<std::size_t>(y) * static_cast<std::size_t>(width) + static_cast<std::size_t>(x)];
    }
    [[nodiscard]] std::uint8_t clamped(int x, int y) const {
        return at(std::clamp(x, 0, width - 1), std::clamp(y, 0, height - 1));
    }
    [[nodiscard]] AlphaMap halved() const {
        AlphaMap out{width / 2, height / 2, {}};
        out.alpha.reserve(static_cast<std::size_t>(out.width) * static_cast<std::size_t>(out.height));
        for (int y = 0; y < out.height; ++y)
            for (int x = 0; x < out.width; ++x)
                out.alpha.push_back(static_cast<std::uint8_t>(
                    (at(2 * x, 2 * y) + at(2 * x + 1, 2 * y) + at(2 * x, 2 * y + 1) + at(2 * x + 1, 2 * y + 1) + 2) /
                    4));
        return out;
    }
    /// How much of it has at least so much alpha as is said, when it is drawn with filtering between texels: a share for
    /// each of 0..255.
    [[nodiscard]] std::array<double, 256> shares() const {
        // Between the middles of four texels, at so many places along each side; beyond the border goes on what is on it.
        constexpr int kPlaces = 8;
        constexpr int kAll = 2 * kPlaces;
        std::array<std::size_t, 256> count{};
        const double all = static_cast<double>(width) * height * kPlaces * kPlaces;
        for (int y = -1; y < height; ++y)
            for (int x = -1; x < width; ++x) {
                const int a = clamped(x, y);
                const int b = clamped(x + 1, y);
                const int c = clamped(x, y + 1);
                const int d = clamped(x + 1, y + 1);
                const int left = x < 0 ? kPlaces + 1 : 1; // of a cell across the border what is inside
                const int right = x + 1 == width ? kPlaces : kAll;
                const int top = y < 0 ? kPlaces + 1 : 1;
                const int bottom = y + 1 == height ? kPlaces : kAll;
                if (a == b && a == c && a == d) {
                    const auto places = static_cast<std::size_t>((right - left + 1) / 2 * ((bottom - top + 1) / 2));
                    count[static_cast<std::size_t>(a)] += places;
                    continue;
                }
                for (int v = top; v < bottom; v += 2)
                    for (int u = left; u < right; u += 2) {
                        const int sum = (a * (kAll - u) + b * u) * (kAll - v) + (c * (kAll - u) + d * u) * v;
                        ++count[static_cast<std::size_t>(sum / (kAll * kAll))];
                    }
            }
        std::array<double, 256> out{};
        std::size_t above = 0;
        for (std::size_t i = out.size(); i-- > 0;) {
            above += count[i];
            out[i] = static_cast<double>(above) / all;
        }
        return out;
    }
};

} // namespace

float coverageCutoff(const Pixels& pixels, int mips) {
    AlphaMap map{pixels.width, pixels.height, {}};
    double truth = 0;
    for (std::size_t i = 3; i < pixels.rgba.size(); i += 4) {
        map.alpha.push_back(pixels.rgba[i]);
        truth += pixels.rgba[i] / 255.0;
    }
    truth /= static_cast<double>(std::max<std::size_t>(map.alpha.size(), 1));
    std::vector<std::array<double, 256>> levels;
    for (int m = 0; m <= mips && map.width > 1 && map.height > 1; ++m) {
        levels.push_back(map.shares());
        map = map.halved();
    }
    float best = 0.5F;
    double least = HUGE_VAL;
    for (int step = 2; step <= 90; ++step) {
        const float cutoff = static_cast<float>(step) / 100;
        double off = 0;
        for (const std::array<double, 256>& level : levels)
            off += std::abs(level[static_cast<std::size_t>(std::ceil(cutoff * 255))] - truth);
        // Of those that keep it as well the one in the middle: filtering differs a little everywhere.
        if (off < least || (off == least && std::abs(cutoff - 0.5F) < std::abs(best - 0.5F))) {
            least = off;
            best = cutoff;
        }
    }
    return best;
}

} // namespace thicket
