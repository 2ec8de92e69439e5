#include "measure/visible.h"

#include "base/parallel.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>
#include <numeric>
#include <unordered_map>

namespace thicket {
namespace {

constexpr double kShare = 1.0 / 8;        // of x^2 that must be off to be seen
constexpr double kFine = 0.25;            // of x: pieces that are off are no larger
constexpr double kStep = 0.8408964152537; // 2^(-1/4); what x falls by
constexpr double kWiderBall = 1 + kFine / 2;
constexpr std::size_t kMostPieces = 400'000; // in all; where there are more, they stay coarser
constexpr std::size_t kVisibleChunk = 512;
constexpr std::size_t kSizeChunk = 8192;

/// A part of a triangle: its corners, how far each is from the other surface, and the nearest triangle there.
struct VisiblePiece {
    std::array<Vec3d, 3> corner;
    std::array<double, 3> distance;
    std::array<std::uint32_t, 3> closest;
    std::uint8_t side = 0;

    [[nodiscard]] double most() const { return std::max({distance[0], distance[1], distance[2]}); }
    [[nodiscard]] double area() const { return 0.5 * (corner[1] - corner[0]).cross(corner[2] - corner[0]).norm(); }
    [[nodiscard]] double longest() const {
        return std::sqrt(std::max({(corner[1] - corner[0]).squaredNorm(), (corner[2] - corner[1]).squaredNorm(),
                                   (corner[0] - corner[2]).squaredNorm()}));
    }
    /// The share of it that is off by more than x, taking what lies between its corners to lie between their distances.
    [[nodiscard]] double shareOff(double x) const {
        std::array<double, 3> d = distance;
        std::sort(d.begin(), d.end());
        if (d[0] > x)
            return 1;
        if (d[2] <= x)
            return 0;
        if (d[1] > x)
            return 1 - (x - d[0]) * (x - d[0]) / ((d[1] - d[0]) * (d[2] - d[0]));
        return (d[2] - x) * (d[2] - x) / ((d[2] - d[0]) * (d[2] - d[1]));
    }
    /// The middle of its part that is off by more than x, roughly.
    [[nodiscard]] Vec3d middleOff(double x) const {
        Vec3d sum(0, 0, 0);
        double weights = 0;
        for (std::size_t k = 0; k < 3; ++k) {
            const double weight = std::max(distance[k] - x, 0.0) + 1e-300;
            sum += weight * corner[k];
            weights += weight;
        }
        // Between the middle of all of it and the corners that are off.
        const double whole = shareOff(x);
        return whole * (corner[0] + corner[1] + corner[2]) / 3 + (1 - whole) * sum / weights;
    }
};

struct VisibleSpot {
    Vec3d place;
    double area = 0;
};

/// Whether so much area lies round some spot, within `ball` of it.
bool enoughRound(const std::vector<VisibleSpot>& spots, double ball, double enough) {
    // In cells as large as the ball is wide: what lies round a place lies in its cell and the 26 about it.
    struct CellSpots {
        double area = 0;
        std::vector<std::uint32_t> spots;
    };
    std::unordered_map<std::uint64_t, CellSpots> cells;
    const auto coordinates = [ball](const Vec3d& p) {
        return std::array{static_cast<std::int64_t>(std::floor(p.x() / ball)),
                          static_cast<std::int64_t>(std::floor(p.y() / ball)),
                          static_cast<std::int64_t>(std::floor(p.z() / ball))};
    };
    const auto keyOf = [](std::int64_t i, std::int64_t j, std::int64_t k) {
        constexpr std::uint64_t kMask = (1U << 21) - 1; // far cells may share one: then more is looked at
        return (static_cast<std::uint64_t>(i) & kMask) << 42 | (static_cast<std::uint64_t>(j) & kMask) << 21 |
               (static_cast<std::uint64_t>(k) & kMask);
    };
    for (std::uint32_t s = 0; s < spots.size(); ++s) {
        const auto [i, j, k] = coordinates(spots[s].place);
        CellSpots& cell = cells[keyOf(i, j, k)];
        cell.area += spots[s].area;
        cell.spots.push_back(s);
    }
    std::vector<const CellSpots*> about;
    for (const auto& [key, cell] : cells) {
        const auto [i, j, k] = coordinates(spots[cell.spots.front()].place);
        about.clear();
        double near = 0;
        for (std::int64_t n = 0; n < 27; ++n) {
            const auto found = cells.find(keyOf(i + n % 3 - 1, j + n / 3 % 3 - 1, k + n / 9 - 1));
            if (found == cells.end())
                continue;
            near += found->second.area;
            about.push_back(&found->second);
        }
        if (near < enough)
            continue;
        for (const std::uint32_t centre : cell.spots) {
            double round = 0;
            for (const CellSpots* other : about)
                for (const std::uint32_t s : other->spots)
                    if ((spots[s].place - spots[centre].place).squaredNorm() <= ball * ball)
                        round += spots[s].area;
            if (round >= enough)
                return true;
        }
    }
    return false;
}

class VisibleSearch {
public:
    VisibleSearch(const MeasuredSide& one, const MeasuredSide& two, const VisibleOptions& options,
                  const JobContext& job)
        : m_sides{&one, &two}, m_options(options), m_job(job) {}

    double run() {
        for (std::uint8_t side = 0; side < 2; ++side)
            addSide(side);
        double most = 0;
        for (const VisiblePiece& piece : m_waiting)
            most = std::max(most, piece.most());
        for (const std::size_t side : {0, 1})
            for (const double distance : m_sides[side]->distance)
                most = std::max(most, distance);
        const double floorMetres = std::max(m_options.floorMetres, most / 4096);
        if (!(most > floorMetres) || m_job.cancelled())
            return most;
        std::make_heap(m_waiting.begin(), m_waiting.end(), lower);
        std::make_heap(m_whole.begin(), m_whole.end());
        double above = most; // not seen here
        for (double x = most * kStep; x >= floorMetres; x *= kStep) {
            take(x);
            if (!plain(x))
                refine(x);
            if (m_job.cancelled())
                return most;
            if (plain(x) || seen(x))
                return between(x, above);
            above = x;
        }
        return floorMetres;
    }

private:
    static bool lower(const VisiblePiece& a, const VisiblePiece& b) { return a.most() < b.most(); }

    /// Halfway steps between where it is seen and where it is not.
    double between(double low, double high) {
        for (int i = 0; i < 2; ++i) {
            const double x = std::sqrt(low * high);
            (plain(x) || seen(x) ? low : high) = x;
        }
        return high;
    }

    /// Whether one piece alone is enough, off at its corners and in its middle: then nothing needs to be split.
    [[nodiscard]] bool plain(double x) const {
        return std::any_of(m_off.begin(), m_off.end(), [&](const VisiblePiece& p) {
            const double area = p.area();
            const double width = area > 0 ? 2 * area / p.longest() : 0;
            return std::min(area, 2 * x * width) >= kShare * x * x && p.shareOff(x) >= 1 &&
                   m_sides[p.side]
                           ->other.closest((p.corner[0] + p.corner[1] + p.corner[2]) / 3, p.closest[0])
                           .distance > x;
        });
    }

    [[nodiscard]] VisiblePiece pieceOf(std::uint8_t side, std::uint32_t triangle) const {
        const MeasuredSide& of = *m_sides[side];
        VisiblePiece piece;
        piece.side = side;
        for (std::uint32_t k = 0; k < 3; ++k) {
            const std::uint32_t v = of.mesh.indices[3 * std::size_t{triangle} + k];
            piece.corner[k] = of.mesh.positions[v].cast<double>();
            piece.distance[k] = of.distance[v];
            piece.closest[k] = of.closest[v];
        }
        return piece;
    }

    /// The triangles of a side, in parts where they are large: what is off in the middle of one shows at no corner.
    void addSide(std::uint8_t side) {
        const Mesh& mesh = m_sides[side]->mesh;
        const std::uint32_t triangles = mesh.triangleCount();
        std::vector<double> areas(triangles / kSizeChunk + 1, 0);
        std::vector<double> longest(triangles); // sides, squared
        parallelChunks(triangles, kSizeChunk, [&](std::size_t begin, std::size_t end) {
            for (std::size_t t = begin; t < end; ++t) {
                const Vec3d a = mesh.positions[mesh.indices[3 * t]].cast<double>();
                const Vec3d b = mesh.positions[mesh.indices[3 * t + 1]].cast<double>();
                const Vec3d c = mesh.positions[mesh.indices[3 * t + 2]].cast<double>();
                longest[t] = std::max({(b - a).squaredNorm(), (c - b).squaredNorm(), (a - c).squaredNorm()});
                areas[begin / kSizeChunk] += (b - a).cross(c - a).norm() / 2;
            }
        });
        const double area = std::accumulate(areas.begin(), areas.end(), 0.0);
        // A piece of the mean area, were it a square's half.
        const double length = 2 * std::sqrt(area / std::max(1U, m_options.pieces));
        std::vector<VisiblePiece> large;
        for (std::uint32_t t = 0; t < triangles; ++t) {
            if (longest[t] > length * length) {
                large.push_back(pieceOf(side, t));
                continue;
            }
            const MeasuredSide& of = *m_sides[side];
            const std::uint32_t* c = &mesh.indices[3 * std::size_t{t}];
            const double most = std::max({of.distance[c[0]], of.distance[c[1]], of.distance[c[2]]});
            m_whole.push_back({static_cast<float>(most * 1.0000002), t, side});
        }
        split(
            large, [length](const VisiblePiece& p) { return p.longest() > length; }, 2 * std::size_t{m_options.pieces});
        m_waiting.insert(m_waiting.end(), large.begin(), large.end());
    }

    /// Splits pieces at the middles of their edges, as long as `tooLarge` says so and no more than `most` come to them.
    template <class TooLarge>
    void split(std::vector<VisiblePiece>& pieces, const TooLarge& tooLarge, std::size_t most) {
        std::size_t added = 0;
        for (std::size_t from = 0; from < pieces.size();) {
            const auto large = std::partition(pieces.begin() + static_cast<std::ptrdiff_t>(from), pieces.end(),
                                              [&](const VisiblePiece& p) { return !tooLarge(p); });
            std::vector<VisiblePiece> parents(large, pieces.end());
            if (parents.empty() || added + 3 * parents.size() > most || m_job.cancelled())
                return;
            added += 3 * parents.size();
            pieces.erase(large, pieces.end());
            from = pieces.size();
            pieces.resize(from + 4 * parents.size());
            parallelChunks(parents.size(), kVisibleChunk, [&](std::size_t begin, std::size_t end) {
                for (std::size_t i = begin; i < end; ++i)
                    splitOne(parents[i], &pieces[from + 4 * i]);
            });
        }
    }

    void splitOne(const VisiblePiece& p, VisiblePiece* out) const {
        const SurfaceQuery& other = m_sides[p.side]->other;
        VisiblePiece middle;
        middle.side = p.side;
        for (std::size_t k = 0; k < 3; ++k) {
            middle.corner[k] = (p.corner[k] + p.corner[(k + 1) % 3]) / 2;
            const ClosestPoint hit = other.closest(middle.corner[k], p.closest[k]);
            middle.distance[k] = hit.distance;
            middle.closest[k] = hit.triangle;
        }
        for (std::size_t k = 0; k < 3; ++k) {
            const std::size_t before = (k + 2) % 3;
            out[k] = {{p.corner[k], middle.corner[k], middle.corner[before]},
                      {p.distance[k], middle.distance[k], middle.distance[before]},
                      {p.closest[k], middle.closest[k], middle.closest[before]},
                      p.side};
        }
        out[3] = middle;
    }

    /// Takes what is off by more than x from those that wait.
    void take(double x) {
        while (!m_whole.empty() && static_cast<double>(m_whole.front().most) > x) {
            std::pop_heap(m_whole.begin(), m_whole.end());
            m_off.push_back(pieceOf(m_whole.back().side, m_whole.back().triangle));
            m_whole.pop_back();
        }
        while (!m_waiting.empty() && m_waiting.front().most() > x) {
            std::pop_heap(m_waiting.begin(), m_waiting.end(), lower);
            m_off.push_back(m_waiting.back());
            m_waiting.pop_back();
        }
    }

    /// Makes what was taken fine enough for x.
    void refine(double x) {
        const std::size_t room = kMostPieces - std::min(kMostPieces, m_off.size() + m_split);
        const std::size_t before = m_off.size();
        split(
            m_off, [x](const VisiblePiece& p) { return p.most() > x && p.longest() > kFine * x; }, room);
        m_split += m_off.size() - before;
        const auto near =
            std::partition(m_off.begin(), m_off.end(), [x](const VisiblePiece& p) { return p.most() > x; });
        for (auto piece = near; piece != m_off.end(); ++piece) {
            m_waiting.push_back(*piece);
            std::push_heap(m_waiting.begin(), m_waiting.end(), lower);
        }
        m_off.erase(near, m_off.end());
    }

    /// Whether enough is off by more than x round some place. REQUIRES what `take` took for x or less.
    [[nodiscard]] bool seen(double x) const {
        std::vector<VisibleSpot> spots;
        double all = 0;
        for (const VisiblePiece& piece : m_off) {
            const double area = piece.area() * piece.shareOff(x);
            if (area <= 0)
                continue;
            spots.push_back({piece.middleOff(x), area});
            all += area;
        }
        const double enough = kShare * x * x;
        if (all < enough)
            return false;
        return enoughRound(spots, kWiderBall * x, enough);
    }

    std::array<const MeasuredSide*, 2> m_sides;
    const VisibleOptions& m_options;
    const JobContext& m_job;
    /// A triangle that need not be split yet: of large meshes these are most.
    struct WholeTriangle {
        float most = 0; ///< not less than the farthest corner
        std::uint32_t triangle = 0;
        std::uint8_t side = 0;
        bool operator<(const WholeTriangle& o) const { return most < o.most; }
    };
    std::vector<WholeTriangle> m_whole;  ///< a heap: the farthest off first
    std::vector<VisiblePiece> m_waiting; ///< a heap too
    std::vector<VisiblePiece> m_off;     ///< off by more than what was looked for last
    std::size_t m_split = 0;             ///< pieces that splitting added
};

} // namespace

namespace {

/// Of one surface: what lies within x of a place and is off the other by more, roughly, from about a hundred points.
double areaOffNear(const Mesh& mesh, const SurfaceQuery& own, const SurfaceQuery& other, const Vec3d& place, double x,
                   std::vector<std::uint32_t>& near) {
    constexpr std::size_t kMostBeside = 4096;
    constexpr std::size_t kMostAsked = 96;
    constexpr int kOnLarge = 12; // points of a triangle that is larger than the ball
    own.within(place, x, kMostBeside, near);
    const std::size_t step = near.size() / kMostAsked + 1;
    double off = 0;
    const auto isOff = [&](const Vec3d& p) { return (p - place).squaredNorm() <= x * x && !other.isNear(p, x); };
    for (std::size_t i = 0; i < near.size(); i += step) {
        const std::uint32_t* c = &mesh.indices[3 * std::size_t{near[i]}];
        const Vec3d a = mesh.positions[c[0]].cast<double>();
        const Vec3d u = mesh.positions[c[1]].cast<double>() - a;
        const Vec3d v = mesh.positions[c[2]].cast<double>() - a;
        const Vec3d cross = u.cross(v);
        const double area = cross.norm() / 2;
        if (area < x * x / 4) {
            off += isOff(a + (u + v) / 3) ? static_cast<double>(step) * area : 0;
            continue;
        }
        // Points of the disc that the ball cuts out of its plane, those that are inside of it.
        const Vec3d normal = cross / (2 * area);
        const double height = (place - a).dot(normal);
        const double radius = std::sqrt(std::max(0.0, x * x - height * height));
        const Vec3d middle = place - height * normal;
        const Vec3d along = u.normalized();
        const Vec3d across = normal.cross(along);
        const double uv = u.dot(v);
        const double scale = u.squaredNorm() * v.squaredNorm() - uv * uv;
        for (int k = 0; k < kOnLarge; ++k) {
            const double r = radius * std::sqrt((k + 0.5) / kOnLarge);
            const double turn = 2.399963 * k; // the golden angle spreads them evenly
            const Vec3d p = middle + r * (std::cos(turn) * along + std::sin(turn) * across);
            const double s = ((p - a).dot(u) * v.squaredNorm() - (p - a).dot(v) * uv) / scale;
            const double t = ((p - a).dot(v) * u.squaredNorm() - (p - a).dot(u) * uv) / scale;
            if (s >= 0 && t >= 0 && s + t <= 1 && isOff(p))
                off += static_cast<double>(step) * std::numbers::pi * radius * radius / kOnLarge;
        }
    }
    return off;
}

} // namespace

double sampleVisible(const Mesh& reference, const SurfaceQuery& referenceQuery, const Mesh& level,
                     const SurfaceQuery& levelQuery, const VertexSamples& samples) {
    struct Candidate {
        double distance = 0;
        Vec3d place{0, 0, 0};
    };
    constexpr std::size_t kMostLooked = 12; // places a step
    std::vector<Candidate> candidates;
    candidates.reserve(samples.there.count() + samples.back.count());
    for (std::size_t i = 0; i < samples.there.count(); ++i)
        candidates.push_back({samples.there.distance[i], samples.there.placeIn(reference, i)});
    for (std::size_t i = 0; i < samples.back.count(); ++i)
        candidates.push_back({samples.back.distance[i], samples.back.placeIn(level, i)});
    std::sort(candidates.begin(), candidates.end(),
              [](const Candidate& a, const Candidate& b) { return a.distance > b.distance; });
    const double most = candidates.empty() ? 0 : candidates.front().distance;
    const double least = most / 4096;
    std::vector<std::uint32_t> near;
    for (double x = most * kStep; x > least; x *= kStep) {
        std::vector<Vec3d> looked;
        for (std::size_t i = 0; i < candidates.size() && candidates[i].distance > x && looked.size() < kMostLooked;
             ++i) {
            const Vec3d& place = candidates[i].place;
            if (std::any_of(looked.begin(), looked.end(),
                            [&](const Vec3d& p) { return (p - place).squaredNorm() < x * x; }))
                continue;
            looked.push_back(place);
            if (areaOffNear(reference, referenceQuery, levelQuery, place, x, near) +
                    areaOffNear(level, levelQuery, referenceQuery, place, x, near) >=
                kShare * x * x)
                return x / std::sqrt(kStep);
        }
    }
    return least;
}

double sampleVisible(const Mesh& reference, const SurfaceQuery& referenceQuery, const Mesh& level,
                     const SurfaceQuery& levelQuery, std::uint32_t points) {
    return sampleVisible(reference, referenceQuery, level, levelQuery,
                         sampleVertices(reference, referenceQuery, level, levelQuery, points));
}

double visibleDeviation(const MeasuredSide& one, const MeasuredSide& two, const VisibleOptions& options,
                        const JobContext& job) {
    return VisibleSearch(one, two, options, job).run();
}

} // namespace thicket
