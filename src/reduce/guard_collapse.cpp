// What forbids a collapse: topology, faces that turn over or fall to slivers, normals, wedges.

#include "reduce/collapser.h"

#include <algorithm>
#include <bit>
#include <cmath>

namespace thicket::reduce {

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

/// Small turns add up, and the normals are solved anew: a face may not end on the other side of them.
bool Collapser::normalsHold() const {
    const Ring& ring = m_x.ring;
    for (std::size_t i = 0; i < ring.count; ++i) {
        const std::uint32_t* w = m_cornerWedge + 3 * std::size_t{ring.triangle[i]};
        const std::size_t k = ring.corner[i];
        const Vec3f rest = m_normal[w[(k + 1) % 3]] + m_normal[w[(k + 2) % 3]];
        const Vec3f now = rest + m_normal[w[k]];
        const Vec3f then = rest + m_x.newNormal[m_x.groups.find(m_x.groups.known(w[k]))];
        if (Ring::placeIn(ring.after, i).dot(then.cast<double>()) < 0 &&
            Ring::placeIn(ring.cross, i).dot(now.cast<double>()) >= 0)
            return false;
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
    for (std::uint32_t i = 0; i < m_x.state[a].listSize; ++i) {
        const std::uint32_t* c = m_corner + 3 * std::size_t{m_x.list[m_x.state[a].listStart + i]};
        edgeTriangles += c[0] == b || c[1] == b || c[2] == b ? 1 : 0;
        for (int k = 0; k < 3; ++k)
            m_x.mark[c[k]] = m_markNow;
    }
    // Nothing may vanish: the last triangle of an open piece stays.
    if (edgeTriangles == 0 || m_x.state[a].listSize + m_x.state[b].listSize == 2 * edgeTriangles)
        return false;
    if ((m_flags[a] & m_flags[b] & Surface::kIrregular) != 0 && edgeTriangles == 2 &&
        (m_flags[a] & m_flags[b] & Surface::kBorder) != 0)
        return false;
    std::uint32_t common = 0;
    const std::uint32_t nearA = m_markNow;
    ++m_markNow;
    for (std::uint32_t i = 0; i < m_x.state[b].listSize; ++i) {
        const std::uint32_t* c = m_corner + 3 * std::size_t{m_x.list[m_x.state[b].listStart + i]};
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
        for (std::uint32_t i = 0; i < m_x.state[inner].listSize; ++i) {
            const std::uint32_t* c = m_corner + 3 * std::size_t{m_x.list[m_x.state[inner].listStart + i]};
            for (int k = 0; k < 3; ++k)
                if (c[k] != outer && onMirror(c[k]) && m_x.mark[c[k]] != m_markNow)
                    return false;
        }
    }
    // A triangle of each end with the same far side would become two on the same spot.
    for (std::uint32_t i = 0; i < m_x.state[b].listSize; ++i) {
        const std::uint32_t t = m_x.list[m_x.state[b].listStart + i];
        if (has(t, a))
            continue;
        const std::uint32_t* c = m_corner + 3 * std::size_t{t};
        const int k = cornerOf(c, b);
        const std::uint32_t x = c[(k + 1) % 3];
        const std::uint32_t y = c[(k + 2) % 3];
        if (m_x.mark[x] != m_markNow || m_x.mark[y] != m_markNow)
            continue;
        for (std::uint32_t j = 0; j < m_x.state[a].listSize; ++j)
            if (const std::uint32_t u = m_x.list[m_x.state[a].listStart + j]; has(u, x) && has(u, y))
                return false;
    }
    groupWedges(a, b);
    if (m_bound)
        m_stays = place == m_places[b] ? b : a;
    if (!wedgesMayJoin())
        return false;
    if (!facesHold(m_x.ring, place))
        return false;
    if (m_normal == nullptr)
        return true;
    prepareNormals(place);
    return normalsHold();
}

} // namespace thicket::reduce
