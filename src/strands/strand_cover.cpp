#include "strands/strand_cover.h"

#include "base/parallel.h"
#include "base/text.h"
#include "image/colour.h"
#include "strands/ribbon_picture.h"
#include "strands/strand_cards.h"

#include <algorithm>
#include <cmath>

namespace thicket {
namespace {

constexpr int kPixels = 96; // of a picture, each way
constexpr int kSamples = 4; // a pixel, each way
constexpr int kSide = kPixels * kSamples;

} // namespace

float lightnessOf(const StrandLook& look, std::uint32_t strand) {
    return static_cast<float>(1 + look.vary * (2 * hashShare(strand) - 1));
}

Result<std::vector<StrandCover>> measureCover(const StrandSet& set, std::span<const float> worth,
                                              const ResolvedChain& chain, const Thinning& thinning,
                                              const StrandLook& look, const View& view,
                                              std::span<const double> distances, const JobContext& job,
                                              const StrandCards* cards) {
    std::vector<StrandCover> out(distances.size());
    // Looked at from the south, 15 degrees from above; the root of the first strand is as much in the middle as any of
    // a set that is spread evenly, and is where strands are.
    constexpr double kAbove = 0.2618;
    const Vec3f right(1, 0, 0);
    const Vec3f up(0, static_cast<float>(std::cos(kAbove)), static_cast<float>(-std::sin(kAbove)));
    const Vec3f towards(0, static_cast<float>(std::sin(kAbove)), static_cast<float>(std::cos(kAbove)));
    const Vec3f centre = set.points.front();
    const bool whole = parallelChunks(distances.size(), 1, job, [&](std::size_t begin, std::size_t end) {
        for (std::size_t i = begin; i < end; ++i) {
            StrandCover& cover = out[i];
            cover.metres = distances[i];
            const auto samples = static_cast<float>(kSamples * view.pixelScale() / distances[i]); // a metre
            const float wide = static_cast<float>(kSide) / samples;                               // metres
            std::size_t level = 0;
            while (level + 1 < chain.fromMetres.size() && chain.fromMetres[level + 1] <= distances[i])
                ++level;
            const bool byCards = cards != nullptr && level + 1 == chain.levels.size();
            const auto cardGrowth = static_cast<float>(
                byCards ? cardGrowthAt(thinning, distances[i],
                                       static_cast<double>(cards->count()) / static_cast<double>(set.size()))
                        : 1.0);
            const auto off = level > 0 ? static_cast<float>(chain.levels[level].deviationMetres) : -1.0F;
            const double keep = thinning.keepAt(distances[i]);
            const auto grow = static_cast<float>(thinning.growAt(distances[i]));
            RibbonPicture all(kSide, kSide);
            RibbonPicture some(kSide, kSide);
            std::vector<std::uint32_t> kept;
            for (std::uint32_t s = 0; s < set.size(); ++s) {
                const Vec3f root = set.points[set.first[s]] - centre;
                if (std::abs(root.x()) > 0.7F * wide || std::abs(root.z()) > 2 * wide)
                    continue;
                ++cover.strands;
                const float light = lightnessOf(look, s);
                const auto draw = [&](RibbonPicture& into, float widths, float allowed) {
                    kept.clear();
                    eachKept(set, worth, s, allowed, [&kept](std::uint32_t p) { kept.push_back(p); });
                    const auto last = static_cast<float>(set.countOf(s) - 1);
                    const auto place = [&](std::uint32_t p) {
                        const Vec3f at = set.points[p] - centre;
                        return Vec3f(at.dot(right) * samples + kSide / 2.0F, at.dot(up) * samples + kSide / 2.0F,
                                     at.dot(towards));
                    };
                    const auto tint = [&](std::uint32_t p) -> Vec3f {
                        const float t = static_cast<float>(p - set.first[s]) / last;
                        return (look.root + t * (look.tip - look.root)) * light;
                    };
                    for (std::size_t k = 1; k < kept.size(); ++k)
                        into.ribbon(place(kept[k - 1]), place(kept[k]), set.widths[kept[k - 1]] * widths * samples,
                                    set.widths[kept[k]] * widths * samples, tint(kept[k - 1]), tint(kept[k]));
                };
                const auto drawCard = [&](RibbonPicture& into, std::uint32_t strand, float widths) {
                    const StrandCards::Stand& stand = cards->stands[strand];
                    Vec3f across = stand.axis.cross(towards);
                    across = across.norm() > 1e-6F ? Vec3f(across.normalized()) : right;
                    const float times = stand.size * samples;
                    const Vec3f side = across * (cards->half * widths * times);
                    const auto flat = [&](const Vec3f& v) { return Eigen::Vector2f(v.dot(right), v.dot(up)); };
                    const Eigen::Vector2f corner =
                        flat(root) * samples + flat(stand.axis * (cards->low * times) - side);
                    into.patch(
                        {corner.x() + kSide / 2.0F, corner.y() + kSide / 2.0F, root.dot(towards)}, flat(2 * side),
                        flat(stand.axis * ((cards->high - cards->low) * times)), [&](float u, float v) -> Vec3f {
                            const float t = cards->at(u, v);
                            return t < 0 ? Vec3f(-1, -1, -1) : Vec3f((look.root + t * (look.tip - look.root)) * light);
                        });
                };
                draw(all, 1, -1);
                const double size = sizeInBand(thinning, keep, rankOf(s, set.size()));
                if (size > 0 && !byCards) {
                    ++cover.drawn;
                    draw(some, static_cast<float>(size) * grow, off);
                } else if (size > 0 && s < cards->count()) {
                    ++cover.drawn;
                    drawCard(some, s, static_cast<float>(size) * cardGrowth);
                }
            }
            const auto [full, fullColour] = all.result();
            const auto [thinned, thinnedColour] = some.result();
            cover.full = full;
            cover.thinned = thinned;
            cover.colour =
                thinned > 0 && full > 0 ? static_cast<double>((labOf(fullColour) - labOf(thinnedColour)).norm()) : 0;
        }
    });
    if (!whole)
        return cancelledError();
    return out;
}

} // namespace thicket
