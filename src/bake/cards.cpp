#include "bake/cards.h"

#include "bake/bake_view.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>
#include <numbers>

namespace thicket {
namespace {

constexpr int kGutter = 4; // texels: two mipmaps before neighbours meet

std::vector<BakedView> layOut(const Bounds& bounds, const CardOptions& options) {
    std::vector<BakedView> cards;
    const Vec3d half = bounds.size() / 2;
    const auto add = [&](const Vec3d& right, const Vec3d& up) {
        BakedView card{right, up, right.cross(up), 0, 0, 0, kGutter, 0, 0};
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
    for (const BakedView& card : cards)
        largest = std::max({largest, card.halfWide, card.halfTall});
    int left = kGutter;
    for (BakedView& card : cards) {
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

} // namespace

Result<BakedLevel> bakeCards(const Mesh& mesh, const Surfaces& surfaces, const CardOptions& options,
                             const JobContext& job) {
    const Appearance from(mesh, surfaces);
    const Vec3d centre = from.bounds().centre();
    const std::vector<BakedView> cards = layOut(from.bounds(), options);
    int width = kGutter;
    int height = 0;
    for (const BakedView& card : cards) {
        width = card.left + card.wide + kGutter;
        height = std::max(height, card.tall + 2 * kGutter);
    }
    Pixels color{width, height,
                 std::vector<std::uint8_t>(4 * static_cast<std::size_t>(width) * static_cast<std::size_t>(height))};
    Pixels normal = flatNormals(width, height);
    for (std::size_t c = 0; c < cards.size(); ++c) {
        const BakedView& card = cards[c];
        job.report(0.6 * static_cast<double>(c) / static_cast<double>(cards.size()), "baking cards");
        bakeView(from, card, centre, options.samples, false, 1, job, color, normal);
        if (job.cancelled())
            return cancelledError();
        const int from2 = card.left - kGutter / 2;
        bleedColors(color, from2, card.left + card.wide + kGutter / 2);
        spreadCover(color, card);
    }

    BakedLevel out;
    for (const BakedView& card : cards)
        addRectangle(out.mesh, card, centre, width, height);
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
