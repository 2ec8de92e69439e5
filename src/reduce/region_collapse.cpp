#include "reduce/collapser.h"

#include <algorithm>
#include <bit>
#include <cmath>

namespace thicket::reduce {

void Collapser::fillLists() {
    m_x.reset(m_count, m_triangles);
    for (std::uint32_t t = 0; t < m_triangles; ++t)
        for (std::size_t k = 0; k < 3; ++k)
            ++m_x.link[m_corner[4 * std::size_t{t} + k]].size;
    std::uint32_t at = 0;
    for (std::uint32_t p = 0; p < m_count; ++p) {
        m_x.state[p].listStart = at;
        at += m_x.link[p].size;
        m_x.link[p].size = 0;
    }
    m_x.listEnd = at;
    for (std::uint32_t t = 0; t < m_triangles; ++t)
        for (std::uint32_t c = 4 * t; c < 4 * t + 3; ++c) {
            const std::uint32_t p = m_corner[c];
            m_x.list[m_x.state[p].listStart + m_x.link[p].size++] = c;
            std::uint32_t& sole = m_x.state[p].soleWedge;
            const std::uint32_t wedge = wedgeOf(c);
            sole = sole == RegionScratch::kUnseen || sole == wedge ? wedge : kNone;
        }
}

std::uint32_t Collapser::keptWedge(std::uint32_t group) const {
    const WedgeGroups& groups = m_x.groups;
    for (std::uint32_t w = group; w < groups.wedge.size(); ++w)
        if (groups.point[w] == m_stays && groups.find(w) == group)
            return groups.wedge[w];
    return kNone;
}

Vec2f Collapser::insideFan(const Vec2f* uvs, std::uint32_t group, const Vec2f& solved) const {
    const WedgeGroups& groups = m_x.groups;
    const Vec2d p = solved.cast<double>();
    const auto cross = [](const Vec2d& a, const Vec2d& b) { return a.x() * b.y() - a.y() * b.x(); };
    Vec2d nearest = p;
    double squared = HUGE_VAL;
    for (const std::uint32_t c : m_fan) {
        if (groups.find(groups.known(wedgeOf(c))) != group)
            continue;
        const std::array<Vec2d, 3> corner{uvs[wedgeOf(c)].cast<double>(), uvs[wedgeOf(cornerAfter(c))].cast<double>(),
                                          uvs[wedgeOf(cornerBefore(c))].cast<double>()};
        int left = 0;
        int right = 0;
        for (std::size_t i = 0; i < 3; ++i) {
            const double side = cross(corner[(i + 1) % 3] - corner[i], p - corner[i]);
            left += side >= 0 ? 1 : 0;
            right += side <= 0 ? 1 : 0;
        }
        const bool flat = cross(corner[1] - corner[0], corner[2] - corner[0]) == 0;
        if (!flat && (left == 3 || right == 3))
            return solved;
        for (std::size_t i = 0; i < 3; ++i) { // the nearest point of its outline
            const Vec2d along = corner[(i + 1) % 3] - corner[i];
            const double length = along.squaredNorm();
            const double t = length > 0 ? std::clamp((p - corner[i]).dot(along) / length, 0.0, 1.0) : 0;
            const Vec2d at = corner[i] + t * along;
            if (const double d = (at - p).squaredNorm(); d < squared) {
                squared = d;
                nearest = at;
            }
        }
    }
    return nearest.cast<float>();
}

Vec4f Collapser::insideColors(std::uint32_t group, const Vec4f& solved) const {
    const WedgeGroups& groups = m_x.groups;
    Vec4f least = Vec4f::Ones();
    Vec4f most = Vec4f::Zero();
    for (const std::uint32_t c : m_fan)
        if (groups.find(groups.known(wedgeOf(c))) == group)
            for (const std::uint32_t corner : {c, cornerAfter(c), cornerBefore(c)}) {
                least = least.cwiseMin(m_color[wedgeOf(corner)]);
                most = most.cwiseMax(m_color[wedgeOf(corner)]);
            }
    return solved.cwiseMax(least).cwiseMin(most.cwiseMax(least));
}

void Collapser::makeNode(std::uint32_t group, std::uint32_t point, const Vec3d& place) {
    const WedgeGroups& groups = m_x.groups;
    const std::uint32_t wedge = groups.wedge[group];
    if (m_s.attributes > 0) {
        sumAttributes(group);
        std::copy_n(m_x.sum.begin(), m_stride, attributesOf(wedge));
    }
    const AttributeSpan span{m_x.sum.data(), m_s.attributes};
    const bool solved = m_s.attributes > 0 && span.weight() > 0 && !m_options.reuseVertices;
    if (m_options.reuseVertices) {
        const std::uint32_t kept = keptWedge(group);
        m_log.original.push_back(m_node[kept]);
        if (m_uv != nullptr)
            m_uv[wedge] = m_uv[kept];
        if (m_color != nullptr)
            m_color[wedge] = m_color[kept];
        if (m_uv2 != nullptr)
            m_uv2[wedge] = m_uv2[kept];
    }
    int k = 0;
    if (m_normal != nullptr) {
        m_normal[wedge] = normalAt(group, place);
        m_log.normal.push_back(m_normal[wedge]);
        k += 3;
    }
    if (m_uv != nullptr) {
        if (solved)
            m_uv[wedge] = insideFan(m_uv, group,
                                    Vec2f(static_cast<float>(span.valueAt(k, place) / m_s.uvScale),
                                          static_cast<float>(span.valueAt(k + 1, place) / m_s.uvScale)));
        m_log.uv.push_back(m_uv[wedge]);
        k += 2;
    }
    if (m_color != nullptr) {
        if (solved) {
            Vec4f value;
            for (int i = 0; i < 4; ++i)
                value[i] = static_cast<float>(span.valueAt(k + i, place) / m_s.colorScale);
            m_color[wedge] = insideColors(group, value);
        }
        m_log.color.push_back(m_color[wedge]);
        k += 4;
    }
    if (m_uv2 != nullptr) {
        if (solved)
            m_uv2[wedge] = insideFan(m_uv2, group,
                                     Vec2f(static_cast<float>(span.valueAt(k, place) / m_s.uv2Scale),
                                           static_cast<float>(span.valueAt(k + 1, place) / m_s.uv2Scale)));
        m_log.uv2.push_back(m_uv2[wedge]);
    }
    for (std::uint32_t w = group; w < groups.wedge.size(); ++w)
        if (groups.find(w) == group)
            m_log.child.push_back(m_node[groups.wedge[w]]);
    m_log.childrenUpTo.push_back(static_cast<std::uint32_t>(m_log.child.size()));
    m_node[wedge] = RegionLog::kMadeHere | m_log.nodes();
    m_s.wedgePoint[m_firstWedge + wedge] = m_firstPoint + point;
    m_log.place.push_back(place);
}

void Collapser::collapse(std::uint32_t a, std::uint32_t b, const Vec3d& place) {
    groupWedges(a, b);
    if (m_x.listEnd + m_x.link[a].size + m_x.link[b].size > m_x.list.size())
        compactLists();
    const std::uint32_t start = m_x.listEnd;
    std::uint32_t end = start;
    std::array<std::uint32_t, Ring::kMost> dead;
    std::size_t deaths = 0;
    for (const std::uint32_t c : cornersAt(a)) {
        const bool goes = reaches(c, b);
        m_x.list[end] = c;
        end += goes ? 0 : 1;
        dead[deaths] = c;
        deaths += goes ? 1 : 0;
    }
    const std::uint32_t fromA = end - start;
    for (const std::uint32_t c : cornersAt(b)) {
        m_x.list[end] = c;
        end += reaches(c, a) ? 0 : 1;
    }
    for (std::size_t i = 0; i < deaths; ++i) {
        const std::uint32_t c = dead[i];
        m_log.deadTriangle.push_back(m_corner[sourceAt(c)]);
        // The tip loses a triangle from its list.
        const std::uint32_t gone = pointAfter(c) == b ? cornerBefore(c) : cornerAfter(c);
        const std::uint32_t tip = m_corner[gone];
        std::uint32_t* run = m_x.list.data() + m_x.state[tip].listStart;
        std::uint32_t* runEnd = run + m_x.link[tip].size;
        std::uint32_t* at = std::find(run, runEnd, gone);
        std::copy(at + 1, runEnd, at);
        --m_x.link[tip].size;
        std::uint32_t* triangle = m_corner + (c & ~3U);
        triangle[0] = triangle[1] = triangle[2] = kNone;
    }
    m_x.listEnd = end;
    m_x.state[a].listStart = start;
    m_x.link[a].size = end - start;
    m_x.link[b].size = 0;
    if (m_bound)
        m_stays = place == m_places[b] ? b : a;
    Quadric& quadric = m_quadrics[a];
    quadric.add(m_quadrics[b]);
    const double shape = std::max(quadric.at(place), 0.0) / std::max(quadric.weight, 1e-30);
    m_farthest[a] = m_x.state[a].farthest;
    m_places[a] = place;
    m_flags[a] |= m_flags[b];
    m_flags[b] |= Surface::kGone;
    m_x.link[a].stamp = m_log.collapses() + 1;
    const std::span<const std::uint32_t> ring = cornersAt(a);
    for (const std::uint32_t c : ring.subspan(fromA))
        m_corner[c] = a;
    m_fan.assign(ring.begin(), ring.end());
    m_fan.insert(m_fan.end(), dead.begin(), dead.begin() + static_cast<std::ptrdiff_t>(deaths));
    joinWedges(a, ring, fromA, place);
    m_log.error.push_back(static_cast<float>(std::sqrt(shape)));
    m_log.nodesUpTo.push_back(m_log.nodes());
    m_log.deathsUpTo.push_back(static_cast<std::uint32_t>(m_log.deadTriangle.size()));
}

/// One new node for each group of wedges that a triangle still uses.
void Collapser::joinWedges(std::uint32_t a, std::span<const std::uint32_t> ring, std::uint32_t fromA,
                           const Vec3d& place) {
    const WedgeGroups& groups = m_x.groups;
    if (ring.empty()) {
        m_x.state[a].soleWedge = kNone;
        return;
    }
    if (groups.wedge.size() == 2 && groups.root[1] == 0) { // one at each end: the usual
        makeNode(0, a, place);
        for (const std::uint32_t c : ring.subspan(fromA))
            wedgeOf(c) = groups.wedge[0];
        m_x.state[a].soleWedge = groups.wedge[0];
        return;
    }
    std::uint32_t sole = kNone;
    bool many = false;
    m_x.made.assign(groups.wedge.size(), 0);
    for (const std::uint32_t c : ring) {
        std::uint32_t& wedge = wedgeOf(c);
        const std::uint32_t group = groups.find(groups.known(wedge));
        if (m_x.made[group] == 0) {
            m_x.made[group] = 1;
            makeNode(group, a, place);
            many |= sole != kNone;
            sole = groups.wedge[group];
        }
        wedge = groups.wedge[group];
    }
    m_x.state[a].soleWedge = many ? kNone : sole;
}

void Collapser::compactLists() {
    std::uint32_t end = 0;
    for (std::uint32_t p = 0; p < m_count; ++p) {
        const std::span<const std::uint32_t> own = cornersAt(p);
        std::copy(own.begin(), own.end(), m_x.spare.begin() + end);
        m_x.state[p].listStart = end;
        end += static_cast<std::uint32_t>(own.size());
    }
    m_x.list.swap(m_x.spare);
    m_x.listEnd = end;
}

/// Calls for the memory that a point's turn will look at first: whose turn it is jumps about in the region, and not all
/// of that fits into the nearest caches.
void Collapser::fetchAhead(std::uint32_t p) const {
    __builtin_prefetch(&m_x.state[p]);
    __builtin_prefetch(&m_x.own[p]);
    __builtin_prefetch(&m_places[p]);
    __builtin_prefetch(&m_quadrics[p]);
}

void Collapser::run(float mostCost, std::uint32_t mostCollapses, const JobContext& job) {
    fillLists();
    for (std::uint32_t p = 0; p < m_count; ++p) {
        if (p % 1024 == 0 && job.cancelled())
            return;
        if (living(p) && free(p)) {
            weighOwn(p, 0);
            queueUp(p);
        }
    }

    const std::uint32_t lastBucket = CostQueue::bucketOf(std::bit_cast<std::uint32_t>(mostCost));
    const bool toTheEnd = !(mostCost < HUGE_VALF);
    std::uint32_t beforeRetry = 0;
    std::uint32_t steps = 0;
    float cost = 0;
    while (m_log.collapses() < mostCollapses) {
        const std::uint32_t p = m_x.queue.first();
        if (p == kNone) {
            // Refusals may have been lifted by changes farther away: try what is left once more, until nothing moves.
            if (!toTheEnd || m_log.collapses() == beforeRetry)
                break;
            beforeRetry = m_log.collapses();
            for (std::uint32_t q = 0; q < m_count; ++q) {
                if (q % 1024 == 0 && job.cancelled())
                    return;
                if (living(q) && free(q)) {
                    choose(q, 0);
                    queueUp(q);
                }
            }
            if (m_x.queue.first() == kNone)
                break;
            continue;
        }
        fetchAhead(m_x.queue.after(p));
        const std::uint32_t bits = m_x.state[p].costBits;
        if (CostQueue::bucketOf(bits) > lastBucket)
            break;
        if (++steps % 1024 == 0 && job.cancelled())
            return;
        const std::uint32_t q = m_x.state[p].target;
        if (!living(q) || !owns(m_x.link[p], p, m_x.link[q], q)) {
            choose(p, 0);
            queueUp(p);
            continue;
        }
        const Vec3d best = bestPlace(p, q);
        gatherRing(p, q);
        // Too dear to see to for every edge that is weighed: once an edge's turn has come it may have to wait again.
        if (m_x.state[p].weighedBits == RegionScratch::kUnseen) {
            m_x.state[p].weighedBits = bits;
            const auto dearer =
                static_cast<float>(std::max(static_cast<double>(std::bit_cast<float>(bits)) * unevenness(best),
                                            costOfFarthest(p, q, best, m_x.state[p].farthest)));
            if (const auto later = std::bit_cast<std::uint32_t>(dearer);
                CostQueue::bucketOf(later) > CostQueue::bucketOf(bits)) {
                m_x.state[p].costBits = later;
                queueUp(p);
                continue;
            }
        }
        findCrosses(m_x.ring);
        const Vec3d place = m_options.reuseVertices ? best : keepVolume(p, q, best);
        if (!allowed(p, q, place)) {
            choose(p, (std::uint64_t{m_x.state[p].weighedBits} << 32 | q) + 1);
            queueUp(p);
            continue;
        }
        cost = std::max(cost, std::bit_cast<float>(bits));
        collapse(p, q, place);
        m_log.cost.push_back(cost);
        m_x.state[q].target = kNone;
        m_x.state[p].target = kNone;
        m_x.queue.remove(q);
        if (!living(p)) {
            m_x.queue.remove(p);
            m_flags[p] |= Surface::kGone;
            continue;
        }
        weighOwn(p, 0);
        queueUp(p);
        m_x.around.swap(m_x.neighbours); // p's, from the scan
        for (const std::uint32_t n : m_x.around)
            if (m_x.parked[n] != 0 && free(n)) {
                choose(n, 0);
                queueUp(n);
            }
    }
}

void RegionLog::clear() {
    *this = {};
}

void RegionLog::reserve(std::uint32_t points) {
    cost.reserve(points);
    error.reserve(points);
    nodesUpTo.reserve(points);
    deathsUpTo.reserve(points);
    deadTriangle.reserve(std::size_t{2} * points);
    place.reserve(points);
    childrenUpTo.reserve(points);
    child.reserve(std::size_t{2} * points);
}

void collapseRegion(Surface& surface, const Region& region, const ReduceOptions& options, float mostCost,
                    std::uint32_t mostCollapses, const JobContext& job, RegionScratch& scratch, RegionLog& log) {
    log.clear();
    log.reserve(region.points);
    Collapser(surface, region, options, scratch, log).run(mostCost, mostCollapses, job);
}

} // namespace thicket::reduce
