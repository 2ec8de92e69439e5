#include "measure/deviation.h"

#include "base/parallel.h"
#include "measure/bracket.h"
#include "measure/stratified.h"
#include "measure/visible.h"

#include <algorithm>
#include <cmath>
#include <optional>
#include <tbb/parallel_invoke.h>
#include <utility>

namespace thicket {
namespace {

constexpr std::size_t kDeviationChunk = 512;
using measure::OfVertices;

bool bracket(const Mesh& from, const SurfaceQuery& target, const DeviationOptions& options, double floorMetres,
             const JobContext& job, OfVertices& measured, OneSidedDeviation& out) {
    const auto found = measure::bracketDistance(from, target, {options.tolerance, floorMetres}, job, measured);
    if (!found)
        return false;
    out.max = found->found;
    out.bound = found->bound;
    out.place = found->place;
    return true;
}

/// Small meshes need fewer than heavy ones: several a triangle, and of a share of a hundredth still some hundreds.
std::uint32_t samplesFor(const Mesh& reference, const Mesh& level, const DeviationOptions& options) {
    constexpr std::size_t kFewest = 25'000;
    constexpr std::size_t kOfTriangle = 4;
    const std::size_t triangles = std::size_t{reference.triangleCount()} + level.triangleCount();
    return static_cast<std::uint32_t>(
        std::min<std::size_t>(options.samples, std::max(kFewest, kOfTriangle * triangles)));
}

/// p99 and RMS from stratified points: equal steps of area, one point jittered by hash in each. Returns the mean
/// spacing.
double spread(const Mesh& from, const SurfaceQuery& target, const OfVertices& measured, std::uint32_t samples,
              const JobContext& job, OneSidedDeviation& out) {
    if (samples == 0)
        return 0;
    const StratifiedPlaces places(from, samples);
    if (!places.any())
        return 0;
    std::vector<double> distance(samples);
    parallelChunks(samples, kDeviationChunk, [&](std::size_t begin, std::size_t end) {
        if (job.cancelled())
            return;
        std::uint32_t hint = 0;
        std::uint32_t before = from.triangleCount();
        for (std::size_t i = begin; i < end; ++i) {
            const SurfacePlace place = places.place(static_cast<std::uint32_t>(i));
            const std::uint32_t* c = &from.indices[3 * std::size_t{place.triangle}];
            if (std::exchange(before, place.triangle) != place.triangle)
                hint = measured.closest[c[place.u < 1 / 3.0 && place.v < 1 / 3.0 ? 0 : place.u > place.v ? 1 : 2]];
            const Vec3d point = (1 - place.u - place.v) * from.positions[c[0]].cast<double>() +
                                place.u * from.positions[c[1]].cast<double>() +
                                place.v * from.positions[c[2]].cast<double>();
            const ClosestPoint hit = target.closest(point, hint);
            hint = hit.triangle;
            distance[i] = hit.distance;
        }
    });
    double squares = 0;
    for (const double d : distance)
        squares += d * d;
    out.rms = std::sqrt(squares / samples);
    const auto rank = distance.begin() + static_cast<std::ptrdiff_t>(0.99 * (samples - 1));
    std::nth_element(distance.begin(), rank, distance.end());
    out.p99 = *rank;
    return places.spacing();
}

} // namespace

Result<Deviation> measureDeviation(const Mesh& reference, const Mesh& level, const DeviationOptions& options,
                                   const JobContext& job) {
    const SurfaceQuery query(reference);
    return measureDeviation(reference, query, level, options, job);
}

Result<Deviation> measureDeviation(const Mesh& reference, const SurfaceQuery& referenceQuery, const Mesh& level,
                                   const DeviationOptions& options, const JobContext& job) {
    Deviation result;
    const double floorMetres = options.floorMetres > 0 ? options.floorMetres : 1e-7 * boundsOf(reference).diagonal();
    job.report(0, "measuring");
    std::optional<SurfaceQuery> ofLevel;
    OfVertices there;
    OfVertices back;
    bool bracketed[2] = {};
    tbb::parallel_invoke(
        [&] {
            ofLevel.emplace(level);
            bracketed[0] = bracket(reference, *ofLevel, options, floorMetres, job, there, result.there);
        },
        [&] { bracketed[1] = bracket(level, referenceQuery, options, floorMetres, job, back, result.back); });
    if (!bracketed[0] || !bracketed[1])
        return cancelledError();
    const SurfaceQuery& levelQuery = *ofLevel;
    job.report(0.6, "measuring");
    const std::uint32_t samples = samplesFor(reference, level, options);
    VisibleOptions visible;
    visible.pieces = std::max(1U, samples / 4);
    visible.floorMetres = floorMetres;
    tbb::parallel_invoke(
        [&] {
            result.visible = visibleDeviation({reference, levelQuery, there.distance, there.closest},
                                              {level, referenceQuery, back.distance, back.closest}, visible, job);
        },
        [&] {
            result.spacing = spread(reference, levelQuery, there, samples, job, result.there);
            spread(level, referenceQuery, back, samples, job, result.back);
        });
    result.visible = std::min(result.promised(), result.visible);
    if (job.cancelled())
        return cancelledError();
    job.report(1, "measured");
    return result;
}

SampledDeviation sampleDeviation(const Mesh& reference, const SurfaceQuery& referenceQuery, const Mesh& level,
                                 std::uint32_t points, std::span<const float> weights) {
    return sampleDeviation(reference, referenceQuery, level, SurfaceQuery(level), points, weights);
}

SampledDeviation sampleDeviation(const Mesh& reference, const SurfaceQuery& referenceQuery, const Mesh& level,
                                 const SurfaceQuery& levelQuery, std::uint32_t points, std::span<const float> weights) {
    return sampleDeviation(reference, sampleVertices(reference, referenceQuery, level, levelQuery, points), weights);
}

SampledDeviation sampleDeviation(const Mesh& reference, const VertexSamples& samples, std::span<const float> weights) {
    SampledDeviation out;
    for (std::size_t i = 0; i < samples.there.count(); ++i) {
        const double d = samples.there.distance[i];
        out.max = std::max(out.max, d);
        out.mean += d / static_cast<double>(samples.there.count());
        if (!weights.empty())
            out.weighted = std::max(out.weighted, d * static_cast<double>(weights[samples.there.vertex(i)]));
    }
    for (std::size_t i = 0; i < samples.back.count(); ++i) {
        const double d = samples.back.distance[i];
        out.max = std::max(out.max, d);
        if (weights.empty())
            continue;
        double mean = 0;
        for (std::size_t k = 0; k < 3; ++k)
            mean += static_cast<double>(weights[reference.indices[3 * std::size_t{samples.back.closest[i]} + k]]) / 3;
        out.weighted = std::max(out.weighted, d * mean);
    }
    return out;
}

} // namespace thicket
