#include "reduce/region_collapse.h"

#include "reduce/region_scratch.h"

#include <algorithm>
#include <bit>
#include <cmath>

namespace thicket::reduce {
namespace {

constexpr double kLeastFlipCosine = 0.2;     // a triangle may turn by 78 degrees in one collapse, no more
constexpr double kLeastShape = 1e-3;         // twice the area over the longest side squared; below is a sliver
constexpr double kVolumeShare = 0.5;         // half-way between the least mean and the least largest deviation
constexpr double kMostVolumeCost = 4;        // in squared distance to the planes
constexpr std::uint32_t kMostTriangles = 64; // round one point, so that no collapse is slow

class Collapser {
public:
    Collapser(Surface& surface, const Region& region, const ReduceOptions& options, RegionScratch& scratch,
              RegionLog& log)
        : m_s(surface), m_x(scratch), m_log(log), m_options(options),
          m_points(surface.points.data() + region.firstPoint), m_flags(surface.flags.data() + region.firstPoint),
          m_corner(surface.trianglePoint.data() + 3 * std::size_t{region.firstTriangle}),
          m_cornerWedge(surface.triangleWedge.data() + 3 * std::size_t{region.firstTriangle}),
          m_source(surface.triangleSource.data() + region.firstTriangle), m_firstPoint(region.firstPoint),
          m_firstWedge(region.firstWedge), m_count(region.points), m_triangles(region.triangles),
          m_stride(static_cast<std::size_t>(AttributeSpan::stride(surface.attributes))),
          m_node(surface.wedgeNode.data() + region.firstWedge) {
        if (surface.attributes > 0)
            m_attributes = surface.attributeQuadric.data() + std::size_t{region.firstWedge} * m_stride;
        if (!surface.wedgeNormal.empty())
            m_normal = surface.wedgeNormal.data() + region.firstWedge;
        if (!surface.wedgeUv.empty())
            m_uv = surface.wedgeUv.data() + region.firstWedge;
        if (!surface.wedgeColor.empty())
            m_color = surface.wedgeColor.data() + region.firstWedge;
    }

    void run(float mostCost, std::uint32_t mostCollapses, const JobContext& job);

private:
    [[nodiscard]] bool living(std::uint32_t p) const { return m_x.listSize[p] > 0; }
    [[nodiscard]] bool free(std::uint32_t p) const { return (m_flags[p] & Surface::kLocked) == 0; }
    [[nodiscard]] bool owns(std::uint32_t p, std::uint32_t q) const {
        return m_x.stamp[p] != m_x.stamp[q] ? m_x.stamp[p] > m_x.stamp[q] : p > q;
    }
    [[nodiscard]] bool has(std::uint32_t t, std::uint32_t p) const {
        const std::uint32_t* c = m_corner + 3 * std::size_t{t};
        return c[0] == p || c[1] == p || c[2] == p;
    }
    [[nodiscard]] static int cornerOf(const std::uint32_t* c, std::uint32_t p) {
        return c[0] == p ? 0 : c[1] == p ? 1 : 2;
    }
    [[nodiscard]] double* attributesOf(std::uint32_t wedge) const { return m_attributes + wedge * m_stride; }

    void fillLists();
    void groupWedges(std::uint32_t a, std::uint32_t b);
    void sumAttributes(std::uint32_t group);
    [[nodiscard]] double weigh(std::uint32_t a, std::uint32_t b, Vec3d& place);
    /// How much dearer a collapse is that leaves more than six edges at a point: such points come with long triangles.
    [[nodiscard]] double crowding(std::uint32_t triangles) const {
        const double beyond = std::max(0.0, static_cast<double>(triangles) - 10);
        return 1 + m_options.valenceWeight * beyond * beyond;
    }
    [[nodiscard]] double unevenness(std::uint32_t a, std::uint32_t b, const Vec3d& place) const;
    void neighboursOf(std::uint32_t p);
    void rescan(std::uint32_t p, std::uint64_t from);
    void push(std::uint32_t p);
    [[nodiscard]] bool allowed(std::uint32_t a, std::uint32_t b, const Vec3d& place);
    [[nodiscard]] bool facesHold(std::uint32_t p, std::uint32_t other, const Vec3d& place) const;
    [[nodiscard]] Vec3d keepVolume(std::uint32_t a, std::uint32_t b, const Vec3d& place) const;
    [[nodiscard]] bool wedgesMayJoin() const;
    [[nodiscard]] Vec3f normalAt(std::uint32_t group, const Vec3d& place) const;
    void prepareNormals(const Vec3d& place);
    void collapse(std::uint32_t a, std::uint32_t b, const Vec3d& place);
    void makeNode(std::uint32_t group, std::uint32_t point, const Vec3d& place);
    void compactLists();

    Surface& m_s;
    RegionScratch& m_x;
    RegionLog& m_log;
    const ReduceOptions& m_options;
    SurfacePoint* m_points;
    std::uint8_t* m_flags;
    std::uint32_t* m_corner;
    std::uint32_t* m_cornerWedge;
    const std::uint32_t* m_source;
    std::uint32_t m_firstPoint;
    std::uint32_t m_firstWedge;
    std::uint32_t m_count;
    std::uint32_t m_triangles;
    std::size_t m_stride;
    std::uint32_t* m_node; ///< a wedge each
    double* m_attributes = nullptr;
    Vec3f* m_normal = nullptr;
    Vec2f* m_uv = nullptr;
    Vec4f* m_color = nullptr;
    std::uint32_t m_markNow = 0;
};

void Collapser::fillLists() {
    m_x.reset(m_count, m_triangles);
    for (std::size_t c = 0; c < std::size_t{3} * m_triangles; ++c)
        ++m_x.listSize[m_corner[c]];
    std::uint32_t at = 0;
    for (std::uint32_t p = 0; p < m_count; ++p) {
        m_x.listStart[p] = at;
        at += m_x.listSize[p];
        m_x.listSize[p] = 0;
    }
    m_x.list.resize(at);
    for (std::uint32_t t = 0; t < m_triangles; ++t)
        for (std::size_t k = 0; k < 3; ++k) {
            const std::uint32_t p = m_corner[3 * std::size_t{t} + k];
            m_x.list[m_x.listStart[p] + m_x.listSize[p]++] = t;
            std::uint32_t& sole = m_x.soleWedge[p];
            const std::uint32_t wedge = m_cornerWedge[3 * std::size_t{t} + k];
            sole = sole == RegionScratch::kUnseen || sole == wedge ? wedge : kNone;
        }
}

/// Which wedges become one when a and b do.
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

/// Into m_x.sum: the attribute quadrics of a group's wedges together.
void Collapser::sumAttributes(std::uint32_t group) {
    const WedgeGroups& groups = m_x.groups;
    std::copy_n(attributesOf(groups.wedge[group]), m_stride, m_x.sum.begin());
    for (std::uint32_t i = group + 1; i < groups.wedge.size(); ++i)
        if (groups.find(i) == group)
            AttributeSpan{m_x.sum.data(), m_s.attributes}.add(attributesOf(groups.wedge[i]));
}

/// What it costs to make a and b one point, and where that would stand.
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
    const double weight = std::max(q.weight, 1e-30);
    const double e = m_options.areaExponent;
    const double divisor = e == 0.5 ? std::sqrt(weight) : e == 0 ? 1 : e == 1 ? weight : std::pow(weight, e);
    // Where nothing is lost the short edges go first, so flat regions do not grow slivers.
    return (std::max(value, 0.0) + 1e-11 * squaredLength * weight) / divisor;
}

/// How much dearer a collapse is whose new point would have one edge much longer than the others: the middle of a large
/// triangle is where a rounded surface is off most, and no point's quadric knows of it.
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

/// Into m_x.neighbours: the points joined to p by an edge.
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

/// Finds p's cheapest own edge whose (cost, other end) is at least `from`.
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

/// The normal of the node a group of wedges would become.
Vec3f Collapser::normalAt(std::uint32_t group, const Vec3d& place) const {
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

/// Triangles round p that stay must neither turn over, nor away from their corners' normals, nor become slivers.
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

/// The place moved so that the collapse neither adds nor takes volume, as far as the quadrics let it: fitted to the
/// planes alone a rounded surface shrinks with every collapse. SOURCE Lindstrom & Turk 1998, there a hard constraint.
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
    return place + kVolumeShare * share * shift;
}

/// Wedges of one point may join (a hard edge or a seam ends there) only where the texture is the same on both.
bool Collapser::wedgesMayJoin() const {
    if (m_uv == nullptr)
        return true;
    const WedgeGroups& groups = m_x.groups;
    for (std::uint32_t i = 0; i < groups.wedge.size(); ++i)
        for (std::uint32_t j = i + 1; j < groups.wedge.size(); ++j)
            if (groups.point[i] == groups.point[j] && groups.find(i) == groups.find(j) &&
                (m_uv[groups.wedge[i]] - m_uv[groups.wedge[j]]).cwiseAbs().maxCoeff() > 1e-4F)
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
    if (m_normal != nullptr)
        prepareNormals(place);
    return wedgesMayJoin() && facesHold(a, b, place) && facesHold(b, a, place);
}

/// Gives the group's first wedge the merged quadrics and the attributes of a new node, and logs that node.
void Collapser::makeNode(std::uint32_t group, std::uint32_t point, const Vec3d& place) {
    const WedgeGroups& groups = m_x.groups;
    const std::uint32_t wedge = groups.wedge[group];
    if (m_s.attributes > 0) {
        sumAttributes(group);
        std::copy_n(m_x.sum.begin(), m_stride, attributesOf(wedge));
    }
    const AttributeSpan span{m_x.sum.data(), m_s.attributes};
    const bool solved = m_s.attributes > 0 && span.weight() > 0;
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
    if (m_x.list.size() + m_x.listSize[a] + m_x.listSize[b] > m_x.listLimit)
        compactLists();
    const auto start = static_cast<std::uint32_t>(m_x.list.size());
    for (const std::uint32_t p : {a, b})
        for (std::uint32_t i = 0; i < m_x.listSize[p]; ++i) {
            const std::uint32_t t = m_x.list[m_x.listStart[p] + i];
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
                    std::uint32_t* run = m_x.list.data() + m_x.listStart[tip];
                    std::uint32_t* end = run + m_x.listSize[tip];
                    std::uint32_t* at = std::find(run, end, t);
                    std::copy(at + 1, end, at);
                    --m_x.listSize[tip];
                }
            }
        }
    // Marked as gone only now: b's list still told a's triangles apart by their corners.
    for (std::uint32_t i = 0; i < m_x.listSize[b]; ++i)
        if (std::uint32_t* c = m_corner + 3 * std::size_t{m_x.list[m_x.listStart[b] + i]};
            c[0] == a || c[1] == a || c[2] == a)
            c[0] = c[1] = c[2] = kNone;
    m_x.listStart[a] = start;
    m_x.listSize[a] = static_cast<std::uint32_t>(m_x.list.size()) - start;
    m_x.listSize[b] = 0;
    SurfacePoint& point = m_points[a];
    point.quadric.add(m_points[b].quadric);
    const double shape = std::max(point.quadric.at(place), 0.0) / std::max(point.quadric.weight, 1e-30);
    point.place = place;
    m_flags[a] |= m_flags[b];
    m_flags[b] |= Surface::kGone;
    m_x.stamp[a] = m_log.collapses() + 1;

    // One new node for each group of wedges that a triangle still uses.
    std::uint32_t sole = kNone;
    bool many = false;
    m_x.made.assign(groups.wedge.size(), 0);
    for (std::uint32_t i = 0; i < m_x.listSize[a]; ++i) {
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
    m_x.soleWedge[a] = many ? kNone : sole;
    m_log.error.push_back(static_cast<float>(std::sqrt(shape)));
    m_log.nodesUpTo.push_back(m_log.nodes());
    m_log.deathsUpTo.push_back(static_cast<std::uint32_t>(m_log.deadTriangle.size()));
}

/// Merged runs are appended and leave holes; when the array is full the living runs move together.
void Collapser::compactLists() {
    m_x.spare.clear();
    for (std::uint32_t p = 0; p < m_count; ++p) {
        if (!living(p))
            continue;
        const auto begin = m_x.list.begin() + m_x.listStart[p];
        m_x.listStart[p] = static_cast<std::uint32_t>(m_x.spare.size());
        m_x.spare.insert(m_x.spare.end(), begin, begin + m_x.listSize[p]);
    }
    m_x.list.swap(m_x.spare);
}

void Collapser::run(float mostCost, std::uint32_t mostCollapses, const JobContext& job) {
    fillLists();
    for (std::uint32_t p = 0; p < m_count; ++p) {
        if (p % 1024 == 0 && job.cancelled())
            return;
        if (living(p) && free(p)) {
            rescan(p, 0);
            m_x.parked[p] = m_x.target[p] == kNone;
            if (m_x.target[p] != kNone)
                m_x.keys.push_back(std::uint64_t{m_x.costBits[p]} << 32 | p);
        }
    }
    m_x.queue = RegionScratch::Queue(std::greater<>{}, std::move(m_x.keys));
    m_x.keys = {};

    const std::uint32_t mostBits = std::bit_cast<std::uint32_t>(mostCost);
    const bool toTheEnd = !(mostCost < HUGE_VALF);
    std::uint32_t beforeRetry = 0;
    std::uint32_t steps = 0;
    float cost = 0;
    while (m_log.collapses() < mostCollapses) {
        if (m_x.queue.empty()) {
            // Refusals may have been lifted by changes farther away: try what is left once more, until nothing moves.
            if (!toTheEnd || m_log.collapses() == beforeRetry)
                break;
            beforeRetry = m_log.collapses();
            for (std::uint32_t p = 0; p < m_count; ++p) {
                if (p % 1024 == 0 && job.cancelled())
                    return;
                if (living(p) && free(p)) {
                    rescan(p, 0);
                    push(p);
                }
            }
            if (m_x.queue.empty())
                break;
        }
        const std::uint64_t key = m_x.queue.top();
        const auto bits = static_cast<std::uint32_t>(key >> 32);
        if (bits > mostBits)
            break;
        m_x.queue.pop();
        if (++steps % 1024 == 0 && job.cancelled())
            return;
        const auto p = static_cast<std::uint32_t>(key);
        if (!living(p) || m_x.target[p] == kNone || m_x.costBits[p] != bits)
            continue;
        const std::uint32_t q = m_x.target[p];
        if (!living(q) || !owns(p, q)) {
            rescan(p, 0);
            push(p);
            continue;
        }
        // Too dear to see to for every edge that is weighed: once an edge's turn has come it may have to wait again.
        if (m_x.weighedBits[p] == RegionScratch::kUnseen) {
            m_x.weighedBits[p] = bits;
            const auto dearer = static_cast<float>(std::bit_cast<float>(bits) * unevenness(p, q, m_x.bestPlace[p]));
            if (const auto later = std::bit_cast<std::uint32_t>(dearer); later > bits) {
                m_x.costBits[p] = later;
                m_x.queue.push(std::uint64_t{later} << 32 | p);
                continue;
            }
        }
        const Vec3d place = keepVolume(p, q, m_x.bestPlace[p]);
        if (!allowed(p, q, place)) {
            rescan(p, (std::uint64_t{m_x.weighedBits[p]} << 32 | q) + 1);
            push(p);
            continue;
        }
        cost = std::max(cost, std::bit_cast<float>(bits));
        collapse(p, q, place);
        m_log.cost.push_back(cost);
        m_x.target[q] = kNone;
        m_x.target[p] = kNone;
        if (!living(p)) {
            m_flags[p] |= Surface::kGone;
            continue;
        }
        rescan(p, 0);
        push(p);
        m_x.around.swap(m_x.neighbours); // p's, from the scan
        for (const std::uint32_t n : m_x.around)
            if (m_x.parked[n] != 0 && free(n)) {
                rescan(n, 0);
                push(n);
            }
    }
}

} // namespace

void RegionLog::clear() {
    *this = {};
}

void collapseRegion(Surface& surface, const Region& region, const ReduceOptions& options, float mostCost,
                    std::uint32_t mostCollapses, const JobContext& job, RegionScratch& scratch, RegionLog& log) {
    log.clear();
    Collapser(surface, region, options, scratch, log).run(mostCost, mostCollapses, job);
}

} // namespace thicket::reduce
