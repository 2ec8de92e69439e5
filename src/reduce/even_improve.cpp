// Bringing a surface nearer to its source with the triangles it has: diagonals turned, points moved.

#include "base/parallel.h"
#include "reduce/even_surface.h"

#include <algorithm>
#include <cmath>

namespace thicket::reduce {

namespace {
constexpr double kBetter = 0.995; // what a move has to bring
constexpr std::array<std::pair<double, double>, 4> kProbes{
    {{1 / 3.0, 1 / 3.0}, {0.48, 0.04}, {0.04, 0.48}, {0.48, 0.48}}};
// Of spreadError; tried on a sphere, an ellipsoid and a torus.
constexpr double kErrorPower = 1.3;
constexpr double kStep = 0.5;
// Share of the sagitta that points stand out; half would balance a flat triangle's middle against its corners.
constexpr double kStandOut = 0.6;
} // namespace

void EvenSurface::flipNearer(const SurfaceQuery& source) {
    // Measured all at once, then turned in order; an edge whose triangles were changed meanwhile waits for the next
    // round.
    const std::vector<std::uint64_t> all = edges();
    std::vector<double> gain(all.size(), 0);
    parallelChunks(all.size(), 256, [&](std::size_t begin, std::size_t end) {
        std::vector<std::uint32_t> scratch;
        std::uint32_t hint = 0;
        for (std::size_t i = begin; i < end; ++i) {
            const auto a = static_cast<std::uint32_t>(all[i] >> 32);
            const auto b = static_cast<std::uint32_t>(all[i]);
            const auto other = otherDiagonal(a, b, scratch);
            if (!other || !mayTurn(other->first, other->second, other->c, other->d, 0.1, 0.8))
                continue;
            const ClosestPoint now = source.closest((m_points[a] + m_points[b]) / 2, hint);
            hint = now.triangle;
            const double then = source.closest((m_points[other->c] + m_points[other->d]) / 2, hint).distance;
            gain[i] = now.distance - 1.05 * then;
        }
    });
    std::vector<std::uint8_t> changed(m_triangles.size(), 0);
    std::vector<std::uint32_t> order;
    for (std::uint32_t i = 0; i < all.size(); ++i)
        if (gain[i] > 0)
            order.push_back(i);
    std::stable_sort(order.begin(), order.end(), [&](std::uint32_t x, std::uint32_t y) { return gain[x] > gain[y]; });
    for (const std::uint32_t i : order) {
        const auto other =
            otherDiagonal(static_cast<std::uint32_t>(all[i] >> 32), static_cast<std::uint32_t>(all[i]), m_tips);
        if (!other || changed[other->first] != 0 || changed[other->second] != 0)
            continue;
        turn(other->first, other->second, other->c, other->d);
        changed[other->first] = changed[other->second] = 1;
        touched(other->first);
        touched(other->second);
    }
}

void EvenSurface::spreadError(const SurfaceQuery& source) {
    forget();
    // How far each triangle is off in its middle and at its edges, to the outside of it.
    std::vector<double> off(m_triangles.size(), 0);
    parallelChunks(m_triangles.size(), 256, [&](std::size_t begin, std::size_t end) {
        std::uint32_t hint = 0;
        for (std::size_t t = begin; t < end; ++t) {
            if (!alive(static_cast<std::uint32_t>(t)))
                continue;
            const Triangle& c = m_triangles[t];
            const Vec3d n = cross(c).normalized();
            double sum = 0;
            for (const auto& [u, v] :
                 {std::pair(1 / 3.0, 1 / 3.0), std::pair(0.45, 0.1), std::pair(0.1, 0.45), std::pair(0.45, 0.45)}) {
                const Vec3d at = (1 - u - v) * m_points[c[0]] + u * m_points[c[1]] + v * m_points[c[2]];
                const ClosestPoint hit = source.closest(at, hint);
                hint = hit.triangle;
                sum += (hit.point - at).dot(n) * (u + v < 0.7 && u > 0.2 && v > 0.2 ? 2 : 1);
            }
            off[t] = sum / 5;
        }
    });
    std::vector<Vec3d> place = m_points;
    parallelChunks(m_points.size(), 256, [&](std::size_t begin, std::size_t end) {
        std::uint32_t hint = 0;
        for (auto p = static_cast<std::uint32_t>(begin); p < end; ++p) {
            if (m_around[p].empty() || kindOf(p) != Kind::Free)
                continue;
            const ClosestPoint own = source.closest(m_points[p], hint);
            hint = own.triangle;
            Vec3d normal(0, 0, 0);
            double corner = 0;
            for (const std::uint32_t t : m_around[p])
                normal += cross(m_triangles[t]);
            if (!(normal.squaredNorm() > 0))
                continue;
            normal.normalize();
            corner = (m_points[p] - own.point).dot(normal); // how far out the point itself is
            // A triangle's sagitta is what it is off, and what its corners stand out.
            double weight = 0;
            double sagitta = 0;
            Vec3d sum(0, 0, 0);
            for (const std::uint32_t t : m_around[p]) {
                const Triangle& c = m_triangles[t];
                const double sag = std::abs(off[t] + corner);
                const double w = cross(c).norm() * (std::pow(sag, kErrorPower) + 1e-30);
                sum += w * (m_points[c[0]] + m_points[c[1]] + m_points[c[2]]) / 3;
                weight += w;
                sagitta += off[t] + corner;
            }
            sagitta /= static_cast<double>(m_around[p].size());
            const Vec3d way = kStep * (sum / weight - m_points[p]);
            const ClosestPoint onSource =
                source.closest(m_points[p] - corner * normal + way - normal * normal.dot(way), hint);
            place[p] = onSource.point + kStandOut * sagitta * normal;
        }
    });
    for (std::uint32_t p = 0; p < m_points.size(); ++p)
        if (place[p] != m_points[p] && holds(p, 0xFFFFFFFFU, place[p]))
            m_points[p] = place[p];
}

EvenSurface::Off EvenSurface::offOf(const std::array<Vec3d, 3>& corner, const SurfaceQuery& source,
                                    std::uint32_t hint) {
    const Vec3d normal = (corner[1] - corner[0]).cross(corner[2] - corner[0]).normalized();
    Off found;
    for (std::size_t k = 0; k < kProbes.size(); ++k) {
        const auto& [u, v] = kProbes[k];
        const Vec3d at = (1 - u - v) * corner[0] + u * corner[1] + v * corner[2];
        const ClosestPoint hit = source.closest(at, hint);
        hint = hit.triangle;
        if (hit.distance > found.most) {
            found.most = hit.distance;
            found.probe = static_cast<std::uint8_t>(k);
        }
        const double off = (hit.point - at).dot(normal);
        found.out = std::max(found.out, off);
        found.in = std::min(found.in, off);
    }
    found.known = true;
    return found;
}

bool EvenSurface::nearerThan(double most, std::uint32_t p, const Vec3d& place, const SurfaceQuery& source,
                             std::span<const std::uint32_t> worstFirst, double& found) const {
    double largest = 0;
    for (const std::uint32_t t : worstFirst) {
        std::array<Vec3d, 3> corner;
        for (std::size_t k = 0; k < 3; ++k)
            corner[k] = m_triangles[t][k] == p ? place : m_points[m_triangles[t][k]];
        std::uint32_t hint = m_near[p];
        for (std::size_t k = 0; k < kProbes.size(); ++k) {
            // What was the worst is so again most likely.
            const auto& [u, v] = kProbes[(m_off[t].probe + k) % kProbes.size()];
            const ClosestPoint hit = source.closest((1 - u - v) * corner[0] + u * corner[1] + v * corner[2], hint);
            hint = hit.triangle;
            largest = std::max(largest, hit.distance);
            if (largest >= most)
                return false;
        }
    }
    found = std::max(largest, source.closest(place, m_near[p]).distance);
    return found < most;
}

std::vector<std::vector<std::uint32_t>> EvenSurface::apart() const {
    std::vector<std::uint8_t> color(m_points.size(), 0);
    std::vector<std::vector<std::uint32_t>> out;
    std::vector<std::uint32_t> near;
    for (std::uint32_t p = 0; p < m_points.size(); ++p) {
        if (m_around[p].empty() || kindOf(p) != Kind::Free)
            continue;
        neighboursOf(p, near);
        std::uint64_t taken = 0;
        for (const std::uint32_t q : near)
            taken |= std::uint64_t{1} << color[q];
        std::uint8_t own = 1;
        while (own < 63 && (taken >> own & 1) != 0)
            ++own;
        color[p] = own;
        if (out.size() < own)
            out.resize(own);
        out[own - 1U].push_back(p);
    }
    return out;
}

void EvenSurface::forget() {
    m_off.clear();
    m_settled.clear();
}

void EvenSurface::touched(std::uint32_t t) {
    if (!m_off.empty())
        m_off[t].known = false;
    for (const std::uint32_t p : m_triangles[t])
        if (!m_settled.empty())
            m_settled[p] = 0;
}

bool EvenSurface::improveAt(std::uint32_t p, const SurfaceQuery& source) {
    Vec3d normal(0, 0, 0);
    for (const std::uint32_t t : m_around[p])
        normal += cross(m_triangles[t]);
    if (!(normal.squaredNorm() > 0))
        return false;
    normal.normalize();
    const ClosestPoint own = source.closest(m_points[p], m_near[p]);
    m_near[p] = own.triangle;
    double now = own.distance;
    double out = 0;
    double in = 0;
    std::vector<std::uint32_t> worstFirst = m_around[p];
    for (const std::uint32_t t : worstFirst) {
        if (!m_off[t].known) {
            const Triangle& c = m_triangles[t];
            m_off[t] = offOf({m_points[c[0]], m_points[c[1]], m_points[c[2]]}, source, m_near[p]);
        }
        out = std::max(out, m_off[t].out);
        in = std::min(in, m_off[t].in);
    }
    std::stable_sort(worstFirst.begin(), worstFirst.end(),
                     [this](std::uint32_t x, std::uint32_t y) { return m_off[x].most > m_off[y].most; });
    const std::uint32_t worst = worstFirst.front();
    now = std::max(now, m_off[worst].most);
    const double balance = (out + in) / 2; // half-way between the farthest out and the farthest in, to the outside
    const Triangle& c = m_triangles[worst];
    const Vec3d middle =
        m_off[worst].most > 0 ? Vec3d((m_points[c[0]] + m_points[c[1]] + m_points[c[2]]) / 3) : Vec3d(0, 0, 0);
    double best = kBetter * now;
    Vec3d place = m_points[p];
    const Vec3d towards = middle - m_points[p];
    const Vec3d along = towards - normal * normal.dot(towards);
    for (const Vec3d& tried : {Vec3d(m_points[p] + 0.8 * balance * normal), Vec3d(m_points[p] + 0.25 * along),
                               Vec3d(m_points[p] + 0.12 * along + 0.4 * balance * normal), own.point}) {
        double then = 0;
        if (holds(p, 0xFFFFFFFFU, tried) && nearerThan(best, p, tried, source, worstFirst, then)) {
            best = then;
            place = tried;
        }
    }
    if (place == m_points[p])
        return false;
    m_points[p] = place;
    return true;
}

void EvenSurface::improve(const SurfaceQuery& source) {
    m_near.resize(m_points.size(), 0);
    m_off.resize(m_triangles.size());
    m_settled.resize(m_points.size(), 0);
    std::vector<std::uint8_t> moved(m_points.size(), 0);
    for (const std::vector<std::uint32_t>& group : apart()) {
        // Of a group no two share a triangle, so none reads what another writes.
        parallelChunks(group.size(), 32, [&](std::size_t begin, std::size_t end) {
            for (std::size_t i = begin; i < end; ++i)
                if (m_settled[group[i]] == 0)
                    moved[group[i]] = improveAt(group[i], source) ? 1 : 0;
        });
        for (const std::uint32_t p : group) {
            // Tried again among the same triangles it would stay again.
            m_settled[p] = 1;
            if (moved[p] != 0)
                for (const std::uint32_t t : m_around[p])
                    touched(t);
        }
    }
}

} // namespace thicket::reduce
