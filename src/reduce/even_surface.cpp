#include "reduce/even_surface.h"

#include "base/parallel.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <numbers>

namespace thicket::reduce {

namespace {
constexpr double kLeastTurn = 0.2; // cosine that a triangle may turn by in one step
} // namespace

EvenSurface::EvenSurface(const Mesh& start, double creaseDegrees) {
    const Weld weld = weldPositions(start);
    m_points.resize(weld.pointCount);
    m_around.resize(weld.pointCount);
    for (std::uint32_t v = 0; v < start.vertexCount(); ++v)
        m_points[weld.pointOf[v]] = start.positions[v].cast<double>();
    struct Use {
        std::uint32_t triangle;
        std::uint32_t low; ///< vertex at the smaller point
        std::uint32_t high;
        bool rising;
    };
    std::map<std::uint64_t, std::vector<Use>> uses;
    for (const MeshPart& part : start.parts)
        for (std::uint32_t t = part.firstTriangle; t < part.firstTriangle + part.triangleCount; ++t) {
            const std::uint32_t* c = &start.indices[3 * std::size_t{t}];
            const Triangle own{weld.pointOf[c[0]], weld.pointOf[c[1]], weld.pointOf[c[2]]};
            if (own[0] == own[1] || own[1] == own[2] || own[0] == own[2])
                continue;
            const auto id = static_cast<std::uint32_t>(m_triangles.size());
            m_triangles.push_back(own);
            m_material.push_back(part.material);
            for (std::size_t k = 0; k < 3; ++k) {
                m_around[own[k]].push_back(id);
                const std::size_t n = (k + 1) % 3;
                const bool rising = own[k] < own[n];
                uses[key(own[k], own[n])].push_back({id, rising ? c[k] : c[n], rising ? c[n] : c[k], rising});
            }
        }
    const double sharp = std::cos(creaseDegrees * std::numbers::pi / 180);
    for (const auto& [edge, use] : uses) {
        bool line = use.size() != 2 || use[0].rising == use[1].rising;
        if (!line) {
            const Vec3d a = cross(m_triangles[use[0].triangle]);
            const Vec3d b = cross(m_triangles[use[1].triangle]);
            line = use[0].low != use[1].low || use[0].high != use[1].high ||
                   m_material[use[0].triangle] != m_material[use[1].triangle] ||
                   (a.dot(b) < sharp * a.norm() * b.norm() && !splinter(use[0].triangle) && !splinter(use[1].triangle));
        }
        if (line)
            m_features.insert(edge);
    }
}

/// A triangle with one corner almost on the opposite side. The least move of that corner turns it over, so which way it
/// faces says nothing about the surface.
bool EvenSurface::splinter(std::uint32_t t) const {
    constexpr double kFlat = -0.9; // cosine of its widest angle
    const Triangle& c = m_triangles[t];
    for (std::size_t k = 0; k < 3; ++k) {
        const Vec3d u = m_points[c[(k + 1) % 3]] - m_points[c[k]];
        const Vec3d v = m_points[c[(k + 2) % 3]] - m_points[c[k]];
        if (u.dot(v) < kFlat * u.norm() * v.norm())
            return true;
    }
    return false;
}

Vec3d EvenSurface::cross(const Triangle& t) const {
    return (m_points[t[1]] - m_points[t[0]]).cross(m_points[t[2]] - m_points[t[0]]);
}

double EvenSurface::area() const {
    double sum = 0;
    for (const Triangle& t : m_triangles)
        sum += cross(t).norm() / 2;
    return sum;
}

double EvenSurface::freeShare() const {
    std::size_t count = 0;
    std::size_t free = 0;
    for (std::uint32_t p = 0; p < m_points.size(); ++p)
        if (!m_around[p].empty()) {
            ++count;
            free += kindOf(p) == Kind::Free ? 1 : 0;
        }
    return count > 0 ? static_cast<double>(free) / static_cast<double>(count) : 0;
}

std::uint32_t EvenSurface::triangleCount() const {
    std::uint32_t count = 0;
    for (std::uint32_t t = 0; t < m_triangles.size(); ++t)
        count += alive(t) ? 1 : 0;
    return count;
}

EvenSurface::Kind EvenSurface::kindOf(std::uint32_t p, std::array<std::uint32_t, 2>* along) const {
    std::array<std::uint32_t, 3> ends{};
    std::size_t count = 0;
    for (const std::uint32_t t : m_around[p])
        for (const std::uint32_t q : m_triangles[t])
            if (q != p && count < 3 && feature(p, q) &&
                std::find(ends.begin(), ends.begin() + count, q) == ends.begin() + count)
                ends[count++] = q;
    if (along != nullptr)
        *along = {ends[0], ends[1]};
    return count == 0 ? Kind::Free : count == 2 ? Kind::Line : Kind::Corner;
}

void EvenSurface::neighboursOf(std::uint32_t p, std::vector<std::uint32_t>& out) const {
    out.clear();
    for (const std::uint32_t t : m_around[p])
        for (const std::uint32_t q : m_triangles[t])
            if (q != p)
                out.push_back(q);
    std::sort(out.begin(), out.end());
    out.erase(std::unique(out.begin(), out.end()), out.end());
}

void EvenSurface::trianglesOf(std::uint32_t a, std::uint32_t b, std::vector<std::uint32_t>& out) const {
    out.clear();
    for (const std::uint32_t t : m_around[a])
        if (std::find(m_triangles[t].begin(), m_triangles[t].end(), b) != m_triangles[t].end())
            out.push_back(t);
}

/// Whether no triangle round `p` turns over or vanishes when it moves; those with `except` are not looked at.
bool EvenSurface::holds(std::uint32_t p, std::uint32_t except, const Vec3d& place) const {
    for (const std::uint32_t t : m_around[p]) {
        const Triangle& c = m_triangles[t];
        if (std::find(c.begin(), c.end(), except) != c.end())
            continue;
        const auto k = static_cast<std::size_t>(std::find(c.begin(), c.end(), p) - c.begin());
        const Vec3d& x = m_points[c[(k + 1) % 3]];
        const Vec3d& y = m_points[c[(k + 2) % 3]];
        const Vec3d before = (x - m_points[p]).cross(y - m_points[p]);
        const Vec3d after = (x - place).cross(y - place);
        const double longest = std::max({(x - y).squaredNorm(), (x - place).squaredNorm(), (y - place).squaredNorm()});
        if (after.norm() < 1e-2 * longest && after.norm() < before.norm())
            return false;
        if (before.dot(after) < kLeastTurn * before.norm() * after.norm())
            return false;
    }
    return true;
}

std::vector<std::uint64_t> EvenSurface::edges() const {
    std::vector<std::uint64_t> out;
    for (std::uint32_t t = 0; t < m_triangles.size(); ++t)
        if (alive(t))
            for (std::size_t k = 0; k < 3; ++k)
                out.push_back(key(m_triangles[t][k], m_triangles[t][(k + 1) % 3]));
    std::sort(out.begin(), out.end());
    out.erase(std::unique(out.begin(), out.end()), out.end());
    return out;
}

void EvenSurface::dropFrom(std::uint32_t p, std::uint32_t t) {
    std::vector<std::uint32_t>& list = m_around[p];
    list.erase(std::find(list.begin(), list.end(), t));
}

void EvenSurface::splitEdge(std::uint32_t a, std::uint32_t b, const SurfaceQuery& source) {
    std::vector<std::uint32_t> both;
    trianglesOf(a, b, both);
    const auto middle = static_cast<std::uint32_t>(m_points.size());
    const bool line = feature(a, b);
    Vec3d place = (m_points[a] + m_points[b]) / 2;
    if (!line)
        place = source.closest(place).point;
    m_points.push_back(place);
    m_around.emplace_back();
    for (const std::uint32_t t : both) {
        Triangle second = m_triangles[t];
        std::replace(m_triangles[t].begin(), m_triangles[t].end(), b, middle);
        std::replace(second.begin(), second.end(), a, middle);
        const auto id = static_cast<std::uint32_t>(m_triangles.size());
        m_triangles.push_back(second);
        m_material.push_back(m_material[t]);
        dropFrom(b, t);
        m_around[middle].push_back(t);
        for (const std::uint32_t p : second)
            m_around[p].push_back(id);
    }
    if (line) {
        m_features.erase(key(a, b));
        m_features.insert(key(a, middle));
        m_features.insert(key(middle, b));
    }
}

void EvenSurface::split(double longest, const SurfaceQuery& source) {
    forget();
    for (const std::uint64_t edge : edges()) {
        const auto a = static_cast<std::uint32_t>(edge >> 32);
        const auto b = static_cast<std::uint32_t>(edge);
        if ((m_points[a] - m_points[b]).norm() > longest)
            splitEdge(a, b, source);
    }
}

bool EvenSurface::collapseEdge(std::uint32_t a, std::uint32_t b, double longest) {
    // `a` goes, `b` stays.
    Kind kindA = kindOf(a);
    Kind kindB = kindOf(b);
    const auto freer = [](Kind x, Kind y) { return static_cast<int>(x) < static_cast<int>(y); };
    if (freer(kindB, kindA)) {
        std::swap(a, b);
        std::swap(kindA, kindB);
    }
    if (kindA == Kind::Corner || (kindA == Kind::Line && !feature(a, b)))
        return false;
    const Vec3d place = kindA == kindB ? Vec3d((m_points[a] + m_points[b]) / 2) : m_points[b];
    std::vector<std::uint32_t> both;
    trianglesOf(a, b, both);
    if (both.size() > 2)
        return false;
    // Link condition: only the tips of the edge's triangles are joined to both ends.
    std::vector<std::uint32_t> nearA;
    std::vector<std::uint32_t> nearB;
    neighboursOf(a, nearA);
    neighboursOf(b, nearB);
    m_tips.clear();
    std::set_intersection(nearA.begin(), nearA.end(), nearB.begin(), nearB.end(), std::back_inserter(m_tips));
    if (m_tips.size() != both.size() || m_around[a].size() + m_around[b].size() <= 2 * both.size() + 2)
        return false;
    for (const std::uint32_t q : nearA)
        if (q != b && (m_points[q] - place).norm() > longest)
            return false;
    for (const std::uint32_t q : nearB)
        if (q != a && (m_points[q] - place).norm() > longest)
            return false;
    if (!holds(a, b, place) || !holds(b, a, place))
        return false;
    // Lines between a tip and the ends would fall on one another.
    for (const std::uint32_t tip : m_tips)
        if (feature(a, tip) && feature(b, tip))
            return false;
    for (const std::uint32_t t : both) {
        for (const std::uint32_t p : m_triangles[t])
            if (p != a)
                dropFrom(p, t);
        m_triangles[t] = {0, 0, 0};
    }
    for (const std::uint32_t q : nearA) {
        const bool line = m_features.erase(key(a, q)) > 0;
        if (line && q != b)
            m_features.insert(key(b, q));
    }
    for (const std::uint32_t t : m_around[a])
        if (alive(t)) {
            std::replace(m_triangles[t].begin(), m_triangles[t].end(), a, b);
            m_around[b].push_back(t);
        }
    m_around[a].clear();
    m_points[b] = place;
    return true;
}

void EvenSurface::collapse(double shortest, double longest) {
    forget();
    std::vector<std::pair<double, std::uint64_t>> order;
    for (const std::uint64_t edge : edges())
        if (const double l = (m_points[edge >> 32] - m_points[edge & 0xFFFFFFFFU]).norm(); l < shortest)
            order.emplace_back(l, edge);
    std::sort(order.begin(), order.end());
    for (const auto& [l, edge] : order) {
        const auto a = static_cast<std::uint32_t>(edge >> 32);
        const auto b = static_cast<std::uint32_t>(edge);
        trianglesOf(a, b, m_tips);
        if (!m_tips.empty() && (m_points[a] - m_points[b]).norm() < shortest)
            collapseEdge(a, b, longest);
    }
}

std::uint32_t EvenSurface::tipOf(std::uint32_t t, std::uint32_t a, std::uint32_t b) const {
    for (const std::uint32_t p : m_triangles[t])
        if (p != a && p != b)
            return p;
    return a;
}

/// Whether the two triangles of an edge, with tips c and d, can have the edge c-d in its place.
bool EvenSurface::mayTurn(std::uint32_t first, std::uint32_t second, std::uint32_t c, std::uint32_t d,
                          double leastShape, double leastCosine) const {
    const Triangle& own = m_triangles[first];
    const auto at = static_cast<std::size_t>(std::find(own.begin(), own.end(), c) - own.begin());
    const Triangle one{c, own[(at + 1) % 3], d};
    const Triangle two{c, d, own[(at + 2) % 3]};
    const Vec3d before = cross(own) + cross(m_triangles[second]);
    const auto fine = [&](const Triangle& t) {
        const Vec3d n = cross(t);
        const double longest =
            std::max({(m_points[t[0]] - m_points[t[1]]).squaredNorm(), (m_points[t[1]] - m_points[t[2]]).squaredNorm(),
                      (m_points[t[2]] - m_points[t[0]]).squaredNorm()});
        return n.norm() >= leastShape * longest && n.dot(before) >= leastCosine * n.norm() * before.norm();
    };
    return fine(one) && fine(two);
}

void EvenSurface::turn(std::uint32_t first, std::uint32_t second, std::uint32_t c, std::uint32_t d) {
    // The first triangle runs from one end of the edge to the other; the new ones keep that way round.
    const Triangle own = m_triangles[first];
    const auto at = static_cast<std::size_t>(std::find(own.begin(), own.end(), c) - own.begin());
    const std::uint32_t x = own[(at + 1) % 3];
    const std::uint32_t y = own[(at + 2) % 3];
    m_triangles[first] = {c, x, d};
    m_triangles[second] = {c, d, y};
    dropFrom(y, first);
    dropFrom(x, second);
    m_around[d].push_back(first);
    m_around[c].push_back(second);
}

/// Whether the middle of c-d is about as near to the source as that of a-b.
bool EvenSurface::noFarther(const SurfaceQuery& source, std::uint32_t a, std::uint32_t b, std::uint32_t c,
                            std::uint32_t d) const {
    constexpr double kSlack = 1.3;
    const ClosestPoint now = source.closest((m_points[a] + m_points[b]) / 2);
    return source.closest((m_points[c] + m_points[d]) / 2, now.triangle).distance <= kSlack * now.distance;
}

std::optional<EvenSurface::Diagonal> EvenSurface::otherDiagonal(std::uint32_t a, std::uint32_t b,
                                                                std::vector<std::uint32_t>& scratch) const {
    if (feature(a, b))
        return std::nullopt;
    trianglesOf(a, b, scratch);
    if (scratch.size() != 2)
        return std::nullopt;
    const Diagonal out{scratch[0], scratch[1], tipOf(scratch[0], a, b), tipOf(scratch[1], a, b)};
    trianglesOf(out.c, out.d, scratch);
    if (out.c == out.d || !scratch.empty())
        return std::nullopt;
    return out;
}

void EvenSurface::flip(const SurfaceQuery* source) {
    forget();
    const auto wanted = [this](std::uint32_t p) { return kindOf(p) == Kind::Free ? 6 : 4; };
    for (const std::uint64_t edge : edges()) {
        const auto a = static_cast<std::uint32_t>(edge >> 32);
        const auto b = static_cast<std::uint32_t>(edge);
        const auto other = otherDiagonal(a, b, m_tips);
        if (!other)
            continue;
        const auto& [first, second, c, d] = *other;
        const auto off = [this, &wanted](std::uint32_t p, int change) {
            const int by = static_cast<int>(m_around[p].size()) + change - wanted(p);
            return by * by;
        };
        if (off(a, -1) + off(b, -1) + off(c, 1) + off(d, 1) < off(a, 0) + off(b, 0) + off(c, 0) + off(d, 0) &&
            mayTurn(first, second, c, d, 0.05, 0.7) && (source == nullptr || noFarther(*source, a, b, c, d)))
            turn(first, second, c, d);
    }
}

void EvenSurface::relax(const SurfaceQuery& source) {
    forget();
    std::vector<Vec3d> place = m_points;
    parallelChunks(m_points.size(), 512, [&](std::size_t begin, std::size_t end) {
        std::uint32_t hint = 0;
        for (auto p = static_cast<std::uint32_t>(begin); p < end; ++p) {
            if (m_around[p].empty())
                continue;
            std::array<std::uint32_t, 2> along{};
            const Kind kind = kindOf(p, &along);
            if (kind == Kind::Corner)
                continue;
            if (kind == Kind::Line) {
                // To the middle of its neighbours, but never off the line.
                const Vec3d& a = m_points[along[0]];
                const Vec3d& b = m_points[along[1]];
                const double before = (m_points[p] - a).norm();
                const double after = (m_points[p] - b).norm();
                const double shift = (after - before) / 4;
                const Vec3d& towards = shift > 0 ? b : a;
                const double way = shift > 0 ? after : before;
                if (way > 0)
                    place[p] = m_points[p] + (towards - m_points[p]) * (std::abs(shift) / way);
                // A bend of the line is kept by keeping to its chord only where that is nearly straight.
                const Vec3d u = (m_points[p] - a).normalized();
                const Vec3d v = (b - m_points[p]).normalized();
                if (u.dot(v) < 0.985)
                    place[p] = m_points[p];
                continue;
            }
            Vec3d sum(0, 0, 0);
            Vec3d normal(0, 0, 0);
            double weight = 0;
            for (const std::uint32_t t : m_around[p]) {
                const Triangle& c = m_triangles[t];
                const Vec3d n = cross(c);
                const double area = n.norm();
                sum += area * (m_points[c[0]] + m_points[c[1]] + m_points[c[2]]) / 3;
                normal += n;
                weight += area;
            }
            if (!(weight > 0) || !(normal.squaredNorm() > 0))
                continue;
            normal.normalize();
            const Vec3d way = sum / weight - m_points[p];
            const ClosestPoint onSource = source.closest(m_points[p] + way - normal * normal.dot(way), hint);
            hint = onSource.triangle;
            place[p] = onSource.point;
        }
    });
    for (std::uint32_t p = 0; p < m_points.size(); ++p)
        if (place[p] != m_points[p] && holds(p, 0xFFFFFFFFU, place[p]))
            m_points[p] = place[p];
}

} // namespace thicket::reduce
