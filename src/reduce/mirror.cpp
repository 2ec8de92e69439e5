#include "reduce/mirror.h"

#include "base/parallel.h"
#include "mesh/triangle_shares.h"
#include "reduce/carry_extras.h"

#include <algorithm>
#include <atomic>
#include <cmath>
#include <map>
#include <tuple>

namespace thicket {
namespace {

constexpr double kSymmetric = 1e-4; // of the diagonal
constexpr double kOnPlane = 1e-6;

Vec3f mirrored(const Vec3f& v, const MirrorPlane& plane) {
    Vec3f out = v;
    out[plane.axis] = static_cast<float>(2 * plane.at - static_cast<double>(v[plane.axis]));
    return out;
}

/// Where on the other half a corner of the kept half has its twin.
struct Twin {
    std::uint32_t triangle = 0;
    double u = 0;
    double v = 0;
};

/// The half on the far side of the plane. Its vertices are made from up to two of the input's.
struct Half {
    Mesh mesh;
    std::vector<Twin> twin; ///< a vertex each
};

class Halver {
public:
    Halver(const Mesh& mesh, const SurfaceQuery& query, const MirrorPlane& plane)
        : m_mesh(mesh), m_query(query), m_plane(plane), m_slack(kOnPlane * boundsOf(mesh).diagonal()) {}

    Half run(const JobContext& job) {
        for (const MeshPart& part : m_mesh.parts) {
            const std::uint32_t first = m_out.mesh.triangleCount();
            for (std::uint32_t t = part.firstTriangle; t < part.firstTriangle + part.triangleCount; ++t) {
                if (t % 8192 == 0 && job.cancelled())
                    return {};
                clip(t);
            }
            if (m_out.mesh.triangleCount() > first)
                m_out.mesh.parts.push_back({first, m_out.mesh.triangleCount() - first, part.material});
        }
        return std::move(m_out);
    }

private:
    /// A corner: on the way from one vertex of the input to another.
    struct Corner {
        std::uint32_t from = 0;
        std::uint32_t to = 0;
        double share = 0;
        Vec3f place;
    };

    [[nodiscard]] double beyond(std::uint32_t v) const {
        const double d = static_cast<double>(m_mesh.positions[v][m_plane.axis]) - m_plane.at;
        return std::abs(d) <= m_slack ? 0 : d;
    }

    void clip(std::uint32_t t) {
        const std::uint32_t* c = &m_mesh.indices[3 * std::size_t{t}];
        const double d[3] = {beyond(c[0]), beyond(c[1]), beyond(c[2])};
        if (d[0] <= 0 && d[1] <= 0 && d[2] <= 0)
            return;
        std::vector<Corner> polygon;
        for (std::size_t k = 0; k < 3; ++k) {
            const std::size_t n = (k + 1) % 3;
            if (d[k] >= 0) {
                Corner corner{c[k], c[k], 0, m_mesh.positions[c[k]]};
                if (d[k] == 0)
                    corner.place[m_plane.axis] = static_cast<float>(m_plane.at);
                polygon.push_back(corner);
            }
            if (d[k] * d[n] < 0) {
                // Always from the same end, so that both triangles of the edge get the same point.
                const bool swap = c[k] > c[n];
                const std::uint32_t a = swap ? c[n] : c[k];
                const std::uint32_t b = swap ? c[k] : c[n];
                const double share = swap ? d[n] / (d[n] - d[k]) : d[k] / (d[k] - d[n]);
                Vec3f place =
                    ((1 - share) * m_mesh.positions[a].cast<double>() + share * m_mesh.positions[b].cast<double>())
                        .cast<float>();
                place[m_plane.axis] = static_cast<float>(m_plane.at);
                polygon.push_back({a, b, share, place});
            }
        }
        for (std::size_t k = 2; k < polygon.size(); ++k)
            add(polygon[0], polygon[k - 1], polygon[k]);
    }

    void add(const Corner& a, const Corner& b, const Corner& c) {
        const Vec3d middle = (a.place.cast<double>() + b.place.cast<double>() + c.place.cast<double>()) / 3;
        for (const Corner* corner : {&a, &b, &c})
            m_out.mesh.indices.push_back(vertex(*corner, middle));
    }

    /// The twin is looked for a little inside of the triangle, so that at a seam it is on the right side.
    std::uint32_t vertex(const Corner& corner, const Vec3d& middle) {
        const Vec3d inside = 0.99 * corner.place.cast<double>() + 0.01 * middle;
        const std::uint32_t t =
            m_query.closest(mirrored(inside.cast<float>(), m_plane).cast<double>(), m_lastTwin).triangle;
        m_lastTwin = t;
        const std::uint32_t* i = &m_mesh.indices[3 * std::size_t{t}];
        const Vec3d at = mirrored(corner.place, m_plane).cast<double>();
        const Vec2d over = triangleShares(m_mesh, t, at);
        Twin twin{t, std::clamp(over.x(), 0.0, 1.0), 0};
        twin.v = std::clamp(over.y(), 0.0, 1.0 - twin.u);
        Vec2f uv = Vec2f::Zero();
        if (!m_mesh.uvs.empty())
            uv = static_cast<float>(1 - twin.u - twin.v) * m_mesh.uvs[i[0]] +
                 static_cast<float>(twin.u) * m_mesh.uvs[i[1]] + static_cast<float>(twin.v) * m_mesh.uvs[i[2]];
        // One vertex for all corners with the same origin whose twins agree in the texture.
        const auto rounded = [](float x) { return std::lround(static_cast<double>(x) * 16384); };
        const auto [known, fresh] =
            m_known.try_emplace({corner.from, corner.to, rounded(uv.x()), rounded(uv.y())}, m_out.mesh.vertexCount());
        if (!fresh)
            return known->second;
        Mesh& out = m_out.mesh;
        const auto mix = [&](const auto& from, auto& to) {
            if (!from.empty())
                to.push_back(static_cast<float>(1 - corner.share) * from[corner.from] +
                             static_cast<float>(corner.share) * from[corner.to]);
        };
        out.positions.push_back(corner.place);
        mix(m_mesh.normals, out.normals);
        if (!out.normals.empty())
            out.normals.back().normalize();
        mix(m_mesh.uvs, out.uvs);
        mix(m_mesh.colors, out.colors);
        const std::uint32_t ends[2] = {corner.from, corner.to};
        const double shares[2] = {1 - corner.share, corner.share};
        out.extras.morphs.resize(m_mesh.extras.morphs.size());
        for (std::size_t m = 0; m < out.extras.morphs.size(); ++m)
            out.extras.morphs[m].name = m_mesh.extras.morphs[m].name;
        out.extras.addMean(m_mesh.extras, ends, shares, 2);
        if (!m_mesh.uvs.empty())
            out.extras.uvs2.push_back(uv);
        m_out.twin.push_back(twin);
        return known->second;
    }

    const Mesh& m_mesh;
    const SurfaceQuery& m_query;
    MirrorPlane m_plane;
    double m_slack;
    std::uint32_t m_lastTwin = 0;
    std::map<std::tuple<std::uint32_t, std::uint32_t, long, long>, std::uint32_t> m_known;
    Half m_out;
};

/// Which vertex of the half each of the record's input nodes is: the weld keeps the first of equal ones.
std::vector<std::uint32_t> vertexOfNodes(const Mesh& half, const Record& record, std::size_t inputs) {
    std::vector<std::uint32_t> out(inputs);
    const auto keyOf = [](const Vec3f& p) { return std::tuple(p.x(), p.y(), p.z()); };
    std::multimap<std::tuple<float, float, float>, std::uint32_t> at;
    for (std::uint32_t v = 0; v < half.vertexCount(); ++v)
        at.emplace(keyOf(half.positions[v]), v);
    for (std::uint32_t n = 0; n < inputs; ++n) {
        const auto range = at.equal_range(keyOf(record.positions[n]));
        for (auto i = range.first; i != range.second; ++i) {
            const std::uint32_t v = i->second;
            if ((half.uvs.empty() || (half.uvs[v] == record.uvs[n] && half.extras.uvs2[v] == record.extras.uvs2[n])) &&
                (half.normals.empty() || half.normals[v] == record.normals[n])) {
                out[n] = v;
                break;
            }
        }
    }
    return out;
}

bool colorsAgree(const Mesh& mesh, const Half& half) {
    if (mesh.colors.empty())
        return true;
    for (std::uint32_t v = 0; v < half.mesh.vertexCount(); ++v) {
        const Twin& twin = half.twin[v];
        const std::uint32_t* c = &mesh.indices[3 * std::size_t{twin.triangle}];
        const Vec4f there = static_cast<float>(1 - twin.u - twin.v) * mesh.colors[c[0]] +
                            static_cast<float>(twin.u) * mesh.colors[c[1]] +
                            static_cast<float>(twin.v) * mesh.colors[c[2]];
        if ((there - half.mesh.colors[v]).cwiseAbs().maxCoeff() > 0.02F)
            return false;
    }
    return true;
}

} // namespace

std::optional<MirrorPlane> findMirror(const Mesh& mesh, const SurfaceQuery& query, const JobContext& job) {
    const Bounds bounds = boundsOf(mesh);
    const double allowed = kSymmetric * bounds.diagonal();
    for (const int axis : {0, 2, 1}) {
        // As a float, so that vertices can stand on it exactly.
        const MirrorPlane plane{axis, static_cast<double>(static_cast<float>(bounds.centre()[axis]))};
        std::atomic<bool> holds = true;
        const auto check = [&](std::size_t step) {
            parallelChunks((mesh.positions.size() + step - 1) / step, 1024, [&](std::size_t begin, std::size_t end) {
                std::uint32_t hint = 0;
                for (std::size_t i = begin; i < end && holds && !job.cancelled(); ++i) {
                    const ClosestPoint hit =
                        query.closest(mirrored(mesh.positions[i * step], plane).cast<double>(), hint);
                    hint = hit.triangle;
                    if (hit.distance > allowed)
                        holds = false;
                }
            });
        };
        check(std::max<std::size_t>(1, mesh.positions.size() / 1000)); // most meshes fall at once
        if (holds)
            check(1);
        if (job.cancelled())
            return std::nullopt;
        if (holds)
            return plane;
    }
    return std::nullopt;
}

Result<Record> recordMirrored(const Mesh& mesh, const SurfaceQuery& query, const MirrorPlane& plane,
                              const ReduceOptions& options, const JobContext& job) {
    const std::string remedy = "turn off the mirror, or take this out of the mesh";
    if (!mesh.extras.uvs2.empty())
        return Error{ErrorCode::BadInput, "", "second UVs of two halves cannot be kept symmetric", remedy};
    job.report(0, "cutting in half");
    Half half = Halver(mesh, query, plane).run(job);
    if (job.cancelled())
        return cancelledError();
    if (!colorsAgree(mesh, half))
        return Error{ErrorCode::BadInput, "", "its vertex colours are not symmetric", remedy};
    ReduceOptions own = options;
    own.mirror = plane;
    own.reuseVertices = false;
    std::vector<float> care;
    if (!options.care.empty()) {
        // The more careful of both sides.
        for (std::uint32_t v = 0; v < half.mesh.vertexCount(); ++v) {
            const std::uint32_t* c = &mesh.indices[3 * std::size_t{half.twin[v].triangle}];
            float most = std::max({options.care[c[0]], options.care[c[1]], options.care[c[2]]});
            const ClosestPoint here = query.closest(half.mesh.positions[v].cast<double>());
            for (std::size_t k = 0; k < 3; ++k)
                most = std::max(most, options.care[mesh.indices[3 * std::size_t{here.triangle} + k]]);
            care.push_back(most);
        }
        own.care = care;
    }
    auto made = recordCollapses(half.mesh, own, job.part(0.1, 0.95));
    if (!made)
        return made.error();
    const Record& h = *made;

    // Both halves. A node that is its own twin stands on the plane and is there once.
    const std::size_t nodes = h.positions.size();
    const auto inputs =
        static_cast<std::size_t>(std::upper_bound(h.birth.begin(), h.birth.end(), 0U) - h.birth.begin());
    std::vector<std::uint8_t> sole(nodes, 0);
    std::vector<std::uint8_t> onPlane(nodes, 0);
    for (std::size_t n = 0; n < inputs; ++n) {
        onPlane[n] = static_cast<double>(h.positions[n][plane.axis]) == plane.at ? 1 : 0;
        sole[n] = onPlane[n] != 0 && (h.normals.empty() || std::abs(h.normals[n][plane.axis]) < 1e-3F) &&
                  (h.uvs.empty() || (h.uvs[n] - h.extras.uvs2[n]).cwiseAbs().maxCoeff() < 1e-3F) &&
                  h.extras.joints.empty() && h.extras.morphs.empty() && h.extras.tangents.empty();
    }
    for (std::size_t n = 0; n < nodes; ++n)
        if (h.parent[n] != kNone) {
            sole[h.parent[n]] |= sole[n];
            onPlane[h.parent[n]] |= onPlane[n];
        }
    Record out;
    std::vector<std::uint32_t> first(nodes);
    std::vector<std::uint32_t> second(nodes);
    for (std::uint32_t n = 0; n < nodes; ++n) {
        first[n] = static_cast<std::uint32_t>(out.positions.size());
        for (int side = 0; side < (sole[n] != 0 ? 1 : 2); ++side) {
            second[n] = static_cast<std::uint32_t>(out.positions.size());
            out.positions.push_back(side == 0 ? h.positions[n] : mirrored(h.positions[n], plane));
            if (onPlane[n] != 0)
                out.positions.back()[plane.axis] = static_cast<float>(plane.at);
            if (!h.normals.empty()) {
                Vec3f normal = h.normals[n];
                if (side == 1)
                    normal[plane.axis] = -normal[plane.axis];
                if (sole[n] != 0) {
                    normal[plane.axis] = 0;
                    if (const float size = normal.norm(); size > 0)
                        normal /= size;
                }
                out.normals.push_back(normal);
            }
            if (!h.uvs.empty())
                out.uvs.push_back(sole[n] != 0 ? Vec2f(0.5F * (h.uvs[n] + h.extras.uvs2[n]))
                                  : side == 0  ? h.uvs[n]
                                               : h.extras.uvs2[n]);
            if (!h.colors.empty())
                out.colors.push_back(h.colors[n]);
            out.birth.push_back(h.birth[n]);
        }
    }
    out.parent.assign(out.positions.size(), kNone);
    for (std::size_t n = 0; n < nodes; ++n)
        if (h.parent[n] != kNone) {
            out.parent[first[n]] = first[h.parent[n]];
            out.parent[second[n]] = second[h.parent[n]];
        }
    if (!mesh.extras.empty()) {
        const std::vector<std::uint32_t> vertex = vertexOfNodes(half.mesh, h, inputs);
        VertexExtras plain = half.mesh.extras;
        plain.uvs2.clear(); // it held the twins' UVs
        const double whole = 1;
        out.extras.morphs.resize(mesh.extras.morphs.size());
        for (std::size_t m = 0; m < out.extras.morphs.size(); ++m)
            out.extras.morphs[m].name = mesh.extras.morphs[m].name;
        for (std::size_t n = 0; n < inputs; ++n) {
            out.extras.addMean(plain, &vertex[n], &whole, 1);
            if (sole[n] != 0)
                continue;
            const Twin& twin = half.twin[vertex[n]];
            const double shares[3] = {1 - twin.u - twin.v, twin.u, twin.v};
            out.extras.addMean(mesh.extras, &mesh.indices[3 * std::size_t{twin.triangle}], shares, 3);
        }
        reduce::carryExtras(out);
    }
    for (const MeshPart& part : h.parts) {
        const auto begin = static_cast<std::uint32_t>(out.indices.size() / 3);
        for (int side = 0; side < 2; ++side)
            for (std::uint32_t t = part.firstTriangle; t < part.firstTriangle + part.triangleCount; ++t) {
                const std::uint32_t* c = &h.indices[3 * std::size_t{t}];
                if (side == 0)
                    out.indices.insert(out.indices.end(), {first[c[0]], first[c[1]], first[c[2]]});
                else
                    out.indices.insert(out.indices.end(), {second[c[0]], second[c[2]], second[c[1]]});
                out.death.push_back(h.death[t]);
            }
        out.parts.push_back({begin, 2 * part.triangleCount, part.material});
    }
    for (const std::uint32_t alive : h.alive)
        out.alive.push_back(2 * alive);
    out.error = h.error;
    out.asCut = h.asCut;
    out.droppedDegenerate = 2 * h.droppedDegenerate;
    out.droppedDuplicate = 2 * h.droppedDuplicate;
    job.report(1, "recorded");
    return out;
}

} // namespace thicket
