#include "bake/cards.h"

#include "base/parallel.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>
#include <numbers>

namespace thicket {
namespace {

constexpr int kGutter = 4; // texels: two mipmaps before neighbours meet

struct Card {
    Vec3d right, up, facing;
    double halfWide = 0;
    double halfTall = 0;
    int left = 0; ///< texel column at which it begins
    int wide = 0;
    int tall = 0;
};

std::vector<Card> layOut(const Bounds& bounds, const CardOptions& options) {
    std::vector<Card> cards;
    const Vec3d half = bounds.size() / 2;
    const auto add = [&](const Vec3d& right, const Vec3d& up) {
        Card card{right, up, right.cross(up), 0, 0, 0, 0, 0};
        card.halfWide = std::max(half.cwiseProduct(right.cwiseAbs()).sum(), 1e-9);
        card.halfTall = std::max(half.cwiseProduct(up.cwiseAbs()).sum(), 1e-9);
        cards.push_back(card);
    };
    for (int i = 0; i < options.cards; ++i) {
        const double yaw = std::numbers::pi * i / options.cards;
        add({std::cos(yaw), 0, -std::sin(yaw)}, kUp);
    }
    if (options.lying)
        add({1, 0, 0}, {0, 0, -1});
    double largest = 0;
    for (const Card& card : cards)
        largest = std::max({largest, card.halfWide, card.halfTall});
    int left = kGutter;
    for (Card& card : cards) {
        // A texel more on each side, so that no outline is cut off by filtering.
        card.halfWide *= 1 + 2.0 / options.texelsTall;
        card.halfTall *= 1 + 2.0 / options.texelsTall;
        const double perTexel = 2 * largest / options.texelsTall;
        card.wide = std::max(2, static_cast<int>(std::lround(2 * card.halfWide / perTexel)));
        card.tall = std::max(2, static_cast<int>(std::lround(2 * card.halfTall / perTexel)));
        card.left = left;
        left += card.wide + kGutter;
    }
    return cards;
}

std::uint8_t unitByte(double value) {
    return static_cast<std::uint8_t>(std::lround(std::clamp(0.5 + 0.5 * value, 0.0, 1.0) * 255));
}

/// One texel: mean colour and normal of the rays that met something, and their share.
void bakeTexel(const Appearance& from, const Card& card, const Vec3d& centre, double away, int x, int y, int samples,
               std::uint8_t* color, std::uint8_t* normal) {
    Vec3f sum = Vec3f::Zero();
    Vec3d turned = Vec3d::Zero();
    int met = 0;
    for (int s = 0; s < samples * samples; ++s) {
        const double px = ((x + (s % samples + 0.5) / samples) / card.wide - 0.5) * 2 * card.halfWide;
        const double py = (0.5 - (y + (s / samples + 0.5) / samples) / card.tall) * 2 * card.halfTall;
        const auto seen = from.look(centre + card.right * px + card.up * py + card.facing * away, Vec3d(-card.facing));
        if (!seen)
            continue;
        ++met;
        sum += seen->color;
        turned += seen->normal;
    }
    color[3] = static_cast<std::uint8_t>(std::lround(255.0 * met / (samples * samples)));
    normal[3] = 255;
    const double size = turned.norm();
    const Vec3d n = met > 0 && size > 1e-9 ? Vec3d(turned / size) : card.facing;
    normal[0] = unitByte(n.dot(card.right));
    normal[1] = unitByte(n.dot(card.up));
    normal[2] = unitByte(std::max(n.dot(card.facing), 0.05));
    for (int i = 0; i < 3; ++i)
        color[i] = met > 0 ? toSrgb(sum[i] / static_cast<float>(met)) : 0;
}

void addCard(Mesh& mesh, const Card& card, const Vec3d& centre, int width, int height) {
    const std::uint32_t base = mesh.vertexCount();
    for (int k = 0; k < 4; ++k) {
        const double x = (k & 1) != 0 ? 1 : -1;
        const double y = (k & 2) != 0 ? 1 : -1;
        mesh.positions.push_back(
            (centre + card.right * (x * card.halfWide) + card.up * (y * card.halfTall)).cast<float>());
        mesh.normals.push_back(card.facing.cast<float>());
        mesh.uvs.emplace_back(static_cast<float>(card.left + (x > 0 ? card.wide : 0)) / static_cast<float>(width),
                              static_cast<float>(kGutter + (y > 0 ? 0 : card.tall)) / static_cast<float>(height));
        mesh.extras.tangents.emplace_back(static_cast<float>(card.right.x()), static_cast<float>(card.right.y()),
                                          static_cast<float>(card.right.z()), 1.0F);
    }
    mesh.indices.insert(mesh.indices.end(), {base, base + 1, base + 3, base, base + 3, base + 2});
}

} // namespace

Result<BakedLevel> bakeCards(const Mesh& mesh, const Surfaces& surfaces, const CardOptions& options,
                             const JobContext& job) {
    const Appearance from(mesh, surfaces);
    const Vec3d centre = from.bounds().centre();
    const double away = from.bounds().diagonal() + 1;
    const std::vector<Card> cards = layOut(from.bounds(), options);
    int width = kGutter;
    int height = 0;
    for (const Card& card : cards) {
        width = card.left + card.wide + kGutter;
        height = std::max(height, card.tall + 2 * kGutter);
    }
    Pixels color{width, height,
                 std::vector<std::uint8_t>(4 * static_cast<std::size_t>(width) * static_cast<std::size_t>(height))};
    Pixels normal = color;
    for (std::size_t i = 0; i < normal.rgba.size(); i += 4) {
        normal.rgba[i] = normal.rgba[i + 1] = 128;
        normal.rgba[i + 2] = normal.rgba[i + 3] = 255;
    }
    for (std::size_t c = 0; c < cards.size(); ++c) {
        const Card& card = cards[c];
        job.report(0.6 * static_cast<double>(c) / static_cast<double>(cards.size()), "baking cards");
        parallelChunks(static_cast<std::size_t>(card.tall), 4, [&](std::size_t begin, std::size_t end) {
            for (std::size_t y = begin; y < end && !job.cancelled(); ++y)
                for (int x = 0; x < card.wide; ++x)
                    bakeTexel(from, card, centre, away, x, static_cast<int>(y), options.samples,
                              color.at(card.left + x, kGutter + static_cast<int>(y)),
                              normal.at(card.left + x, kGutter + static_cast<int>(y)));
        });
        if (job.cancelled())
            return cancelledError();
        const int from2 = card.left - kGutter / 2;
        bleedColors(color, from2, card.left + card.wide + kGutter / 2);
    }

    BakedLevel out;
    for (const Card& card : cards)
        addCard(out.mesh, card, centre, width, height);
    out.mesh.parts = {{0, out.mesh.triangleCount(), 0}};
    out.cutoff = coverageCutoff(color, 2);
    Material material;
    material.name = "cards";
    material.alphaMode = AlphaMode::Mask;
    material.alphaCutoff = out.cutoff;
    material.doubleSided = true;
    material.baseColorImage = 0;
    material.normalImage = 1;
    out.surfaces.materials = {material};
    out.surfaces.images = {encodePng(color, "cards color"), encodePng(normal, "cards normal")};
    const Appearance made(out.mesh, out.surfaces);
    auto difference = silhouetteDifference(from, made, {}, job.part(0.6, 1));
    if (!difference)
        return difference.error();
    out.difference = *difference;
    return out;
}

} // namespace thicket
