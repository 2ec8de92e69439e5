#include "measure/deviation.h"

#include "base/parallel.h"
#include "measure/stratified.h"
#include "measure/visible.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace thicket {
namespace {

constexpr std::size_t kDeviationChunk = 4096;
constexpr int kRounds = 8;
constexpr std::ptrdiff_t kPiecesARound = 24'000;

/// A piece of one of A's triangles: its corners with the closest triangles of B and the distances there.
struct Piece {
    std::array<Vec3d, 3> corner;
    std::array<double, 3> distance;
    std::array<std::uint32_t, 3> closest;
    double bound = 0;
};

double boundOf(const Piece& piece, const SurfaceQuery& target) {
    double best = HUGE_VAL;
    for (std::size_t k = 0; k < 3; ++k) {
        if ((k > 0 && piece.closest[k] == piece.closest[0]) || (k == 2 && piece.closest[2] == piece.closest[1]))
            continue;
        double largest = 0;
        for (std::size_t c = 0; c < 3; ++c)
            largest = std::max(largest, c == k ? piece.distance[c]
                                               : target.distanceToTriangle(piece.corner[c], piece.closest[k]));
        best = std::min(best, largest);
    }
    // The distance is also 1-Lipschitz: no point is farther than a corner's distance plus its way to that corner.
    for (std::size_t k = 0; k < 3; ++k) {
        const double reach = std::max((piece.corner[k] - piece.corner[(k + 1) % 3]).norm(),
                                      (piece.corner[k] - piece.corner[(k + 2) % 3]).norm());
        best = std::min(best, piece.distance[k] + reach);
    }
    return best;
}

struct Found {
    double distance = 0;
    Vec3d place{0, 0, 0};
    void offer(double d, const Vec3d& p) {
        if (d > distance) {
            distance = d;
            place = p;
        }
    }
};

struct OfVertices {
    std::vector<double> distance;
    std::vector<std::uint32_t> closest;
};

/// Measures all vertices, then tightens the bound. Returns false when cancelled.
bool bracket(const Mesh& from, const SurfaceQuery& target, const DeviationOptions& options, double floorMetres,
             const JobContext& job, OfVertices& measured, OneSidedDeviation& out) {
    const std::size_t vertices = from.positions.size();
    std::vector<double>& distance = measured.distance;
    std::vector<std::uint32_t>& closest = measured.closest;
    distance.resize(vertices);
    closest.resize(vertices);
    parallelChunks(vertices, kDeviationChunk, [&](std::size_t begin, std::size_t end) {
        if (job.cancelled())
            return;
        std::uint32_t hint = 0;
        for (std::size_t i = begin; i < end; ++i) {
            const ClosestPoint hit = target.closest(from.positions[i].cast<double>(), hint);
            hint = hit.triangle;
            distance[i] = hit.distance;
            closest[i] = hit.triangle;
        }
    });
    if (job.cancelled())
        return false;
    Found largest;
    for (std::size_t i = 0; i < vertices; ++i)
        largest.offer(distance[i], from.positions[i].cast<double>());

    const auto allowed = [&] { return std::max(largest.distance * (1 + options.tolerance), floorMetres); };
    const double first = allowed();
    std::vector<std::vector<Piece>> openOf(from.triangleCount() / kDeviationChunk + 1);
    parallelChunks(from.triangleCount(), kDeviationChunk, job, [&](std::size_t begin, std::size_t end) {
        for (std::size_t t = begin; t < end; ++t) {
            Piece piece;
            for (std::size_t k = 0; k < 3; ++k) {
                const std::uint32_t v = from.indices[3 * t + k];
                piece.corner[k] = from.positions[v].cast<double>();
                piece.distance[k] = distance[v];
                piece.closest[k] = closest[v];
            }
            piece.bound = boundOf(piece, target);
            if (piece.bound > first)
                openOf[begin / kDeviationChunk].push_back(piece);
        }
    });
    if (job.cancelled())
        return false;
    std::size_t opened = 0;
    for (const std::vector<Piece>& some : openOf)
        opened += some.size();
    std::vector<Piece> open;
    open.reserve(opened);
    for (std::vector<Piece>& some : openOf) {
        open.insert(open.end(), some.begin(), some.end());
        some = {};
    }

    // Each round splits the most promising open pieces in four. A piece that straddles an edge of B keeps a bound of
    // about its own size, so coplanar surfaces would be split for ever: work is bounded, and what is left open loosens
    // the bound.
    double leftover = 0;
    const auto higher = [](const Piece& x, const Piece& y) { return x.bound > y.bound; };
    for (int round = 0; round < kRounds && !open.empty(); ++round) {
        if (open.size() > static_cast<std::size_t>(kPiecesARound)) {
            std::nth_element(open.begin(), open.begin() + kPiecesARound, open.end(), higher);
            leftover = std::max(leftover, open[static_cast<std::size_t>(kPiecesARound)].bound);
            open.resize(static_cast<std::size_t>(kPiecesARound));
        }
        std::vector<std::array<Piece, 4>> children(open.size());
        parallelChunks(open.size(), 512, [&](std::size_t begin, std::size_t end) {
            if (job.cancelled())
                return;
            for (std::size_t i = begin; i < end; ++i) {
                const Piece& p = open[i];
                Piece mid;
                for (std::size_t k = 0; k < 3; ++k) {
                    mid.corner[k] = (p.corner[k] + p.corner[(k + 1) % 3]) / 2;
                    const ClosestPoint hit = target.closest(mid.corner[k], p.closest[k]);
                    mid.distance[k] = hit.distance;
                    mid.closest[k] = hit.triangle;
                }
                children[i][3] = mid;
                for (std::size_t k = 0; k < 3; ++k) {
                    const std::size_t before = (k + 2) % 3;
                    children[i][k] = {{p.corner[k], mid.corner[k], mid.corner[before]},
                                      {p.distance[k], mid.distance[k], mid.distance[before]},
                                      {p.closest[k], mid.closest[k], mid.closest[before]},
                                      0};
                }
                for (Piece& child : children[i])
                    child.bound = std::min(p.bound, boundOf(child, target));
            }
        });
        if (job.cancelled())
            return false;
        for (const auto& four : children)
            for (std::size_t k = 0; k < 3; ++k)
                largest.offer(four[3].distance[k], four[3].corner[k]);
        open.clear();
        const double limit = allowed();
        for (const auto& four : children)
            for (const Piece& child : four)
                if (child.bound > limit)
                    open.push_back(child);
    }
    for (const Piece& piece : open)
        leftover = std::max(leftover, piece.bound);
    out.max = largest.distance;
    out.place = largest.place;
    out.bound = std::max(allowed(), leftover);
    return true;
}

/// p99 and RMS from stratified points: equal steps of area, one point jittered by hash in each. Returns the mean
/// spacing.
double spread(const Mesh& from, const SurfaceQuery& target, std::uint32_t samples, const JobContext& job,
              OneSidedDeviation& out) {
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
        for (std::size_t i = begin; i < end; ++i) {
            const SurfacePlace place = places.place(static_cast<std::uint32_t>(i));
            const std::uint32_t* c = &from.indices[3 * std::size_t{place.triangle}];
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
    const SurfaceQuery levelQuery(level);
    job.report(0, "measuring");
    OfVertices there;
    OfVertices back;
    if (!bracket(reference, levelQuery, options, floorMetres, job, there, result.there))
        return cancelledError();
    job.report(0.4, "measuring");
    if (!bracket(level, referenceQuery, options, floorMetres, job, back, result.back))
        return cancelledError();
    job.report(0.6, "measuring");
    VisibleOptions visible;
    visible.pieces = std::max(1U, options.samples / 4);
    visible.floorMetres = floorMetres;
    result.visible = std::min(result.promised(),
                              visibleDeviation({reference, levelQuery, there.distance, there.closest},
                                               {level, referenceQuery, back.distance, back.closest}, visible, job));
    job.report(0.75, "measuring");
    result.spacing = spread(reference, levelQuery, options.samples, job, result.there);
    spread(level, referenceQuery, options.samples, job, result.back);
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
    const auto largest = [points](const Mesh& from, const SurfaceQuery& target, const auto& weightAt) {
        const std::size_t step = std::max<std::size_t>(1, from.positions.size() / points);
        const std::size_t count = (from.positions.size() + step - 1) / step;
        std::vector<SampledDeviation> chunkLargest((count + kDeviationChunk - 1) / kDeviationChunk);
        parallelChunks(count, kDeviationChunk, [&](std::size_t begin, std::size_t end) {
            std::uint32_t hint = 0;
            SampledDeviation& most = chunkLargest[begin / kDeviationChunk];
            for (std::size_t i = begin; i < end; ++i) {
                const ClosestPoint hit = target.closest(from.positions[i * step].cast<double>(), hint);
                hint = hit.triangle;
                most.max = std::max(most.max, hit.distance);
                most.weighted = std::max(most.weighted, hit.distance * weightAt(i * step, hit.triangle));
                most.mean += hit.distance / static_cast<double>(count);
            }
        });
        SampledDeviation all;
        for (const SampledDeviation& chunk : chunkLargest)
            all = {std::max(all.max, chunk.max), std::max(all.weighted, chunk.weighted), all.mean + chunk.mean};
        return all;
    };
    const auto own = [&](std::size_t vertex, std::uint32_t) {
        return weights.empty() ? 0.0 : static_cast<double>(weights[vertex]);
    };
    const auto met = [&](std::size_t, std::uint32_t triangle) {
        double mean = 0;
        for (std::size_t k = 0; k < 3 && !weights.empty(); ++k)
            mean += static_cast<double>(weights[reference.indices[3 * std::size_t{triangle} + k]]) / 3;
        return mean;
    };
    const SampledDeviation there = largest(reference, levelQuery, own);
    const SampledDeviation back = largest(level, referenceQuery, met);
    return {std::max(there.max, back.max), std::max(there.weighted, back.weighted), there.mean};
}

} // namespace thicket
