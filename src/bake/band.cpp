#include "bake/band.h"

#include "base/parallel.h"
#include "image/colour.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace thicket {
namespace {

constexpr float kBandGround = 0.18F; // linear grey that they stand before
constexpr float kBandWhite = 20;     // delta E that is white in the difference
constexpr double kStrip = 8;         // pixels of the screen
constexpr int kBin = 8;              // pixels along a square that lists the copies which may be met there
constexpr int kPictures = 4;         // all finer, one by one, at one distance, all coarser
constexpr std::size_t kAllCoarser = 3;
constexpr double kLeastDepth = 0.05; // of the distance; nearer copies are left out

/// Where a shot is seen from.
struct Stand {
    Vec3d back, right, up, light;
    double distance = 1;
};

Stand standOf(const BandShot& shot, const PopOptions& options) {
    Stand out;
    out.distance = std::max((shot.eye - shot.target).norm(), 1e-6);
    out.back = (shot.eye - shot.target) / out.distance;
    out.right = kUp.cross(out.back).normalized();
    out.up = out.back.cross(out.right);
    const Vec3d side = out.right * std::sin(options.lightYaw) + out.back * std::cos(options.lightYaw);
    out.light = Vec3d(side.x(), 0.9, side.z()).normalized();
    return out;
}

/// Where a copy is seen, pixels of the screen from the target to the right and up; and its eye.
struct Seat {
    std::uint32_t copy = 0;
    double left, right, low, high;
    double nearest = 0; ///< from the eye, metres
    Vec3d eye;          ///< in its own space
};

std::optional<Seat> seatOf(const BandCopy& copy, std::uint32_t index, const BandShot& shot, const Stand& stand,
                           double pixelsPerMetre) {
    const Bounds& a = copy.finer->bounds();
    const Bounds& b = copy.coarser->bounds();
    const Vec3d low = a.low.cwiseMin(b.low);
    const Vec3d high = a.high.cwiseMax(b.high);
    Seat seat{index, 1e300, -1e300, 1e300, -1e300, 0, {}};
    for (int i = 0; i < 8; ++i) {
        const Vec3d own((i & 1) != 0 ? high.x() : low.x(), (i & 2) != 0 ? high.y() : low.y(),
                        (i & 4) != 0 ? high.z() : low.z());
        const Vec3d way = copy.position + copy.rotation * (own * copy.scale) - shot.eye;
        const double depth = -way.dot(stand.back);
        if (depth < kLeastDepth * stand.distance)
            return std::nullopt;
        const double x = way.dot(stand.right) * pixelsPerMetre / depth;
        const double y = way.dot(stand.up) * pixelsPerMetre / depth;
        seat.left = std::min(seat.left, x);
        seat.right = std::max(seat.right, x);
        seat.low = std::min(seat.low, y);
        seat.high = std::max(seat.high, y);
    }
    const Vec3d middle = copy.position + copy.rotation * ((low + high) / 2 * copy.scale);
    seat.nearest = std::max(0.0, (middle - shot.eye).norm() - (high - low).norm() / 2 * copy.scale);
    seat.eye = copy.rotation.conjugate() * (shot.eye - copy.position) / copy.scale;
    return seat;
}

/// What all pictures have in common.
struct Frame {
    double scale = 1; ///< pixels looked at for each of the screen's
    double top = 0;   ///< pixels of the screen above the target
    int width = 1;
    int height = 1;
    int strip = 1;
    int samples = 1; ///< along a pixel's side
};

/// A pixel each, linear.
struct Shots {
    std::array<std::vector<Vec3f>, kPictures> color;
    std::array<std::vector<float>, kPictures> cover;
};

/// What a ray meets first in each of the pictures.
struct Met {
    double distance = 1e300;
    Vec3f color{0, 0, 0};
};

std::array<Met, kPictures> meet(const std::vector<BandCopy>& copies, const std::vector<Seat>& seats,
                                const std::vector<std::uint32_t>& listed, const Vec3d& direction, const Vec3d& light) {
    std::array<Met, kPictures> out;
    const auto nearer = [](const Met& a, const Met& b) { return a.distance < b.distance; };
    for (const std::uint32_t at : listed) {
        const Seat& seat = seats[at];
        if (seat.nearest > std::max_element(out.begin(), out.end(), nearer)->distance)
            break; // they are listed from the nearest on
        const BandCopy& copy = copies[seat.copy];
        const Vec3d own = copy.rotation.conjugate() * direction;
        const std::array<bool, kPictures> coarse{false, copy.soft, copy.sudden, true};
        for (const bool wanted : {false, true}) {
            const auto seen = (wanted ? copy.coarser : copy.finer)->look(seat.eye, own);
            if (!seen)
                continue;
            const double distance = seen->distance * copy.scale;
            const double shade = shadeOf((copy.rotation * seen->normal).dot(light));
            for (std::size_t k = 0; k < kPictures; ++k)
                if (coarse[k] == wanted && distance < out[k].distance)
                    out[k] = {distance, static_cast<float>(shade) * seen->color};
        }
    }
    return out;
}

Shots take(const BandShot& shot, const Stand& stand, const std::vector<Seat>& seats, const Frame& f,
           double pixelsPerMetre, const JobContext& job) {
    const int across = (f.width + kBin - 1) / kBin;
    const int down = (f.height + kBin - 1) / kBin;
    std::vector<std::vector<std::uint32_t>> bins(static_cast<std::size_t>(across) * static_cast<std::size_t>(down));
    const double left = -f.width / 2.0 / f.scale;
    const auto binOf = [&](double pixels) { return static_cast<int>(std::floor(pixels * f.scale / kBin)); };
    for (std::uint32_t i = 0; i < seats.size(); ++i)
        for (int y = std::max(0, binOf(f.top - seats[i].high)); y <= std::min(down - 1, binOf(f.top - seats[i].low));
             ++y)
            for (int x = std::max(0, binOf(seats[i].left - left));
                 x <= std::min(across - 1, binOf(seats[i].right - left)); ++x)
                bins[static_cast<std::size_t>(y) * static_cast<std::size_t>(across) + static_cast<std::size_t>(x)]
                    .push_back(i);
    Shots out;
    const auto pixels = static_cast<std::size_t>(f.width) * static_cast<std::size_t>(f.height);
    for (std::size_t k = 0; k < kPictures; ++k) {
        out.color[k].resize(pixels);
        out.cover[k].resize(pixels);
    }
    const int n = f.samples;
    parallelChunks(bins.size(), 4, [&](std::size_t begin, std::size_t end) {
        for (std::size_t bin = begin; bin < end && !job.cancelled(); ++bin) {
            const int x0 = static_cast<int>(bin) % across * kBin;
            const int y0 = static_cast<int>(bin) / across * kBin;
            for (int y = y0; y < std::min(y0 + kBin, f.height); ++y)
                for (int x = x0; x < std::min(x0 + kBin, f.width); ++x) {
                    std::array<Vec3f, kPictures> sum;
                    sum.fill(Vec3f::Zero());
                    std::array<int, kPictures> hits{};
                    for (int s = 0; s < n * n; ++s) {
                        const double px = left + (x + (s % n + 0.5) / n) / f.scale;
                        const double py = f.top - (y + (s / n + 0.5) / n) / f.scale;
                        const Vec3d direction =
                            (stand.right * px + stand.up * py - stand.back * pixelsPerMetre).normalized();
                        const auto met = meet(shot.copies, seats, bins[bin], direction, stand.light);
                        for (std::size_t k = 0; k < kPictures; ++k)
                            if (met[k].distance < 1e300) {
                                sum[k] += met[k].color;
                                ++hits[k];
                            }
                    }
                    const auto at =
                        static_cast<std::size_t>(y) * static_cast<std::size_t>(f.width) + static_cast<std::size_t>(x);
                    for (std::size_t k = 0; k < kPictures; ++k) {
                        const float cover = static_cast<float>(hits[k]) / static_cast<float>(n * n);
                        out.cover[k][at] = cover;
                        out.color[k][at] =
                            sum[k] / static_cast<float>(n * n) + Vec3f::Constant(kBandGround * (1 - cover));
                    }
                }
        }
    });
    return out;
}

/// Of each picture the sum of the colours of each row, over all shots.
using Rows = std::array<std::vector<Vec3d>, kPictures>;

void addRows(Rows& rows, const Shots& shots, const Frame& f) {
    for (std::size_t k = 0; k < kPictures; ++k)
        for (std::size_t i = 0; i < shots.color[k].size(); ++i)
            rows[k][i / static_cast<std::size_t>(f.width)] += shots.color[k][i].cast<double>();
}

/// The most that a strip is changed more than the one below it. How far a strip is changed is told by the way from all
/// finer to all coarser, so that where the field ends, or ground shows between its copies, is no line of the switch's.
double lineIn(const Rows& rows, std::size_t picture, const Frame& f, std::size_t shots) {
    const auto strip = static_cast<std::size_t>(f.strip);
    const auto meanOf = [&](std::size_t k, std::size_t row) -> Vec3d {
        Vec3d sum = Vec3d::Zero();
        for (std::size_t i = row; i < row + strip; ++i)
            sum += rows[k][i];
        return sum / (static_cast<double>(strip * shots) * f.width);
    };
    struct Changed {
        double share = 0;
        double most = 0; ///< if all of it were, delta E
    };
    std::vector<Changed> change;
    for (std::size_t row = 0; row + strip <= rows[0].size(); ++row) {
        const Vec3d finer = meanOf(0, row);
        const Vec3d way = meanOf(kAllCoarser, row) - finer;
        const double share = (meanOf(picture, row) - finer).dot(way) / std::max(way.squaredNorm(), 1e-18);
        const float most = (labOf((finer + way).cast<float>()) - labOf(finer.cast<float>())).norm();
        change.push_back({share, static_cast<double>(most)});
    }
    double out = 0;
    for (std::size_t row = 0; row + strip < change.size(); ++row) {
        const Changed& above = change[row];
        const Changed& below = change[row + strip];
        out = std::max(out, std::abs(above.share - below.share) * std::min(above.most, below.most));
    }
    return out;
}

Pixels pictureOf(const Shots& shots, std::size_t k, const Frame& f) {
    Pixels out{f.width, f.height, {}};
    for (std::size_t i = 0; i < shots.color[k].size(); ++i) {
        for (int c = 0; c < 3; ++c)
            out.rgba.push_back(toSrgb(shots.color[k][i][c]));
        out.rgba.push_back(static_cast<std::uint8_t>(std::lround(255 * shots.cover[k][i])));
    }
    return out;
}

} // namespace

Result<BandLine> lookAtBand(std::span<const BandShot> shots, double pixelsPerMetre, const PopOptions& options,
                            const JobContext& job) {
    std::vector<Stand> stands;
    std::vector<std::vector<Seat>> seats(shots.size());
    double low = 0;
    double high = 0;
    for (std::size_t i = 0; i < shots.size(); ++i) {
        stands.push_back(standOf(shots[i], options));
        for (std::uint32_t k = 0; k < shots[i].copies.size(); ++k) {
            const auto seat = seatOf(shots[i].copies[k], k, shots[i], stands[i], pixelsPerMetre);
            if (!seat || seat->right < -kBandWidth / 2 || seat->left > kBandWidth / 2)
                continue;
            low = std::min(low, seat->low);
            high = std::max(high, seat->high);
            seats[i].push_back(*seat);
        }
        std::stable_sort(seats[i].begin(), seats[i].end(),
                         [](const Seat& a, const Seat& b) { return a.nearest < b.nearest; });
    }
    Frame f;
    f.scale = std::min(1.0, options.mostFieldPixels / std::max(high - low, 1.0));
    f.top = high + 1 / f.scale;
    f.width = std::max(1, static_cast<int>(std::lround(kBandWidth * f.scale)));
    f.strip = std::max(2, static_cast<int>(std::lround(kStrip * f.scale)));
    f.height = std::max(2 * f.strip + 1, static_cast<int>(std::ceil((high - low) * f.scale)) + 2);
    f.samples = std::max(1, options.samplesPerSide / 2);

    BandLine out;
    out.scale = f.scale;
    Rows rows;
    rows.fill(std::vector<Vec3d>(static_cast<std::size_t>(f.height), Vec3d::Zero()));
    for (std::size_t i = 0; i < shots.size(); ++i) {
        job.report(static_cast<double>(i) / static_cast<double>(shots.size()), "looking at a switch of a field");
        const Shots taken = take(shots[i], stands[i], seats[i], f, pixelsPerMetre, job);
        if (job.cancelled())
            return cancelledError();
        addRows(rows, taken, f);
        if (i > 0)
            continue;
        out.softly = pictureOf(taken, 1, f);
        out.suddenly = pictureOf(taken, 2, f);
        out.difference = Pixels{f.width, f.height, std::vector<std::uint8_t>(4 * taken.color[0].size(), 255)};
        for (std::size_t p = 0; p < taken.color[0].size(); ++p) {
            const float apart = (labOf(taken.color[0][p]) - labOf(taken.color[1][p])).norm();
            std::fill_n(&out.difference.rgba[4 * p], 3,
                        static_cast<std::uint8_t>(std::lround(255 * std::min(1.0F, apart / kBandWhite))));
        }
    }
    out.soft = lineIn(rows, 1, f, shots.size());
    out.sudden = lineIn(rows, 2, f, shots.size());
    return out;
}

} // namespace thicket
