#include "bake/pop.h"

#include "bake/sample_grid.h"
#include "bake/silhouette.h"
#include "base/parallel.h"
#include "image/colour.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>

namespace thicket {
namespace {

constexpr float kGround = 0.18F;   // linear grey that both stand before
constexpr int kFiner = 2;          // outlines are compared on cells of half a pixel
constexpr float kWhiteDeltaE = 20; // of the difference picture

struct Camera {
    Vec3d eye, back, right, up, centre;
    double metresPerPixel = 0; ///< on the plane through the centre, of the pixels looked at
    int side = 0;
    Vec3d light;
};

Camera cameraFor(const Bounds& bounds, double yaw, double distance, double pixelsPerMetre, const PopOptions& options,
                 double& scale) {
    Camera c;
    const double cp = std::cos(options.elevation);
    c.back = {std::sin(yaw) * cp, std::sin(options.elevation), std::cos(yaw) * cp};
    c.right = kUp.cross(c.back).normalized();
    c.up = c.back.cross(c.right);
    c.centre = bounds.centre();
    c.eye = c.centre + c.back * distance;
    // The largest that a corner of the box lies off the middle, as a share of its depth.
    double reach = 1e-9;
    for (int i = 0; i < 8; ++i) {
        const Vec3d corner((i & 1) != 0 ? bounds.high.x() : bounds.low.x(),
                           (i & 2) != 0 ? bounds.high.y() : bounds.low.y(),
                           (i & 4) != 0 ? bounds.high.z() : bounds.low.z());
        const Vec3d way = corner - c.eye;
        const double depth = std::max(-way.dot(c.back), 0.05 * distance);
        reach = std::max({reach, std::abs(way.dot(c.right)) / depth, std::abs(way.dot(c.up)) / depth});
    }
    const double pixels = 2 * reach * pixelsPerMetre;
    scale = std::min(1.0, options.mostPixels / std::max(pixels, 1.0));
    c.side = std::max(4, static_cast<int>(std::ceil(pixels * scale)) + 4);
    c.metresPerPixel = distance / (pixelsPerMetre * scale);
    const double lightYaw = yaw + options.lightYaw;
    c.light = Vec3d(std::sin(lightYaw), 0.9, std::cos(lightYaw)).normalized();
    return c;
}

struct Picture {
    std::vector<Vec3f> color;          ///< linear, before the ground; a pixel each
    std::vector<float> cover;          ///< a pixel each
    std::vector<std::uint8_t> half;    ///< kFiner^2 cells a pixel: half of it is covered
    std::vector<std::uint8_t> quarter; ///< a quarter of it
};

/// Whether all samples of a pixel lie on one triangle: then four of them tell its colour.
bool oneTriangle(const std::uint32_t* samples, int n, std::size_t across) {
    if (samples[0] == kNoTriangle)
        return false;
    for (int row = 0; row < n; ++row) {
        const std::uint32_t* const from = samples + static_cast<std::size_t>(row) * across;
        if (!std::all_of(from, from + n, [&](std::uint32_t t) { return t == samples[0]; }))
            return false;
    }
    return true;
}
/// A quarter of the way from either side.
bool atQuarter(int sample, int n) {
    return sample == n / 4 || sample == n - 1 - n / 4;
}

Picture take(const Appearance& what, const Camera& c, int n, const JobContext& job) {
    Picture out;
    const auto side = static_cast<std::size_t>(c.side);
    out.color.resize(side * side, Vec3f::Constant(kGround));
    out.cover.resize(side * side, 0);
    out.half.resize(side * side * kFiner * kFiner, 0);
    out.quarter = out.half;
    SampleGrid grid;
    grid.eye = c.eye;
    grid.right = c.right;
    grid.up = c.up;
    grid.ahead = -c.back;
    grid.step = c.metresPerPixel / n / (c.centre - c.eye).norm();
    grid.across = grid.down = c.side * n;
    constexpr int kBand = 256; // samples
    const auto across = static_cast<std::size_t>(grid.across);
    drawInBands(what, grid, std::max(1, kBand / n) * n, [&](int top, std::span<const std::uint32_t> first) {
        std::array<int, kFiner * kFiner> met{};
        const auto rows = first.size() / across / static_cast<std::size_t>(n);
        for (std::size_t row = 0; row < rows && !job.cancelled(); ++row)
            for (std::size_t x = 0; x < side; ++x) {
                Vec3f sum = Vec3f::Zero();
                int hits = 0;
                met.fill(0);
                const std::uint32_t* const own =
                    &first[static_cast<std::size_t>(row) * static_cast<std::size_t>(n) * across +
                           x * static_cast<std::size_t>(n)];
                const bool within = oneTriangle(own, n, across);
                float shaded = 0;
                for (int s = 0; s < n * n; ++s) {
                    const std::uint32_t triangle =
                        own[static_cast<std::size_t>(s / n) * across + static_cast<std::size_t>(s % n)];
                    if (triangle == kNoTriangle)
                        continue;
                    ++hits;
                    ++met[static_cast<std::size_t>(s / n * kFiner / n) * kFiner +
                          static_cast<std::size_t>(s % n * kFiner / n)];
                    if (within && !(atQuarter(s / n, n) && atQuarter(s % n, n)))
                        continue;
                    const Appearance::Seen seen = what.seenOn(
                        triangle, c.eye,
                        grid.towards(static_cast<int>(x) * n + s % n, top + static_cast<int>(row) * n + s / n));
                    const double shade = shadeOf(seen.normal.dot(c.light));
                    sum += static_cast<float>(shade) * seen.color;
                    ++shaded;
                }
                if (hits == 0)
                    continue;
                const std::size_t y = static_cast<std::size_t>(top / n) + row;
                const float cover = static_cast<float>(hits) / static_cast<float>(n * n);
                out.cover[y * side + x] = cover;
                out.color[y * side + x] = sum * (cover / shaded) + Vec3f::Constant(kGround * (1 - cover));
                for (std::size_t k = 0; k < met.size(); ++k) {
                    const std::size_t at = (y * kFiner + k / kFiner) * side * kFiner + x * kFiner + k % kFiner;
                    out.half[at] = 2 * met[k] * kFiner * kFiner >= n * n ? 1 : 0;
                    out.quarter[at] = 4 * met[k] * kFiner * kFiner >= n * n ? 1 : 0;
                }
            }
    });
    return out;
}

/// Whether each cell of one lies in the other, or beside a cell that does: mostly so, and much sooner told than how far
/// they are.
bool besideEachOther(const std::vector<std::uint8_t>& cells, const std::vector<std::uint8_t>& others, int side) {
    for (int y = 0; y < side; ++y)
        for (int x = 0; x < side; ++x) {
            const std::size_t at =
                static_cast<std::size_t>(y) * static_cast<std::size_t>(side) + static_cast<std::size_t>(x);
            if (cells[at] == 0 || others[at] != 0)
                continue;
            bool beside = false;
            for (int v = std::max(0, y - 1); v <= std::min(side - 1, y + 1); ++v)
                for (int u = std::max(0, x - 1); u <= std::min(side - 1, x + 1); ++u)
                    beside |= others[static_cast<std::size_t>(v) * static_cast<std::size_t>(side) +
                                     static_cast<std::size_t>(u)] != 0;
            if (!beside)
                return false;
        }
    return true;
}

/// The farthest that a cell half covered by one is from the nearest that the other covers, pixels looked at. A quarter
/// is enough there: what is thin and covers about half of its cells must not come and go by a hair.
double outlineShift(const Picture& a, const Picture& b, int side) {
    const int cells = side * kFiner;
    if (besideEachOther(a.half, b.quarter, cells) && besideEachOther(b.half, a.quarter, cells))
        return 0;
    std::array<std::vector<float>, 2> to;
    parallelChunks(2, 1, [&](std::size_t which, std::size_t) {
        to[which] = distanceMap(which == 0 ? a.quarter : b.quarter, cells, cells);
    });
    double most = 0;
    for (std::size_t i = 0; i < a.half.size(); ++i) {
        if (a.half[i] != 0)
            most = std::max(most, static_cast<double>(to[1][i]));
        if (b.half[i] != 0)
            most = std::max(most, static_cast<double>(to[0][i]));
    }
    // A cell to the side may be no more than the grid's own step.
    most = std::max(0.0, std::min(most, std::sqrt(2.0) * cells) - std::sqrt(2.0));
    return most / kFiner;
}

/// Rows that a picture covers, pixels looked at.
double rowsOf(const Picture& p, int side) {
    const auto cells = static_cast<std::size_t>(side) * kFiner;
    std::size_t first = cells;
    std::size_t last = 0;
    for (std::size_t i = 0; i < p.half.size(); ++i)
        if (p.half[i] != 0) {
            first = std::min(first, i / cells);
            last = std::max(last, i / cells);
        }
    return first > last ? 0 : static_cast<double>(last - first + 1) / kFiner;
}

/// What is kept to be shown: at true size, or so that it fits where others do.
Pixels kept(Pixels picture, bool plain) {
    constexpr int kMostShown = 320;
    while (picture.width > kMostShown)
        picture = halveImage(picture, plain);
    return picture;
}

Pixels shown(const Picture& p, int side) {
    Pixels out{side, side, {}};
    for (std::size_t i = 0; i < p.color.size(); ++i) {
        for (int k = 0; k < 3; ++k)
            out.rgba.push_back(toSrgb(p.color[i][k]));
        out.rgba.push_back(static_cast<std::uint8_t>(std::lround(255 * p.cover[i])));
    }
    return out;
}

} // namespace

double PopScore::severity(double allowPx) const {
    return cloud ? meanDeltaE / kCloudDeltaE
                 : std::max({outlineShift / std::max(allowPx, 1e-9), changedPixels / 0.01, line / kLineDeltaE});
}

namespace {

/// Samples along a pixel's side: more where the object is small and its pictures cost little. What is thin there would
/// otherwise change by a sample's worth between two surfaces that are the same to the eye.
int samplesFor(const PopOptions& options, int side) {
    constexpr int kMostSamples = 12;
    constexpr int kSmall = 224; // pixels; from there on the fewest do
    const int afford = std::min(kMostSamples, options.samplesPerSide * kSmall / std::max(side, 1));
    return std::max(options.samplesPerSide, afford / kFiner * kFiner);
}

} // namespace

namespace {

/// Blurs by a Gaussian, rows and then columns. What lies beyond the picture is as its edge.
std::vector<Vec3f> blurred(const std::vector<Vec3f>& colors, int side, double sigma) {
    constexpr double kLeast = 0.1; // pixels: less changes nothing
    if (sigma < kLeast)
        return colors;
    const int reach = static_cast<int>(std::ceil(3 * sigma));
    std::vector<float> weights;
    double sum = 0;
    for (int k = -reach; k <= reach; ++k) {
        weights.push_back(static_cast<float>(std::exp(-k * k / (2 * sigma * sigma))));
        sum += static_cast<double>(weights.back());
    }
    for (float& w : weights)
        w /= static_cast<float>(sum);
    std::vector<Vec3f> from = colors;
    std::vector<Vec3f> to(colors.size());
    for (const bool columns : {false, true}) {
        parallelChunks(static_cast<std::size_t>(side), 16, [&](std::size_t begin, std::size_t end) {
            for (int y = static_cast<int>(begin); y < static_cast<int>(end); ++y)
                for (int x = 0; x < side; ++x) {
                    Vec3f mean = Vec3f::Zero();
                    for (int k = -reach; k <= reach; ++k) {
                        const int u = columns ? x : std::clamp(x + k, 0, side - 1);
                        const int v = columns ? std::clamp(y + k, 0, side - 1) : y;
                        mean += weights[static_cast<std::size_t>(k + reach)] *
                                from[static_cast<std::size_t>(v) * static_cast<std::size_t>(side) +
                                     static_cast<std::size_t>(u)];
                    }
                    to[static_cast<std::size_t>(y) * static_cast<std::size_t>(side) + static_cast<std::size_t>(x)] =
                        mean;
                }
        });
        std::swap(from, to);
    }
    return from;
}

} // namespace

Result<PopScore> scorePop(const LookFrom& finer, const LookFrom& coarser, const Bounds& bounds, double centreDistance,
                          double pixelsPerMetre, const PopOptions& options, const JobContext& job) {
    PopScore out;
    double mostChanged = -1;
    for (int turn = 0; turn < options.directions; ++turn) {
        if (job.cancelled())
            return cancelledError();
        job.report(static_cast<double>(turn) / options.directions, "looking at a switch");
        const int d = (options.firstDirection + turn) % options.directions;
        double scale = 1;
        const Camera c = cameraFor(bounds, 2 * std::numbers::pi * (d + 0.25) / options.directions, centreDistance,
                                   pixelsPerMetre, options, scale);
        const int samples = samplesFor(options, c.side);
        const Picture a = take(finer(c.back), c, samples, job);
        if (job.cancelled())
            return cancelledError();
        const Picture b = take(coarser(c.back), c, samples, job);
        if (job.cancelled())
            return cancelledError();
        out.scale = std::min(out.scale, scale);
        out.pixelsTall = std::max(out.pixelsTall, rowsOf(a, c.side) / scale);
        out.outlineShift = std::max(out.outlineShift, outlineShift(a, b, c.side) / scale);
        const std::vector<Vec3f> before = blurred(a.color, c.side, options.blurPx * scale);
        const std::vector<Vec3f> after = blurred(b.color, c.side, options.blurPx * scale);
        Pixels difference{c.side, c.side, std::vector<std::uint8_t>(4 * a.color.size(), 255)};
        struct Changes {
            std::size_t object = 0;
            std::size_t changed = 0;
            double sum = 0;
        };
        constexpr std::size_t kTogether = 16384;
        std::vector<Changes> changes((a.color.size() + kTogether - 1) / kTogether);
        parallelChunks(a.color.size(), kTogether, [&](std::size_t begin, std::size_t end) {
            Changes& own = changes[begin / kTogether];
            for (std::size_t i = begin; i < end; ++i) {
                const bool covered = a.cover[i] > 0 || b.cover[i] > 0;
                const float apart = covered ? (labOf(before[i]) - labOf(after[i])).norm() : 0.0F;
                const auto grey = static_cast<std::uint8_t>(std::lround(255 * std::min(1.0F, apart / kWhiteDeltaE)));
                std::fill_n(&difference.rgba[4 * i], 3, grey);
                own.object += covered ? 1 : 0;
                own.changed += covered && apart > options.changedDeltaE ? 1 : 0;
                own.sum += static_cast<double>(apart);
            }
        });
        std::size_t object = 0;
        std::size_t changed = 0;
        double sum = 0;
        for (const Changes& some : changes) {
            object += some.object;
            changed += some.changed;
            sum += some.sum;
        }
        const double share = object > 0 ? static_cast<double>(changed) / static_cast<double>(object) : 0;
        out.changedPixels = std::max(out.changedPixels, share);
        out.meanDeltaE = std::max(out.meanDeltaE, object > 0 ? sum / static_cast<double>(object) : 0);
        if (share > mostChanged) {
            mostChanged = share;
            out.direction = d;
            out.before = kept(shown(a, c.side), false);
            out.after = kept(shown(b, c.side), false);
            out.difference = kept(std::move(difference), true);
        }
        if (options.untilSeen && !out.unseen(*options.untilSeen))
            return out;
    }
    return out;
}

} // namespace thicket
