#include "terrain/greedy_mesh.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>
#include <queue>

namespace thicket {
namespace {

constexpr std::uint32_t kNone = ~std::uint32_t{0};

struct GreedyPoint {
    std::int64_t x = 0;
    std::int64_t y = 0;
};

/// Twice the area of a triangle, above 0 where it faces up (columns run east, rows south).
std::int64_t areaOf(GreedyPoint a, GreedyPoint b, GreedyPoint c) {
    return (b.y - a.y) * (c.x - a.x) - (b.x - a.x) * (c.y - a.y);
}

/// Whether d lies within the circle through a, b, c, which face up. Exact up to 16,384 a side.
bool inCircle(GreedyPoint a, GreedyPoint b, GreedyPoint c, GreedyPoint d) {
    const auto from = [d](GreedyPoint p) { return GreedyPoint{p.x - d.x, p.y - d.y}; };
    const GreedyPoint p = from(a);
    const GreedyPoint q = from(b);
    const GreedyPoint r = from(c);
    const auto square = [](GreedyPoint v) { return v.x * v.x + v.y * v.y; };
    const std::int64_t det =
        square(p) * (q.x * r.y - q.y * r.x) - square(q) * (p.x * r.y - p.y * r.x) + square(r) * (p.x * q.y - p.y * q.x);
    return det < 0;
}

class Triangulation {
public:
    explicit Triangulation(const Heights& heights) : m_heights(heights) {
        const std::int64_t x = heights.columns - 1;
        const std::int64_t y = heights.rows - 1;
        m_points = {{0, 0}, {x, 0}, {0, y}, {x, y}};
        m_corners.assign(6, 0);
        m_opposite.assign(6, kNone);
        m_worst.resize(2);
        set(0, 0, 2, 1);
        set(1, 3, 1, 2);
        link(1, 4); // from the south-west to the north-east, and back
        touch(0);
        touch(1);
        rescan();
    }

    [[nodiscard]] std::size_t triangles() const { return m_corners.size() / 3; }
    [[nodiscard]] const std::vector<GreedyPoint>& points() const { return m_points; }
    [[nodiscard]] std::uint32_t corner(std::size_t t, std::size_t k) const { return m_corners[3 * t + k]; }

    /// How far the worst height is off, metres.
    [[nodiscard]] float worst() {
        while (!m_queue.empty() && m_queue.top().version != m_worst[m_queue.top().triangle].version)
            m_queue.pop();
        return m_queue.empty() ? 0 : m_queue.top().off;
    }

    /// Puts in the worst height.
    /// REQUIRES   worst() > 0.
    void insertWorst() {
        const std::uint32_t t = m_queue.top().triangle;
        const GreedyPoint p = m_worst[t].at;
        const auto number = static_cast<std::uint32_t>(m_points.size());
        m_points.push_back(p);
        for (std::uint32_t k = 0; k < 3; ++k)
            if (areaOf(m_points[m_corners[3 * t + k]], m_points[m_corners[3 * t + (k + 1) % 3]], p) == 0) {
                splitEdge(3 * t + k, number);
                rescan();
                return;
            }
        splitTriangle(t, number);
        rescan();
    }

private:
    struct Worst {
        GreedyPoint at;
        std::uint32_t version = 0;
    };
    struct Entry {
        float off = 0;
        std::uint32_t triangle = 0;
        std::uint32_t version = 0;
        /// The same order whatever the queue does with equals.
        bool operator<(const Entry& o) const { return off != o.off ? off < o.off : triangle > o.triangle; }
    };

    static std::uint32_t next(std::uint32_t e) { return e % 3 == 2 ? e - 2 : e + 1; }
    static std::uint32_t before(std::uint32_t e) { return e % 3 == 0 ? e + 2 : e - 1; }

    void set(std::uint32_t t, std::uint32_t a, std::uint32_t b, std::uint32_t c) {
        m_corners[3 * t] = a;
        m_corners[3 * t + 1] = b;
        m_corners[3 * t + 2] = c;
    }
    void link(std::uint32_t e, std::uint32_t o) {
        m_opposite[e] = o;
        if (o != kNone)
            m_opposite[o] = e;
    }
    std::uint32_t add() {
        const auto t = static_cast<std::uint32_t>(triangles());
        m_corners.resize(m_corners.size() + 3);
        m_opposite.resize(m_opposite.size() + 3, kNone);
        m_worst.emplace_back();
        return t;
    }
    void touch(std::uint32_t t) {
        ++m_worst[t].version;
        m_touched.push_back(t);
    }

    void splitTriangle(std::uint32_t t, std::uint32_t p) {
        const std::uint32_t a = m_corners[3 * t];
        const std::uint32_t b = m_corners[3 * t + 1];
        const std::uint32_t c = m_corners[3 * t + 2];
        const std::uint32_t ab = m_opposite[3 * t];
        const std::uint32_t bc = m_opposite[3 * t + 1];
        const std::uint32_t ca = m_opposite[3 * t + 2];
        const std::uint32_t u = add();
        const std::uint32_t v = add();
        set(t, a, b, p);
        set(u, b, c, p);
        set(v, c, a, p);
        link(3 * t, ab);
        link(3 * u, bc);
        link(3 * v, ca);
        link(3 * t + 1, 3 * u + 2);
        link(3 * u + 1, 3 * v + 2);
        link(3 * v + 1, 3 * t + 2);
        for (const std::uint32_t made : {t, u, v})
            touch(made);
        for (const std::uint32_t made : {t, u, v})
            mend(3 * made);
    }

    /// `e` runs from a to b, and p lies on it.
    void splitEdge(std::uint32_t e, std::uint32_t p) {
        const std::uint32_t t = e / 3;
        const std::uint32_t a = m_corners[e];
        const std::uint32_t b = m_corners[next(e)];
        const std::uint32_t c = m_corners[before(e)];
        const std::uint32_t bc = m_opposite[next(e)];
        const std::uint32_t ca = m_opposite[before(e)];
        const std::uint32_t g = m_opposite[e];
        const std::uint32_t t1 = add();
        set(t, a, p, c);
        set(t1, p, b, c);
        link(3 * t + 2, ca);
        link(3 * t1 + 1, bc);
        link(3 * t + 1, 3 * t1 + 2);
        m_opposite[3 * t] = m_opposite[3 * t1] = kNone;
        touch(t);
        touch(t1);
        if (g == kNone) {
            mend(3 * t + 2);
            mend(3 * t1 + 1);
            return;
        }
        const std::uint32_t u = g / 3;
        const std::uint32_t d = m_corners[before(g)];
        const std::uint32_t ad = m_opposite[next(g)];
        const std::uint32_t db = m_opposite[before(g)];
        const std::uint32_t u1 = add();
        set(u, b, p, d);
        set(u1, p, a, d);
        link(3 * u + 2, db);
        link(3 * u1 + 1, ad);
        link(3 * u + 1, 3 * u1 + 2);
        link(3 * t, 3 * u1);
        link(3 * t1, 3 * u);
        touch(u);
        touch(u1);
        mend(3 * t + 2);
        mend(3 * t1 + 1);
        mend(3 * u + 2);
        mend(3 * u1 + 1);
    }

    /// Turns an edge, and those that this brings up, until no circle holds a point. The new point is opposite of it.
    void mend(std::uint32_t e) {
        const std::uint32_t g = m_opposite[e];
        if (g == kNone)
            return;
        const std::uint32_t a = m_corners[e];
        const std::uint32_t b = m_corners[next(e)];
        const std::uint32_t p = m_corners[before(e)];
        const std::uint32_t d = m_corners[before(g)];
        if (!inCircle(m_points[a], m_points[b], m_points[p], m_points[d]))
            return;
        const std::uint32_t t = e / 3;
        const std::uint32_t u = g / 3;
        const std::uint32_t bp = m_opposite[next(e)];
        const std::uint32_t pa = m_opposite[before(e)];
        const std::uint32_t ad = m_opposite[next(g)];
        const std::uint32_t db = m_opposite[before(g)];
        set(t, a, d, p);
        set(u, d, b, p);
        link(3 * t, ad);
        link(3 * t + 2, pa);
        link(3 * u, db);
        link(3 * u + 1, bp);
        link(3 * t + 1, 3 * u + 2);
        touch(t);
        touch(u);
        mend(3 * t);
        mend(3 * u);
    }

    /// Looks for the worst height of each triangle that has changed.
    void rescan() {
        std::sort(m_touched.begin(), m_touched.end());
        m_touched.erase(std::unique(m_touched.begin(), m_touched.end()), m_touched.end());
        for (const std::uint32_t t : m_touched)
            if (const float off = scan(t); off > 0)
                m_queue.push({off, t, m_worst[t].version});
        m_touched.clear();
    }

    float scan(std::uint32_t t) {
        const GreedyPoint a = m_points[m_corners[3 * t]];
        const GreedyPoint b = m_points[m_corners[3 * t + 1]];
        const GreedyPoint c = m_points[m_corners[3 * t + 2]];
        const double area = static_cast<double>(areaOf(a, b, c));
        const auto height = [&](GreedyPoint p) {
            return static_cast<double>(m_heights.at(static_cast<std::uint32_t>(p.x), static_cast<std::uint32_t>(p.y)));
        };
        const double ha = height(a);
        const double hu = height(b) - ha;
        const double hv = height(c) - ha;
        // The plane through the corners, by columns and rows.
        const double gx = (hv * static_cast<double>(b.y - a.y) - hu * static_cast<double>(c.y - a.y)) / area;
        const double gy = (hu * static_cast<double>(c.x - a.x) - hv * static_cast<double>(b.x - a.x)) / area;
        const std::array<GreedyPoint, 3> corners{a, b, c};
        float worst = 0;
        const std::int64_t top = std::min({a.y, b.y, c.y});
        const std::int64_t bottom = std::max({a.y, b.y, c.y});
        for (std::int64_t y = top; y <= bottom; ++y) {
            double from = 1e18;
            double to = -1e18;
            for (std::size_t k = 0; k < 3; ++k) {
                const GreedyPoint p = corners[k];
                const GreedyPoint q = corners[(k + 1) % 3];
                if (y < std::min(p.y, q.y) || y > std::max(p.y, q.y))
                    continue;
                if (p.y == q.y) {
                    from = std::min({from, static_cast<double>(p.x), static_cast<double>(q.x)});
                    to = std::max({to, static_cast<double>(p.x), static_cast<double>(q.x)});
                    continue;
                }
                const double x = static_cast<double>(p.x) + static_cast<double>(q.x - p.x) *
                                                                static_cast<double>(y - p.y) /
                                                                static_cast<double>(q.y - p.y);
                from = std::min(from, x);
                to = std::max(to, x);
            }
            const auto first = static_cast<std::int64_t>(std::ceil(from - 1e-9));
            const auto last = static_cast<std::int64_t>(std::floor(to + 1e-9));
            const float* row = m_heights.row(static_cast<std::uint32_t>(y));
            const auto at =
                static_cast<float>(ha + gx * static_cast<double>(first - a.x) + gy * static_cast<double>(y - a.y));
            const auto slope = static_cast<float>(gx);
            for (std::int64_t x = first; x <= last; ++x) {
                const float off = std::abs(row[x] - (at + slope * static_cast<float>(x - first)));
                if (off > worst && !(x == a.x && y == a.y) && !(x == b.x && y == b.y) && !(x == c.x && y == c.y)) {
                    worst = off;
                    m_worst[t].at = {x, y};
                }
            }
        }
        return worst;
    }

    const Heights& m_heights;
    std::vector<GreedyPoint> m_points;
    std::vector<std::uint32_t> m_corners;  ///< three a triangle
    std::vector<std::uint32_t> m_opposite; ///< by edge, which is named after the corner it begins at
    std::vector<Worst> m_worst;            ///< by triangle
    std::priority_queue<Entry> m_queue;
    std::vector<std::uint32_t> m_touched;
};

} // namespace

Result<Mesh> greedyMesh(const Heights& heights, double error, std::uint64_t most, const JobContext& job) {
    constexpr std::uint32_t kMostSide = 16384;
    if (heights.holes)
        return Error{ErrorCode::BadInput, "", "the ground has holes, which a mesh of few triangles cannot have",
                     "make the right-triangled one"};
    if (heights.columns > kMostSide || heights.rows > kMostSide)
        return Error{ErrorCode::BadInput, "", "the ground has more than 16,384 heights a side",
                     "make the right-triangled one"};
    Triangulation net(heights);
    const auto allowed = static_cast<float>(std::max(error, 0.0));
    const float first = std::max(net.worst(), 1e-6F);
    for (std::uint64_t step = 0; net.worst() > allowed; ++step) {
        if ((step & 255U) == 0) {
            if (job.cancelled())
                return cancelledError();
            // Errors fall by halves rather than by equal steps.
            job.report(
                std::clamp(std::log(first / net.worst()) / std::log(first / std::max(allowed, 1e-4F)), 0.0F, 1.0F),
                "Putting in points");
        }
        net.insertWorst();
        if (net.triangles() > most)
            return Error{ErrorCode::TooLarge, "", fmt::format("the mesh would have more than {} triangles", most),
                         "allow a larger error"};
    }
    Mesh out;
    for (const auto& [x, y] : net.points()) {
        const double east = heights.origin.x() + static_cast<double>(x) * heights.spacing;
        const double south = heights.origin.z() + static_cast<double>(y) * heights.spacing;
        out.positions.emplace_back(
            static_cast<float>(east),
            static_cast<float>(heights.origin.y() + static_cast<double>(heights.at(static_cast<std::uint32_t>(x),
                                                                                   static_cast<std::uint32_t>(y)))),
            static_cast<float>(south));
        out.normals.push_back(heights.normalAt(east, south).cast<float>());
    }
    for (std::size_t t = 0; t < net.triangles(); ++t)
        for (std::size_t k = 0; k < 3; ++k)
            out.indices.push_back(net.corner(t, k));
    out.parts = {{0, out.triangleCount(), 0}};
    return out;
}

} // namespace thicket
