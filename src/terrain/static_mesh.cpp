#include "terrain/static_mesh.h"

#include "base/parallel.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>

namespace thicket {
namespace {

constexpr float kAlways = 1e30F; // splits whatever is allowed

struct Point {
    std::uint32_t x = 0;
    std::uint32_t y = 0;
    bool operator==(const Point&) const = default;
};

/// Height of a triangle at columns and rows, as a plane; and the spans of its rows.
float triangleError(const Heights& h, Point a, Point b, Point c) {
    const auto clampTo = [&](Point p) { return Point{std::min(p.x, h.columns - 1), std::min(p.y, h.rows - 1)}; };
    a = clampTo(a);
    b = clampTo(b);
    c = clampTo(c);
    const double ux = static_cast<double>(b.x) - a.x;
    const double uy = static_cast<double>(b.y) - a.y;
    const double vx = static_cast<double>(c.x) - a.x;
    const double vy = static_cast<double>(c.y) - a.y;
    const double area = ux * vy - uy * vx;
    if (area == 0)
        return 0;
    const double ha = static_cast<double>(h.at(a.x, a.y));
    const double hu = static_cast<double>(h.at(b.x, b.y)) - ha;
    const double hv = static_cast<double>(h.at(c.x, c.y)) - ha;
    const double gx = (hu * vy - hv * uy) / area;
    const double gy = (hv * ux - hu * vx) / area;
    const std::uint32_t top = std::min({a.y, b.y, c.y});
    const std::uint32_t bottom = std::max({a.y, b.y, c.y});
    float worst = 0;
    const Point corners[3] = {a, b, c};
    for (std::uint32_t y = top; y <= bottom; ++y) {
        // The span of a row: where the three edges cross it.
        double from = 1e18;
        double to = -1e18;
        for (std::size_t k = 0; k < 3; ++k) {
            const Point& p = corners[k];
            const Point& q = corners[(k + 1) % 3];
            if (p.y == q.y) {
                if (p.y == y) {
                    from = std::min<double>({from, static_cast<double>(p.x), static_cast<double>(q.x)});
                    to = std::max<double>({to, static_cast<double>(p.x), static_cast<double>(q.x)});
                }
                continue;
            }
            if (y < std::min(p.y, q.y) || y > std::max(p.y, q.y))
                continue;
            const double x = p.x + (static_cast<double>(q.x) - p.x) * (static_cast<double>(y) - p.y) /
                                       (static_cast<double>(q.y) - p.y);
            from = std::min(from, x);
            to = std::max(to, x);
        }
        const auto first = static_cast<std::uint32_t>(std::ceil(from - 1e-9));
        const auto last = static_cast<std::uint32_t>(std::floor(to + 1e-9));
        const float* row = h.row(y);
        const auto at =
            static_cast<float>(ha + gx * (static_cast<double>(first) - a.x) + gy * (static_cast<double>(y) - a.y));
        const auto slope = static_cast<float>(gx);
        for (std::uint32_t x = first; x <= last; ++x)
            worst = std::max(worst, std::abs(row[x] - (at + slope * static_cast<float>(x - first))));
    }
    return worst;
}

/// Whether some cell that a triangle touches has no ground, by its box.
bool nearHole(const Heights& h, Point a, Point b, Point c) {
    if (!h.holes)
        return false;
    const auto [x0, x1] = std::minmax({a.x, b.x, c.x});
    const auto [y0, y1] = std::minmax({a.y, b.y, c.y});
    for (std::uint32_t y = y0; y < std::min(y1, h.rows - 1); ++y)
        for (std::uint32_t x = x0; x < std::min(x1, h.columns - 1); ++x)
            if (h.holeAt(x, y))
                return true;
    return false;
}

/// Diagonals of squares alternate like a chessboard's: falling where column and row are both even or both odd.
bool falls(std::uint32_t column, std::uint32_t row) {
    return (column + row) % 2 == 0;
}

} // namespace

Result<RightTriangles> RightTriangles::measure(std::shared_ptr<const Heights> heights, const JobContext& job) {
    RightTriangles out;
    const Heights& h = *heights;
    out.m_heights = heights;
    // The largest root squares that do not stand out much over the border.
    const auto padded = [&](std::uint32_t side) {
        const auto up = [side](std::uint32_t cells) { return std::uint64_t{(cells + side - 1) / side} * side + 1; };
        return up(h.columns - 1) * up(h.rows - 1);
    };
    out.m_side = 2;
    for (std::uint32_t side = 4; side <= 4096 && side / 2 < std::max(h.columns, h.rows) - 1; side *= 2)
        if (padded(side) <= std::uint64_t{h.columns} * h.rows * 5 / 4)
            out.m_side = side;
    out.m_across = (h.columns - 2) / out.m_side + 1;
    out.m_down = (h.rows - 2) / out.m_side + 1;
    out.m_columns = out.m_across * out.m_side + 1;
    out.m_rows = out.m_down * out.m_side + 1;
    out.m_error.resize(std::size_t{out.m_columns} * out.m_rows);
    std::fill(out.m_error.begin(), out.m_error.end(), 0.0F);
    const auto own = [&](Point a, Point b, Point c) {
        return nearHole(h, a, b, c) ? kAlways : triangleError(h, a, b, c);
    };
    const auto set = [&](std::uint32_t x, std::uint32_t y, float error) {
        float& at = out.m_error[std::size_t{y} * out.m_columns + x];
        at = std::max(at, error);
    };
    int pass = 0;
    for (std::uint32_t side = 2; side <= out.m_side; side *= 2, ++pass) {
        job.report(0.8 * pass / 12.0, "Measuring the ground");
        const std::uint32_t across = (out.m_columns - 1) / side;
        const std::uint32_t down = (out.m_rows - 1) / side;
        const std::uint32_t half = side / 2;
        const std::size_t few = std::max<std::size_t>(1, 64 / side);
        // Middles of squares: both halves.
        const bool squares = parallelChunks(down, few, job, [&](std::size_t from, std::size_t to) {
            for (auto j = static_cast<std::uint32_t>(from); j < to; ++j)
                for (std::uint32_t i = 0; i < across; ++i) {
                    const Point nw{i * side, j * side};
                    const Point ne{nw.x + side, nw.y};
                    const Point sw{nw.x, nw.y + side};
                    const Point se{nw.x + side, nw.y + side};
                    const float error = falls(i, j) ? std::max(own(nw, sw, se), own(nw, se, ne))
                                                    : std::max(own(ne, nw, sw), own(ne, sw, se));
                    set(nw.x + half, nw.y + half, error);
                }
        });
        // Middles of sides: the triangles between a side and the middles of the squares beside it.
        const bool sides =
            squares && parallelChunks(std::size_t{down} + 1, few, job, [&](std::size_t from, std::size_t to) {
                for (auto j = static_cast<std::uint32_t>(from); j < to; ++j) {
                    const std::uint32_t y = j * side;
                    for (std::uint32_t i = 0; i < across; ++i) { // sides along a row
                        const Point w{i * side, y};
                        const Point e{w.x + side, y};
                        float error = 0;
                        if (j > 0)
                            error = own(w, e, {w.x + half, y - half});
                        if (j < down)
                            error = std::max(error, own(w, {w.x + half, y + half}, e));
                        set(w.x + half, y, error);
                    }
                    if (j == down)
                        continue;
                    for (std::uint32_t i = 0; i <= across; ++i) { // sides along a column
                        const Point n{i * side, y};
                        const Point s{n.x, y + side};
                        float error = 0;
                        if (i > 0)
                            error = own(n, {n.x - half, y + half}, s);
                        if (i < across)
                            error = std::max(error, own(n, s, {n.x + half, y + half}));
                        set(n.x, y + half, error);
                    }
                }
            });
        if (!sides)
            return cancelledError();
    }
    return out;
}

std::vector<float> RightTriangles::needed(const Bound& bound) const {
    const Heights& h = *m_heights;
    std::vector<float> need(m_error.size());
    const auto plain = static_cast<float>(std::max(bound.error, 1e-9));
    parallelChunks(m_rows, 64, [&](std::size_t from, std::size_t to) {
        for (std::size_t y = from; y < to; ++y)
            for (std::uint32_t x = 0; x < m_columns; ++x) {
                const std::size_t i = y * m_columns + x;
                float allowed = plain;
                if (bound.errorAt && m_error[i] > 0)
                    allowed = static_cast<float>(std::max(
                        1e-9, bound.errorAt(h.origin.x() + std::min<double>(x, h.columns - 1) * h.spacing,
                                            h.origin.z() +
                                                std::min<double>(static_cast<double>(y), h.rows - 1) * h.spacing)));
                need[i] = m_error[i] >= kAlways ? kAlways : m_error[i] / allowed;
            }
    });
    if (bound.keepBorder) {
        const auto keep = [&](std::size_t x, std::size_t y) { need[y * m_columns + x] = kAlways; };
        for (std::uint32_t x = 0; x < h.columns; ++x)
            keep(x, 0), keep(x, h.rows - 1);
        for (std::uint32_t y = 0; y < h.rows; ++y)
            keep(0, y), keep(h.columns - 1, y);
    }
    // A point needs those whose triangles it splits: what is needed never falls on the way up.
    const auto at = [&](std::uint32_t x, std::uint32_t y) -> float& { return need[std::size_t{y} * m_columns + x]; };
    for (std::uint32_t side = 2; side <= m_side; side *= 2) {
        const std::uint32_t half = side / 2;
        const std::uint32_t quarter = side / 4;
        // Middles of sides take from the middles of the four squares of half the size round them.
        if (quarter > 0)
            for (std::uint32_t y = 0; y < m_rows; y += half)
                for (std::uint32_t x = (y / half) % 2 == 0 ? half : 0; x < m_columns; x += side)
                    for (std::uint32_t k = 0; k < 4; ++k) {
                        const std::uint32_t cx = (k & 1U) != 0 ? x + quarter : x - quarter;
                        const std::uint32_t cy = (k & 2U) != 0 ? y + quarter : y - quarter;
                        if (cx < m_columns && cy < m_rows)
                            at(x, y) = std::max(at(x, y), at(cx, cy));
                    }
        // Middles of squares take from the middles of their sides.
        for (std::uint32_t y = half; y < m_rows; y += side)
            for (std::uint32_t x = half; x < m_columns; x += side)
                at(x, y) = std::max({at(x, y), at(x - half, y), at(x + half, y), at(x, y - half), at(x, y + half)});
    }
    return need;
}

/// Calls each(p, q, r) for the triangles that are drawn, until it returns false.
template <class Each> void RightTriangles::walk(const std::vector<float>& need, const Each& each) const {
    const Heights& h = *m_heights;
    bool goes = true;
    // A triangle by its right angle and the ends of its long side; the middle of that side splits it.
    const auto visit = [&](const auto& self, Point apex, Point a, Point b) -> void {
        if (!goes)
            return;
        const Point mid{(a.x + b.x) / 2, (a.y + b.y) / 2};
        const bool splits = (a.x + b.x) % 2 == 0 && (a.y + b.y) % 2 == 0 && mid != a;
        if (splits && need[std::size_t{mid.y} * m_columns + mid.x] > 1) {
            self(self, mid, apex, a);
            self(self, mid, b, apex);
            return;
        }
        const auto clampTo = [&](Point p) { return Point{std::min(p.x, h.columns - 1), std::min(p.y, h.rows - 1)}; };
        const Point p = clampTo(apex);
        const Point q = clampTo(a);
        const Point r = clampTo(b);
        const std::int64_t area = (std::int64_t{q.y} - p.y) * (std::int64_t{r.x} - p.x) -
                                  (std::int64_t{q.x} - p.x) * (std::int64_t{r.y} - p.y);
        if (area > 0 && !nearHole(h, p, q, r))
            goes = each(p, q, r);
    };
    for (std::uint32_t j = 0; j < m_down && goes; ++j)
        for (std::uint32_t i = 0; i < m_across && goes; ++i) {
            const Point nw{i * m_side, j * m_side};
            const Point ne{nw.x + m_side, nw.y};
            const Point sw{nw.x, nw.y + m_side};
            const Point se{nw.x + m_side, nw.y + m_side};
            if (falls(i, j)) {
                visit(visit, sw, se, nw);
                visit(visit, ne, nw, se);
            } else {
                visit(visit, nw, sw, ne);
                visit(visit, se, ne, sw);
            }
        }
}

RightTriangles::Count RightTriangles::count(const Bound& bound) const {
    Count out;
    std::vector<bool> used(m_heights->grid.size(), false);
    walk(needed(bound), [&](Point p, Point q, Point r) {
        ++out.triangles;
        for (const Point& v : {p, q, r}) {
            const std::size_t at = std::size_t{v.y} * m_heights->columns + v.x;
            out.vertices += used[at] ? 0 : 1;
            used[at] = true;
        }
        return true;
    });
    return out;
}

Result<Mesh> RightTriangles::mesh(const Bound& bound, std::uint64_t most, const JobContext& job) const {
    const Heights& h = *m_heights;
    job.report(0.8, "Choosing points");
    const std::vector<float> need = needed(bound);
    Mesh out;
    std::vector<std::uint32_t> numbers(h.grid.size(), ~std::uint32_t{0});
    const auto number = [&](Point p) {
        std::uint32_t& n = numbers[std::size_t{p.y} * h.columns + p.x];
        if (n == ~std::uint32_t{0}) {
            n = out.vertexCount();
            const double x = h.origin.x() + p.x * h.spacing;
            const double z = h.origin.z() + p.y * h.spacing;
            out.positions.emplace_back(static_cast<float>(x),
                                       static_cast<float>(h.origin.y() + static_cast<double>(h.at(p.x, p.y))),
                                       static_cast<float>(z));
            out.normals.push_back(h.normalAt(x, z).cast<float>());
        }
        return n;
    };
    bool tooMany = false;
    walk(need, [&](Point p, Point q, Point r) {
        tooMany = out.indices.size() / 3 >= most;
        if (tooMany || ((out.indices.size() & 0xFFFFU) == 0 && job.cancelled()))
            return false;
        for (const Point& v : {p, q, r})
            out.indices.push_back(number(v));
        return true;
    });
    if (job.cancelled())
        return cancelledError();
    if (tooMany)
        return Error{ErrorCode::TooLarge, "", fmt::format("the mesh would have more than {} triangles", most),
                     "allow a larger error"};
    out.parts = {{0, out.triangleCount(), 0}};
    return out;
}

} // namespace thicket
