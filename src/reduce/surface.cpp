#include "reduce/surface.h"

#include "base/parallel.h"
#include "base/text.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <numeric>
#include <span>

namespace thicket::reduce {
namespace {

constexpr std::size_t kPointChunk = 4096;

/// Corners at each point: runs of one array.
struct CornerLists {
    std::vector<std::uint32_t> start; ///< one more than points
    BigVector<std::uint32_t> list;

    [[nodiscard]] std::span<const std::uint32_t> of(std::uint32_t p) const {
        return {list.data() + start[p], start[p + 1] - start[p]};
    }
};

/// When the job is cancelled, of no use.
CornerLists listsOf(const BigVector<std::uint32_t>& corners, std::size_t points, const JobContext& job) {
    CornerLists lists;
    lists.start.assign(points + 1, 0);
    for (std::size_t c = 0; c < corners.size(); c += 4) {
        if (c % 65536 == 0 && job.cancelled())
            return lists;
        for (std::size_t k = 0; k < 3; ++k)
            ++lists.start[corners[c + k] + 1];
    }
    for (std::size_t p = 0; p < points; ++p)
        lists.start[p + 1] += lists.start[p];
    lists.list.resize(corners.size() / 4 * 3);
    std::vector<std::uint32_t> fill(lists.start.begin(), lists.start.end() - 1);
    for (std::size_t c = 0; c < corners.size() && !(c % 65536 == 0 && job.cancelled()); c += 4)
        for (std::size_t k = 0; k < 3; ++k)
            lists.list[fill[corners[c + k]]++] = static_cast<std::uint32_t>(c + k);
    return lists;
}

/// Scaled attributes of a wedge: normals, then UVs, then colours.
AttributeValues attributeValues(const Surface& s, std::uint32_t wedge) {
    AttributeValues out;
    std::size_t k = 0;
    if (!s.wedgeNormal.empty())
        for (int i = 0; i < 3; ++i)
            out[k++] = s.normalScale * static_cast<double>(s.wedgeNormal[wedge][i]);
    if (!s.wedgeUv.empty())
        for (int i = 0; i < 2; ++i)
            out[k++] = s.uvScale * static_cast<double>(s.wedgeUv[wedge][i]);
    if (!s.wedgeColor.empty())
        for (int i = 0; i < 4; ++i)
            out[k++] = s.colorScale * static_cast<double>(s.wedgeColor[wedge][i]);
    if (!s.wedgeUv2.empty())
        for (int i = 0; i < 2; ++i)
            out[k++] = s.uv2Scale * static_cast<double>(s.wedgeUv2[wedge][i]);
    if (!s.wedgeMotion.empty())
        for (const float value : s.wedgeMotion[wedge])
            out[k++] = static_cast<double>(value);
    return out;
}

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

struct FaceFrame {
    Vec3d normal; ///< unit
    double area = 0;
};

FaceFrame frameOf(const Surface& s, std::uint32_t t) {
    const std::uint32_t* c = &s.corners[4 * std::size_t{t}];
    const Vec3d& a = s.places[c[0]];
    const Vec3d cross = (s.places[c[1]] - a).cross(s.places[c[2]] - a);
    const double size = cross.norm();
    return {size > 0 ? Vec3d(cross / size) : Vec3d(0, 0, 0), size / 2};
}

/// Gradients over the face; across the narrow side they are damped, so that slivers cannot dominate.
void addAttributes(Surface& s, std::uint32_t t, const FaceFrame& face, std::uint32_t wedge) {
    const auto place = [&](std::uint32_t corner) -> const Vec3d& { return s.places[s.corners[corner]]; };
    std::uint32_t i0 = 4 * t;
    double squared = 0;
    for (std::uint32_t c = 4 * t; c < 4 * t + 3; ++c)
        if (const double l = (place(cornerAfter(c)) - place(c)).squaredNorm(); l > squared) {
            squared = l;
            i0 = c;
        }
    const double length = std::sqrt(squared);
    const std::uint32_t i1 = cornerAfter(i0);
    const std::uint32_t i2 = cornerBefore(i0);
    const Vec3d& p0 = place(i0);
    const Vec3d along = (place(i1) - p0) / length;
    const Vec3d across = face.normal.cross(along);
    const Vec3d e2 = place(i2) - p0;
    const double e2u = e2.dot(along);
    const double e2v = e2.dot(across);
    const double damping = 0.02 * length;
    const AttributeValues v0 = attributeValues(s, s.cornerWedge[wedgeAt(i0)]);
    const AttributeValues v1 = attributeValues(s, s.cornerWedge[wedgeAt(i1)]);
    const AttributeValues v2 = attributeValues(s, s.cornerWedge[wedgeAt(i2)]);
    const double perLength = 1 / length;
    const double perHeight = e2v / (e2v * e2v + damping * damping);
    const double startU = p0.dot(along);
    const double startV = p0.dot(across);
    AttributeValues gu;
    AttributeValues gv;
    AttributeValues d;
    for (std::size_t i = 0; i < static_cast<std::size_t>(s.attributes); ++i) {
        gu[i] = (v1[i] - v0[i]) * perLength;
        gv[i] = (v2[i] - v0[i] - gu[i] * e2u) * perHeight;
        d[i] = v0[i] - gu[i] * startU - gv[i] * startV;
    }
    AttributeSpan{s.attributesOf(wedge), s.attributes}.addFace(along, across, gu, gv, d, face.area);
}

/// A point's corner in one triangle.
struct FanCorner {
    std::uint32_t triangle;
    std::uint32_t next; ///< the triangle's points after it and before it, and the wedges there
    std::uint32_t before;
    std::uint32_t wedge;
    std::uint32_t nextWedge;
    std::uint32_t beforeWedge;
};

/// What stands round a point, for the question whether anything has to be held in place there.
struct Round {
    static constexpr std::size_t kFew = 16; ///< compared each with each, eight at a time
    std::size_t count = 0;
    std::array<std::uint32_t, kFew> next; ///< points; kNone beyond the count
    std::array<std::uint32_t, kFew> nextWedge;
    std::array<std::uint32_t, kFew> beforeWedge;
    bool oneWedge = true;

    void begin() {
        count = 0;
        next.fill(kNone);
        nextWedge.fill(kNone);
        beforeWedge.fill(kNone);
        oneWedge = true;
    }
    void add(std::uint32_t nextPoint, std::uint32_t wedgeNext, std::uint32_t wedgeBefore) {
        if (count < kFew) {
            next[count] = nextPoint;
            nextWedge[count] = wedgeNext;
            beforeWedge[count] = wedgeBefore;
        }
        ++count;
    }
    /// True where the triangles close round the point, two at each edge, and no seam runs there.
    [[nodiscard]] bool closesEvenly() const {
        if (count > kFew || !oneWedge)
            return false;
        // Every next wedge is one triangle's before and nothing stands there twice.
        std::uint32_t follows = 0;
        std::uint32_t again = 0;
        const std::size_t width = (count + 7) / 8 * 8;
        for (std::size_t i = 0; i < count; ++i)
            for (std::size_t j = 0; j < width; ++j) {
                follows += beforeWedge[j] == nextWedge[i] ? 1U : 0U;
                again += next[j] == next[i] ? 1U : 0U;
                again += beforeWedge[j] == beforeWedge[i] ? 1U : 0U;
            }
        return follows == count && again == 2 * count;
    }
};

/// The corners at a point, with all that `constrainEdges` asks of them.
void listFan(const Surface& s, std::span<const std::uint32_t> corners, std::vector<FanCorner>& fan) {
    fan.clear();
    for (const std::uint32_t corner : corners) {
        const std::uint32_t next = cornerAfter(corner);
        const std::uint32_t before = cornerBefore(corner);
        fan.push_back({corner / 4, s.corners[next], s.corners[before], s.cornerWedge[wedgeAt(corner)],
                       s.cornerWedge[wedgeAt(next)], s.cornerWedge[wedgeAt(before)]});
    }
}

struct EdgeUse {
    std::uint32_t other;
    std::uint32_t triangle;
    std::uint32_t ownWedge;
    std::uint32_t otherWedge;
    bool leaving; ///< the triangle runs from the point to `other`
};

void constrainEdges(Surface& s, const BigVector<std::uint32_t>& materialOfWedge, const ReduceOptions& options,
                    std::uint32_t p, const std::vector<FanCorner>& fan, std::vector<EdgeUse>& uses, Quadric& q) {
    uses.clear();
    for (const FanCorner& c : fan) {
        uses.push_back({c.next, c.triangle, c.wedge, c.nextWedge, true});
        uses.push_back({c.before, c.triangle, c.wedge, c.beforeWedge, false});
    }
    std::sort(uses.begin(), uses.end(), [](const EdgeUse& a, const EdgeUse& b) {
        return a.other != b.other ? a.other < b.other : a.triangle < b.triangle;
    });
    for (std::size_t i = 0; i < uses.size();) {
        std::size_t j = i;
        bool sameWedges = true;
        bool sameMaterial = true;
        int leaving = 0;
        for (; j < uses.size() && uses[j].other == uses[i].other; ++j) {
            sameWedges &= uses[j].ownWedge == uses[i].ownWedge && uses[j].otherWedge == uses[i].otherWedge;
            sameMaterial &= materialOfWedge[uses[j].ownWedge] == materialOfWedge[uses[i].ownWedge];
            leaving += uses[j].leaving ? 1 : 0;
        }
        const bool border = j - i == 1;
        if (border)
            s.flags[p] |= Surface::kBorder | Surface::kIrregular;
        if (j - i != 2 || leaving != 1)
            s.flags[p] |= Surface::kIrregular;
        if (border || !sameWedges) {
            const double weight = border || !sameMaterial ? options.borderWeight : options.seamWeight;
            const Vec3d edge = s.places[uses[i].other] - s.places[p];
            for (std::size_t u = i; u < j; ++u) {
                const FaceFrame face = frameOf(s, uses[u].triangle);
                const Vec3d side = face.normal.cross(edge);
                const double size = side.norm();
                if (size > 0)
                    q.addPlane(side / size, -side.dot(s.places[p]) / size, weight * edge.squaredNorm() / 2);
            }
        }
        i = j;
    }
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
    constexpr std::size_t kChunk = 4 * kPointChunk;
    struct Areas {
        double surface = 0;
        double texture = 0;
    };
    std::vector<Areas> areas(s.triangles() / kChunk + 1);
    parallelChunks(s.triangles(), kChunk, job, [&](std::size_t begin, std::size_t end) {
        Areas& own = areas[begin / kChunk];
        for (auto t = static_cast<std::uint32_t>(begin); t < end; ++t) {
            own.surface += frameOf(s, t).area;
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

/// What is painted keeps its triangles also where it is flat: moving along the surface counts a little there.
constexpr double kCareAlong = 0.004;

/// The first wedge of a point or of one after it.
std::uint32_t firstWedgeOf(const Surface& s, std::size_t point) {
    return static_cast<std::uint32_t>(std::lower_bound(s.wedgePoint.begin(), s.wedgePoint.end(), point) -
                                      s.wedgePoint.begin());
}

/// `care`: one a point, or empty.
void measure(Surface& s, const CornerLists& lists, const BigVector<std::uint32_t>& materialOfWedge,
             const std::vector<float>& care, const ReduceOptions& options, const JobContext& job) {
    // Costs are squared distances.
    const auto gainOf = [&](std::uint32_t t) {
        if (care.empty())
            return 1.0;
        double mean = 0;
        for (std::size_t k = 0; k < 3; ++k)
            mean += static_cast<double>(care[s.corners[4 * std::size_t{t} + k]]) / 3;
        return (1 + options.careGain * mean) * (1 + options.careGain * mean);
    };
    parallelChunks(s.places.size(), kPointChunk, [&](std::size_t begin, std::size_t end) {
        std::vector<FanCorner> fan;
        std::vector<EdgeUse> uses;
        Round round;
        if (s.attributes > 0) // the wedges of these points; they stand in the order of the points
            std::fill(s.attributesOf(firstWedgeOf(s, begin)), s.attributesOf(firstWedgeOf(s, end)), 0.0);
        for (auto p = static_cast<std::uint32_t>(begin); p < end && !job.cancelled(); ++p) {
            Quadric q = Quadric::zero();
            const Vec3d place = s.places[p];
            const std::span<const std::uint32_t> corners = lists.of(p);
            const std::uint32_t first = corners.empty() ? kNone : s.cornerWedge[wedgeAt(corners.front())];
            round.begin();
            for (const std::uint32_t corner : corners) {
                const std::uint32_t next = cornerAfter(corner);
                const std::uint32_t before = cornerBefore(corner);
                const std::uint32_t wedge = s.cornerWedge[wedgeAt(corner)];
                round.add(s.corners[next], s.cornerWedge[wedgeAt(next)], s.cornerWedge[wedgeAt(before)]);
                round.oneWedge &= wedge == first;
                const Vec3d cross = (s.places[s.corners[next]] - place).cross(s.places[s.corners[before]] - place);
                const double size = cross.norm();
                if (!(size > 0))
                    continue;
                const Vec3d normal = cross * (1 / size);
                const double area = size / 2 * gainOf(corner / 4);
                q.addPlane(normal, -normal.dot(place), area);
                q.weight += area;
                if (!care.empty() && care[p] > 0)
                    for (int axis = 0; axis < 3; ++axis)
                        q.addPlane(Vec3d::Unit(axis), -place[axis], kCareAlong * static_cast<double>(care[p]) * area);
                if (s.attributes > 0)
                    addAttributes(s, corner / 4, {normal, area}, wedge);
            }
            if (!round.closesEvenly()) {
                listFan(s, corners, fan);
                constrainEdges(s, materialOfWedge, options, p, fan, uses, q);
            }
            s.quadrics[p] = q;
            if (corners.empty())
                s.flags[p] |= Surface::kGone;
        }
    });
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

    BigVector<std::uint32_t> pointOfNode(nodeCount);
    BigVector<std::uint32_t> materialOfNode(nodeCount);
    BigVector<std::uint32_t> nodeOfPoint(points.pointCount); // one of them; all stand on one place
    const auto take = [nodeCount, &mesh, &record](const auto& each) {
        each(record.positions, mesh.positions);
        each(record.normals, mesh.normals);
        each(record.uvs, mesh.uvs);
        each(record.colors, mesh.colors);
        record.extras.eachWith(mesh.extras, each);
    };
    take([nodeCount](auto& to, const auto& from) {
        if (!from.empty())
            to.reserve(std::size_t{nodeCount} * 2);
    });
    for (std::uint32_t v = 0, node = 0; v < mesh.vertexCount(); ++v) {
        if (v % 65536 == 0 && job.cancelled())
            return cancelledError();
        if (nodes.pointOf[v] != node)
            continue;
        pointOfNode[node] = points.pointOf[v];
        nodeOfPoint[points.pointOf[v]] = node;
        materialOfNode[node] = plain ? 0 : materialOfVertex[v];
        ++node;
        take([v](auto& to, const auto& from) {
            if (!from.empty())
                to.push_back(from[v]);
        });
    }
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
    places = {};
    if (!care.empty())
        for (std::uint32_t v = 0; v < mesh.vertexCount(); ++v) {
            float& most = care[rank[points.pointOf[v]]];
            most = std::max(most, options.care[v]);
        }
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
    measure(s, lists, materialOfWedge, care, options, job);
    s.wedgeMotion = {}; // the quadrics hold what is needed of it
    if (job.cancelled())
        return cancelledError();
    return {};
}

} // namespace thicket::reduce
