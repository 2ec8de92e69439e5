#include "reduce/untangle.h"

#include "base/parallel.h"
#include "measure/deviation.h"

#include <algorithm>
#include <array>
#include <atomic>
#include <cmath>
#include <span>

namespace thicket {
namespace {

constexpr int kRounds = 10;
constexpr std::uint32_t kChunk = 1024;
constexpr std::uint32_t kHeavy = 20'000; // triangles; of heavier levels a few tell whether the rest has to be seen
constexpr std::uint32_t kOneIn = 8;      // of those
constexpr std::uint32_t kUntanglePoints = 60'000; // measured a direction
constexpr double kFartherOff = 1.02;              // a level that comes farther off than this share is left as it was
constexpr double kOfLimit = 0.5;                  // of how far the level is off: as far points and middles may come
constexpr double kPast = 0.1;                     // of the way to its own surface, beyond the middle between both
constexpr double kAsNear = 1e-3;                  // a share by which two surfaces are told apart as the nearest
constexpr double kLeastCosine = 0.5;              // between a triangle before and after a step
constexpr double kLeastShape = 0.02;              // twice the area over the longest side squared

Vec3d placeOf(const Mesh& mesh, std::size_t corner) {
    return mesh.positions[mesh.indices[corner]].cast<double>();
}

Vec3d crossOf(const Mesh& mesh, std::uint32_t t) {
    const std::size_t c = 3 * std::size_t{t};
    return (placeOf(mesh, c + 1) - placeOf(mesh, c)).cross(placeOf(mesh, c + 2) - placeOf(mesh, c));
}

/// A level as places with the triangles round them.
class Tangle {
public:
    Tangle(const Mesh& source, const SurfaceQuery& query, const Mesh& level)
        : m_source(source), m_query(query), m_weld(weldPositions(level)), m_places(m_weld.pointCount),
          m_triangles(level.triangleCount()), m_first(m_weld.pointCount + 1, 0), m_near(m_triangles.size(), 0),
          m_steps(m_triangles.size()) {
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
        const Vec3d cross = crossAt(t);
        const ClosestPoint found = m_query.closest(middle(t), hint);
        m_near[t] = found.triangle;
        return crossOf(m_source, found.triangle).dot(cross) < 0;
    }

    /// Moves the points of these triangles; those that moved are marked. What is less than half of `limit` off the source
    /// may come as far off as that, and nothing else farther than it is.
    bool move(std::span<const std::uint32_t> which, double limit, std::vector<std::uint8_t>& moved) {
        m_limit = limit;
        parallelChunks(which.size(), kChunk / 8, [&](std::size_t begin, std::size_t end) {
            for (std::size_t i = begin; i < end; ++i)
                m_steps[which[i]] = stepOf(which[i]);
        });
        std::vector<Vec3d> sum(m_places.size(), Vec3d::Zero());
        std::vector<std::uint32_t> count(m_places.size(), 0);
        for (const std::uint32_t t : which)
            for (const std::uint32_t p : m_triangles[t]) {
                sum[p] += m_steps[t];
                ++count[p];
            }
        bool any = false;
        for (std::uint32_t p = 0; p < m_places.size(); ++p)
            if (count[p] > 0 && sum[p].squaredNorm() > 0 && step(p, sum[p] / count[p])) {
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
    /// How a triangle has to move to be nearer to the surface that faces as it does than to the one it is at.
    [[nodiscard]] Vec3d stepOf(std::uint32_t t) const {
        const double distance = m_query.closest(middle(t), m_near[t]).distance;
        const auto own = m_query.closestFacing(middle(t), m_limit, crossAt(t).normalized());
        if (!own || !(own->distance > distance * (1 + kAsNear)))
            return Vec3d::Zero();
        return (own->point - middle(t)) * std::min(1.0, (1 - distance / own->distance) / 2 + kPast);
    }
    /// As much of a step as is allowed: the whole, its half, its quarter or nothing.
    bool step(std::uint32_t p, Vec3d by) {
        const Vec3d before = m_places[p];
        const double farthest = std::max(kOfLimit * m_limit, m_query.closest(before, m_near[around(p)[0]]).distance);
        std::vector<Vec3d> crosses;
        std::vector<double> shapes;
        std::vector<double> middles;
        for (const std::uint32_t t : around(p)) {
            crosses.push_back(crossAt(t));
            shapes.push_back(shapeOf(t));
            middles.push_back(std::max(kOfLimit * m_limit, m_query.closest(middle(t), m_near[t]).distance));
        }
        for (int half = 0; half < 3; ++half, by /= 2) {
            m_places[p] = before + by;
            bool holds = m_query.closest(m_places[p], m_near[around(p)[0]]).distance <= farthest;
            for (std::size_t i = 0; i < crosses.size() && holds; ++i) {
                const std::uint32_t t = around(p)[i];
                const Vec3d now = crossAt(t);
                holds = now.dot(crosses[i]) >= kLeastCosine * now.norm() * crosses[i].norm() &&
                        shapeOf(t) >= std::min(shapes[i], kLeastShape) &&
                        m_query.closest(middle(t), m_near[t]).distance <= middles[i];
            }
            if (holds)
                return true;
        }
        m_places[p] = before;
        return false;
    }

    const Mesh& m_source;
    const SurfaceQuery& m_query;
    double m_limit = 0;
    Weld m_weld;
    std::vector<Vec3d> m_places;
    std::vector<std::array<std::uint32_t, 3>> m_triangles;
    std::vector<std::uint32_t> m_first; ///< a place each: into `m_around`
    std::vector<std::uint32_t> m_around;
    std::vector<std::uint32_t> m_near; ///< a triangle each: the source's nearest when it was last looked at
    std::vector<Vec3d> m_steps;
};

} // namespace

Result<Mesh> untangleLevel(const Mesh& source, const SurfaceQuery& query, Mesh level, const JobContext& job) {
    Tangle tangle(source, query, level);
    std::vector<std::uint8_t> bad(level.triangleCount(), 0);
    const auto look = [&](const std::vector<std::uint32_t>& which, bool known) {
        std::vector<std::uint32_t> found;
        parallelChunks(which.size(), kChunk, job, [&](std::size_t begin, std::size_t end) {
            std::uint32_t hint = 0;
            for (std::size_t i = begin; i < end; ++i) {
                bad[which[i]] = tangle.turned(which[i], known ? tangle.nearOf(which[i]) : hint) ? 1 : 0;
                hint = tangle.nearOf(which[i]);
            }
        });
        std::copy_if(which.begin(), which.end(), std::back_inserter(found), [&](auto t) { return bad[t] != 0; });
        return found;
    };
    std::vector<std::uint32_t> which;
    if (level.triangleCount() > kHeavy) {
        for (std::uint32_t t = 0; t < level.triangleCount(); t += kOneIn)
            which.push_back(t);
        if (look(which, false).empty() || job.cancelled())
            return job.cancelled() ? Result<Mesh>(cancelledError()) : Result<Mesh>(std::move(level));
        which.clear();
    }
    for (std::uint32_t t = 0; t < level.triangleCount(); ++t)
        which.push_back(t);
    std::vector<std::uint32_t> turned = look(which, false);
    const std::size_t before = turned.size();
    if (before == 0)
        return level;
    const SampledDeviation was = sampleDeviation(source, query, level, kUntanglePoints);
    const double limit = was.max;
    for (int round = 0; round < kRounds && !turned.empty(); ++round) {
        if (job.cancelled())
            return cancelledError();
        std::vector<std::uint8_t> moved(tangle.points(), 0);
        if (!tangle.move(turned, limit, moved))
            break;
        which.clear();
        for (std::uint32_t p = 0; p < moved.size(); ++p)
            if (moved[p] != 0)
                which.insert(which.end(), tangle.around(p).begin(), tangle.around(p).end());
        std::sort(which.begin(), which.end());
        which.erase(std::unique(which.begin(), which.end()), which.end());
        look(which, true);
        turned.clear();
        for (std::uint32_t t = 0; t < bad.size(); ++t)
            if (bad[t] != 0)
                turned.push_back(t);
    }
    if (job.cancelled())
        return cancelledError();
    if (turned.size() >= before)
        return level;
    Mesh made = level;
    tangle.writeTo(made);
    const SampledDeviation is = sampleDeviation(source, query, made, kUntanglePoints);
    const bool farther = is.max > kFartherOff * was.max || is.mean > kFartherOff * was.mean;
    return farther ? std::move(level) : std::move(made);
}

std::uint32_t countTurned(const Mesh& source, const SurfaceQuery& query, const Mesh& level) {
    std::atomic<std::uint32_t> count = 0;
    const double rounding = 1e-6 * boundsOf(source).diagonal();
    parallelChunks(level.triangleCount(), kChunk, [&](std::size_t begin, std::size_t end) {
        std::uint32_t hint = 0;
        for (auto t = static_cast<std::uint32_t>(begin); t < end; ++t) {
            const std::size_t c = 3 * std::size_t{t};
            const Vec3d middle = (placeOf(level, c) + placeOf(level, c + 1) + placeOf(level, c + 2)) / 3;
            const ClosestPoint nearest = query.closest(middle, hint);
            hint = nearest.triangle;
            const Vec3d cross = crossOf(level, t);
            if (crossOf(source, nearest.triangle).dot(cross) < 0 &&
                !query.closestFacing(middle, nearest.distance * (1 + kAsNear) + rounding, cross.normalized()))
                ++count;
        }
    });
    return count;
}

} // namespace thicket
