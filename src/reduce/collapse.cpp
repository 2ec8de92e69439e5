#include "base/parallel.h"
#include "reduce/surface.h"

#include <algorithm>
#include <bit>
#include <cmath>
#include <fmt/format.h>
#include <queue>

namespace thicket {
namespace {

using reduce::AttributeSpan;
using reduce::Quadric;
using reduce::Surface;

constexpr double kLeastFlipCosine = 0.2;     // a triangle may turn by 78 degrees in one collapse, no more
constexpr double kLeastShape = 1e-3;         // twice the area over the longest side squared; below is a sliver
constexpr std::uint32_t kMostTriangles = 64; // round one point, so that no collapse is slow
constexpr int kMostAttributes = 9;

struct Candidate {
    double cost = HUGE_VAL;
    Vec3d place{0, 0, 0};
    double surfaceError = 0; ///< working units
};

/// Which wedges become one when two points do. Filled anew for each edge; small, so plain arrays searched in order.
struct WedgeGroups {
    std::vector<std::uint32_t> wedge;
    std::vector<std::uint32_t> point;
    std::vector<std::uint32_t> root;
    void clear() {
        wedge.clear();
        point.clear();
        root.clear();
    }
    std::uint32_t indexOf(std::uint32_t w, std::uint32_t p) {
        for (std::uint32_t i = 0; i < wedge.size(); ++i)
            if (wedge[i] == w)
                return i;
        wedge.push_back(w);
        point.push_back(p);
        root.push_back(static_cast<std::uint32_t>(root.size()));
        return static_cast<std::uint32_t>(root.size() - 1);
    }
    [[nodiscard]] std::uint32_t find(std::uint32_t i) const {
        while (root[i] != i)
            i = root[i];
        return i;
    }
    void join(std::uint32_t i, std::uint32_t j) {
        i = find(i);
        j = find(j);
        root[std::max(i, j)] = std::min(i, j);
    }
};

struct Scratch {
    WedgeGroups groups;
    std::vector<std::uint32_t> neighbours;
};

class Collapser {
public:
    Collapser(Surface& surface, Record& record, const ReduceOptions& options)
        : m_s(surface), m_r(record), m_options(options) {}

    Result<void> run(const JobContext& job);

private:
    [[nodiscard]] bool alive(std::uint32_t p) const { return m_s.listSize[p] > 0; }
    [[nodiscard]] bool owns(std::uint32_t p, std::uint32_t q) const {
        return m_stamp[p] != m_stamp[q] ? m_stamp[p] > m_stamp[q] : p > q;
    }
    [[nodiscard]] bool has(std::uint32_t t, std::uint32_t p) const {
        const std::uint32_t* c = &m_s.trianglePoint[3 * std::size_t{t}];
        return c[0] == p || c[1] == p || c[2] == p;
    }
    void groupWedges(std::uint32_t a, std::uint32_t b, WedgeGroups& groups) const;
    Candidate evaluate(std::uint32_t a, std::uint32_t b, Scratch& scratch);
    void neighboursOf(std::uint32_t p, std::vector<std::uint32_t>& out) const;
    void rescan(std::uint32_t p, Scratch& scratch, std::uint64_t from);
    void push(std::uint32_t p);
    bool allowed(std::uint32_t a, std::uint32_t b, const Vec3d& place);
    bool trianglesHold(std::uint32_t p, std::uint32_t other, const Vec3d& place) const;
    bool wedgesMayJoin(const WedgeGroups& groups) const;
    void collapse(std::uint32_t a, std::uint32_t b, const Candidate& candidate);
    std::uint32_t makeNode(std::uint32_t first, std::uint32_t slot, const Vec3d& place);
    void compactLists();

    Surface& m_s;
    Record& m_r;
    const ReduceOptions& m_options;

    // a point each: its cheapest own edge
    std::vector<std::uint32_t> m_target;
    std::vector<std::uint32_t> m_costBits;
    std::vector<std::uint32_t> m_stamp; ///< the collapse that last moved it
    std::vector<std::uint8_t> m_parked; ///< all its own edges were refused; waits for a change nearby
    std::vector<std::uint32_t> m_mark;
    std::uint32_t m_markNow = 0;
    std::vector<std::uint32_t> m_slotOfNode;
    std::size_t m_listLimit = 0;

    /// (cost bits, point): positive floats order as their bits, and equal costs by point, so the order is fixed.
    std::priority_queue<std::uint64_t, std::vector<std::uint64_t>, std::greater<>> m_queue;
    Scratch m_scratch;
    std::vector<std::uint32_t> m_around;
};

void Collapser::groupWedges(std::uint32_t a, std::uint32_t b, WedgeGroups& groups) const {
    groups.clear();
    for (const std::uint32_t p : {a, b})
        for (std::uint32_t i = 0; i < m_s.listSize[p]; ++i) {
            const std::uint32_t t = m_s.list[m_s.listStart[p] + i];
            std::uint32_t own = kNone;
            std::uint32_t other = kNone;
            for (std::uint32_t k = 0; k < 3; ++k) {
                const std::uint32_t q = m_s.trianglePoint[3 * t + k];
                if (q == p)
                    own = groups.indexOf(m_s.triangleNode[3 * t + k], p);
                else if (q == a || q == b)
                    other = groups.indexOf(m_s.triangleNode[3 * t + k], q);
            }
            if (other != kNone)
                groups.join(own, other);
        }
}

Candidate Collapser::evaluate(std::uint32_t a, std::uint32_t b, Scratch& scratch) {
    Quadric q = m_s.quadric[a];
    q.add(m_s.quadric[b]);
    const Quadric shape = q;
    if (m_s.attributes > 0) {
        std::array<double, AttributeSpan::stride(kMostAttributes)> sum;
        const AttributeSpan span{sum.data(), m_s.attributes};
        const auto size = static_cast<std::size_t>(AttributeSpan::stride(m_s.attributes));
        if (m_s.soleWedge[a] != kNone && m_s.soleWedge[b] != kNone) {
            const double* first = m_s.slot(m_slotOfNode[m_s.soleWedge[a]]).data;
            std::copy(first, first + size, sum.begin());
            span.add(m_s.slot(m_slotOfNode[m_s.soleWedge[b]]).data);
            span.reduceInto(q);
        } else {
            WedgeGroups& groups = scratch.groups;
            groupWedges(a, b, groups);
            for (std::uint32_t g = 0; g < groups.wedge.size(); ++g) {
                if (groups.root[g] != g)
                    continue;
                std::fill_n(sum.begin(), size, 0.0);
                for (std::uint32_t i = g; i < groups.wedge.size(); ++i)
                    if (groups.find(i) == g)
                        span.add(m_s.slot(m_slotOfNode[groups.wedge[i]]).data);
                span.reduceInto(q);
            }
        }
    }
    const Vec3d& pa = m_s.place[a];
    const Vec3d& pb = m_s.place[b];
    const Vec3d middle = (pa + pb) / 2;
    const double squaredLength = (pb - pa).squaredNorm();
    Candidate c;
    c.place = q.best(q.best(middle)); // the second solve takes back the pull of the first
    double value = q.at(c.place);
    if (!((c.place - middle).squaredNorm() <= 4 * squaredLength)) {
        c.place = middle;
        value = q.at(middle);
        for (const Vec3d& end : {pa, pb})
            if (const double v = q.at(end); v < value) {
                value = v;
                c.place = end;
            }
    }
    value = std::max(value, 0.0);
    const double weight = std::max(q.weight, 1e-30);
    c.surfaceError = std::sqrt(std::max(shape.at(c.place), 0.0) / weight);
    const double e = m_options.areaExponent;
    const double divisor = e == 0.5 ? std::sqrt(weight) : e == 0 ? 1 : e == 1 ? weight : std::pow(weight, e);
    // Where nothing is lost the short edges go first, so flat regions do not grow slivers.
    c.cost = value / divisor + 1e-11 * squaredLength * weight / divisor;
    return c;
}

void Collapser::neighboursOf(std::uint32_t p, std::vector<std::uint32_t>& out) const {
    out.clear();
    const bool regular = (m_s.flags[p] & Surface::kIrregular) == 0;
    for (std::uint32_t i = 0; i < m_s.listSize[p]; ++i) {
        const std::uint32_t* c = &m_s.trianglePoint[3 * std::size_t{m_s.list[m_s.listStart[p] + i]}];
        const int k = c[0] == p ? 0 : c[1] == p ? 1 : 2;
        out.push_back(c[(k + 1) % 3]);
        if (!regular)
            out.push_back(c[(k + 2) % 3]);
    }
    if (!regular) {
        std::sort(out.begin(), out.end());
        out.erase(std::unique(out.begin(), out.end()), out.end());
    }
}

/// Finds p's cheapest own edge whose (cost, other end) is at least `from`.
void Collapser::rescan(std::uint32_t p, Scratch& scratch, std::uint64_t from) {
    neighboursOf(p, scratch.neighbours);
    std::uint64_t best = ~std::uint64_t{0};
    for (const std::uint32_t q : scratch.neighbours) {
        if (!owns(p, q) || m_s.listSize[p] + m_s.listSize[q] > kMostTriangles)
            continue;
        const auto cost = static_cast<float>(evaluate(p, q, scratch).cost);
        const std::uint64_t key = std::uint64_t{std::bit_cast<std::uint32_t>(cost)} << 32 | q;
        if (key >= from && key < best)
            best = key;
    }
    m_target[p] = best == ~std::uint64_t{0} ? kNone : static_cast<std::uint32_t>(best);
    m_costBits[p] = static_cast<std::uint32_t>(best >> 32);
}

void Collapser::push(std::uint32_t p) {
    m_parked[p] = m_target[p] == kNone;
    if (m_target[p] != kNone)
        m_queue.push(std::uint64_t{m_costBits[p]} << 32 | p);
}

/// Triangles round p that stay must neither turn over nor become slivers when p moves.
bool Collapser::trianglesHold(std::uint32_t p, std::uint32_t other, const Vec3d& place) const {
    for (std::uint32_t i = 0; i < m_s.listSize[p]; ++i) {
        const std::uint32_t t = m_s.list[m_s.listStart[p] + i];
        if (has(t, other))
            continue;
        const std::uint32_t* c = &m_s.trianglePoint[3 * std::size_t{t}];
        const int k = c[0] == p ? 0 : c[1] == p ? 1 : 2;
        const Vec3d& x = m_s.place[c[(k + 1) % 3]];
        const Vec3d& y = m_s.place[c[(k + 2) % 3]];
        const Vec3d side = y - x;
        const Vec3d before = side.cross(m_s.place[p] - x);
        const Vec3d after = side.cross(place - x);
        const double sizeBefore = before.norm();
        const double sizeAfter = after.norm();
        const double longest = std::max({side.squaredNorm(), (place - x).squaredNorm(), (place - y).squaredNorm()});
        const double longestBefore =
            std::max({side.squaredNorm(), (m_s.place[p] - x).squaredNorm(), (m_s.place[p] - y).squaredNorm()});
        const double shapeBefore = sizeBefore / longestBefore;
        if (sizeAfter < longest * std::min(kLeastShape, shapeBefore) || !(sizeAfter > 1e-9 * longest))
            return false;
        if (shapeBefore > 1e-9 && before.dot(after) < kLeastFlipCosine * sizeBefore * sizeAfter)
            return false;
        // Small turns add up: a face may also not end on the other side of the normals at its corners.
        if (!m_r.normals.empty()) {
            const std::uint32_t* n = &m_s.triangleNode[3 * std::size_t{t}];
            const Vec3d cornerNormals = (m_r.normals[n[0]] + m_r.normals[n[1]] + m_r.normals[n[2]]).cast<double>();
            if (after.dot(cornerNormals) < 0 && before.dot(cornerNormals) >= 0)
                return false;
        }
    }
    return true;
}

/// Wedges of one point may join (a hard edge or a seam ends there) only where the texture is the same on both.
bool Collapser::wedgesMayJoin(const WedgeGroups& groups) const {
    if (m_r.uvs.empty())
        return true;
    for (std::uint32_t i = 0; i < groups.wedge.size(); ++i)
        for (std::uint32_t j = i + 1; j < groups.wedge.size(); ++j)
            if (groups.point[i] == groups.point[j] && groups.find(i) == groups.find(j) &&
                (m_r.uvs[groups.wedge[i]] - m_r.uvs[groups.wedge[j]]).cwiseAbs().maxCoeff() > 1e-4F)
                return false;
    return true;
}

bool Collapser::allowed(std::uint32_t a, std::uint32_t b, const Vec3d& place) {
    // Link condition: the points joined to both ends are just the tips of the edge's triangles.
    ++m_markNow;
    std::uint32_t edgeTriangles = 0;
    for (std::uint32_t i = 0; i < m_s.listSize[a]; ++i) {
        const std::uint32_t t = m_s.list[m_s.listStart[a] + i];
        edgeTriangles += has(t, b) ? 1 : 0;
        for (std::uint32_t k = 0; k < 3; ++k)
            m_mark[m_s.trianglePoint[3 * t + k]] = m_markNow;
    }
    // Nothing may vanish: the last triangle of an open piece stays.
    if (edgeTriangles == 0 || m_s.listSize[a] + m_s.listSize[b] == 2 * edgeTriangles)
        return false;
    if ((m_s.flags[a] & m_s.flags[b] & Surface::kIrregular) != 0 && edgeTriangles == 2 &&
        (m_s.flags[a] & m_s.flags[b] & Surface::kBorder) != 0)
        return false;
    std::uint32_t common = 0;
    const std::uint32_t nearA = m_markNow;
    ++m_markNow;
    for (std::uint32_t i = 0; i < m_s.listSize[b]; ++i) {
        const std::uint32_t* c = &m_s.trianglePoint[3 * std::size_t{m_s.list[m_s.listStart[b] + i]}];
        for (int k = 0; k < 3; ++k)
            if (c[k] != a && c[k] != b && m_mark[c[k]] == nearA) {
                m_mark[c[k]] = m_markNow;
                ++common;
            }
    }
    if (common != edgeTriangles)
        return false;
    // A triangle of each end with the same far side would become two on the same spot.
    for (std::uint32_t i = 0; i < m_s.listSize[b]; ++i) {
        const std::uint32_t t = m_s.list[m_s.listStart[b] + i];
        if (has(t, a))
            continue;
        const std::uint32_t* c = &m_s.trianglePoint[3 * std::size_t{t}];
        const int k = c[0] == b ? 0 : c[1] == b ? 1 : 2;
        const std::uint32_t x = c[(k + 1) % 3];
        const std::uint32_t y = c[(k + 2) % 3];
        if (m_mark[x] != m_markNow || m_mark[y] != m_markNow)
            continue;
        for (std::uint32_t j = 0; j < m_s.listSize[a]; ++j)
            if (const std::uint32_t u = m_s.list[m_s.listStart[a] + j]; has(u, x) && has(u, y))
                return false;
    }
    if (!trianglesHold(a, b, place) || !trianglesHold(b, a, place))
        return false;
    if (m_s.soleWedge[a] == kNone || m_s.soleWedge[b] == kNone) {
        groupWedges(a, b, m_scratch.groups);
        return wedgesMayJoin(m_scratch.groups);
    }
    return true;
}

std::uint32_t Collapser::makeNode(std::uint32_t first, std::uint32_t slot, const Vec3d& place) {
    const auto node = static_cast<std::uint32_t>(m_r.positions.size());
    m_r.positions.push_back((place * m_s.scale + m_s.origin).cast<float>());
    const AttributeSpan span = m_s.attributes > 0 ? m_s.slot(slot) : AttributeSpan{nullptr, 0};
    const bool solved = m_s.attributes > 0 && span.weight() > 0;
    int k = 0;
    if (!m_r.normals.empty()) {
        Vec3f normal = m_r.normals[first];
        if (solved) {
            const Vec3d value(span.valueAt(0, place), span.valueAt(1, place), span.valueAt(2, place));
            if (value.norm() > 0.05 * m_s.normalScale)
                normal = value.normalized().cast<float>();
        }
        m_r.normals.push_back(normal);
        k += 3;
    }
    if (!m_r.uvs.empty()) {
        m_r.uvs.push_back(solved ? Vec2f(static_cast<float>(span.valueAt(k, place) / m_s.uvScale),
                                         static_cast<float>(span.valueAt(k + 1, place) / m_s.uvScale))
                                 : m_r.uvs[first]);
        k += 2;
    }
    if (!m_r.colors.empty()) {
        Vec4f color = m_r.colors[first];
        if (solved)
            for (int i = 0; i < 4; ++i)
                color[i] = static_cast<float>(std::clamp(span.valueAt(k + i, place) / m_s.colorScale, 0.0, 1.0));
        m_r.colors.push_back(color);
    }
    m_r.parent.push_back(kNone);
    m_slotOfNode.push_back(slot);
    return node;
}

void Collapser::collapse(std::uint32_t a, std::uint32_t b, const Candidate& candidate) {
    const auto time = static_cast<std::uint32_t>(m_r.alive.size());
    groupWedges(a, b, m_scratch.groups);
    const WedgeGroups& groups = m_scratch.groups;

    if (m_s.list.size() + m_s.listSize[a] + m_s.listSize[b] > m_listLimit)
        compactLists();
    const auto start = static_cast<std::uint32_t>(m_s.list.size());
    std::uint32_t removed = 0;
    for (const std::uint32_t p : {a, b})
        for (std::uint32_t i = 0; i < m_s.listSize[p]; ++i) {
            const std::uint32_t t = m_s.list[m_s.listStart[p] + i];
            if (!has(t, p == a ? b : a)) {
                m_s.list.push_back(t);
            } else if (p == a) {
                m_r.death[t] = time;
                ++removed;
                // The tip loses a triangle from its list.
                for (std::uint32_t k = 0; k < 3; ++k) {
                    const std::uint32_t tip = m_s.trianglePoint[3 * t + k];
                    if (tip == a || tip == b)
                        continue;
                    std::uint32_t* run = &m_s.list[m_s.listStart[tip]];
                    std::uint32_t* end = run + m_s.listSize[tip];
                    std::copy(std::find(run, end, t) + 1, end, std::find(run, end, t));
                    --m_s.listSize[tip];
                }
            }
        }
    m_s.listStart[a] = start;
    m_s.listSize[a] = static_cast<std::uint32_t>(m_s.list.size()) - start;
    m_s.listSize[b] = 0;
    m_s.place[a] = candidate.place;
    m_s.quadric[a].add(m_s.quadric[b]);
    m_s.flags[a] |= m_s.flags[b];
    m_stamp[a] = time;

    // One new node for each group of wedges that a triangle still uses.
    std::uint32_t sole = kNone;
    bool many = false;
    std::vector<std::uint32_t>& made = m_scratch.neighbours;
    made.assign(groups.wedge.size(), kNone);
    for (std::uint32_t i = 0; i < m_s.listSize[a]; ++i) {
        const std::uint32_t t = m_s.list[start + i];
        for (std::uint32_t k = 0; k < 3; ++k) {
            std::uint32_t& point = m_s.trianglePoint[3 * t + k];
            if (point != a && point != b)
                continue;
            point = a;
            std::uint32_t& node = m_s.triangleNode[3 * t + k];
            const auto index = static_cast<std::uint32_t>(std::find(groups.wedge.begin(), groups.wedge.end(), node) -
                                                          groups.wedge.begin());
            const std::uint32_t root = groups.find(index);
            if (made[root] == kNone) {
                const std::uint32_t slot = m_slotOfNode[groups.wedge[root]];
                if (m_s.attributes > 0)
                    for (std::uint32_t w = root + 1; w < groups.wedge.size(); ++w)
                        if (groups.find(w) == root)
                            m_s.slot(slot).add(m_s.slot(m_slotOfNode[groups.wedge[w]]).data);
                made[root] = makeNode(groups.wedge[root], slot, candidate.place);
                m_r.birth.push_back(time);
                for (std::uint32_t w = root; w < groups.wedge.size(); ++w)
                    if (groups.find(w) == root)
                        m_r.parent[groups.wedge[w]] = made[root];
                many |= sole != kNone;
                sole = made[root];
            }
            node = made[root];
        }
    }
    m_s.soleWedge[a] = many ? kNone : sole;
    m_r.alive.push_back(m_r.alive.back() - removed);
    m_r.error.push_back(std::max(m_r.error.back(), static_cast<float>(candidate.surfaceError * m_s.scale)));
}

/// Merged runs are appended and leave holes; when the array is full the living runs move together.
void Collapser::compactLists() {
    std::vector<std::uint32_t> order;
    for (std::uint32_t p = 0; p < m_s.place.size(); ++p)
        if (alive(p))
            order.push_back(p);
    std::vector<std::uint32_t> fresh;
    fresh.reserve(m_listLimit);
    for (const std::uint32_t p : order) {
        const auto begin = m_s.list.begin() + m_s.listStart[p];
        m_s.listStart[p] = static_cast<std::uint32_t>(fresh.size());
        fresh.insert(fresh.end(), begin, begin + m_s.listSize[p]);
    }
    m_s.list = std::move(fresh);
}

Result<void> Collapser::run(const JobContext& job) {
    const auto points = static_cast<std::uint32_t>(m_s.place.size());
    m_target.assign(points, kNone);
    m_costBits.assign(points, 0);
    m_stamp.assign(points, 0);
    m_parked.assign(points, 0);
    m_mark.assign(points, 0);
    m_listLimit = m_s.list.capacity();
    m_slotOfNode.reserve(m_r.positions.capacity());
    m_slotOfNode.resize(m_r.positions.size());
    for (std::uint32_t i = 0; i < m_slotOfNode.size(); ++i)
        m_slotOfNode[i] = i;

    job.report(0, "weighing edges");
    parallelChunks(points, 4096, [&](std::size_t begin, std::size_t end) {
        Scratch scratch;
        for (auto p = static_cast<std::uint32_t>(begin); p < end && !job.cancelled(); ++p)
            if (alive(p))
                rescan(p, scratch, 0);
    });
    if (job.cancelled())
        return cancelledError();
    std::vector<std::uint64_t> keys;
    keys.reserve(points);
    for (std::uint32_t p = 0; p < points; ++p) {
        if (m_target[p] != kNone)
            keys.push_back(std::uint64_t{m_costBits[p]} << 32 | p);
        m_parked[p] = alive(p) && m_target[p] == kNone;
    }
    m_queue = decltype(m_queue)(std::greater<>{}, std::move(keys));

    const double total = std::max<double>(m_r.alive.front(), 1);
    std::uint32_t steps = 0;
    std::uint32_t collapsesBeforeRetry = 0;
    while (true) {
        if (m_queue.empty()) {
            // Refusals may have been lifted by changes farther away: try what is left once more, until nothing moves.
            if (m_r.collapses() == collapsesBeforeRetry)
                break;
            collapsesBeforeRetry = m_r.collapses();
            for (std::uint32_t p = 0; p < points; ++p)
                if (alive(p)) {
                    rescan(p, m_scratch, 0);
                    push(p);
                }
            if (m_queue.empty())
                break;
        }
        if (++steps % 1024 == 0) {
            if (job.cancelled())
                return cancelledError();
            if (steps % 16384 == 0)
                job.report(0.1 + 0.9 * (1 - m_r.alive.back() / total),
                           fmt::format("collapsing, {} triangles left", m_r.alive.back()));
        }
        const std::uint64_t key = m_queue.top();
        m_queue.pop();
        const auto p = static_cast<std::uint32_t>(key);
        if (!alive(p) || m_target[p] == kNone || m_costBits[p] != static_cast<std::uint32_t>(key >> 32))
            continue;
        const std::uint32_t q = m_target[p];
        if (!alive(q) || !owns(p, q)) {
            rescan(p, m_scratch, 0);
            push(p);
            continue;
        }
        const Candidate candidate = evaluate(p, q, m_scratch);
        if (!allowed(p, q, candidate.place)) {
            rescan(p, m_scratch, (std::uint64_t{m_costBits[p]} << 32 | q) + 1);
            push(p);
            continue;
        }
        collapse(p, q, candidate);
        m_target[q] = kNone;
        m_target[p] = kNone;
        if (!alive(p))
            continue;
        rescan(p, m_scratch, 0);
        push(p);
        neighboursOf(p, m_around);
        for (const std::uint32_t n : m_around)
            if (m_parked[n] != 0) {
                rescan(n, m_scratch, 0);
                push(n);
            }
    }
    return {};
}

} // namespace

Result<Record> recordCollapses(const Mesh& mesh, const ReduceOptions& options, const JobContext& job) {
    Record record;
    Surface surface;
    if (auto ready = prepareSurface(mesh, options, job.part(0, 0.15), surface, record); !ready)
        return ready.error();
    Collapser collapser(surface, record, options);
    if (auto done = collapser.run(job.part(0.15, 1)); !done)
        return done.error();
    job.report(1, "recorded");
    return record;
}

} // namespace thicket
