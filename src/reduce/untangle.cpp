#include "reduce/untangle.h"

#include "base/parallel.h"
#include "measure/deviation.h"

#include <algorithm>
#include <array>
#include <atomic>
#include <cmath>
#include <optional>
#include <span>

namespace thicket {
namespace {

constexpr int kRounds = 28;
constexpr int kPatience = 6;                 // rounds in which no fewer are turned than ever before
constexpr std::size_t kMostSettled = 60'000; // points that are looked at in all rounds
constexpr std::uint32_t kChunk = 1024;
constexpr std::uint32_t kHeavy = 20'000; // triangles; of heavier levels a few tell whether the rest has to be seen
constexpr std::uint32_t kOneIn = 8;      // of those
constexpr std::uint32_t kUntanglePoints = 60'000; // measured a direction
constexpr double kFartherOff = 1.02;              // times as far off as it was that a level may come
constexpr double kMostFarther = 1.2;              // the same where more would be turned otherwise than is few
constexpr double kFewTurned = 0.005;              // of its triangles
constexpr double kFartherMean = 1.1;              // the same of the mean
constexpr int kTakenBack = 6;                     // times that points go back to where they were, for that
constexpr double kOfLimit = 0.39;                 // of how far the level is off: as far points and middles may come
constexpr double kPast = 0.1;                     // of the way to its own surface, beyond the middle between both
constexpr double kAsNear = 1e-3;                  // a share by which two surfaces are told apart as the nearest
constexpr double kTurned = 0.1;                   // of what a triangle costs that is turned by next to nothing
constexpr double kLeastCosine = 0.5;              // between a triangle before and after a step
constexpr double kLeastShape = 0.02;              // twice the area over the longest side squared

Vec3d placeOf(const Mesh& mesh, std::size_t corner) {
    return mesh.positions[mesh.indices[corner]].cast<double>();
}

Vec3d crossOf(const Mesh& mesh, std::uint32_t t) {
    const std::size_t c = 3 * std::size_t{t};
    return (placeOf(mesh, c + 1) - placeOf(mesh, c)).cross(placeOf(mesh, c + 2) - placeOf(mesh, c));
}

/// What a triangle faces against, if it does.
struct Against {
    ClosestPoint near; ///< the source's nearest to its middle
    bool turned = false;
};
/// `cross`: along its normal. Where something that faces as it does is as near, it is not turned.
Against againstOf(const Mesh& source, const SurfaceQuery& query, const Vec3d& middle, const Vec3d& cross,
                  std::uint32_t hint, double rounding) {
    const ClosestPoint near = query.closest(middle, hint);
    return {near, crossOf(source, near.triangle).dot(cross) < 0 &&
                      !query.closestFacing(middle, near.distance * (1 + kAsNear) + rounding, cross.normalized())};
}

double roundingOf(const Mesh& source) {
    return 1e-6 * boundsOf(source).diagonal();
}

/// A level as places with the triangles round them.
class Tangle {
public:
    Tangle(const Mesh& source, const SurfaceQuery& query, const Mesh& level)
        : m_source(source), m_query(query), m_weld(weldPositions(level)), m_places(m_weld.pointCount),
          m_fixed(m_weld.pointCount, 0), m_triangles(level.triangleCount()), m_first(m_weld.pointCount + 1, 0),
          m_near(m_triangles.size(), 0), m_rounding(roundingOf(source)) {
        for (std::size_t v = 0; v < level.positions.size(); ++v)
            m_places[m_weld.pointOf[v]] = level.positions[v].cast<double>();
        for (std::size_t t = 0; t < m_triangles.size(); ++t)
            for (std::size_t k = 0; k < 3; ++k) {
                m_triangles[t][k] = m_weld.pointOf[level.indices[3 * t + k]];
                ++m_first[m_triangles[t][k] + 1];
            }
        for (std::size_t p = 1; p < m_first.size(); ++p)
            m_first[p] += m_first[p - 1];
        m_around.resize(3 * m_triangles.size());
        std::vector<std::uint32_t> next(m_first.begin(), m_first.end() - 1);
        for (std::uint32_t t = 0; t < m_triangles.size(); ++t)
            for (const std::uint32_t p : m_triangles[t])
                m_around[next[p]++] = t;
    }

    /// Whether a triangle faces against what it is nearest to, which is likely near to `hint`.
    bool turned(std::uint32_t t, std::uint32_t hint) {
        const Against found = againstOf(m_source, m_query, middle(t), crossAt(t), hint, m_rounding);
        m_near[t] = found.near.triangle;
        return found.turned;
    }

    /// Moves points of these triangles, one after the other, where fewer are turned by it or are less so. What is less than
    /// two fifths of `limit` off the source may come as far off as that, and nothing else farther than it is.
    /// round     tells which places are tried: from the second on, any way where none to the triangles' own sides helps.
    /// most      points are looked at.
    /// moved     marked are those that did.
    /// Returns how many points were looked at.
    std::size_t move(std::span<const std::uint32_t> which, double limit, int round, std::size_t most,
                     std::vector<std::uint8_t>& moved, const JobContext& job) {
        m_limit = limit;
        std::vector<std::uint32_t> points;
        for (const std::uint32_t t : which)
            points.insert(points.end(), m_triangles[t].begin(), m_triangles[t].end());
        std::sort(points.begin(), points.end());
        points.erase(std::unique(points.begin(), points.end()), points.end());
        points.resize(std::min(points.size(), most));
        const std::size_t all = points.size();
        // Beside each other those that share no triangle.
        std::vector<std::uint32_t> turnOf(m_triangles.size(), 0);
        std::vector<std::uint32_t> together;
        std::vector<std::uint32_t> later;
        for (std::uint32_t turn = 1; !points.empty() && !job.cancelled(); ++turn, points.swap(later)) {
            together.clear();
            later.clear();
            for (const std::uint32_t p : points) {
                const auto ring = around(p);
                const bool apart = std::all_of(ring.begin(), ring.end(), [&](auto t) { return turnOf[t] != turn; });
                (apart ? together : later).push_back(p);
                for (std::size_t i = 0; i < ring.size() && apart; ++i)
                    turnOf[ring[i]] = turn;
            }
            parallelChunks(together.size(), kChunk / 64, job, [&](std::size_t begin, std::size_t end) {
                for (std::size_t i = begin; i < end; ++i)
                    if (m_fixed[together[i]] == 0 && settle(together[i], round))
                        moved[together[i]] = 1;
            });
        }
        return all;
    }

    /// Puts the points of these triangles back to where they were in the level, for good. Those that had moved are marked.
    bool takeBack(std::span<const std::uint32_t> which, const Mesh& level, std::vector<std::uint8_t>& moved) {
        bool any = false;
        for (const std::uint32_t t : which)
            for (std::size_t k = 0; k < 3; ++k) {
                const std::uint32_t p = m_triangles[t][k];
                const Vec3d was = placeOf(level, 3 * std::size_t{t} + k);
                m_fixed[p] = 1;
                if (m_places[p] == was)
                    continue;
                m_places[p] = was;
                moved[p] = 1;
                any = true;
            }
        return any;
    }

    /// The source's nearest when it was last looked at.
    [[nodiscard]] std::uint32_t nearOf(std::uint32_t t) const { return m_near[t]; }
    [[nodiscard]] std::size_t points() const { return m_places.size(); }
    [[nodiscard]] std::span<const std::uint32_t> around(std::uint32_t p) const {
        return {m_around.data() + m_first[p], m_first[p + 1] - m_first[p]};
    }
    void writeTo(Mesh& level) const {
        for (std::size_t v = 0; v < level.positions.size(); ++v)
            level.positions[v] = m_places[m_weld.pointOf[v]].cast<float>();
    }

private:
    [[nodiscard]] Vec3d middle(std::uint32_t t) const {
        const auto& [a, b, c] = m_triangles[t];
        return (m_places[a] + m_places[b] + m_places[c]) / 3;
    }
    [[nodiscard]] Vec3d crossAt(std::uint32_t t) const {
        const auto& [a, b, c] = m_triangles[t];
        return (m_places[b] - m_places[a]).cross(m_places[c] - m_places[a]);
    }
    /// Twice the area over the longest side squared.
    [[nodiscard]] double shapeOf(std::uint32_t t) const {
        const auto& [a, b, c] = m_triangles[t];
        const double longest =
            std::max({(m_places[b] - m_places[a]).squaredNorm(), (m_places[c] - m_places[b]).squaredNorm(),
                      (m_places[a] - m_places[c]).squaredNorm()});
        return longest > 0 ? crossAt(t).norm() / longest : 0;
    }
    /// On which side of what is thin a triangle is.
    struct Side {
        double off = 0;      ///< its middle, metres from the source
        double cost = 0;     ///< 0: on its own; else the more, the farther away that is than what it is nearest to
        Vec3d step{0, 0, 0}; ///< how it would have to move
    };
    [[nodiscard]] Side sideOf(std::uint32_t t) const {
        const Vec3d at = middle(t);
        const Vec3d cross = crossAt(t);
        const ClosestPoint near = m_query.closest(at, m_near[t]);
        Side side;
        side.off = near.distance;
        if (!(crossOf(m_source, near.triangle).dot(cross) < 0))
            return side;
        const auto own = m_query.closestFacing(at, m_limit, cross.normalized());
        const double distance = own ? own->distance : m_limit;
        if (!(distance > near.distance * (1 + kAsNear) + m_rounding))
            return side;
        // Rather one by much than two by half of that.
        side.cost = kTurned + std::sqrt((distance - near.distance) / m_limit);
        if (own) {
            // So far towards its own that both planes are as near: before the other one, or beyond it.
            const Vec3d way = own->point - at;
            const double along = near.distance > 0 ? (near.point - at).dot(way) / (near.distance * distance) : -1;
            const double before = (distance - near.distance) / std::max(1 - along, 1e-6);
            const double beyond = (distance + near.distance) / std::max(1 + along, 1e-6);
            side.step = way * std::min(1.0, std::min(before, beyond) / distance + kPast);
        }
        return side;
    }

    /// What a point may not do to the triangles round it.
    struct Ring {
        std::vector<Side> sides;
        std::vector<Vec3d> crosses;
        std::vector<double> shapes;
        double farthest = 0; ///< the point itself, metres off the source
        double cost = 0;
    };
    [[nodiscard]] Ring ringOf(std::uint32_t p) const {
        Ring ring;
        for (const std::uint32_t t : around(p)) {
            ring.sides.push_back(sideOf(t));
            ring.crosses.push_back(crossAt(t));
            ring.shapes.push_back(shapeOf(t));
            ring.cost += ring.sides.back().cost;
        }
        ring.farthest = std::max(kOfLimit * m_limit, m_query.closest(m_places[p], m_near[around(p)[0]]).distance);
        return ring;
    }
    /// What its triangles cost where the point is now; none when that is not allowed, or is not less than `enough`.
    [[nodiscard]] std::optional<double> costAt(std::uint32_t p, const Ring& ring, double enough) const {
        const auto triangles = around(p);
        for (std::size_t i = 0; i < triangles.size(); ++i) {
            const Vec3d now = crossAt(triangles[i]);
            if (now.dot(ring.crosses[i]) < kLeastCosine * now.norm() * ring.crosses[i].norm() ||
                shapeOf(triangles[i]) < std::min(ring.shapes[i], kLeastShape))
                return std::nullopt;
        }
        if (m_query.closest(m_places[p], m_near[triangles[0]]).distance > ring.farthest)
            return std::nullopt;
        double cost = 0;
        for (std::size_t i = 0; i < triangles.size(); ++i) {
            const Side side = sideOf(triangles[i]);
            cost += side.cost;
            if (cost >= enough || side.off > std::max(kOfLimit * m_limit, ring.sides[i].off))
                return std::nullopt;
        }
        return cost;
    }

    /// Ways that a point may go: those of its turned triangles and, where there are several, the mean of them.
    static std::vector<Vec3d> waysOf(const Ring& ring) {
        std::vector<Vec3d> ways;
        Vec3d sum(0, 0, 0);
        for (const Side& side : ring.sides)
            if (side.step.squaredNorm() > 0) {
                ways.push_back(side.step);
                sum += side.step;
            }
        if (ways.size() > 1)
            ways.insert(ways.begin(), sum / static_cast<double>(ways.size()));
        return ways;
    }
    /// Spread evenly all round; others in each round.
    static std::vector<Vec3d> waysAllRound(double length, int round) {
        constexpr int kWays = 14;
        constexpr double kGoldenAngle = 2.399963;
        std::vector<Vec3d> ways;
        for (int i = 0; i < kWays; ++i) {
            const double up = 1 - (2 * i + 1.0) / kWays;
            const double across = std::sqrt(1 - up * up);
            const double turn = kGoldenAngle * i + round;
            Vec3d way(across * std::cos(turn), up, across * std::sin(turn));
            std::rotate(way.begin(), way.begin() + round % 3, way.end());
            ways.push_back(length * way);
        }
        return ways;
    }

    /// Moves a point to the one of a few places where the triangles round it cost least.
    bool settle(std::uint32_t p, int round) {
        const Ring ring = ringOf(p);
        const std::vector<Vec3d> ways = waysOf(ring);
        if (ways.empty())
            return false;
        const Vec3d before = m_places[p];
        Vec3d best = before;
        double least = ring.cost;
        constexpr double kTimes[2][3] = {{1, 3, 0.3}, {2, 0.6, 6}};
        const auto& times = kTimes[round % 2];
        const auto go = [&](const std::vector<Vec3d>& all) {
            for (const Vec3d& way : all)
                for (const double by : times) {
                    m_places[p] = before + by * way;
                    if (const auto cost = costAt(p, ring, least)) {
                        least = *cost;
                        best = m_places[p];
                    }
                }
        };
        go(ways); // the middle of a triangle moves by a third of what one of its points does
        if (best == before && round > 0) {
            double longest = 0;
            for (const Vec3d& way : ways)
                longest = std::max(longest, way.norm());
            go(waysAllRound(longest, round));
        }
        m_places[p] = best;
        return best != before;
    }

    const Mesh& m_source;
    const SurfaceQuery& m_query;
    double m_limit = 0;
    Weld m_weld;
    std::vector<Vec3d> m_places;
    std::vector<std::uint8_t> m_fixed; ///< a place each: it stays where it is
    std::vector<std::array<std::uint32_t, 3>> m_triangles;
    std::vector<std::uint32_t> m_first; ///< a place each: into `m_around`
    std::vector<std::uint32_t> m_around;
    std::vector<std::uint32_t> m_near; ///< a triangle each: the source's nearest when it was last looked at
    double m_rounding = 0;             ///< metres
};

/// Triangles that a place of the source is nearest to, in either of two levels, which is farther off the second one than
/// `limit`.
std::vector<std::uint32_t> nearFarther(const Mesh& source, const SurfaceQuery& before, const SurfaceQuery& now,
                                       double limit) {
    const std::size_t step = std::max<std::size_t>(1, source.positions.size() / kUntanglePoints);
    const std::size_t count = (source.positions.size() + step - 1) / step;
    constexpr std::uint32_t kNone = ~0U;
    std::vector<std::uint32_t> near(2 * count, kNone);
    parallelChunks(count, kChunk, [&](std::size_t begin, std::size_t end) {
        std::uint32_t hint = 0;
        for (std::size_t i = begin; i < end; ++i) {
            const Vec3d place = source.positions[i * step].cast<double>();
            const ClosestPoint hit = now.closest(place, hint);
            hint = hit.triangle;
            if (hit.distance > limit) {
                near[2 * i] = hit.triangle;
                near[2 * i + 1] = before.closest(place, hint).triangle;
            }
        }
    });
    std::erase(near, kNone);
    return near;
}

/// What came of it, and how many triangles are turned there.
struct Untangled {
    Mesh mesh;
    std::size_t turned = 0;
};

/// The triangles of a level that are turned, kept up to date while its points move.
class TurnedList {
public:
    TurnedList(Tangle& tangle, std::uint32_t triangles) : m_tangle(tangle), m_bad(triangles, 0) {}

    /// Looks at these. Returns those of them that are.
    std::vector<std::uint32_t> look(const std::vector<std::uint32_t>& which, bool known, const JobContext& job) {
        std::vector<std::uint32_t> found;
        parallelChunks(which.size(), kChunk, job, [&](std::size_t begin, std::size_t end) {
            std::uint32_t hint = 0;
            for (std::size_t i = begin; i < end; ++i) {
                m_bad[which[i]] = m_tangle.turned(which[i], known ? m_tangle.nearOf(which[i]) : hint) ? 1 : 0;
                hint = m_tangle.nearOf(which[i]);
            }
        });
        std::copy_if(which.begin(), which.end(), std::back_inserter(found), [&](auto t) { return m_bad[t] != 0; });
        return found;
    }
    /// Looks again at those round what moved. Returns all that are.
    std::vector<std::uint32_t> lookRound(const std::vector<std::uint8_t>& moved, const JobContext& job) {
        std::vector<std::uint32_t> which;
        for (std::uint32_t p = 0; p < moved.size(); ++p)
            if (moved[p] != 0)
                which.insert(which.end(), m_tangle.around(p).begin(), m_tangle.around(p).end());
        std::sort(which.begin(), which.end());
        which.erase(std::unique(which.begin(), which.end()), which.end());
        look(which, true, job);
        std::vector<std::uint32_t> found;
        for (std::uint32_t t = 0; t < m_bad.size(); ++t)
            if (m_bad[t] != 0)
                found.push_back(t);
        return found;
    }

private:
    Tangle& m_tangle;
    std::vector<std::uint8_t> m_bad;
};

} // namespace

Result<Mesh> untangleLevel(const Mesh& source, const SurfaceQuery& query, Mesh level, const JobContext& job) {
    Tangle tangle(source, query, level);
    TurnedList list(tangle, level.triangleCount());
    std::vector<std::uint32_t> which;
    if (level.triangleCount() > kHeavy) {
        for (std::uint32_t t = 0; t < level.triangleCount(); t += kOneIn)
            which.push_back(t);
        if (list.look(which, false, job).empty() || job.cancelled())
            return job.cancelled() ? Result<Mesh>(cancelledError()) : Result<Mesh>(std::move(level));
        which.clear();
    }
    for (std::uint32_t t = 0; t < level.triangleCount(); ++t)
        which.push_back(t);
    std::vector<std::uint32_t> turned = list.look(which, false, job);
    if (job.cancelled())
        return cancelledError();
    const std::size_t before = turned.size();
    if (before == 0)
        return level;
    const SurfaceQuery levelQuery(level);
    const SampledDeviation was = sampleDeviation(source, query, level, levelQuery, kUntanglePoints);
    const double few = kFewTurned * level.triangleCount();
    Untangled best{level, before};
    std::size_t settled = 0;
    for (int attempt = 0; attempt < kTakenBack; ++attempt) {
        Untangled now{level, turned.size()};
        tangle.writeTo(now.mesh);
        int without = 0;
        for (int round = 0; round < kRounds && without < kPatience && !turned.empty() && settled < kMostSettled;
             ++round) {
            std::vector<std::uint8_t> moved(tangle.points(), 0);
            settled += tangle.move(turned, was.max, round, kMostSettled - settled, moved, job);
            turned = list.lookRound(moved, job);
            if (job.cancelled())
                return cancelledError();
            ++without;
            if (turned.size() < now.turned) {
                now.turned = turned.size();
                without = 0;
                tangle.writeTo(now.mesh);
            }
        }
        const SurfaceQuery nowQuery(now.mesh);
        const SampledDeviation is = sampleDeviation(source, query, now.mesh, nowQuery, kUntanglePoints);
        const bool near = is.max <= kFartherOff * was.max && is.mean <= kFartherMean * was.mean;
        // Somewhat farther off, but on its own side, rather than the other way round; as near as it was rather than both.
        const bool enough = static_cast<double>(now.turned) <= few && now.turned < before;
        const bool rather = is.max <= kMostFarther * was.max && is.mean <= kMostFarther * was.mean &&
                            static_cast<double>(best.turned) > few;
        if ((near && enough) || ((near || rather) && now.turned < best.turned))
            best = now;
        if (near)
            break;
        std::vector<std::uint8_t> moved(tangle.points(), 0);
        if (!tangle.takeBack(nearFarther(source, levelQuery, nowQuery, kFartherOff * was.max), level, moved))
            break;
        turned = list.lookRound(moved, job);
    }
    return std::move(best.mesh);
}

std::uint32_t countTurned(const Mesh& source, const SurfaceQuery& query, const Mesh& level) {
    std::atomic<std::uint32_t> count = 0;
    const double rounding = roundingOf(source);
    parallelChunks(level.triangleCount(), kChunk, [&](std::size_t begin, std::size_t end) {
        std::uint32_t hint = 0;
        for (auto t = static_cast<std::uint32_t>(begin); t < end; ++t) {
            const std::size_t c = 3 * std::size_t{t};
            const Vec3d middle = (placeOf(level, c) + placeOf(level, c + 1) + placeOf(level, c + 2)) / 3;
            const Against found = againstOf(source, query, middle, crossOf(level, t), hint, rounding);
            hint = found.near.triangle;
            count += found.turned ? 1 : 0;
        }
    });
    return count;
}

} // namespace thicket
