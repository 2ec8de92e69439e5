#include "bake/silhouette.h"

#include "base/parallel.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace thicket {
namespace {

constexpr float kFar = 1e15F; // squared; more than any picture is wide

/// Lower envelope of parabolas along one line.
void transformLine(const float* in, float* out, int n, std::vector<int>& seat, std::vector<float>& border) {
    seat.assign(static_cast<std::size_t>(n), 0);
    border.assign(static_cast<std::size_t>(n) + 1, 0);
    int k = 0;
    border[0] = -kFar;
    border[1] = kFar;
    const auto meet = [&](int q, int v) {
        return ((in[q] + static_cast<float>(q * q)) - (in[v] + static_cast<float>(v * v))) /
               static_cast<float>(2 * (q - v));
    };
    for (int q = 1; q < n; ++q) {
        float s = meet(q, seat[static_cast<std::size_t>(k)]);
        while (k > 0 && s <= border[static_cast<std::size_t>(k)])
            s = meet(q, seat[static_cast<std::size_t>(--k)]);
        if (s > border[static_cast<std::size_t>(k)])
            ++k;
        seat[static_cast<std::size_t>(k)] = q;
        border[static_cast<std::size_t>(k)] = s;
        border[static_cast<std::size_t>(k) + 1] = kFar;
    }
    k = 0;
    for (int q = 0; q < n; ++q) {
        while (border[static_cast<std::size_t>(k) + 1] < static_cast<float>(q))
            ++k;
        const int v = seat[static_cast<std::size_t>(k)];
        out[q] = static_cast<float>((q - v) * (q - v)) + in[v];
    }
}

struct Raster {
    Vec3d back, right, up, centre;
    double cell = 0;
    int width = 0;
    int height = 0;
    double away = 0;
};

Raster rasterFor(const Bounds& bounds, double yaw, double pitch, int cells) {
    Raster f;
    f.back = {std::sin(yaw) * std::cos(pitch), std::sin(pitch), std::cos(yaw) * std::cos(pitch)};
    f.right = kUp.cross(f.back).normalized();
    f.up = f.back.cross(f.right);
    f.centre = bounds.centre();
    const Vec3d half = bounds.size() / 2;
    const double wide = half.cwiseProduct(f.right.cwiseAbs()).sum();
    const double tall = half.cwiseProduct(f.up.cwiseAbs()).sum();
    f.cell = std::max(2.04 * std::max(wide, tall) / cells, 1e-12);
    f.width = std::max(1, static_cast<int>(std::ceil(2.04 * wide / f.cell)));
    f.height = std::max(1, static_cast<int>(std::ceil(2.04 * tall / f.cell)));
    f.away = bounds.diagonal() + 1;
    return f;
}

std::vector<std::uint8_t> coverOf(const Appearance& what, const Raster& f) {
    std::vector<std::uint8_t> covered(static_cast<std::size_t>(f.width) * static_cast<std::size_t>(f.height), 0);
    parallelChunks(static_cast<std::size_t>(f.height), 8, [&](std::size_t begin, std::size_t end) {
        for (std::size_t y = begin; y < end; ++y)
            for (int x = 0; x < f.width; ++x) {
                const double px = (x + 0.5 - f.width / 2.0) * f.cell;
                const double py = (f.height / 2.0 - static_cast<double>(y) - 0.5) * f.cell;
                covered[y * static_cast<std::size_t>(f.width) + static_cast<std::size_t>(x)] =
                    what.blocks(f.centre + f.right * px + f.up * py + f.back * f.away, -f.back) ? 1 : 0;
            }
    });
    return covered;
}

} // namespace

std::vector<float> distanceMap(const std::vector<std::uint8_t>& covered, int width, int height) {
    std::vector<float> map(covered.size());
    std::vector<float> column(static_cast<std::size_t>(height));
    std::vector<float> out(static_cast<std::size_t>(std::max(width, height)));
    std::vector<int> seat;
    std::vector<float> border;
    for (int x = 0; x < width; ++x) {
        for (int y = 0; y < height; ++y)
            column[static_cast<std::size_t>(y)] = covered[static_cast<std::size_t>(y * width + x)] != 0 ? 0 : kFar;
        transformLine(column.data(), out.data(), height, seat, border);
        for (int y = 0; y < height; ++y)
            map[static_cast<std::size_t>(y * width + x)] = out[static_cast<std::size_t>(y)];
    }
    for (int y = 0; y < height; ++y) {
        float* row = map.data() + static_cast<std::ptrdiff_t>(y) * width;
        transformLine(row, out.data(), width, seat, border);
        for (int x = 0; x < width; ++x)
            row[x] = std::sqrt(out[static_cast<std::size_t>(x)]);
    }
    return map;
}

Result<SilhouetteDifference> silhouetteDifference(const Appearance& a, const Appearance& b,
                                                  const SilhouetteOptions& options, const JobContext& job) {
    return silhouetteDifference(
        a, [&b](const Vec3d&) -> const Appearance& { return b; }, b.bounds(), options, job);
}

Result<SilhouetteDifference> silhouetteDifference(const Appearance& a,
                                                  const std::function<const Appearance&(const Vec3d& back)>& lookOf,
                                                  const Bounds& bounds, const SilhouetteOptions& options,
                                                  const JobContext& job) {
    SilhouetteDifference out;
    const Bounds both{a.bounds().low.cwiseMin(bounds.low), a.bounds().high.cwiseMax(bounds.high)};
    std::vector<double> apart;
    double squares = 0;
    std::size_t coveredByFirst = 0;
    std::size_t byOneAlone = 0;
    const std::size_t views = static_cast<std::size_t>(options.directions) * options.elevations.size();
    for (std::size_t v = 0; v < views; ++v) {
        if (job.cancelled())
            return cancelledError();
        job.report(static_cast<double>(v) / static_cast<double>(views), "comparing outlines");
        const double yaw = 2 * std::numbers::pi *
                           static_cast<double>(v % static_cast<std::size_t>(options.directions)) / options.directions;
        const Raster f =
            rasterFor(both, yaw, options.elevations[v / static_cast<std::size_t>(options.directions)], options.cells);
        out.cell = std::max(out.cell, f.cell);
        const auto coverA = coverOf(a, f);
        const auto coverB = coverOf(lookOf(f.back), f);
        const auto toA = distanceMap(coverA, f.width, f.height);
        const auto toB = distanceMap(coverB, f.width, f.height);
        for (std::size_t i = 0; i < coverA.size(); ++i) {
            coveredByFirst += coverA[i];
            byOneAlone += coverA[i] != coverB[i] ? 1 : 0;
            if (coverA[i] == 0 && coverB[i] == 0)
                continue;
            const double d = std::min(static_cast<double>(coverA[i] != 0 ? toB[i] : toA[i]) * f.cell, both.diagonal());
            apart.push_back(d);
            squares += d * d;
        }
    }
    if (apart.empty())
        return out;
    const auto at99 = apart.begin() + static_cast<std::ptrdiff_t>(0.99 * static_cast<double>(apart.size() - 1));
    std::nth_element(apart.begin(), at99, apart.end());
    out.p99 = *at99;
    out.shift = *std::max_element(at99, apart.end());
    out.rms = std::sqrt(squares / static_cast<double>(apart.size()));
    out.changed = static_cast<double>(byOneAlone) / static_cast<double>(std::max<std::size_t>(coveredByFirst, 1));
    return out;
}

} // namespace thicket
