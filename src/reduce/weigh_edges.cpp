// What a collapse costs, where its point goes, and which of a point's edges is next.

#include "reduce/collapser.h"

#include <algorithm>
#include <bit>
#include <cmath>

namespace thicket::reduce {

namespace {
constexpr double kVolumeShare = 0.5;                  // half-way between the least mean and the least largest deviation
constexpr double kMostVolumeCost = 4;                 // in squared distance to the planes
constexpr std::uint32_t kMostTriangles = Ring::kMost; // round one point, so that no collapse is slow
} // namespace

void Collapser::groupWedges(std::uint32_t a, std::uint32_t b) {
    WedgeGroups& groups = m_x.groups;
    groups.clear();
    if (m_x.state[a].soleWedge != kNone && m_x.state[b].soleWedge != kNone) {
        const std::uint32_t first = groups.indexOf(m_x.state[a].soleWedge, a);
        groups.join(first, groups.indexOf(m_x.state[b].soleWedge, b));
        return;
    }
    for (const std::uint32_t p : {a, b}) {
        const std::uint32_t far = p == a ? b : a;
        for (const std::uint32_t c : cornersAt(p)) {
            const std::uint32_t own = groups.indexOf(wedgeOf(c), p);
            const std::uint32_t after = cornerAfter(c);
            const std::uint32_t before = cornerBefore(c);
            if (m_corner[after] == far)
                groups.join(own, groups.indexOf(wedgeOf(after), far));
            else if (m_corner[before] == far)
                groups.join(own, groups.indexOf(wedgeOf(before), far));
        }
    }
}

void Collapser::sumAttributes(std::uint32_t group) {
    const WedgeGroups& groups = m_x.groups;
    std::copy_n(attributesOf(groups.wedge[group]), m_stride, m_x.sum.begin());
    for (std::uint32_t i = group + 1; i < groups.wedge.size(); ++i)
        if (groups.find(i) == group)
            AttributeSpan{m_x.sum.data(), m_s.attributes}.add(attributesOf(groups.wedge[i]));
}

/// Where the point may go when not every place is free to it, and what it costs there.
void Collapser::bindPlace(std::uint32_t a, std::uint32_t b, EdgeBatch& batch, std::size_t lane) const {
    const Quadric q = batch.quadricOf(lane);
    Vec3d place = batch.placeOf(lane);
    if (m_options.reuseVertices) {
        const Vec3d& one = m_places[a];
        const Vec3d& other = m_places[b];
        place = q.at(other) < q.at(one) ? other : one;
    }
    holdToMirror(a, b, place);
    for (std::size_t k = 0; k < 3; ++k)
        batch.place[k][lane] = place[static_cast<int>(k)];
    batch.cost[lane] = batch.costOf(lane, q.at(place));
}

void Collapser::addAttributes(std::uint32_t a, std::uint32_t b, Quadric& q) {
    const std::uint32_t soleA = m_x.state[a].soleWedge;
    const std::uint32_t soleB = m_x.state[b].soleWedge;
    const AttributeSpan sum{m_x.sum.data(), m_s.attributes};
    if (soleA != kNone && soleB != kNone) {
        const double* first = attributesOf(soleA);
        const double* second = attributesOf(soleB);
        for (std::size_t i = 0; i < m_stride; ++i)
            m_x.sum[i] = first[i] + second[i];
        sum.reduceInto(q);
        return;
    }
    groupWedges(a, b);
    for (std::uint32_t g = 0; g < m_x.groups.wedge.size(); ++g)
        if (m_x.groups.root[g] == g) {
            sumAttributes(g);
            sum.reduceInto(q);
        }
}

void Collapser::weighEdges(std::uint32_t a, std::span<const std::uint32_t> others) {
    EdgeBatch& batch = m_x.batch;
    batch.begin(m_quadrics[a], m_places[a]);
    for (const std::uint32_t b : others) {
        if (m_s.attributes == 0) {
            batch.add(m_quadrics[b], m_places[b]);
            continue;
        }
        Quadric q = m_quadrics[b];
        addAttributes(a, b, q);
        batch.add(q, m_places[b]);
    }
    weighBatch(batch);
    const double exponent = m_options.areaExponent;
    for (std::size_t i = 0; i < others.size() && (m_bound || exponent != 0.5); ++i) {
        if (m_bound)
            bindPlace(a, others[i], batch, i);
        if (exponent != 0.5)
            batch.cost[i] *= std::pow(std::max(batch.weight[i] + batch.own.weight, 1e-30), 0.5 - exponent);
    }
}

Vec3d Collapser::bestPlace(std::uint32_t p, std::uint32_t q) {
    if (m_x.state[p].placeFor != q) {
        weighEdges(p, {&q, 1});
        m_x.state[p].bestPlace = m_x.batch.placeOf(0);
        m_x.state[p].placeFor = q;
    }
    return m_x.state[p].bestPlace;
}

// Here and below: which of a few alike things count cannot be foretold, so all are written down and the count alone is
// advanced by what is true. A wrong guess of the processor costs more than a dozen such writes.

void Collapser::gatherRing(std::uint32_t a, std::uint32_t b) {
    Ring& ring = m_x.ring;
    std::array<std::uint32_t, Ring::kMost> both;
    std::size_t shared = 0;
    std::size_t count = 0;
    for (const std::uint32_t p : {a, b}) {
        const std::uint32_t far = p == a ? b : a;
        const Vec3d place = m_places[p];
        for (const std::uint32_t c : cornersAt(p)) {
            const std::uint32_t x = pointAfter(c);
            const std::uint32_t y = pointBefore(c);
            const auto goes = static_cast<std::size_t>((x == far) | (y == far));
            both[shared] = c;
            shared += p == a ? goes : 0;
            ring.set(count, c, place, m_places[x], m_places[y]);
            count += 1 - goes;
        }
    }
    ring.count = count;
    ring.going = shared;
    for (std::size_t i = 0; i < shared; ++i)
        ring.set(count + i, both[i], m_places[a], m_places[pointAfter(both[i])], m_places[pointBefore(both[i])]);
}

double Collapser::unevenness(const Vec3d& place) {
    constexpr double kUsual = 1.6; // longest over mean, squared, round a point of an even mesh
    return 1 + m_options.unevenWeight * std::max(0.0, longestOverMean(m_x.ring, place) - kUsual);
}

namespace {
double traceOf(const Quadric& q) {
    return q.a[0] + q.a[3] + q.a[5];
}
} // namespace

double Collapser::costOfFarthest(std::uint32_t a, std::uint32_t b, const Vec3d& place, Vec3f& farthest) {
    Fan& fan = m_x.fan;
    makeFan(m_x.ring, place, fan);
    double most = -1;
    const auto offer = [&](const Vec3f& from) {
        if (const double squared = squaredDistance(fan, from.cast<double>()); squared > most) {
            most = squared;
            farthest = from;
        }
    };
    for (const std::uint32_t p : {a, b}) {
        const Vec3f here = m_places[p].cast<float>();
        offer(here);
        if (here != m_farthest[p])
            offer(m_farthest[p]);
    }
    // The quadric of what is small and thin has little weight, so it is forgotten early. Here the place that is farthest
    // off counts as a mean over the triangles round it would, and these as if they were as wide as they are long.
    constexpr double kOfSquare = 0.144; // a third of an equilateral triangle against the square of its side
    double around = 0;
    for (std::size_t i = 0; i < fan.count; ++i)
        around += kOfSquare * fan.longest[i];
    const double own = m_quadrics[a].weight + m_quadrics[b].weight;
    const double weight = std::max(around, own);
    double care = 1; // how much more planes count here than their areas
    if (m_s.careful)
        care = std::max(1.0, (traceOf(m_quadrics[a]) + traceOf(m_quadrics[b])) / std::max(own, 1e-30));
    return m_options.farWeight * care * most * std::sqrt(weight) *
           (m_options.areaExponent == 0.5 ? 1 : std::pow(std::max(weight, 1e-30), 0.5 - m_options.areaExponent));
}

void Collapser::neighboursOf(std::uint32_t p) {
    std::vector<std::uint32_t>& out = m_x.neighbours;
    out.clear();
    const bool regular = (m_flags[p] & Surface::kIrregular) == 0;
    for (const std::uint32_t c : cornersAt(p)) {
        out.push_back(pointAfter(c));
        if (!regular)
            out.push_back(pointBefore(c));
    }
    if (!regular) {
        std::sort(out.begin(), out.end());
        out.erase(std::unique(out.begin(), out.end()), out.end());
    }
}

/// Cost and other end, to be compared; the largest key when the edge is not one to collapse.
std::uint64_t Collapser::keyOf(std::uint32_t triangles, std::uint32_t q, float cost) const {
    const auto crowded =
        static_cast<float>(static_cast<double>(cost) * m_crowding[std::min(triangles, kMostTriangles)]);
    // Two points of one triangle each: it stands alone, and nothing may vanish.
    return (triangles > kMostTriangles) | (triangles == 2)
               ? ~std::uint64_t{0}
               : std::uint64_t{std::bit_cast<std::uint32_t>(crowded)} << 32 | q;
}

void Collapser::keepEdge(std::uint32_t p, std::uint32_t q, float cost) {
    auto& kept = m_x.own[p];
    if (m_x.state[p].ownCount < RegionScratch::kOwnKept) {
        kept[m_x.state[p].ownCount++] = {cost, q};
        return;
    }
    m_x.state[p].ownLeftOut |= RegionScratch::kDearer;
    const auto dearest = std::max_element(kept.begin(), kept.end(), [](const OwnEdge& a, const OwnEdge& b) {
        return a.cost != b.cost ? a.cost < b.cost : a.other < b.other;
    });
    if (cost < dearest->cost)
        *dearest = {cost, q};
}

void Collapser::weighOwn(std::uint32_t p, std::uint64_t from) {
    neighboursOf(p);
    m_x.state[p].ownCount = 0;
    m_x.state[p].ownLeftOut = 0;
    m_x.state[p].placeFor = kNone;
    m_x.candidates.resize(m_x.neighbours.size());
    std::size_t candidates = 0;
    const RegionScratch::Link own = m_x.link[p];
    for (const std::uint32_t q : m_x.neighbours) {
        const RegionScratch::Link other = m_x.link[q];
        const bool mine = owns(own, p, other, q) & free(q);
        const bool few = own.size + other.size <= kMostTriangles;
        m_x.state[p].ownLeftOut |= mine & !few ? RegionScratch::kDearer : 0; // may be had once there are fewer
        m_x.candidates[candidates] = q;
        candidates += mine & few ? 1 : 0;
    }
    m_x.candidates.resize(candidates);
    std::uint64_t best = ~std::uint64_t{0};
    for (std::size_t at = 0; at < m_x.candidates.size(); at += EdgeBatch::kLanes) {
        const std::size_t count = std::min(EdgeBatch::kLanes, m_x.candidates.size() - at);
        weighEdges(p, {m_x.candidates.data() + at, count});
        std::size_t pick = count;
        for (std::size_t i = 0; i < count; ++i) {
            const std::uint32_t q = m_x.candidates[at + i];
            const auto cost = static_cast<float>(m_x.batch.cost[i]);
            const std::uint64_t key = keyOf(own.size + m_x.link[q].size, q, cost);
            if (key < from) {
                m_x.state[p].ownLeftOut |= RegionScratch::kRefused;
                continue;
            }
            keepEdge(p, q, cost);
            pick = key < best ? i : pick;
            best = std::min(best, key);
        }
        if (pick < count) {
            m_x.state[p].bestPlace = m_x.batch.placeOf(pick);
            m_x.state[p].placeFor = m_x.candidates[at + pick];
        }
    }
    setTarget(p, best);
}

void Collapser::choose(std::uint32_t p, std::uint64_t from) {
    std::uint64_t best = ~std::uint64_t{0};
    const RegionScratch::Link own = m_x.link[p];
    for (std::uint32_t i = 0; i < m_x.state[p].ownCount; ++i) {
        const OwnEdge& edge = m_x.own[p][i];
        const RegionScratch::Link other = m_x.link[edge.other];
        const std::uint64_t key = keyOf(own.size + other.size, edge.other, edge.cost);
        const bool counts = (other.size > 0) & owns(own, p, other, edge.other) & (key >= from);
        best = std::min(best, counts ? key : ~std::uint64_t{0});
    }
    const std::uint8_t leftOut = m_x.state[p].ownLeftOut;
    if ((best == ~std::uint64_t{0} && leftOut != 0) || (from == 0 && (leftOut & RegionScratch::kRefused) != 0))
        weighOwn(p, from);
    else
        setTarget(p, best);
}

void Collapser::setTarget(std::uint32_t p, std::uint64_t best) {
    m_x.state[p].target = best == ~std::uint64_t{0} ? kNone : static_cast<std::uint32_t>(best);
    m_x.state[p].costBits = static_cast<std::uint32_t>(best >> 32);
    m_x.state[p].weighedBits = RegionScratch::kUnseen;
}

void Collapser::queueUp(std::uint32_t p) {
    m_x.parked[p] = m_x.state[p].target == kNone ? 1 : 0;
    if (m_x.state[p].target != kNone)
        m_x.queue.put(p, m_x.state[p].costBits);
    else
        m_x.queue.remove(p);
}

Vec3d Collapser::keepVolume(std::uint32_t a, std::uint32_t b, const Vec3d& place) const {
    Vec3d normal;
    const double volume = volumeUnder(m_x.ring, place, normal);
    const double size = normal.squaredNorm();
    if (!(size > 0))
        return place;
    const Vec3d shift = normal * (-volume / size);
    // At most twice as far off the planes as the best place is; nothing where that lies on them all.
    Quadric q = m_quadrics[a];
    q.add(m_quadrics[b]);
    const double now = std::max(q.at(place), 0.0);
    const double then = std::max(q.at(place + shift), 0.0);
    const double share = then > kMostVolumeCost * now ? std::sqrt(kMostVolumeCost * now / then) : 1;
    Vec3d held = place + kVolumeShare * share * shift;
    if (m_bound)
        holdToMirror(a, b, held);
    return held;
}

} // namespace thicket::reduce
