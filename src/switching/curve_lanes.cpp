#include "switching/curve_lanes.h"

#include "base/lanes.h"

#include <cassert>
#include <cmath>

namespace thicket::detail {
namespace {

THICKET_LANES void lineOver(float start, float gain, const float* metres, std::size_t count, float* __restrict out) {
    for (std::size_t k = 0; k < count; ++k)
        out[k] = start + gain * metres[k];
}
THICKET_LANES void addFrom(float at, float gain, const float* metres, std::size_t count, float* __restrict out) {
    for (std::size_t k = 0; k < count; ++k)
        out[k] += gain * larger(metres[k] - at, 0);
}

/// What is covered where so much is kept, as coverOf() has it: of the band only what lies below rank 1 has copies.
THICKET_LANES void coversOf(const float* kept, float band, bool widths, std::size_t count, float* __restrict out) {
    constexpr float kTiny = 1e-20F;
    if (widths) {
        for (std::size_t k = 0; k < count; ++k) {
            const float width = kept[k] * band;
            const float t = smaller(larger(kept[k] + width - 1, 0) / larger(width, kTiny), 1);
            out[k] = smaller(kept[k], 1) + width * (0.5F - t * t * t * (1 - t / 2));
        }
        return;
    }
    constexpr float kAll = 9.0F / 5 - 2 + 4.0F / 7;
    for (std::size_t k = 0; k < count; ++k) {
        const float width = kept[k] * band;
        const float t = smaller(larger(kept[k] + width - 1, 0) / larger(width, kTiny), 1);
        out[k] = smaller(kept[k], 1) + width * (kAll - t * t * t * t * t * (9.0F / 5 + t * (-2 + t * (4.0F / 7))));
    }
}

THICKET_LANES void growthsFor(float most, bool widths, std::size_t count, float* __restrict covers) {
    if (widths) {
        const float enough = 1 / most;
        for (std::size_t k = 0; k < count; ++k)
            covers[k] = covers[k] <= enough ? most : 1 / larger(covers[k], enough);
        return;
    }
    const float enough = 1 / (most * most);
    for (std::size_t k = 0; k < count; ++k)
        covers[k] = covers[k] <= enough ? most : 1 / std::sqrt(larger(covers[k], enough));
}

} // namespace

LaneCurve::LaneCurve(const DistanceCurve& of, double nearest, double farthest) {
    const auto& all = of.points;
    assert(all.size() <= DistanceCurve::kMostPoints);
    const auto gainTo = [&all](std::size_t i) { // of the line that ends there
        return i == 0 || i >= all.size() ? 0.0
                                         : (all[i].value - all[i - 1].value) / (all[i].metres - all[i - 1].metres);
    };
    std::size_t next = 0;
    while (next < all.size() && all[next].metres <= nearest)
        ++next;
    double now = gainTo(next);
    gain = static_cast<float>(now);
    if (!all.empty()) {
        const CurvePoint& on = all[next > 0 ? next - 1 : 0];
        start = static_cast<float>(on.value - now * on.metres);
    }
    for (; next < all.size() && all[next].metres < farthest; ++next) {
        const double after = gainTo(next + 1);
        points[count++] = {static_cast<float>(all[next].metres), static_cast<float>(after - now)};
        now = after;
    }
}

double LaneCurve::rounding(double farthest) const {
    constexpr double kRelative = 5e-7;
    double sum = 1 + std::abs(static_cast<double>(start)) + std::abs(static_cast<double>(gain)) * farthest;
    for (std::size_t p = 0; p < count; ++p)
        sum += std::abs(static_cast<double>(points[p].gain)) * farthest;
    return kRelative * sum;
}

LaneThinning::LaneThinning(const Thinning& of, double nearest, double farthest)
    : keep(of.keep, nearest, farthest), held(of.holdCover), band(static_cast<float>(of.band)),
      most(static_cast<float>(of.growAtMost)), widths(of.widths) {
    if (!held)
        grow = LaneCurve(of.grow, nearest, farthest);
}

void curveOver(const LaneCurve& curve, const float* metres, std::size_t count, float* out) {
    lineOver(curve.start, curve.gain, metres, count, out);
    for (std::size_t p = 0; p < curve.count; ++p)
        addFrom(curve.points[p].at, curve.points[p].gain, metres, count, out);
}

void growthsOver(const LaneThinning& thinning, const float* metres, const float* kept, std::size_t count, float* out) {
    if (!thinning.held) {
        curveOver(thinning.grow, metres, count, out);
        return;
    }
    coversOf(kept, thinning.band, thinning.widths, count, out);
    growthsFor(thinning.most, thinning.widths, count, out);
}

} // namespace thicket::detail
