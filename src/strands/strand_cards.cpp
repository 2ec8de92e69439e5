#include "strands/strand_cards.h"

#include "base/parallel.h"
#include "strands/nearest_root.h"
#include "strands/ribbon_picture.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace thicket {
namespace {

constexpr int kLongSide = 192;  // pixels of the picture
constexpr int kTrueSide = 1024; // of pictures that areas are counted in
constexpr std::uint32_t kLookedAt = 16;

/// From the side of a strand: x across, y along its line, z towards the eye.
struct Frame {
    Vec3f root;
    Vec3f across;
    Vec3f along;
    Vec3f towards;

    [[nodiscard]] Vec3f place(const Vec3f& p) const {
        const Vec3f to = p - root;
        return {to.dot(across), to.dot(along), to.dot(towards)};
    }
};

/// `turn`: about its axis, radians.
Frame frameOf(const StrandSet& set, std::uint32_t strand, const Vec3f& axis, double turn) {
    Frame out;
    out.root = set.points[set.first[strand]];
    out.along = axis;
    Vec3f side = axis.cross(Vec3f(0, 0, 1));
    if (side.norm() < 0.1F)
        side = axis.cross(Vec3f(1, 0, 0));
    side.normalize();
    const Vec3f other = side.cross(axis);
    const auto c = static_cast<float>(std::cos(turn));
    const auto s = static_cast<float>(std::sin(turn));
    out.across = c * side + s * other;
    out.towards = out.across.cross(out.along);
    return out;
}

struct Extent {
    float half = 0;
    float low = 0;
    float high = 0;
};

Extent extentOf(const StrandSet& set, const std::vector<std::uint32_t>& tuft, const Frame& frame) {
    Extent out;
    for (const std::uint32_t s : tuft)
        for (std::uint32_t p = set.first[s]; p < set.first[s + 1]; ++p) {
            const Vec3f at = frame.place(set.points[p]);
            const float wide = set.widths[p] / 2;
            out.half = std::max(out.half, std::abs(at.x()) + wide);
            out.low = std::min(out.low, at.y() - wide);
            out.high = std::max(out.high, at.y() + wide);
        }
    return out;
}

/// A tuft in the frame of its strand, so large that all of `extent` is in it. Red runs from root to tip.
RibbonPicture draw(const StrandSet& set, const std::vector<std::uint32_t>& tuft, const Frame& frame,
                   const Extent& extent, int longSide, float widths) {
    const float wide = 2 * extent.half;
    const float tall = extent.high - extent.low;
    const float scale = static_cast<float>(longSide) / std::max({wide, tall, 1e-9F}); // samples a metre
    RibbonPicture out(std::max(1, static_cast<int>(std::ceil(wide * scale))),
                      std::max(1, static_cast<int>(std::ceil(tall * scale))));
    for (const std::uint32_t s : tuft) {
        const auto last = static_cast<float>(set.countOf(s) - 1);
        for (std::uint32_t p = set.first[s]; p + 1 < set.first[s + 1]; ++p) {
            const auto on = [&](std::uint32_t i) {
                const Vec3f at = frame.place(set.points[i]);
                return Vec3f((at.x() + extent.half) * scale, (at.y() - extent.low) * scale, at.z() * scale);
            };
            const auto across = [&](std::uint32_t i) { return set.widths[i] * widths * scale; };
            const auto tint = [&](std::uint32_t i) { return Vec3f(static_cast<float>(i - set.first[s]) / last, 0, 0); };
            out.ribbon(on(p), on(p + 1), across(p), across(p + 1), tint(p), tint(p + 1));
        }
    }
    return out;
}

/// Square metres that it covers.
double areaOf(const RibbonPicture& picture, const Extent& extent) {
    return static_cast<double>(picture.coveredCount()) / static_cast<double>(picture.samples()) * 2 *
           static_cast<double>(extent.half) * static_cast<double>(extent.high - extent.low);
}

} // namespace

float StrandCards::at(float u, float v) const {
    const int x = std::clamp(static_cast<int>(u * static_cast<float>(width)), 0, width - 1);
    const int y = std::clamp(static_cast<int>(v * static_cast<float>(height)), 0, height - 1);
    const std::uint8_t value =
        picture[static_cast<std::size_t>(y) * static_cast<std::size_t>(width) + static_cast<std::size_t>(x)];
    return value == 0 ? -1 : static_cast<float>(value - 1) / 254;
}

Result<StrandCards> cardsOf(const StrandSet& set, std::uint32_t perCard, const JobContext& job) {
    const auto count = static_cast<std::uint32_t>(std::max<std::size_t>(1, set.size() / perCard));
    const NearestRoot nearest(set, count);
    std::vector<std::uint32_t> tuftOf(set.size());
    constexpr std::size_t kTogether = 4096;
    const bool whole = parallelChunks(set.size(), kTogether, job, [&](std::size_t begin, std::size_t end) {
        for (std::size_t s = begin; s < end; ++s)
            tuftOf[s] = nearest.of(set.points[set.first[s]]);
    });
    if (!whole)
        return cancelledError();
    const auto lineOf = [&set](std::uint32_t s) -> Vec3f {
        return set.points[set.first[s + 1] - 1] - set.points[set.first[s]];
    };
    std::vector<Vec3f> lines(count, Vec3f::Zero());
    std::vector<std::uint32_t> strands(count, 0);
    for (std::uint32_t s = 0; s < set.size(); ++s) {
        lines[tuftOf[s]] += lineOf(s);
        ++strands[tuftOf[s]];
    }
    StrandCards out;
    out.stands.resize(count);
    std::vector<float> length(count);
    for (std::uint32_t c = 0; c < count; ++c) {
        const Vec3f mean = lines[c] / static_cast<float>(std::max(strands[c], 1U));
        length[c] = mean.norm();
        const Vec3f own = lineOf(c);
        out.stands[c].axis = length[c] > 1e-6F    ? Vec3f(mean / length[c])
                             : own.norm() > 1e-9F ? Vec3f(own.normalized())
                                                  : Vec3f(0, 1, 0);
    }

    struct Tuft {
        std::uint32_t strand = 0;
        std::vector<std::uint32_t> strands;
        double area = 0;
    };
    std::vector<Tuft> tufts(std::min(kLookedAt, count));
    for (std::uint32_t s = 0; s < set.size(); ++s)
        if (tuftOf[s] < tufts.size())
            tufts[tuftOf[s]].strands.push_back(s);
    double mean = 0;
    double meanLength = 0;
    const auto frameAt = [&](std::uint32_t c, double turn) { return frameOf(set, c, out.stands[c].axis, turn); };
    for (std::uint32_t i = 0; i < tufts.size(); ++i) {
        Tuft& tuft = tufts[i];
        tuft.strand = i;
        const Frame frame = frameAt(i, 0);
        const Extent extent = extentOf(set, tuft.strands, frame);
        tuft.area = areaOf(draw(set, tuft.strands, frame, extent, kTrueSide, 1), extent);
        mean += tuft.area / static_cast<double>(tufts.size());
        meanLength += static_cast<double>(length[i]) / static_cast<double>(tufts.size());
    }
    // The one that is most like the mean of all, in its area and in how long its strands are.
    const auto unlike = [&](const Tuft& tuft) {
        const auto apart = [](double a, double b) { return std::abs(std::log(std::max(a, 1e-9) / std::max(b, 1e-9))); };
        return apart(tuft.area, mean) + apart(static_cast<double>(length[tuft.strand]), meanLength);
    };
    const Tuft& typical = *std::min_element(tufts.begin(), tufts.end(),
                                            [&](const Tuft& a, const Tuft& b) { return unlike(a) < unlike(b); });
    for (std::uint32_t c = 0; c < count; ++c)
        out.stands[c].size = std::clamp(length[c] / std::max(length[typical.strand], 1e-9F), 0.5F, 2.0F);
    const Frame frame = frameAt(typical.strand, 0);
    const Extent extent = extentOf(set, typical.strands, frame);
    out.half = std::max(extent.half, 1e-6F);
    out.low = extent.low;
    out.high = std::max(extent.high, extent.low + 1e-6F);
    // As wide as makes it cover what tufts do in the mean: in a small picture thin strands fall between its pixels.
    float thin = 0.25F;
    float thick = 16;
    for (int i = 0; i < 12; ++i) {
        const float widths = std::sqrt(thin * thick);
        (areaOf(draw(set, typical.strands, frame, extent, kLongSide, widths), extent) < mean ? thin : thick) = widths;
    }
    const RibbonPicture picture = draw(set, typical.strands, frame, extent, kLongSide, std::sqrt(thin * thick));
    out.width = picture.width();
    out.height = picture.height();
    out.picture.reserve(picture.samples());
    for (int y = 0; y < out.height; ++y)
        for (int x = 0; x < out.width; ++x) {
            const float along = std::clamp(picture.tint(x, y).x(), 0.0F, 1.0F);
            out.picture.push_back(picture.covered(x, y) ? static_cast<std::uint8_t>(1 + std::lround(254 * along))
                                                        : std::uint8_t{0});
        }
    for (const Tuft& tuft : tufts) {
        const float size = out.stands[tuft.strand].size;
        for (int turn = 0; turn < 4; ++turn) {
            const Extent own = extentOf(set, tuft.strands, frameAt(tuft.strand, turn * std::numbers::pi / 4));
            const float off = std::max({std::abs(own.half - out.half * size), std::abs(own.low - out.low * size),
                                        std::abs(own.high - out.high * size)});
            out.deviation = std::max(out.deviation, static_cast<double>(off));
        }
    }
    return out;
}

double cardGrowthAt(const Thinning& thinning, double metres, double share) {
    const double kept = thinning.keepAt(metres) / share;
    if (kept >= 1 || !thinning.holdCover)
        return 1;
    return std::min(thinning.growAtMost, 1 / std::max(coverOf(thinning, kept), 1e-9));
}

} // namespace thicket
