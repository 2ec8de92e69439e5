#include "switching/cell_lanes.h"

#include "base/lanes.h"

#include <cmath>
#include <numbers>

namespace thicket::detail {
namespace {

constexpr float kTinySquare = 1e-12F;
constexpr float kOfDisc = static_cast<float>(0.3 * std::numbers::pi / 4); ///< a thing fills three tenths of its disc

THICKET_LANES void distancesTo(const CellTable::Boxes& boxes, double ex, double ey, double ez, std::size_t count,
                               float* __restrict out) {
    for (std::size_t c = 0; c < count; ++c) {
        const auto x = static_cast<float>(boxes.x[c] - ex);
        const auto y = static_cast<float>(boxes.y[c] - ey);
        const auto z = static_cast<float>(boxes.z[c] - ez);
        out[c] = std::sqrt(x * x + y * y + z * z);
    }
}

struct FarRule {
    double ex, ey, ez;
    float radius;
    float pixelScale;
    float squareStep;
};
THICKET_LANES void farPixels(const CellTable::Boxes& boxes, const FarRule& rule, const float* squares,
                             const float* growths, std::size_t count, float* __restrict out) {
    constexpr float kFar = 4; // times a cell's size
    const float by = 2 * rule.pixelScale;
    const float disc = kOfDisc * rule.squareStep;
    for (std::size_t c = 0; c < count; ++c) {
        const auto x = static_cast<float>(boxes.x[c] - rule.ex);
        const auto y = static_cast<float>(boxes.y[c] - rule.ey);
        const auto z = static_cast<float>(boxes.z[c] - rule.ez);
        const float squared = larger(x * x + y * y + z * z, kTinySquare);
        const float radius = rule.radius * growths[c];
        const float size = kFar * (boxes.half[c] + radius * boxes.mostScale[c]);
        // The mean of 1/d^2 over places spread evenly in the cell's box, to the second order.
        const float inverse = 1 / squared;
        const float sx = boxes.halfX[c] * boxes.halfX[c] * inverse / 3;
        const float sy = boxes.halfY[c] * boxes.halfY[c] * inverse / 3;
        const float sz = boxes.halfZ[c] * boxes.halfZ[c] * inverse / 3;
        const float more = 4 * inverse * (x * x * sx + y * y * sy + z * z * sz) - (sx + sy + sz);
        const float tall = by * radius;
        const float pixels = disc * (tall * tall / squared) * squares[c] * (1 + more);
        const float far = squared > size * size ? pixels : -1.0F;
        out[c] = squares[c] > 0 ? far : 0.0F;
    }
}

/// Ribbons are never thinner than a pixel; seen from anywhere they are as long as from the side, on the safe side.
THICKET_LANES void ribbonPixels(const float* away, const float* half, const float* growths, const float* drawn,
                                float pixelScale, float length, float width, std::size_t count, float* __restrict out) {
    for (std::size_t c = 0; c < count; ++c) {
        const float near = larger(away[c], half[c] / 2 + 0.1F); // inside of a cell: its strands' mean distance
        const float metre = pixelScale / near;
        out[c] = drawn[c] * length * metre * larger(width * growths[c] * metre, 1);
    }
}

struct ErrorRule {
    double ex, ey, ez;
    float box;
    float offPivot;
    float mostGrowth;
    float growSlope; ///< a metre
    float pixelScale;
};
THICKET_LANES void errorsAtMost(const CellTable::Boxes& boxes, const ErrorRule& rule, const float* deviations,
                                const float* away, const float* growths, std::size_t count, float* __restrict out) {
    constexpr float kSlackOfFloats = 1e-5F;
    constexpr float kNearest = 1e-9F;
    for (std::size_t c = 0; c < count; ++c) {
        const float half = boxes.half[c];
        const float scale = boxes.mostScale[c];
        const float x = larger(std::abs(static_cast<float>(boxes.x[c] - rule.ex)) - boxes.halfX[c], 0);
        const float y = larger(std::abs(static_cast<float>(boxes.y[c] - rule.ey)) - boxes.halfY[c], 0);
        const float z = larger(std::abs(static_cast<float>(boxes.z[c] - rule.ez)) - boxes.halfZ[c], 0);
        const float grown = (growths[c] + rule.growSlope * half) * (1 + kSlackOfFloats);
        const float size = larger(smaller(grown, rule.mostGrowth), 1) * scale;
        const float nearest = std::sqrt(x * x + y * y + z * z) - rule.box * size - (size - scale) * rule.offPivot -
                              kSlackOfFloats * (away[c] + half + rule.box * size);
        out[c] = deviations[c] * size * rule.pixelScale / larger(nearest, kNearest) * (1 + kSlackOfFloats);
    }
}

struct DiscRule {
    float ex, ey, ez;
    float radius;
    float pixelScale; ///< of which half the picture's height is a tangent of 1
    float lines;
    float screen; ///< pixels
};
THICKET_LANES void discPixels(const float* xs, const float* ys, const float* zs, const float* scales,
                              const float* masks, const DiscRule& rule, std::size_t count, float* __restrict out) {
    const float most = 1.5F * rule.lines;
    for (std::size_t k = 0; k < count; ++k) {
        const float x = xs[k] - rule.ex;
        const float y = ys[k] - rule.ey;
        const float z = zs[k] - rule.ez;
        const float radius = rule.radius * scales[k];
        const float squared = x * x + y * y + z * z;
        // The cone that touches the sphere; from within it is all there is.
        const float over = larger(squared - radius * radius, radius * radius * 1e-6F + kTinySquare);
        const float tall = smaller(2 * rule.pixelScale * radius / std::sqrt(over), most);
        out[k] = masks[k] * smaller(kOfDisc * tall * tall, rule.screen);
    }
}

/// 1 where a middle is nearer to the eye than so many times its scale and a little, else 0.
THICKET_LANES void nearOnes(const float* xs, const float* ys, const float* zs, const float* scales,
                            std::array<float, 3> eye, float times, float more, std::size_t count,
                            std::uint8_t* __restrict out) {
    for (std::size_t k = 0; k < count; ++k) {
        const float x = xs[k] - eye[0];
        const float y = ys[k] - eye[1];
        const float z = zs[k] - eye[2];
        const float near = scales[k] * times + more;
        out[k] = x * x + y * y + z * z < near * near ? 1 : 0;
    }
}

} // namespace

void lookOver(const BatchPass& pass, CellLanes& lanes) {
    const std::size_t count = pass.table.cells.size();
    for (auto* values : {&lanes.away, &lanes.growths, &lanes.values, &lanes.scratch})
        values->resize(count);
    const Vec3d& eye = pass.view.eye;
    distancesTo(pass.table.boxes, eye.x(), eye.y(), eye.z(), count, lanes.away.data());
    if (!pass.thins) {
        std::fill(lanes.growths.begin(), lanes.growths.end(), 1.0F);
        return;
    }
    const float* from = lanes.away.data();
    if (pass.batch.chain.measuredFrom) {
        const Vec3d& target = pass.decidedFrom;
        distancesTo(pass.table.boxes, target.x(), target.y(), target.z(), count, lanes.values.data());
        from = lanes.values.data();
    }
    const LaneThinning thinning(pass.batch.thinning, 0, static_cast<double>(kFarAway));
    curveOver(thinning.keep, from, count, lanes.scratch.data());
    growthsOver(thinning, from, lanes.scratch.data(), count, lanes.growths.data());
}

void pixelsOfFar(const BatchPass& pass, CellLanes& lanes) {
    const Vec3d& eye = pass.view.eye;
    const FarRule rule{eye.x(),
                       eye.y(),
                       eye.z(),
                       static_cast<float>(pass.batch.chain.radius),
                       static_cast<float>(pass.pixelScale),
                       pass.table.squareStep};
    farPixels(pass.table.boxes, rule, pass.own.covers.data(), lanes.growths.data(), lanes.away.size(),
              lanes.values.data());
}

void pixelsOfStrands(const BatchPass& pass, CellLanes& lanes) {
    const StrandCosts& strands = *pass.batch.strands;
    ribbonPixels(lanes.away.data(), pass.table.boxes.half.data(), lanes.growths.data(), pass.own.covers.data(),
                 static_cast<float>(pass.pixelScale), static_cast<float>(strands.meanLength),
                 static_cast<float>(strands.meanWidth), lanes.away.size(), lanes.values.data());
}

void mostErrors(const BatchPass& pass, CellLanes& lanes) {
    const Vec3d& eye = pass.view.eye;
    const double most = pass.thins ? std::max(1.0, pass.batch.thinning.sizeBetween(0, 1e300).second * 1.000001) : 1;
    const ErrorRule rule{eye.x(),
                         eye.y(),
                         eye.z(),
                         static_cast<float>(pass.boxRadius),
                         static_cast<float>(pass.offPivot),
                         static_cast<float>(most),
                         static_cast<float>(pass.growSlope),
                         static_cast<float>(pass.pixelScale)};
    errorsAtMost(pass.table.boxes, rule, pass.own.deviations.data(), lanes.away.data(), lanes.growths.data(),
                 lanes.away.size(), lanes.values.data());
}

double pixelsOfDiscs(const BatchPass& pass, std::uint32_t cell, double radius, const float* masks) {
    const CellTable::Cell& of = pass.table.cells[cell];
    const Vec3f eye = (pass.view.eye - of.origin).cast<float>();
    const View& view = pass.view;
    const auto lines = static_cast<float>(view.lines);
    const DiscRule rule{eye.x(),
                        eye.y(),
                        eye.z(),
                        static_cast<float>(radius),
                        static_cast<float>(pass.pixelScale),
                        lines,
                        lines * lines * static_cast<float>(view.aspect)};
    alignas(32) std::array<float, kMostInCell> pixels;
    discPixels(&pass.table.x[of.first], &pass.table.y[of.first], &pass.table.z[of.first], &pass.table.scale[of.first],
               masks, rule, of.count, pixels.data());
    return sumOf(std::span(pixels).first(of.count));
}

void copiesNearerThan(const BatchPass& pass, std::uint32_t cell, double times, double more, std::uint8_t* out) {
    constexpr double kMost = 1e15; // squared it still is a float
    constexpr double kRounding = 1e-6;
    const CellTable::Cell& of = pass.table.cells[cell];
    const Vec3f eye = (pass.view.eye - of.origin).cast<float>();
    nearOnes(&pass.table.x[of.first], &pass.table.y[of.first], &pass.table.z[of.first], &pass.table.scale[of.first],
             {eye.x(), eye.y(), eye.z()}, static_cast<float>(std::min(times * (1 + kRounding), kMost)),
             static_cast<float>(more * (1 + kRounding)), of.count, out);
}

float largestOf(std::span<const float> values) {
    std::array<float, 8> most{};
    std::size_t i = 0;
    for (; i + 8 <= values.size(); i += 8)
        for (std::size_t k = 0; k < 8; ++k)
            most[k] = larger(most[k], values[i + k]);
    for (; i < values.size(); ++i)
        most[0] = larger(most[0], values[i]);
    return *std::max_element(most.begin(), most.end());
}

double sumOf(std::span<const float> values) {
    std::array<double, 4> sums{};
    std::size_t i = 0;
    for (; i + 4 <= values.size(); i += 4)
        for (std::size_t k = 0; k < 4; ++k)
            sums[k] += static_cast<double>(values[i + k]);
    for (; i < values.size(); ++i)
        sums[0] += static_cast<double>(values[i]);
    return (sums[0] + sums[1]) + (sums[2] + sums[3]);
}

} // namespace thicket::detail
