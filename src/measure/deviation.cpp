#include "measure/deviation.h"

#include "base/parallel.h"
#include "measure/stratified.h"
#include "measure/visible.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace thicket {
namespace {

constexpr std::size_t kDeviationChunk = 512;
constexpr int kRounds = 8;
constexpr std::ptrdiff_t kPiecesARound = 24'000;

/// A piece of one of A's triangles: its corners, each with a triangle of B and how far that is from it. Of pieces that
/// are split on these are the nearest; of others any that say enough.
struct Piece {
    std::array<Vec3d, 3> corner;
    std::array<double, 3> distance;
    std::array<std::uint32_t, 3> closest;
    double bound = 0;

    /// Whether the triangle of a corner is that of one before it.
    [[nodiscard]] bool again(std::size_t k) const {
        return (k > 0 && closest[k] == closest[0]) || (k == 2 && closest[2] == closest[1]);
    }
};

/// What no point of a piece is farther than; where that is `enough` or less, any such number.
double boundOf(const Piece& piece, const SurfaceQuery& target, double enough) {
    double best = HUGE_VAL;
    // The distance is 1-Lipschitz: no point is farther than a corner's distance plus its way to that corner.
    for (std::size_t k = 0; k < 3; ++k) {
        const double reach = std::max((piece.corner[k] - piece.corner[(k + 1) % 3]).norm(),
                                      (piece.corner[k] - piece.corner[(k + 2) % 3]).norm());
        best = std::min(best, piece.distance[k] + reach);
    }
    for (std::size_t k = 0; k < 3 && best > enough; ++k) {
        if (piece.again(k))
            continue;
        double largest = piece.distance[k];
        for (std::size_t c = 0; c < 3 && largest < best; ++c)
            if (c != k)
                largest = std::max(largest, target.distanceToTriangle(piece.corner[c], piece.closest[k]));
        best = std::min(best, largest);
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

/// A piece cut in four at the middles of its edges.
class Split {
public:
    std::array<Piece, 4> children;
    Found farthest; ///< of the middles that were looked up

    /// The nearest triangle is looked up of those middles only that may be farther than `found`, or without which a child
    /// would stay open: of others one that is the nearest at an end of their edge says enough.
    void make(const Piece& p, const SurfaceQuery& target, double found, double limit) {
        for (std::size_t k = 0; k < 3; ++k) {
            m_mid.corner[k] = (p.corner[k] + p.corner[(k + 1) % 3]) / 2;
            m_mid.distance[k] = HUGE_VAL;
            for (std::size_t c = 0; c < 3; ++c)
                if (!p.again(c))
                    if (const double d = target.distanceToTriangle(m_mid.corner[k], p.closest[c]);
                        d < m_mid.distance[k]) {
                        m_mid.distance[k] = d;
                        m_mid.closest[k] = p.closest[c];
                    }
            if (m_mid.distance[k] > found)
                look(k, target);
        }
        for (std::size_t k = 0; k < 4; ++k) {
            children[k] = childOf(p, k);
            children[k].bound = std::min(p.bound, boundOf(children[k], target, limit));
            if (children[k].bound <= limit)
                continue;
            bool anew = false;
            for (std::size_t m = 0; m < 3; ++m)
                if (!m_known[m] && (k == 3 || m == k || m == (k + 2) % 3)) {
                    look(m, target);
                    anew = true;
                }
            if (!anew)
                continue;
            children[k] = childOf(p, k);
            children[k].bound = std::min(p.bound, boundOf(children[k], target, limit));
        }
    }

private:
    void look(std::size_t k, const SurfaceQuery& target) {
        const ClosestPoint hit = target.closest(m_mid.corner[k], m_mid.closest[k]);
        m_mid.distance[k] = hit.distance;
        m_mid.closest[k] = hit.triangle;
        m_known[k] = true;
        farthest.offer(hit.distance, m_mid.corner[k]);
    }
    /// The one at a corner, or that in the middle.
    [[nodiscard]] Piece childOf(const Piece& p, std::size_t k) const {
        if (k == 3)
            return m_mid;
        const std::size_t before = (k + 2) % 3;
        return {{p.corner[k], m_mid.corner[k], m_mid.corner[before]},
                {p.distance[k], m_mid.distance[k], m_mid.distance[before]},
                {p.closest[k], m_mid.closest[k], m_mid.closest[before]},
                0};
    }

    Piece m_mid;
    std::array<bool, 3> m_known{};
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
            piece.bound = boundOf(piece, target, first);
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
        std::vector<Split> splits(open.size());
        const double found = largest.distance;
        const double limit = allowed();
        parallelChunks(open.size(), 512, [&](std::size_t begin, std::size_t end) {
            if (job.cancelled())
                return;
            for (std::size_t i = begin; i < end; ++i)
                splits[i].make(open[i], target, found, limit);
        });
        if (job.cancelled())
            return false;
        for (const Split& split : splits)
            largest.offer(split.farthest.distance, split.farthest.place);
        open.clear();
        // Less than what was left out can be is of no account for the bound.
        const double still = std::max(allowed(), leftover);
        for (const Split& split : splits)
            std::copy_if(split.children.begin(), split.children.end(), std::back_inserter(open),
                         [still](const Piece& child) { return child.bound > still; });
    }
    for (const Piece& piece : open)
        leftover = std::max(leftover, piece.bound);
    out.max = largest.distance;
    out.place = largest.place;
    out.bound = std::max(allowed(), leftover);
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
    const std::uint32_t samples = samplesFor(reference, level, options);
    VisibleOptions visible;
    visible.pieces = std::max(1U, samples / 4);
    visible.floorMetres = floorMetres;
    result.visible = std::min(result.promised(),
                              visibleDeviation({reference, levelQuery, there.distance, there.closest},
                                               {level, referenceQuery, back.distance, back.closest}, visible, job));
    job.report(0.75, "measuring");
    result.spacing = spread(reference, levelQuery, samples, job, result.there);
    spread(level, referenceQuery, samples, job, result.back);
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
