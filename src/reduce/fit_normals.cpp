#include "reduce/fit_normals.h"

#include "base/parallel.h"
#include "mesh/triangle_shares.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <numeric>

namespace thicket {
namespace {

constexpr std::uint32_t kHeaviest = 20'000; // triangles
constexpr std::uint32_t kSamples = 24'000;
constexpr std::uint32_t kMostEach = 24;
constexpr float kAlike = 0.9F;     // cosine; wedges of one place that are nearer than that are one
constexpr double kFarthest = 0.05; // of the diagonal; what is farther off is something else
constexpr double kStays = 0.03;    // how much a normal's own weighs, of what is sampled around it
constexpr int kRounds = 24;
constexpr double kLeastTurned = 0.2; // cosine to what it was; beyond, it is no longer the same side

/// Vertices that share a normal.
std::vector<std::uint32_t> groupsOf(const Mesh& level, std::uint32_t& groups) {
    std::vector<std::uint32_t> order(level.vertexCount());
    std::iota(order.begin(), order.end(), 0U);
    const auto place = [&](std::uint32_t v) {
        const Vec3f& p = level.positions[v];
        return std::array<float, 3>{p.x(), p.y(), p.z()};
    };
    std::sort(order.begin(), order.end(), [&](std::uint32_t a, std::uint32_t b) {
        const auto pa = place(a);
        const auto pb = place(b);
        return pa != pb ? pa < pb : a < b;
    });
    std::vector<std::uint32_t> out(level.vertexCount());
    groups = 0;
    for (std::size_t from = 0; from < order.size();) {
        std::size_t to = from;
        while (to < order.size() && place(order[to]) == place(order[from]))
            ++to;
        for (std::size_t i = from; i < to; ++i) {
            std::size_t alike = from;
            while (alike < i && level.normals[order[alike]].dot(level.normals[order[i]]) < kAlike)
                ++alike;
            out[order[i]] = alike < i ? out[order[alike]] : groups++;
        }
        from = to;
    }
    return out;
}

struct Sample {
    std::array<std::uint32_t, 3> group;
    std::array<float, 3> share; ///< of the corners
    Vec3f wanted;               ///< zero: nothing that faces about that way is near
    float weight;               ///< square metres
};

Vec3f mixed(const Sample& s, const std::vector<Vec3f>& normals) {
    return s.share[0] * normals[s.group[0]] + s.share[1] * normals[s.group[1]] + s.share[2] * normals[s.group[2]];
}

double errorOf(const std::vector<Sample>& samples, const std::vector<Vec3f>& normals) {
    double out = 0;
    for (const Sample& s : samples)
        if (s.weight > 0)
            out += static_cast<double>(s.weight * (mixed(s, normals).normalized() - s.wanted).squaredNorm());
    return out;
}

class Sampler {
public:
    Sampler(const Mesh& source, const SurfaceQuery& query, const Mesh& level, const std::vector<std::uint32_t>& groups)
        : m_source(source), m_query(query), m_level(level), m_groups(groups),
          m_each(std::clamp(kSamples / std::max(level.triangleCount(), 1U), 1U, kMostEach)),
          m_limit(kFarthest * boundsOf(source).diagonal()) {}

    std::vector<Sample> all(const JobContext& job) const {
        std::vector<Sample> out(std::size_t{m_level.triangleCount()} * m_each);
        constexpr std::size_t kTogether = 64;
        parallelChunks(m_level.triangleCount(), kTogether, job, [&](std::size_t from, std::size_t to) {
            for (std::size_t t = from; t < to; ++t)
                sampleTriangle(static_cast<std::uint32_t>(t), &out[t * m_each]);
        });
        return out;
    }

private:
    void sampleTriangle(std::uint32_t triangle, Sample* out) const {
        const std::uint32_t* v = &m_level.indices[3 * std::size_t{triangle}];
        std::array<Vec3d, 3> p;
        for (std::size_t k = 0; k < 3; ++k)
            p[k] = m_level.positions[v[k]].cast<double>();
        const Vec3d across = (p[1] - p[0]).cross(p[2] - p[0]);
        const double twice = across.norm();
        for (std::uint32_t i = 0; i < m_each; ++i) {
            // SOURCE  Roberts, the R2 sequence (2018), folded into a triangle.
            double a = std::fmod(0.5 + 0.7548776662466927 * (i + 1), 1.0);
            double b = std::fmod(0.5 + 0.5698402909980532 * (i + 1), 1.0);
            if (a + b > 1) {
                a = 1 - a;
                b = 1 - b;
            }
            Sample& s = out[i];
            s.share = {static_cast<float>(1 - a - b), static_cast<float>(a), static_cast<float>(b)};
            for (std::size_t k = 0; k < 3; ++k)
                s.group[k] = m_groups[v[k]];
            s.wanted = Vec3f::Zero();
            s.weight = 0;
            if (!(twice > 0))
                continue;
            const auto at = m_query.closestFacing((1 - a - b) * p[0] + a * p[1] + b * p[2], m_limit, across / twice);
            if (!at)
                continue;
            s.wanted = sourceNormal(*at);
            // Across a hard edge lies another side's: it is no wish of this one's.
            if (s.wanted.dot(mixedOwn(v, s)) > 0)
                s.weight = static_cast<float>(twice / 2 / m_each);
        }
    }

    [[nodiscard]] Vec3f mixedOwn(const std::uint32_t* v, const Sample& s) const {
        return s.share[0] * m_level.normals[v[0]] + s.share[1] * m_level.normals[v[1]] +
               s.share[2] * m_level.normals[v[2]];
    }

    [[nodiscard]] Vec3f sourceNormal(const ClosestPoint& at) const {
        const std::uint32_t* v = &m_source.indices[3 * std::size_t{at.triangle}];
        const Vec2f shares = triangleShares(m_source, at.triangle, at.point).cwiseMax(0.0).cwiseMin(1.0).cast<float>();
        const float u = shares.x();
        const float w = shares.y();
        const Vec3f out =
            (1 - u - w) * m_source.normals[v[0]] + u * m_source.normals[v[1]] + w * m_source.normals[v[2]];
        const float length = out.norm();
        return length > 1e-6F ? Vec3f(out / length) : Vec3f::Zero();
    }

    const Mesh& m_source;
    const SurfaceQuery& m_query;
    const Mesh& m_level;
    const std::vector<std::uint32_t>& m_groups;
    std::uint32_t m_each;
    double m_limit;
};

/// Tangents lie across the normal.
void straighten(Vec4f& tangent, const Vec3f& normal) {
    const Vec3f along = tangent.head<3>() - normal * normal.dot(tangent.head<3>());
    const float length = along.norm();
    if (length > 1e-3F)
        tangent.head<3>() = along / length;
}

} // namespace

Result<Mesh> fitNormals(const Mesh& source, const SurfaceQuery& query, Mesh level, const JobContext& job) {
    if (level.normals.empty() || source.normals.empty() || level.triangleCount() == 0 ||
        level.triangleCount() > kHeaviest)
        return level;
    std::uint32_t count = 0;
    const std::vector<std::uint32_t> group = groupsOf(level, count);
    const std::vector<Sample> samples = Sampler(source, query, level, group).all(job);
    if (job.cancelled())
        return cancelledError();

    std::vector<Vec3f> were(count, Vec3f::Zero());
    for (std::uint32_t v = 0; v < level.vertexCount(); ++v)
        were[group[v]] += level.normals[v];
    for (Vec3f& n : were)
        n.normalize();
    std::vector<float> reached(count, 0);
    for (const Sample& s : samples)
        for (std::size_t k = 0; k < 3; ++k)
            reached[s.group[k]] += s.weight * s.share[k];
    std::vector<Vec3f> fitted = were;
    std::vector<Vec3f> push(count);
    for (int round = 0; round < kRounds; ++round) {
        std::fill(push.begin(), push.end(), Vec3f::Zero());
        for (const Sample& s : samples)
            if (s.weight > 0) {
                const Vec3f off = s.weight * (s.wanted - mixed(s, fitted));
                for (std::size_t k = 0; k < 3; ++k)
                    push[s.group[k]] += s.share[k] * off;
            }
        for (std::uint32_t g = 0; g < count; ++g)
            if (reached[g] > 0) {
                const auto stays = static_cast<float>(kStays) * reached[g];
                fitted[g] += (push[g] + stays * (were[g] - fitted[g])) / (reached[g] + stays);
            }
    }
    for (std::uint32_t g = 0; g < count; ++g) {
        const float length = fitted[g].norm();
        fitted[g] = length > 1e-3F ? Vec3f(fitted[g] / length) : were[g];
        if (static_cast<double>(fitted[g].dot(were[g])) < kLeastTurned)
            fitted[g] = were[g];
    }
    if (errorOf(samples, fitted) >= errorOf(samples, were))
        return level;
    for (std::uint32_t v = 0; v < level.vertexCount(); ++v)
        level.normals[v] = fitted[group[v]];
    for (std::uint32_t v = 0; v < level.extras.tangents.size(); ++v)
        straighten(level.extras.tangents[v], level.normals[v]);
    return level;
}

} // namespace thicket
