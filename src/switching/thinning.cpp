#include "switching/thinning.h"

#include "base/text.h"

#include <algorithm>
#include <cmath>
#include <utility>

namespace thicket {
namespace {

/// What those on their way out cover, from the end of the band on: the integral from 0 to t of the smooth step where
/// they lose their width, of its square where they lose their size.
double areaOfStep(bool widths, double t) {
    return widths ? t * t * t * (1 - t / 2) : t * t * t * t * t * (9.0 / 5 + t * (-2 + t * 4.0 / 7));
}

} // namespace

double DistanceCurve::at(double metres) const {
    if (points.empty())
        return 1;
    const auto after = std::upper_bound(points.begin(), points.end(), metres,
                                        [](double m, const CurvePoint& p) { return m < p.metres; });
    if (after == points.begin())
        return points.front().value;
    if (after == points.end())
        return points.back().value;
    const CurvePoint& a = *(after - 1);
    const double width = after->metres - a.metres;
    return a.value + (after->value - a.value) * ((metres - a.metres) / width);
}

std::optional<std::pair<double, double>> DistanceCurve::lineWithin(double nearest, double farthest) const {
    const auto after = std::upper_bound(points.begin(), points.end(), nearest,
                                        [](double m, const CurvePoint& p) { return m < p.metres; });
    if (after != points.end() && after->metres < farthest)
        return std::nullopt;
    if (after == points.begin() || after == points.end())
        return std::pair(points.empty()            ? 1
                         : after == points.begin() ? points.front().value
                                                   : points.back().value,
                         0.0);
    const CurvePoint& a = *(after - 1);
    const double gain = (after->value - a.value) / (after->metres - a.metres);
    return std::pair(a.value - gain * a.metres, gain);
}

std::pair<double, double> DistanceCurve::between(double nearest, double farthest) const {
    const double first = at(nearest);
    const double last = at(farthest);
    auto out = std::minmax(first, last);
    std::pair<double, double> range(out.first, out.second);
    if (points.empty() || points.back().metres <= nearest || points.front().metres >= farthest)
        return range;
    for (const CurvePoint& p : points)
        if (p.metres > nearest && p.metres < farthest) {
            range.first = std::min(range.first, p.value);
            range.second = std::max(range.second, p.value);
        }
    return range;
}

double DistanceCurve::steepest(double nearest, double farthest) const {
    double out = 0;
    for (std::size_t i = 1; i < points.size(); ++i)
        if (points[i].metres >= nearest && points[i - 1].metres <= farthest)
            out = std::max(out, std::abs(points[i].value - points[i - 1].value) /
                                    std::max(points[i].metres - points[i - 1].metres, 1e-9));
    return out;
}

Thinning nearerBy(Thinning thinning, double times) {
    for (DistanceCurve* curve : {&thinning.keep, &thinning.grow})
        for (CurvePoint& p : curve->points)
            p.metres /= times;
    return thinning;
}

Thinning thinningFor(Thinning thinning, double fullHeight) {
    if (thinning.fullHeight <= 0 || fullHeight <= 0)
        return thinning;
    const double was = std::exchange(thinning.fullHeight, fullHeight);
    return nearerBy(std::move(thinning), was / fullHeight);
}

bool Thinning::thins() const {
    const auto differs = [](const DistanceCurve& curve) {
        return std::any_of(curve.points.begin(), curve.points.end(), [](const CurvePoint& p) { return p.value != 1; });
    };
    return differs(keep) || (!holdCover && differs(grow));
}

double coverOf(const Thinning& thinning, double keep) {
    if (keep <= 0)
        return 0;
    const double width = keep * thinning.band;
    if (width <= 0)
        return std::min(keep, 1.0);
    // Of the band only what lies below rank 1 has copies.
    const double lacking = std::clamp((keep + width - 1) / width, 0.0, 1.0);
    return std::min(keep, 1.0) + width * (areaOfStep(thinning.widths, 1) - areaOfStep(thinning.widths, lacking));
}

namespace {

double growthFor(const Thinning& t, double keep) {
    const double cover = coverOf(t, keep);
    if (t.widths)
        return cover <= 1 / t.growAtMost ? t.growAtMost : 1 / cover;
    return cover <= 1 / (t.growAtMost * t.growAtMost) ? t.growAtMost : 1 / std::sqrt(cover);
}

} // namespace

double Thinning::growAt(double metres) const {
    return holdCover ? growthFor(*this, keep.at(metres)) : grow.at(metres);
}

std::pair<double, double> Thinning::sizeWhere(std::pair<double, double> kept, double nearest, double farthest) const {
    if (widths)
        return {1, 1};
    if (!holdCover)
        return grow.between(nearest, farthest);
    return {growthFor(*this, kept.second), growthFor(*this, kept.first)};
}

std::pair<double, double> Thinning::sizeBetween(double nearest, double farthest) const {
    return sizeWhere(widths || !holdCover ? std::pair(1.0, 1.0) : keep.between(nearest, farthest), nearest, farthest);
}

double Thinning::steepestSize(double nearest, double farthest) const {
    if (widths)
        return 0;
    if (!holdCover)
        return grow.steepest(nearest, farthest);
    // d(1/sqrt c) = c'/(2 c^1.5), and 1/sqrt c is what they have grown to; the cover changes at most (1 + band) times
    // as fast as the share.
    const double most = sizeBetween(nearest, farthest).second;
    return 0.5 * most * most * most * keep.steepest(nearest, farthest) * (1 + band);
}

double sizeInBand(const Thinning& thinning, double keep, double rank) {
    if (rank < keep)
        return 1;
    const double width = keep * thinning.band;
    if (width <= 0)
        return 0;
    const double t = std::clamp((keep + width - rank) / width, 0.0, 1.0);
    return t * t * (3 - 2 * t);
}

double coverAt(const Thinning& thinning, double metres) {
    const double growth = thinning.growAt(metres);
    return coverOf(thinning, thinning.keepAt(metres)) * growth * (thinning.widths ? 1 : growth);
}

std::uint16_t spreadOf(std::uint32_t id) {
    return static_cast<std::uint16_t>(hashId(id) >> 16);
}

} // namespace thicket
