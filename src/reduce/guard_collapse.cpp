// What forbids a collapse: topology, faces that turn over or fall to slivers, normals, wedges.

#include "reduce/collapser.h"

#include <algorithm>
#include <bit>
#include <cmath>

namespace thicket::reduce {

namespace {
constexpr double kLeastFlipCosine = 0.2; // a triangle may turn by 78 degrees in one collapse, no more
constexpr double kLeastShape = 1e-3;     // twice the area over the longest side squared; below is a sliver
} // namespace

Vec3f Collapser::normalAt(std::uint32_t group, const Vec3d& place) const {
    if (m_options.reuseVertices)
        return m_normal[keptWedge(group)];
    const AttributeSpan span{m_x.sum.data(), m_s.attributes};
    if (span.weight() > 0) {
        const Vec3d value(span.valueAt(0, place), span.valueAt(1, place), span.valueAt(2, place));
        if (value.norm() > 0.05 * m_s.normalScale)
            return value.normalized().cast<float>();
    }
    return m_normal[m_x.groups.wedge[group]];
}

void Collapser::prepareNormals(const Vec3d& place) {
    const WedgeGroups& groups = m_x.groups;
    m_x.newNormal.resize(groups.wedge.size());
    for (std::uint32_t g = 0; g < groups.wedge.size(); ++g)
        if (groups.root[g] == g) {
            sumAttributes(g);
            m_x.newNormal[g] = normalAt(g, place);
        }
}

bool Collapser::facesHold(std::uint32_t p, std::uint32_t other, const Vec3d& place) const {
    const Vec3d& from = m_points[p].place;
    for (std::uint32_t i = 0; i < m_x.listSize[p]; ++i) {
        const std::uint32_t t = m_x.list[m_x.listStart[p] + i];
        if (has(t, other))
            continue;
        const std::uint32_t* c = m_corner + 3 * std::size_t{t};
        const int k = cornerOf(c, p);
        const Vec3d& x = m_points[c[(k + 1) % 3]].place;
        const Vec3d& y = m_points[c[(k + 2) % 3]].place;
        const Vec3d side = y - x;
        const Vec3d before = side.cross(from - x);
        const Vec3d after = side.cross(place - x);
        // Twice the area over the longest side squared is a triangle's shape; compared by squares, to save the roots.
        const double sizeBefore = before.squaredNorm();
        const double sizeAfter = after.squaredNorm();
        const double sideLength = side.squaredNorm();
        const double longest = std::max({sideLength, (place - x).squaredNorm(), (place - y).squaredNorm()});
        const double longestBefore = std::max({sideLength, (from - x).squaredNorm(), (from - y).squaredNorm()});
        const double shapeBefore = sizeBefore / (longestBefore * longestBefore);
        const double leastShape = std::min(kLeastShape * kLeastShape, shapeBefore);
        if (sizeAfter < longest * longest * leastShape || !(sizeAfter > 1e-18 * longest * longest))
            return false;
        const double turn = before.dot(after);
        if (shapeBefore > 1e-18 &&
            (turn <= 0 || turn * turn < kLeastFlipCosine * kLeastFlipCosine * sizeBefore * sizeAfter))
            return false;
        // Small turns add up, and the normals are solved anew: a face may not end on the other side of them.
        if (m_normal != nullptr) {
            const std::uint32_t* w = m_cornerWedge + 3 * std::size_t{t};
            const Vec3f rest = m_normal[w[(k + 1) % 3]] + m_normal[w[(k + 2) % 3]];
            const Vec3f now = rest + m_normal[w[k]];
            const Vec3f then = rest + m_x.newNormal[m_x.groups.find(m_x.groups.known(w[k]))];
            if (after.dot(then.cast<double>()) < 0 && before.dot(now.cast<double>()) >= 0)
                return false;
        }
    }
    return true;
}

bool Collapser::wedgesMayJoin() const {
    const WedgeGroups& groups = m_x.groups;
    if (m_options.reuseVertices)
        for (std::uint32_t g = 0; g < groups.wedge.size(); ++g)
            if (groups.root[g] == g && keptWedge(g) == kNone)
                return false; // the input has no vertex there that goes with these triangles
    if (m_uv == nullptr && m_uv2 == nullptr)
        return true;
    const auto apart = [](const Vec2f* uv, std::uint32_t a, std::uint32_t b) {
        return uv != nullptr && (uv[a] - uv[b]).cwiseAbs().maxCoeff() > 1e-4F;
    };
    for (std::uint32_t i = 0; i < groups.wedge.size(); ++i)
        for (std::uint32_t j = i + 1; j < groups.wedge.size(); ++j)
            if (groups.point[i] == groups.point[j] && groups.find(i) == groups.find(j) &&
                (apart(m_uv, groups.wedge[i], groups.wedge[j]) || apart(m_uv2, groups.wedge[i], groups.wedge[j])))
                return false;
    return true;
}

bool Collapser::allowed(std::uint32_t a, std::uint32_t b, const Vec3d& place) {
    // Link condition: the points joined to both ends are just the tips of the edge's triangles.
    ++m_markNow;
    std::uint32_t edgeTriangles = 0;
    for (std::uint32_t i = 0; i < m_x.listSize[a]; ++i) {
        const std::uint32_t* c = m_corner + 3 * std::size_t{m_x.list[m_x.listStart[a] + i]};
        edgeTriangles += c[0] == b || c[1] == b || c[2] == b ? 1 : 0;
        for (int k = 0; k < 3; ++k)
            m_x.mark[c[k]] = m_markNow;
    }
    // Nothing may vanish: the last triangle of an open piece stays.
    if (edgeTriangles == 0 || m_x.listSize[a] + m_x.listSize[b] == 2 * edgeTriangles)
        return false;
    if ((m_flags[a] & m_flags[b] & Surface::kIrregular) != 0 && edgeTriangles == 2 &&
        (m_flags[a] & m_flags[b] & Surface::kBorder) != 0)
        return false;
    std::uint32_t common = 0;
    const std::uint32_t nearA = m_markNow;
    ++m_markNow;
    for (std::uint32_t i = 0; i < m_x.listSize[b]; ++i) {
        const std::uint32_t* c = m_corner + 3 * std::size_t{m_x.list[m_x.listStart[b] + i]};
        for (int k = 0; k < 3; ++k)
            if (c[k] != a && c[k] != b && m_x.mark[c[k]] == nearA) {
                m_x.mark[c[k]] = m_markNow;
                ++common;
            }
    }
    if (common != edgeTriangles)
        return false;
    // Two places on the mirror may be joined only along it: else both halves would meet in one edge.
    if (m_bound && onMirror(a) != onMirror(b)) {
        const std::uint32_t inner = onMirror(a) ? b : a;
        const std::uint32_t outer = onMirror(a) ? a : b;
        for (std::uint32_t i = 0; i < m_x.listSize[inner]; ++i) {
            const std::uint32_t* c = m_corner + 3 * std::size_t{m_x.list[m_x.listStart[inner] + i]};
            for (int k = 0; k < 3; ++k)
                if (c[k] != outer && onMirror(c[k]) && m_x.mark[c[k]] != m_markNow)
                    return false;
        }
    }
    // A triangle of each end with the same far side would become two on the same spot.
    for (std::uint32_t i = 0; i < m_x.listSize[b]; ++i) {
        const std::uint32_t t = m_x.list[m_x.listStart[b] + i];
        if (has(t, a))
            continue;
        const std::uint32_t* c = m_corner + 3 * std::size_t{t};
        const int k = cornerOf(c, b);
        const std::uint32_t x = c[(k + 1) % 3];
        const std::uint32_t y = c[(k + 2) % 3];
        if (m_x.mark[x] != m_markNow || m_x.mark[y] != m_markNow)
            continue;
        for (std::uint32_t j = 0; j < m_x.listSize[a]; ++j)
            if (const std::uint32_t u = m_x.list[m_x.listStart[a] + j]; has(u, x) && has(u, y))
                return false;
    }
    groupWedges(a, b);
    if (m_bound)
        m_stays = place == m_points[b].place ? b : a;
    if (!wedgesMayJoin())
        return false;
    if (m_normal != nullptr)
        prepareNormals(place);
    return facesHold(a, b, place) && facesHold(b, a, place);
}

} // namespace thicket::reduce
