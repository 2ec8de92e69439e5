// What forbids a collapse: topology, faces that turn over or fall to slivers, normals, wedges.

#include "reduce/collapser.h"

#include <algorithm>
#include <array>
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
        const std::uint32_t c = ring.corner[i];
        const Vec3f rest = m_normal[wedgeOf(cornerAfter(c))] + m_normal[wedgeOf(cornerBefore(c))];
        const Vec3f now = rest + m_normal[wedgeOf(c)];
        const Vec3f then = rest + m_x.newNormal[m_x.groups.find(m_x.groups.known(wedgeOf(c)))];
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

/// Whether a collapse would leave half of a piece of two triangles: of a leaf, a decal. That is no level of it; it stays
/// until all of it goes. A blade that ends in a point may become one triangle.
bool Collapser::halvesCard(std::uint32_t a, std::uint32_t b, const Vec3d& place) const {
    constexpr double kMostOfIt = 0.7; // of its area
    if (m_x.link[a].size + m_x.link[b].size != 3)
        return false;
    const std::uint32_t both = m_x.link[a].size == 2 ? a : b; // a corner of both triangles
    const std::uint32_t end = both == a ? b : a;
    std::array<std::uint32_t, 4> others{};
    std::size_t count = 0;
    std::uint32_t corners = 2; // of all triangles at these points: six, when there are no others
    double before = 0;
    double after = 0;
    for (const std::uint32_t c : cornersAt(both)) {
        const std::uint32_t x = pointAfter(c);
        const std::uint32_t y = pointBefore(c);
        const Vec3d side = m_places[y] - m_places[x];
        before += side.cross(m_places[both] - m_places[x]).norm();
        after += x == end || y == end ? 0.0 : side.cross(place - m_places[x]).norm();
        for (const std::uint32_t p : {x, y})
            if (std::find(others.begin(), others.begin() + static_cast<std::ptrdiff_t>(count), p) ==
                others.begin() + static_cast<std::ptrdiff_t>(count)) {
                others[count++] = p;
                corners += m_x.link[p].size;
            }
    }
    return count == 3 && corners == 6 && after < kMostOfIt * before;
}

bool Collapser::allowed(std::uint32_t a, std::uint32_t b, const Vec3d& place) {
    // Link condition: the points joined to both ends are just the tips of the edge's triangles.
    ++m_markNow;
    std::uint32_t edgeTriangles = 0;
    for (const std::uint32_t c : cornersAt(a)) {
        const std::uint32_t x = pointAfter(c);
        const std::uint32_t y = pointBefore(c);
        edgeTriangles += static_cast<std::uint32_t>((x == b) | (y == b));
        m_x.mark[x] = m_markNow;
        m_x.mark[y] = m_markNow;
    }
    // Nothing may vanish: the last triangle of an open piece stays, and both of a card.
    if (edgeTriangles == 0 || m_x.link[a].size + m_x.link[b].size == 2 * edgeTriangles || halvesCard(a, b, place))
        return false;
    if ((m_flags[a] & m_flags[b] & Surface::kIrregular) != 0 && edgeTriangles == 2 &&
        (m_flags[a] & m_flags[b] & Surface::kBorder) != 0)
        return false;
    std::uint32_t common = 0;
    const std::uint32_t nearA = m_markNow;
    ++m_markNow;
    for (const std::uint32_t c : cornersAt(b))
        for (const std::uint32_t x : {pointAfter(c), pointBefore(c)}) {
            const bool counts = (x != a) & (m_x.mark[x] == nearA);
            m_x.mark[x] = counts ? m_markNow : m_x.mark[x];
            common += counts ? 1 : 0;
        }
    if (common != edgeTriangles)
        return false;
    // Two places on the mirror may be joined only along it: else both halves would meet in one edge.
    if (m_bound && onMirror(a) != onMirror(b)) {
        const std::uint32_t outer = onMirror(a) ? a : b;
        for (const std::uint32_t c : cornersAt(onMirror(a) ? b : a))
            for (const std::uint32_t x : {pointAfter(c), pointBefore(c)})
                if (x != outer && onMirror(x) && m_x.mark[x] != m_markNow)
                    return false;
    }
    // A triangle of each end with the same far side would become two on the same spot.
    for (const std::uint32_t c : cornersAt(b)) {
        const std::uint32_t x = pointAfter(c);
        const std::uint32_t y = pointBefore(c);
        if ((x == a) | (y == a) | (m_x.mark[x] != m_markNow) | (m_x.mark[y] != m_markNow))
            continue;
        for (const std::uint32_t u : cornersAt(a))
            if (reaches(u, x) && reaches(u, y))
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
