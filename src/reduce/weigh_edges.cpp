// What a collapse costs, where its point goes, and which of a point's edges is next.

#include "reduce/collapser.h"

#include <algorithm>
#include <bit>
#include <cmath>

namespace thicket::reduce {

namespace {
constexpr double kVolumeShare = 0.5;         // half-way between the least mean and the least largest deviation
constexpr double kMostVolumeCost = 4;        // in squared distance to the planes
constexpr std::uint32_t kMostTriangles = 64; // round one point, so that no collapse is slow
} // namespace

void Collapser::groupWedges(std::uint32_t a, std::uint32_t b) {
    WedgeGroups& groups = m_x.groups;
    groups.clear();
    if (m_x.soleWedge[a] != kNone && m_x.soleWedge[b] != kNone) {
        groups.join(groups.indexOf(m_x.soleWedge[a], a), groups.indexOf(m_x.soleWedge[b], b));
        return;
    }
    for (const std::uint32_t p : {a, b})
        for (std::uint32_t i = 0; i < m_x.listSize[p]; ++i) {
            const std::size_t t = 3 * std::size_t{m_x.list[m_x.listStart[p] + i]};
            std::uint32_t own = kNone;
            std::uint32_t other = kNone;
            for (std::size_t k = 0; k < 3; ++k) {
                const std::uint32_t q = m_corner[t + k];
                if (q == p)
                    own = groups.indexOf(m_cornerWedge[t + k], p);
                else if (q == a || q == b)
                    other = groups.indexOf(m_cornerWedge[t + k], q);
            }
            if (other != kNone)
                groups.join(own, other);
        }
}

void Collapser::sumAttributes(std::uint32_t group) {
    const WedgeGroups& groups = m_x.groups;
    std::copy_n(attributesOf(groups.wedge[group]), m_stride, m_x.sum.begin());
    for (std::uint32_t i = group + 1; i < groups.wedge.size(); ++i)
        if (groups.find(i) == group)
            AttributeSpan{m_x.sum.data(), m_s.attributes}.add(attributesOf(groups.wedge[i]));
}

/// Where the point may go when not every place is free to it, and what it costs there. Apart from `weigh`, so that this
/// stays as lean as it is for meshes that ask for nothing.
double Collapser::bindPlace(std::uint32_t a, std::uint32_t b, const Quadric& q, Vec3d& place) const {
    if (m_options.reuseVertices) {
        const Vec3d& one = m_points[a].place;
        const Vec3d& other = m_points[b].place;
        place = q.at(other) < q.at(one) ? other : one;
    }
    holdToMirror(a, b, place);
    return q.at(place);
}

double Collapser::weigh(std::uint32_t a, std::uint32_t b, Vec3d& place) {
    const SurfacePoint& pa = m_points[a];
    const SurfacePoint& pb = m_points[b];
    Quadric q = pa.quadric;
    q.add(pb.quadric);
    if (m_s.attributes > 0) {
        const std::uint32_t soleA = m_x.soleWedge[a];
        const std::uint32_t soleB = m_x.soleWedge[b];
        const AttributeSpan sum{m_x.sum.data(), m_s.attributes};
        if (soleA != kNone && soleB != kNone) {
            const double* first = attributesOf(soleA);
            const double* second = attributesOf(soleB);
            for (std::size_t i = 0; i < m_stride; ++i)
                m_x.sum[i] = first[i] + second[i];
            sum.reduceInto(q);
        } else {
            groupWedges(a, b);
            for (std::uint32_t g = 0; g < m_x.groups.wedge.size(); ++g)
                if (m_x.groups.root[g] == g) {
                    sumAttributes(g);
                    sum.reduceInto(q);
                }
        }
    }
    const Vec3d middle = (pa.place + pb.place) / 2;
    const double squaredLength = (pb.place - pa.place).squaredNorm();
    place = q.best(middle);
    double value = q.at(place);
    if (!((place - middle).squaredNorm() <= 4 * squaredLength)) {
        place = middle;
        value = q.at(middle);
        for (const Vec3d& end : {pa.place, pb.place})
            if (const double v = q.at(end); v < value) {
                value = v;
                place = end;
            }
    }
    if (m_bound) [[unlikely]]
        value = bindPlace(a, b, q, place);
    const double weight = std::max(q.weight, 1e-30);
    const double e = m_options.areaExponent;
    const double divisor = e == 0.5 ? std::sqrt(weight) : e == 0 ? 1 : e == 1 ? weight : std::pow(weight, e);
    // Where nothing is lost the short edges go first, so flat regions do not grow slivers.
    return (std::max(value, 0.0) + 1e-11 * squaredLength * weight) / divisor;
}

double Collapser::unevenness(std::uint32_t a, std::uint32_t b, const Vec3d& place) const {
    double sum = 0;
    double longest = 0;
    int count = 0;
    for (const std::uint32_t p : {a, b})
        for (std::uint32_t i = 0; i < m_x.listSize[p]; ++i) {
            const std::uint32_t* c = m_corner + 3 * std::size_t{m_x.list[m_x.listStart[p] + i]};
            for (int k = 0; k < 3; ++k) {
                if (c[k] == a || c[k] == b)
                    continue;
                const double squared = (m_points[c[k]].place - place).squaredNorm();
                sum += squared;
                longest = std::max(longest, squared);
                ++count;
            }
        }
    constexpr double kUsual = 1.6; // longest over mean, squared, round a point of an even mesh
    return sum > 0 ? 1 + m_options.unevenWeight * std::max(0.0, longest * count / sum - kUsual) : 1;
}

void Collapser::neighboursOf(std::uint32_t p) {
    std::vector<std::uint32_t>& out = m_x.neighbours;
    out.clear();
    const bool regular = (m_flags[p] & Surface::kIrregular) == 0;
    const std::uint32_t* run = m_x.list.data() + m_x.listStart[p];
    for (std::uint32_t i = 0; i < m_x.listSize[p]; ++i) {
        const std::uint32_t* c = m_corner + 3 * std::size_t{run[i]};
        const int k = cornerOf(c, p);
        out.push_back(c[(k + 1) % 3]);
        if (!regular)
            out.push_back(c[(k + 2) % 3]);
    }
    if (!regular) {
        std::sort(out.begin(), out.end());
        out.erase(std::unique(out.begin(), out.end()), out.end());
    }
}

void Collapser::rescan(std::uint32_t p, std::uint64_t from) {
    neighboursOf(p);
    std::uint64_t best = ~std::uint64_t{0};
    Vec3d place;
    for (const std::uint32_t q : m_x.neighbours) {
        // Two points of one triangle each: it stands alone, and nothing may vanish.
        if (!owns(p, q) || !free(q) || m_x.listSize[p] + m_x.listSize[q] > kMostTriangles ||
            m_x.listSize[p] + m_x.listSize[q] == 2)
            continue;
        const auto cost = static_cast<float>(weigh(p, q, place) * crowding(m_x.listSize[p] + m_x.listSize[q]));
        const std::uint64_t key = std::uint64_t{std::bit_cast<std::uint32_t>(cost)} << 32 | q;
        if (key >= from && key < best) {
            best = key;
            m_x.bestPlace[p] = place;
        }
    }
    m_x.target[p] = best == ~std::uint64_t{0} ? kNone : static_cast<std::uint32_t>(best);
    m_x.costBits[p] = static_cast<std::uint32_t>(best >> 32);
    m_x.weighedBits[p] = RegionScratch::kUnseen;
}

void Collapser::push(std::uint32_t p) {
    m_x.parked[p] = m_x.target[p] == kNone;
    if (m_x.target[p] != kNone)
        m_x.queue.push(std::uint64_t{m_x.costBits[p]} << 32 | p);
}

Vec3d Collapser::keepVolume(std::uint32_t a, std::uint32_t b, const Vec3d& place) const {
    Vec3d normal(0, 0, 0);
    double volume = 0;
    for (const std::uint32_t p : {a, b})
        for (std::uint32_t i = 0; i < m_x.listSize[p]; ++i) {
            const std::uint32_t t = m_x.list[m_x.listStart[p] + i];
            if (p == b && has(t, a))
                continue;
            const std::uint32_t* c = m_corner + 3 * std::size_t{t};
            const Vec3d& x = m_points[c[0]].place;
            const Vec3d cross = (m_points[c[1]].place - x).cross(m_points[c[2]].place - x);
            normal += cross;
            volume += (place - x).dot(cross);
        }
    const double size = normal.squaredNorm();
    if (!(size > 0))
        return place;
    const Vec3d shift = normal * (-volume / size);
    // At most twice as far off the planes as the best place is; nothing where that lies on them all.
    Quadric q = m_points[a].quadric;
    q.add(m_points[b].quadric);
    const double now = std::max(q.at(place), 0.0);
    const double then = std::max(q.at(place + shift), 0.0);
    const double share = then > kMostVolumeCost * now ? std::sqrt(kMostVolumeCost * now / then) : 1;
    Vec3d held = place + kVolumeShare * share * shift;
    if (m_bound)
        holdToMirror(a, b, held);
    return held;
}

} // namespace thicket::reduce
