#include "reduce/surface.h"

#include "base/parallel.h"
#include "base/text.h"
#include "reduce/corner_lists.h"
#include "reduce/measure_surface.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <numeric>
#include <span>

namespace thicket::reduce {
namespace {

constexpr std::size_t kPointChunk = 4096;

/// Marks triangles of no extent, and all but the first of those that stand on the same three points the same way round.
std::vector<std::uint8_t> markBad(const BigVector<std::uint32_t>& corners, const CornerLists& lists, Record& record,
                                  const JobContext& job) {
    constexpr std::uint8_t kDegenerate = 1;
    constexpr std::uint8_t kDuplicate = 2;
    std::vector<std::uint8_t> bad(corners.size() / 4, 0);
    parallelChunks(lists.start.size() - 1, kPointChunk, [&](std::size_t begin, std::size_t end) {
        std::vector<std::array<std::uint32_t, 3>> near;
        for (auto p = static_cast<std::uint32_t>(begin); p < end && !job.cancelled(); ++p) {
            near.clear();
            for (const std::uint32_t corner : lists.of(p)) {
                const std::uint32_t next = corners[cornerAfter(corner)];
                const std::uint32_t before = corners[cornerBefore(corner)];
                if (next < p || before < p)
                    continue; // its smallest point sees to it
                if (next == p || before == p || next == before)
                    bad[corner / 4] = kDegenerate;
                else
                    near.push_back({next, before, corner / 4});
            }
            std::sort(near.begin(), near.end());
            for (std::size_t i = 1; i < near.size(); ++i)
                if (near[i][0] == near[i - 1][0] && near[i][1] == near[i - 1][1])
                    bad[near[i][2]] = kDuplicate;
        }
    });
    for (const std::uint8_t b : bad) {
        record.droppedDegenerate += b == kDegenerate ? 1 : 0;
        record.droppedDuplicate += b == kDuplicate ? 1 : 0;
    }
    return bad;
}

void dropBad(const std::vector<std::uint8_t>& bad, Record& record) {
    std::vector<MeshPart> parts;
    std::size_t to = 0;
    for (const MeshPart& part : record.parts) {
        MeshPart kept{static_cast<std::uint32_t>(to / 3), 0, part.material};
        for (std::uint32_t t = part.firstTriangle; t < part.firstTriangle + part.triangleCount; ++t)
            if (bad[t] == 0)
                for (std::size_t k = 0; k < 3; ++k)
                    record.indices[to++] = record.indices[3 * std::size_t{t} + k];
        kept.triangleCount = static_cast<std::uint32_t>(to / 3) - kept.firstTriangle;
        if (kept.triangleCount > 0)
            parts.push_back(kept);
    }
    record.indices.resize(to);
    record.parts = std::move(parts);
}

/// How skinning and morphing move a vertex, in six numbers: where its joints would take it if each joint moved by a
/// vector of its own (made from its number), and the sum of its morph moves with signs that do not cancel for all
/// vertices alike. What varies linearly along the surface costs nothing, like any attribute (Hoppe 1999).
std::array<float, 6> motionOf(const VertexExtras& extras, std::uint32_t node, double jointScale, double moveScale) {
    Vec3d joints = Vec3d::Zero();
    Vec3d moves = Vec3d::Zero();
    const auto direction = [](std::uint32_t id) {
        return Vec3d(2 * hashShare(3 * id) - 1, 2 * hashShare(3 * id + 1) - 1, 2 * hashShare(3 * id + 2) - 1);
    };
    for (int k = 0; k < 4 && !extras.joints.empty(); ++k)
        joints +=
            static_cast<double>(extras.weights[node][k]) * direction(extras.joints[node][static_cast<std::size_t>(k)]);
    for (std::uint32_t m = 0; m < extras.morphs.size(); ++m)
        if (!extras.morphs[m].moves.empty())
            moves += (hashShare(m) < 0.5 ? -1.0 : 1.0) * extras.morphs[m].moves[node].cast<double>();
    std::array<float, 6> out{};
    for (int i = 0; i < 3; ++i) {
        out[static_cast<std::size_t>(i)] = static_cast<float>(jointScale * joints[i]);
        out[static_cast<std::size_t>(i + 3)] = static_cast<float>(moveScale * moves[i]);
    }
    return out;
}

/// Metres (working units) that a unit of a texture is worth, from the areas of both.
double uvScaleOf(const Surface& s, const BigVector<Vec2f>& uv, double weight, const JobContext& job) {
    if (uv.empty())
        return 0;
    // Sums of fixed chunks, joined in their order.
    constexpr std::size_t kAreaChunk = 4 * kPointChunk;
    struct Areas {
        double surface = 0;
        double texture = 0;
    };
    std::vector<Areas> areas(s.triangles() / kAreaChunk + 1);
    parallelChunks(s.triangles(), kAreaChunk, job, [&](std::size_t begin, std::size_t end) {
        Areas& own = areas[begin / kAreaChunk];
        for (auto t = static_cast<std::uint32_t>(begin); t < end; ++t) {
            own.surface += areaOf(s, t);
            const std::uint32_t* w = &s.cornerWedge[3 * std::size_t{t}];
            const Vec2f e = uv[w[1]] - uv[w[0]];
            const Vec2f f = uv[w[2]] - uv[w[0]];
            own.texture += std::abs(static_cast<double>(e.x() * f.y() - e.y() * f.x())) / 2;
        }
    });
    double area = 0;
    double uvArea = 0;
    for (const Areas& part : areas) {
        area += part.surface;
        uvArea += part.texture;
    }
    return weight * (uvArea > 1e-12 ? std::min(std::sqrt(area / uvArea), 10.0) : 1e-3);
}

void setScales(const ReduceOptions& options, Surface& s, const JobContext& job) {
    s.normalScale = options.normalWeight;
    s.colorScale = options.colorWeight;
    s.uvScale = uvScaleOf(s, s.wedgeUv, options.uvWeight, job);
    s.uv2Scale = uvScaleOf(s, s.wedgeUv2, options.uvWeight, job);
    s.attributes = (s.wedgeNormal.empty() ? 0 : 3) + (s.wedgeUv.empty() ? 0 : 2) + (s.wedgeColor.empty() ? 0 : 4) +
                   (s.wedgeUv2.empty() ? 0 : 2) + (s.wedgeMotion.empty() ? 0 : 6);
}

} // namespace

Result<void> prepareSurface(const Mesh& mesh, const ReduceOptions& options, const JobContext& job, Surface& s,
                            Record& record) {
    if (sharesVerticesAcrossMaterials(mesh)) {
        std::vector<std::uint32_t> doubled;
        const Mesh split = splitByMaterial(mesh, &doubled);
        std::vector<float> care(options.care.begin(), options.care.end());
        ReduceOptions own = options;
        if (!care.empty())
            for (const std::uint32_t v : doubled)
                care.push_back(care[v]);
        own.care = care;
        return prepareSurface(split, own, job, s, record);
    }
    job.report(0, "joining vertices");
    // Nodes are the distinct vertices, in order of first use; points the distinct places.
    const Weld points = weldPositions(mesh, job);
    std::vector<std::uint32_t> materialOfVertex;
    const bool plain =
        mesh.normals.empty() && mesh.uvs.empty() && mesh.colors.empty() && mesh.extras.empty() && mesh.parts.size() < 2;
    if (!plain) {
        materialOfVertex.assign(mesh.positions.size(), 0);
        for (const MeshPart& part : mesh.parts)
            for (std::size_t c = 3 * std::size_t{part.firstTriangle};
                 c < 3 * (std::size_t{part.firstTriangle} + part.triangleCount); ++c)
                materialOfVertex[mesh.indices[c]] = part.material;
    }
    const Weld nodes = plain || job.cancelled() ? points : weldVertices(mesh, materialOfVertex, job);
    const std::uint32_t nodeCount = nodes.pointCount;
    if (job.cancelled())
        return cancelledError();

    BigVector<std::uint32_t> vertexOfNode(nodeCount);
    for (std::uint32_t v = 0, node = 0; v < mesh.vertexCount() && !(v % 65536 == 0 && job.cancelled()); ++v)
        if (nodes.pointOf[v] == node)
            vertexOfNode[node++] = v;
    if (job.cancelled())
        return cancelledError();
    const auto take = [&](auto& to, const auto& from) {
        if (from.empty())
            return;
        to.reserve(std::size_t{nodeCount} * 2);
        to.resize(nodeCount);
        parallelChunks(nodeCount, kPointChunk, job, [&](std::size_t begin, std::size_t end) {
            for (std::size_t n = begin; n < end; ++n)
                to[n] = from[vertexOfNode[n]];
        });
    };
    take(record.positions, mesh.positions);
    take(record.normals, mesh.normals);
    take(record.uvs, mesh.uvs);
    take(record.colors, mesh.colors);
    record.extras.eachWith(mesh.extras, take);
    BigVector<std::uint32_t> pointOfNode(nodeCount);
    BigVector<std::uint32_t> materialOfNode(nodeCount);
    BigVector<std::uint32_t> nodeOfPoint(points.pointCount); // one of them; all stand on one place
    for (std::uint32_t n = 0; n < nodeCount && !(n % 65536 == 0 && job.cancelled()); ++n) {
        const std::uint32_t v = vertexOfNode[n];
        pointOfNode[n] = points.pointOf[v];
        nodeOfPoint[pointOfNode[n]] = n;
        materialOfNode[n] = plain ? 0 : materialOfVertex[v];
    }
    if (job.cancelled())
        return cancelledError();
    record.parent.reserve(std::size_t{nodeCount} * 2);
    record.birth.reserve(std::size_t{nodeCount} * 2);
    record.parent.assign(nodeCount, kNone);
    record.birth.assign(nodeCount, 0);

    // Points in the order of the curve, and wedges in the order of their points.
    const Bounds bounds = boundsOf(mesh);
    s.origin = bounds.centre();
    s.scale = bounds.diagonal() > 0 ? bounds.diagonal() : 1;
    BigVector<Vec3d> places(points.pointCount);
    parallelChunks(places.size(), kPointChunk, job, [&](std::size_t begin, std::size_t end) {
        for (std::size_t p = begin; p < end; ++p)
            places[p] = (record.positions[nodeOfPoint[p]].cast<double>() - s.origin) / s.scale;
    });
    if (job.cancelled())
        return cancelledError();
    const BigVector<std::uint32_t> order = curveOrder(places, 0, job);
    if (job.cancelled())
        return cancelledError();
    BigVector<std::uint32_t> rank(order.size());
    std::vector<float> care(options.care.empty() ? 0 : order.size(), 0.0F);
    s.places.resize(order.size());
    s.quadrics.resize(order.size());
    parallelChunks(order.size(), kPointChunk, job, [&](std::size_t begin, std::size_t end) {
        for (std::size_t i = begin; i < end; ++i) {
            rank[order[i]] = static_cast<std::uint32_t>(i);
            s.places[i] = places[order[i]];
        }
    });
    if (job.cancelled())
        return cancelledError(); // some ranks were not written then
    places = {};
    if (!care.empty())
        for (std::uint32_t v = 0; v < mesh.vertexCount(); ++v) {
            float& most = care[rank[points.pointOf[v]]];
            most = std::max(most, options.care[v]);
        }
    s.careful = std::any_of(care.begin(), care.end(), [](float c) { return c > 0; });
    std::vector<std::uint32_t> start(order.size() + 1, 0);
    for (std::uint32_t& p : pointOfNode) {
        p = rank[p];
        ++start[p + 1];
    }
    for (std::size_t p = 1; p < start.size(); ++p)
        start[p] += start[p - 1];
    BigVector<std::uint32_t> wedgeOfNode(nodeCount);
    BigVector<std::uint32_t> materialOfWedge(nodeCount);
    s.wedgePoint.resize(nodeCount);
    s.wedgeNode.resize(nodeCount);
    s.wedgeNormal.resize(record.normals.size());
    s.wedgeUv.resize(record.uvs.size());
    s.wedgeColor.resize(record.colors.size());
    s.wedgeUv2.resize(record.extras.uvs2.size());
    const bool moves = !record.extras.joints.empty() || !record.extras.morphs.empty();
    s.wedgeMotion.resize(moves ? nodeCount : 0);
    for (std::uint32_t n = 0; n < nodeCount; ++n) {
        if (n % 65536 == 0 && job.cancelled())
            return cancelledError();
        const std::uint32_t w = start[pointOfNode[n]]++;
        wedgeOfNode[n] = w;
        s.wedgeNode[w] = n;
    }
    parallelChunks(nodeCount, kPointChunk, job, [&](std::size_t begin, std::size_t end) {
        const auto fetch = [](auto& to, const auto& from, std::size_t w, std::uint32_t n) {
            if (!to.empty())
                to[w] = from[n];
        };
        for (std::size_t w = begin; w < end; ++w) {
            const std::uint32_t n = s.wedgeNode[w];
            if (moves)
                s.wedgeMotion[w] = motionOf(record.extras, n, options.skinWeight, options.morphWeight / s.scale);
            materialOfWedge[w] = materialOfNode[n];
            s.wedgePoint[w] = pointOfNode[n];
            fetch(s.wedgeNormal, record.normals, w, n);
            fetch(s.wedgeUv, record.uvs, w, n);
            fetch(s.wedgeColor, record.colors, w, n);
            fetch(s.wedgeUv2, record.extras.uvs2, w, n);
        }
    });

    if (job.cancelled())
        return cancelledError();
    job.report(0.4, "joining triangles");
    const auto pointsOf = [&](const std::vector<std::uint32_t>& node) {
        s.corners.resize(node.size() / 3 * 4);
        s.cornerWedge.resize(node.size());
        parallelChunks(node.size() / 3, kPointChunk, job, [&](std::size_t begin, std::size_t end) {
            for (std::size_t t = begin; t < end; ++t) {
                for (std::size_t k = 0; k < 3; ++k) {
                    s.corners[4 * t + k] = pointOfNode[node[3 * t + k]];
                    s.cornerWedge[3 * t + k] = wedgeOfNode[node[3 * t + k]];
                }
                s.corners[4 * t + 3] = static_cast<std::uint32_t>(t);
            }
        });
    };
    record.indices.resize(mesh.indices.size());
    parallelChunks(mesh.indices.size(), 3 * kPointChunk, job, [&](std::size_t begin, std::size_t end) {
        for (std::size_t c = begin; c < end; ++c)
            record.indices[c] = nodes.pointOf[mesh.indices[c]];
    });
    pointsOf(record.indices);
    if (job.cancelled())
        return cancelledError();
    CornerLists lists = listsOf(s.corners, s.places.size(), job);
    if (job.cancelled())
        return cancelledError();
    const std::vector<std::uint8_t> bad = markBad(s.corners, lists, record, job);
    if (job.cancelled())
        return cancelledError();
    record.parts = mesh.parts;
    if (record.droppedDegenerate + record.droppedDuplicate > 0) {
        dropBad(bad, record);
        if (record.indices.empty())
            return Error{ErrorCode::BadInput, "", "all triangles are without area",
                         "check the file's unit and the mesh"};
        pointsOf(record.indices);
        lists = listsOf(s.corners, s.places.size(), job);
        if (job.cancelled())
            return cancelledError();
    }
    const auto triangles = static_cast<std::uint32_t>(record.indices.size() / 3);
    record.death.assign(triangles, kNone);
    record.alive.assign(1, triangles);
    record.error.assign(1, 0.0F);

    setScales(options, s, job);
    s.flags.assign(s.places.size(), 0);
    s.farthest.resize(s.places.size());
    parallelChunks(s.places.size(), kPointChunk, [&](std::size_t begin, std::size_t end) {
        for (std::size_t p = begin; p < end; ++p)
            s.farthest[p] = s.places[p].cast<float>();
    });
    if (options.mirror) {
        s.mirrorAxis = options.mirror->axis;
        s.mirrorAt = (options.mirror->at - s.origin[s.mirrorAxis]) / s.scale;
        for (std::size_t p = 0; p < s.places.size(); ++p)
            if (double& coordinate = s.places[p][s.mirrorAxis]; std::abs(coordinate - s.mirrorAt) < 1e-6) {
                coordinate = s.mirrorAt;
                s.flags[p] |= Surface::kOnMirror;
            }
    }
    if (s.attributes > 0)
        s.attributeQuadric.resize(std::size_t{nodeCount} *
                                  static_cast<std::size_t>(AttributeSpan::stride(s.attributes)));
    job.report(0.6, "measuring the surface");
    measureSurface(s, lists, materialOfWedge, care, options, job);
    s.wedgeMotion = {}; // the quadrics hold what is needed of it
    if (job.cancelled())
        return cancelledError();
    return {};
}

} // namespace thicket::reduce
