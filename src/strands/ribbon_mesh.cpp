#include "strands/ribbon_mesh.h"

#include "base/text.h"
#include "image/image.h"
#include "strands/strand_cards.h"

#include <cmath>
#include <numbers>

namespace thicket {

Mesh ribbonMesh(const StrandSet& set, const StrandLook& look) {
    Mesh out;
    const std::size_t points = set.points.size();
    out.positions.reserve(2 * points);
    out.normals.reserve(2 * points);
    out.uvs.reserve(2 * points);
    out.colors.reserve(2 * points);
    out.indices.reserve(6 * set.segments());
    for (std::uint32_t s = 0; s < set.size(); ++s) {
        const double turn = 2 * std::numbers::pi * hashShare(s + 1);
        const Vec3f towards(static_cast<float>(std::cos(turn)), 0.2F, static_cast<float>(std::sin(turn)));
        const std::uint32_t first = set.first[s];
        const std::uint32_t last = set.first[s + 1] - 1;
        const float light = lightnessOf(look, s);
        for (std::uint32_t i = first; i <= last; ++i) {
            const Vec3f along = set.points[std::min(i + 1, last)] - set.points[i > first ? i - 1 : i];
            Vec3f across = along.cross(towards);
            across = across.norm() > 1e-12F ? Vec3f(across.normalized()) : Vec3f(1, 0, 0);
            Vec3f normal = across.cross(along);
            normal = normal.norm() > 1e-12F ? Vec3f(normal.normalized()) : towards.normalized();
            const float t = static_cast<float>(i - first) / static_cast<float>(last - first);
            const Vec3f tint = (look.root + t * (look.tip - look.root)) * light;
            for (const float side : {-0.5F, 0.5F}) {
                out.positions.push_back(set.points[i] + side * set.widths[i] * across);
                out.normals.push_back(normal);
                out.uvs.emplace_back(side + 0.5F, 1 - t);
                out.colors.emplace_back(std::min(tint.x(), 1.0F), std::min(tint.y(), 1.0F), std::min(tint.z(), 1.0F),
                                        1.0F);
            }
            if (i > first) {
                const auto v = static_cast<std::uint32_t>(out.positions.size());
                out.indices.insert(out.indices.end(), {v - 4, v - 3, v - 2, v - 2, v - 3, v - 1});
            }
        }
    }
    out.parts = {{0, out.triangleCount(), 0}};
    return out;
}

Mesh cardMesh(const StrandSet& set, const StrandCards& cards, const StrandLook& look) {
    Mesh out;
    for (std::uint32_t s = 0; s < cards.count(); ++s) {
        const Vec3f root = set.points[set.first[s]];
        const Vec3f& axis = cards.stands[s].axis;
        const double turn = 2 * std::numbers::pi * hashShare(s + 1);
        Vec3f across = axis.cross(Vec3f(static_cast<float>(std::cos(turn)), 0.2F, static_cast<float>(std::sin(turn))));
        across = across.norm() > 1e-6F ? Vec3f(across.normalized()) : Vec3f(1, 0, 0);
        const Vec3f normal = across.cross(axis);
        const float size = cards.stands[s].size;
        const float light = std::min(lightnessOf(look, s), 1.0F);
        const auto v = static_cast<std::uint32_t>(out.positions.size());
        for (const float up : {0.0F, 1.0F})
            for (const float side : {-1.0F, 1.0F}) {
                out.positions.push_back(root + axis * (size * (cards.low + up * (cards.high - cards.low))) +
                                        across * (side * size * cards.half));
                out.normals.push_back(normal);
                out.uvs.emplace_back(side * 0.5F + 0.5F, 1 - up);
                out.colors.emplace_back(light, light, light, 1.0F);
            }
        out.indices.insert(out.indices.end(), {v, v + 1, v + 2, v + 2, v + 1, v + 3});
    }
    out.parts = {{0, out.triangleCount(), 0}};
    return out;
}

Image cardPicture(const StrandCards& cards, const StrandLook& look) {
    Pixels pixels{cards.width, cards.height, {}};
    pixels.rgba.reserve(4 * cards.picture.size());
    for (int y = cards.height; y-- > 0;) // rows from the top
        for (int x = 0; x < cards.width; ++x) {
            const std::uint8_t at = cards.picture[static_cast<std::size_t>(y) * static_cast<std::size_t>(cards.width) +
                                                  static_cast<std::size_t>(x)];
            const float t = at == 0 ? 0.5F : static_cast<float>(at - 1) / 254;
            const Vec3f colour = look.root + t * (look.tip - look.root);
            for (int c = 0; c < 3; ++c)
                pixels.rgba.push_back(toSrgb(colour[c]));
            pixels.rgba.push_back(at == 0 ? 0 : 255);
        }
    return encodePng(pixels, "tuft");
}

} // namespace thicket
