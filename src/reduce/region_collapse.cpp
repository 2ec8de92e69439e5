#include "reduce/collapser.h"

#include <algorithm>
#include <bit>
#include <cmath>

namespace thicket::reduce {

void Collapser::fillLists() {
    m_x.reset(m_count, m_triangles);
    for (std::size_t c = 0; c < std::size_t{3} * m_triangles; ++c)
        ++m_x.state[m_corner[c]].listSize;
    std::uint32_t at = 0;
    for (std::uint32_t p = 0; p < m_count; ++p) {
        m_x.state[p].listStart = at;
        at += m_x.state[p].listSize;
        m_x.state[p].listSize = 0;
    }
    m_x.list.resize(at);
    for (std::uint32_t t = 0; t < m_triangles; ++t)
        for (std::size_t k = 0; k < 3; ++k) {
            const std::uint32_t p = m_corner[3 * std::size_t{t} + k];
            m_x.list[m_x.state[p].listStart + m_x.state[p].listSize++] = t;
            std::uint32_t& sole = m_x.state[p].soleWedge;
            const std::uint32_t wedge = m_cornerWedge[3 * std::size_t{t} + k];
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
            m_uv[wedge] = Vec2f(static_cast<float>(span.valueAt(k, place) / m_s.uvScale),
                                static_cast<float>(span.valueAt(k + 1, place) / m_s.uvScale));
        m_log.uv.push_back(m_uv[wedge]);
        k += 2;
    }
    if (m_color != nullptr) {
        if (solved)
            for (int i = 0; i < 4; ++i)
                m_color[wedge][i] =
                    static_cast<float>(std::clamp(span.valueAt(k + i, place) / m_s.colorScale, 0.0, 1.0));
        m_log.color.push_back(m_color[wedge]);
        k += 4;
    }
    if (m_uv2 != nullptr) {
        if (solved)
            m_uv2[wedge] = Vec2f(static_cast<float>(span.valueAt(k, place) / m_s.uv2Scale),
                                 static_cast<float>(span.valueAt(k + 1, place) / m_s.uv2Scale));
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
    const WedgeGroups& groups = m_x.groups;
    if (m_x.list.size() + m_x.state[a].listSize + m_x.state[b].listSize > m_x.listLimit)
        compactLists();
    const auto start = static_cast<std::uint32_t>(m_x.list.size());
    for (const std::uint32_t p : {a, b})
        for (std::uint32_t i = 0; i < m_x.state[p].listSize; ++i) {
            const std::uint32_t t = m_x.list[m_x.state[p].listStart + i];
            std::uint32_t* c = m_corner + 3 * std::size_t{t};
            if (!has(t, p == a ? b : a)) {
                m_x.list.push_back(t);
            } else if (p == a) {
                m_log.deadTriangle.push_back(m_source[t]);
                // The tip loses a triangle from its list.
                for (int k = 0; k < 3; ++k) {
                    const std::uint32_t tip = c[k];
                    if (tip == a || tip == b)
                        continue;
                    std::uint32_t* run = m_x.list.data() + m_x.state[tip].listStart;
                    std::uint32_t* end = run + m_x.state[tip].listSize;
                    std::uint32_t* at = std::find(run, end, t);
                    std::copy(at + 1, end, at);
                    --m_x.state[tip].listSize;
                }
            }
        }
    // Marked as gone only now: b's list still told a's triangles apart by their corners.
    for (std::uint32_t i = 0; i < m_x.state[b].listSize; ++i)
        if (std::uint32_t* c = m_corner + 3 * std::size_t{m_x.list[m_x.state[b].listStart + i]};
            c[0] == a || c[1] == a || c[2] == a)
            c[0] = c[1] = c[2] = kNone;
    m_x.state[a].listStart = start;
    m_x.state[a].listSize = static_cast<std::uint32_t>(m_x.list.size()) - start;
    m_x.state[b].listSize = 0;
    if (m_bound)
        m_stays = place == m_places[b] ? b : a;
    Quadric& quadric = m_quadrics[a];
    quadric.add(m_quadrics[b]);
    const double shape = std::max(quadric.at(place), 0.0) / std::max(quadric.weight, 1e-30);
    m_places[a] = place;
    m_flags[a] |= m_flags[b];
    m_flags[b] |= Surface::kGone;
    m_x.state[a].stamp = m_log.collapses() + 1;

    // One new node for each group of wedges that a triangle still uses.
    std::uint32_t sole = kNone;
    bool many = false;
    m_x.made.assign(groups.wedge.size(), 0);
    for (std::uint32_t i = 0; i < m_x.state[a].listSize; ++i) {
        const std::size_t t = 3 * std::size_t{m_x.list[start + i]};
        for (std::size_t k = 0; k < 3; ++k) {
            if (m_corner[t + k] != a && m_corner[t + k] != b)
                continue;
            m_corner[t + k] = a;
            const std::uint32_t group = groups.find(groups.known(m_cornerWedge[t + k]));
            if (m_x.made[group] == 0) {
                m_x.made[group] = 1;
                makeNode(group, a, place);
                many |= sole != kNone;
                sole = groups.wedge[group];
            }
            m_cornerWedge[t + k] = groups.wedge[group];
        }
    }
    m_x.state[a].soleWedge = many ? kNone : sole;
    m_log.error.push_back(static_cast<float>(std::sqrt(shape)));
    m_log.nodesUpTo.push_back(m_log.nodes());
    m_log.deathsUpTo.push_back(static_cast<std::uint32_t>(m_log.deadTriangle.size()));
}

void Collapser::compactLists() {
    m_x.spare.clear();
    for (std::uint32_t p = 0; p < m_count; ++p) {
        if (!living(p))
            continue;
        const auto begin = m_x.list.begin() + m_x.state[p].listStart;
        m_x.state[p].listStart = static_cast<std::uint32_t>(m_x.spare.size());
        m_x.spare.insert(m_x.spare.end(), begin, begin + m_x.state[p].listSize);
    }
    m_x.list.swap(m_x.spare);
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
        const std::uint32_t bits = m_x.state[p].costBits;
        if (CostQueue::bucketOf(bits) > lastBucket)
            break;
        if (++steps % 1024 == 0 && job.cancelled())
            return;
        const std::uint32_t q = m_x.state[p].target;
        if (!living(q) || !owns(p, q)) {
            choose(p, 0);
            queueUp(p);
            continue;
        }
        const Vec3d best = bestPlace(p, q);
        gatherRing(p, q);
        // Too dear to see to for every edge that is weighed: once an edge's turn has come it may have to wait again.
        if (m_x.state[p].weighedBits == RegionScratch::kUnseen) {
            m_x.state[p].weighedBits = bits;
            const auto dearer = static_cast<float>(std::bit_cast<float>(bits) * unevenness(best));
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
            if (m_x.state[n].parked && free(n)) {
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
