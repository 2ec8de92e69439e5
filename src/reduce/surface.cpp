#include "reduce/surface.h"

#include "base/parallel.h"

#include <algorithm>

namespace thicket::reduce {
namespace {

constexpr std::size_t kPointChunk = 4096;

/// Scaled attribute k of a node: normals, then UVs, then colours.
double attributeValue(const Surface& s, const Record& r, std::uint32_t node, int k) {
    if (!r.normals.empty()) {
        if (k < 3)
            return s.normalScale * static_cast<double>(r.normals[node][k]);
        k -= 3;
    }
    if (!r.uvs.empty()) {
        if (k < 2)
            return s.uvScale * static_cast<double>(r.uvs[node][k]);
        k -= 2;
    }
    return s.colorScale * static_cast<double>(r.colors[node][k]);
}

void dropBadTriangles(const Mesh& mesh, const Weld& wedges, const std::vector<std::uint32_t>& pointOfWedge, Surface& s,
                      Record& record) {
    std::vector<std::array<std::uint32_t, 4>> seen;
    seen.reserve(mesh.triangleCount());
    std::vector<bool> keep(mesh.triangleCount(), true);
    for (std::uint32_t t = 0; t < mesh.triangleCount(); ++t) {
        std::array<std::uint32_t, 3> p{};
        for (std::uint32_t k = 0; k < 3; ++k)
            p[k] = pointOfWedge[wedges.pointOf[mesh.indices[3 * t + k]]];
        if (p[0] == p[1] || p[1] == p[2] || p[0] == p[2]) {
            keep[t] = false;
            ++record.droppedDegenerate;
            continue;
        }
        std::rotate(p.begin(), std::min_element(p.begin(), p.end()), p.end()); // keeps the orientation
        seen.push_back({p[0], p[1], p[2], t});
    }
    std::sort(seen.begin(), seen.end());
    for (std::size_t i = 1; i < seen.size(); ++i)
        if (std::equal(seen[i].begin(), seen[i].begin() + 3, seen[i - 1].begin())) {
            keep[seen[i][3]] = false;
            ++record.droppedDuplicate;
        }
    for (const MeshPart& part : mesh.parts) {
        MeshPart kept{static_cast<std::uint32_t>(record.indices.size() / 3), 0, part.material};
        for (std::uint32_t t = part.firstTriangle; t < part.firstTriangle + part.triangleCount; ++t) {
            if (!keep[t])
                continue;
            for (std::uint32_t k = 0; k < 3; ++k) {
                const std::uint32_t wedge = wedges.pointOf[mesh.indices[3 * t + k]];
                record.indices.push_back(wedge);
                s.trianglePoint.push_back(pointOfWedge[wedge]);
            }
        }
        kept.triangleCount = static_cast<std::uint32_t>(record.indices.size() / 3) - kept.firstTriangle;
        if (kept.triangleCount > 0)
            record.parts.push_back(kept);
    }
}

void fillLists(Surface& s) {
    const std::size_t points = s.place.size();
    s.listStart.assign(points, 0);
    s.listSize.assign(points, 0);
    for (const std::uint32_t p : s.trianglePoint)
        ++s.listSize[p];
    std::uint32_t at = 0;
    for (std::size_t p = 0; p < points; ++p) {
        s.listStart[p] = at;
        at += s.listSize[p];
    }
    s.list.reserve(std::size_t{at} * 2 + 4096);
    s.list.resize(at);
    std::vector<std::uint32_t> fill = s.listStart;
    for (std::size_t c = 0; c < s.trianglePoint.size(); ++c)
        s.list[fill[s.trianglePoint[c]]++] = static_cast<std::uint32_t>(c / 3);
}

struct FaceFrame {
    Vec3d normal; ///< unit
    double area = 0;
};

FaceFrame frameOf(const Surface& s, std::uint32_t t) {
    const Vec3d& a = s.place[s.trianglePoint[3 * t]];
    const Vec3d cross = (s.place[s.trianglePoint[3 * t + 1]] - a).cross(s.place[s.trianglePoint[3 * t + 2]] - a);
    const double size = cross.norm();
    return {size > 0 ? Vec3d(cross / size) : Vec3d(0, 0, 0), size / 2};
}

/// Gradients over the face; across the narrow side they are damped, so that slivers cannot dominate.
void addAttributes(Surface& s, const Record& r, std::uint32_t t, const FaceFrame& face, std::uint32_t slot) {
    std::size_t longest = 0;
    double length = 0;
    for (std::size_t k = 0; k < 3; ++k) {
        const double l = (s.place[s.trianglePoint[3 * t + (k + 1) % 3]] - s.place[s.trianglePoint[3 * t + k]]).norm();
        if (l > length) {
            length = l;
            longest = k;
        }
    }
    const std::size_t i0 = 3 * std::size_t{t} + longest;
    const std::size_t i1 = 3 * std::size_t{t} + (longest + 1) % 3;
    const std::size_t i2 = 3 * std::size_t{t} + (longest + 2) % 3;
    const Vec3d& p0 = s.place[s.trianglePoint[i0]];
    const Vec3d along = (s.place[s.trianglePoint[i1]] - p0) / length;
    const Vec3d across = face.normal.cross(along);
    const Vec3d e2 = s.place[s.trianglePoint[i2]] - p0;
    const double e2u = e2.dot(along);
    const double e2v = e2.dot(across);
    const double damping = 0.02 * length;
    const AttributeSpan span = s.slot(slot);
    for (int k = 0; k < s.attributes; ++k) {
        const double s0 = attributeValue(s, r, r.indices[i0], k);
        const double gu = (attributeValue(s, r, r.indices[i1], k) - s0) / length;
        const double rest = attributeValue(s, r, r.indices[i2], k) - s0 - gu * e2u;
        const double gv = rest * e2v / (e2v * e2v + damping * damping);
        const Vec3d g = gu * along + gv * across;
        span.addFace(k, g, s0 - g.dot(p0), face.area);
    }
    span.data[10] += face.area;
}

struct EdgeUse {
    std::uint32_t other;
    std::uint32_t triangle;
    std::uint32_t ownNode;
    std::uint32_t otherNode;
    bool leaving; ///< the triangle runs from the point to `other`
};

void constrainEdges(Surface& s, const std::vector<std::uint32_t>& materialOfNode, const ReduceOptions& options,
                    std::uint32_t p, std::vector<EdgeUse>& uses, Quadric& q) {
    std::sort(uses.begin(), uses.end(), [](const EdgeUse& a, const EdgeUse& b) {
        return a.other != b.other ? a.other < b.other : a.triangle < b.triangle;
    });
    for (std::size_t i = 0; i < uses.size();) {
        std::size_t j = i;
        bool sameWedges = true;
        bool sameMaterial = true;
        int leaving = 0;
        for (; j < uses.size() && uses[j].other == uses[i].other; ++j) {
            sameWedges &= uses[j].ownNode == uses[i].ownNode && uses[j].otherNode == uses[i].otherNode;
            sameMaterial &= materialOfNode[uses[j].ownNode] == materialOfNode[uses[i].ownNode];
            leaving += uses[j].leaving ? 1 : 0;
        }
        const bool border = j - i == 1;
        if (border)
            s.flags[p] |= Surface::kBorder | Surface::kIrregular;
        if (j - i != 2 || leaving != 1)
            s.flags[p] |= Surface::kIrregular;
        if (border || !sameWedges) {
            const double weight = border || !sameMaterial ? options.borderWeight : options.seamWeight;
            const Vec3d edge = s.place[uses[i].other] - s.place[p];
            for (std::size_t u = i; u < j; ++u) {
                const FaceFrame face = frameOf(s, uses[u].triangle);
                const Vec3d side = face.normal.cross(edge);
                const double size = side.norm();
                if (size > 0)
                    q.addPlane(side / size, -side.dot(s.place[p]) / size, weight * edge.squaredNorm() / 2);
            }
        }
        i = j;
    }
}

} // namespace

Result<void> prepareSurface(const Mesh& mesh, const ReduceOptions& options, const JobContext& job, Surface& s,
                            Record& record) {
    if (sharesVerticesAcrossMaterials(mesh))
        return prepareSurface(splitByMaterial(mesh), options, job, s, record);
    job.report(0, "joining vertices");
    std::vector<std::uint32_t> materialOfVertex(mesh.positions.size(), 0);
    for (const MeshPart& part : mesh.parts)
        for (std::uint32_t c = 3 * part.firstTriangle; c < 3 * (part.firstTriangle + part.triangleCount); ++c)
            materialOfVertex[mesh.indices[c]] = part.material;
    const Weld wedges = weldVertices(mesh, materialOfVertex);
    const Weld points = weldPositions(mesh);
    const std::uint32_t wedgeCount = wedges.pointCount;

    std::vector<std::uint32_t> pointOfWedge(wedgeCount);
    std::vector<std::uint32_t> materialOfNode(wedgeCount);
    const auto reserve = [wedgeCount](auto& to, const auto& from) {
        if (!from.empty())
            to.reserve(std::size_t{wedgeCount} * 2);
    };
    reserve(record.positions, mesh.positions);
    reserve(record.normals, mesh.normals);
    reserve(record.uvs, mesh.uvs);
    reserve(record.colors, mesh.colors);
    for (std::uint32_t v = 0; v < mesh.vertexCount(); ++v) {
        if (wedges.pointOf[v] != record.positions.size())
            continue;
        pointOfWedge[record.positions.size()] = points.pointOf[v];
        materialOfNode[record.positions.size()] = materialOfVertex[v];
        record.positions.push_back(mesh.positions[v]);
        if (!mesh.normals.empty())
            record.normals.push_back(mesh.normals[v]);
        if (!mesh.uvs.empty())
            record.uvs.push_back(mesh.uvs[v]);
        if (!mesh.colors.empty())
            record.colors.push_back(mesh.colors[v]);
    }
    record.parent.assign(wedgeCount, kNone);
    record.birth.assign(wedgeCount, 0);
    record.parent.reserve(std::size_t{wedgeCount} * 2);
    record.birth.reserve(std::size_t{wedgeCount} * 2);
    dropBadTriangles(mesh, wedges, pointOfWedge, s, record);
    if (record.indices.empty())
        return Error{ErrorCode::BadInput, "", "all triangles are without area", "check the file's unit and the mesh"};
    s.triangleNode = record.indices;
    const auto triangles = static_cast<std::uint32_t>(record.indices.size() / 3);
    record.death.assign(triangles, kNone);
    record.alive.assign(1, triangles);
    record.error.assign(1, 0.0F);

    const Bounds bounds = boundsOf(mesh);
    s.origin = bounds.centre();
    s.scale = bounds.diagonal() > 0 ? bounds.diagonal() : 1;
    s.place.resize(points.pointCount);
    for (std::uint32_t w = 0; w < wedgeCount; ++w)
        s.place[pointOfWedge[w]] = (record.positions[w].cast<double>() - s.origin) / s.scale;
    fillLists(s);

    double area = 0;
    double uvArea = 0;
    for (std::uint32_t t = 0; t < triangles; ++t) {
        area += frameOf(s, t).area;
        if (record.uvs.empty())
            continue;
        const Vec2f& a = record.uvs[record.indices[3 * t]];
        const Vec2f u = record.uvs[record.indices[3 * t + 1]] - a;
        const Vec2f v = record.uvs[record.indices[3 * t + 2]] - a;
        uvArea += std::abs(static_cast<double>(u.x() * v.y() - u.y() * v.x())) / 2;
    }
    s.normalScale = options.normalWeight;
    s.colorScale = options.colorWeight;
    s.uvScale = options.uvWeight * (uvArea > 1e-12 ? std::min(std::sqrt(area / uvArea), 10.0) : 1e-3);
    s.attributes = (record.normals.empty() ? 0 : 3) + (record.uvs.empty() ? 0 : 2) + (record.colors.empty() ? 0 : 4);

    s.quadric.resize(points.pointCount);
    s.flags.assign(points.pointCount, 0);
    s.soleWedge.assign(points.pointCount, kNone);
    if (s.attributes > 0)
        s.attributeQuadric.assign(
            std::size_t{wedgeCount} * static_cast<std::size_t>(AttributeSpan::stride(s.attributes)), 0.0);
    job.report(0.3, "measuring the surface");
    parallelChunks(points.pointCount, kPointChunk, [&](std::size_t begin, std::size_t end) {
        std::vector<EdgeUse> uses;
        for (auto p = static_cast<std::uint32_t>(begin); p < end; ++p) {
            uses.clear();
            Quadric q;
            std::uint32_t sole = kNone;
            bool many = false;
            for (std::uint32_t i = 0; i < s.listSize[p]; ++i) {
                const std::uint32_t t = s.list[s.listStart[p] + i];
                const FaceFrame face = frameOf(s, t);
                q.addPlane(face.normal, -face.normal.dot(s.place[p]), face.area);
                q.weight += face.area;
                for (std::uint32_t k = 0; k < 3; ++k) {
                    if (s.trianglePoint[3 * t + k] != p)
                        continue;
                    const std::uint32_t node = s.triangleNode[3 * t + k];
                    many |= sole != kNone && sole != node;
                    sole = node;
                    if (s.attributes > 0 && face.area > 0)
                        addAttributes(s, record, t, face, node);
                    const std::uint32_t next = 3 * t + (k + 1) % 3;
                    const std::uint32_t before = 3 * t + (k + 2) % 3;
                    uses.push_back({s.trianglePoint[next], t, node, s.triangleNode[next], true});
                    uses.push_back({s.trianglePoint[before], t, node, s.triangleNode[before], false});
                }
            }
            s.soleWedge[p] = many ? kNone : sole;
            constrainEdges(s, materialOfNode, options, p, uses, q);
            s.quadric[p] = q;
        }
    });
    if (job.cancelled())
        return cancelledError();
    return {};
}

} // namespace thicket::reduce
