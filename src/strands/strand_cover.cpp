#include "strands/strand_cover.h"

#include "base/parallel.h"
#include "base/text.h"
#include "image/colour.h"

#include <algorithm>
#include <cmath>

namespace thicket {
namespace {

constexpr int kPixels = 96; // of a picture, each way
constexpr int kSamples = 4; // a pixel, each way
constexpr int kSide = kPixels * kSamples;

/// A picture of ribbons that face the eye; x to the right, y up, z towards the eye, in samples.
class Picture {
public:
    Picture() : m_depth(std::size_t{kSide} * kSide, -1e30F), m_colour(m_depth.size(), Vec3f::Zero()) {}

    void ribbon(const Vec3f& a, const Vec3f& b, float wideA, float wideB, const Vec3f& tintA, const Vec3f& tintB) {
        const Eigen::Vector2f along(b.x() - a.x(), b.y() - a.y());
        const float length = along.norm();
        if (length < 1e-6F)
            return;
        const Eigen::Vector2f unit = along / length;
        const float half = std::max(wideA, wideB) / 2;
        const int left = std::max(0, static_cast<int>(std::floor(std::min(a.x(), b.x()) - half)));
        const int right = std::min(kSide - 1, static_cast<int>(std::ceil(std::max(a.x(), b.x()) + half)));
        const int low = std::max(0, static_cast<int>(std::floor(std::min(a.y(), b.y()) - half)));
        const int high = std::min(kSide - 1, static_cast<int>(std::ceil(std::max(a.y(), b.y()) + half)));
        for (int y = low; y <= high; ++y)
            for (int x = left; x <= right; ++x) {
                const Eigen::Vector2f to(static_cast<float>(x) + 0.5F - a.x(), static_cast<float>(y) + 0.5F - a.y());
                const float t = to.dot(unit) / length;
                if (t < 0 || t > 1)
                    continue;
                const float off = std::abs(to.x() * unit.y() - to.y() * unit.x());
                if (off > (wideA + t * (wideB - wideA)) / 2)
                    continue;
                const std::size_t at = static_cast<std::size_t>(y) * kSide + static_cast<std::size_t>(x);
                const float depth = a.z() + t * (b.z() - a.z());
                if (depth <= m_depth[at])
                    continue;
                m_depth[at] = depth;
                m_colour[at] = tintA + t * (tintB - tintA);
            }
    }

    /// The share that is covered, and the mean colour of it.
    [[nodiscard]] std::pair<double, Vec3f> result() const {
        std::size_t covered = 0;
        Vec3d sum(0, 0, 0);
        for (std::size_t i = 0; i < m_depth.size(); ++i)
            if (m_depth[i] > -1e29F) {
                ++covered;
                sum += m_colour[i].cast<double>();
            }
        return {static_cast<double>(covered) / static_cast<double>(m_depth.size()),
                Vec3f((sum / static_cast<double>(std::max<std::size_t>(covered, 1))).cast<float>())};
    }

private:
    std::vector<float> m_depth;
    std::vector<Vec3f> m_colour;
};

} // namespace

float lightnessOf(const StrandLook& look, std::uint32_t strand) {
    return static_cast<float>(1 + look.vary * (2 * hashShare(strand) - 1));
}

Result<std::vector<StrandCover>> measureCover(const StrandSet& set, std::span<const float> worth,
                                              const ResolvedChain& chain, const Thinning& thinning,
                                              const StrandLook& look, const View& view,
                                              std::span<const double> distances, const JobContext& job) {
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
            const auto off = level > 0 ? static_cast<float>(chain.levels[level].deviationMetres) : -1.0F;
            const double keep = thinning.keepAt(distances[i]);
            const auto grow = static_cast<float>(thinning.growAt(distances[i]));
            Picture all;
            Picture some;
            std::vector<std::uint32_t> kept;
            for (std::uint32_t s = 0; s < set.size(); ++s) {
                const Vec3f root = set.points[set.first[s]] - centre;
                if (std::abs(root.x()) > 0.7F * wide || std::abs(root.z()) > 2 * wide)
                    continue;
                ++cover.strands;
                const float light = lightnessOf(look, s);
                const auto draw = [&](Picture& into, float widths, float allowed) {
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
                draw(all, 1, -1);
                const double size = sizeInBand(thinning, keep, rankOf(s, set.size()));
                if (size > 0) {
                    ++cover.drawn;
                    draw(some, static_cast<float>(size) * grow, off);
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
