#pragma once
// Pictures as pixels: decoding, encoding, sampling, shrinking.

#include "base/result.h"
#include "mesh/mesh.h"

#include <optional>
#include <span>

namespace thicket {

/// Eight-bit RGBA, rows from the top, colours sRGB unless said otherwise, alpha not multiplied in.
struct Pixels {
    int width = 0;
    int height = 0;
    std::vector<std::uint8_t> rgba;

    [[nodiscard]] const std::uint8_t* at(int x, int y) const {
        return &rgba[4 * (static_cast<std::size_t>(y) * static_cast<std::size_t>(width) + static_cast<std::size_t>(x))];
    }
    [[nodiscard]] std::uint8_t* at(int x, int y) {
        return &rgba[4 * (static_cast<std::size_t>(y) * static_cast<std::size_t>(width) + static_cast<std::size_t>(x))];
    }
};

constexpr int kLargestSide = 16384; ///< pixels; larger pictures are refused

/// "image/png" or "image/jpeg", by the first bytes and nothing else; empty for what is neither.
std::string pictureType(std::span<const std::byte> data);

struct ImageSize {
    int width = 0;
    int height = 0;
    int channels = 0;
};
/// From the header alone; none when it is not a picture we read.
std::optional<ImageSize> imageSize(const Image& image);
/// Of each material's largest picture, its longer side; 0 for a material without any that can be read.
std::vector<int> texelsAcross(const Surfaces& surfaces);
/// Bytes on the graphics card: four a pixel, and a third on top for the mipmaps.
double textureBytes(const Image& image);

/// ERRORS BadInput (not a PNG or JPEG that can be read), TooLarge (more than 16,384 a side; refused before decoding).
Result<Pixels> decodeImage(const Image& image);
/// REQUIRES   as many pixels as it says, at least one.
/// COST       some 60 ns a pixel.
Image encodePng(const Pixels& pixels, const std::string& name);

/// Bilinear, repeating outside of 0..1, in linear light (colours) or as the numbers stand (`plain`); alpha 0..1.
Vec4f sampleImage(const Pixels& pixels, const Vec2f& uv, bool plain = false);

/// Half as wide and high (at least 1), by a Mitchell filter in linear light with alpha taken into account; `plain`: as
/// the numbers stand, for normals and other data.
Pixels halveImage(const Pixels& pixels, bool plain);

/// Fills pixels without alpha with the colours of their surroundings, so that filtering takes in nothing foreign.
/// Alpha stays as it is. Only pixels inside [left, right) of each row are read and written.
void bleedColors(Pixels& pixels, int left, int right);

/// The alpha test that keeps the share of the picture that is covered closest to the true one over the first `mips`
/// mipmaps (box-filtered), drawn with filtering between texels. 0.02..0.9.
float coverageCutoff(const Pixels& pixels, int mips);

float toLinear(std::uint8_t srgb);
std::uint8_t toSrgb(float linear);

} // namespace thicket
