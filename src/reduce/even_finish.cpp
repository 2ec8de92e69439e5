// A rebuilt or polished surface as a mesh: what vertices carry, taken from the source's own side of every line.

#include "reduce/even_surface.h"

#include "mesh/triangle_shares.h"

#include <algorithm>
#include <cmath>

namespace thicket::reduce {

Mesh EvenSurface::finish(const Mesh& source, const SurfaceQuery& query) const {
    Mesh out;
    out.extras.morphs.resize(source.extras.morphs.size());
    for (std::size_t m = 0; m < out.extras.morphs.size(); ++m)
        out.extras.morphs[m].name = source.extras.morphs[m].name;
    // One vertex for each fan of triangles round a point that no line divides.
    std::vector<std::array<std::uint32_t, 3>> vertexOf(m_triangles.size(), {0xFFFFFFFFU, 0xFFFFFFFFU, 0xFFFFFFFFU});
    std::vector<std::uint32_t> open;
    std::vector<std::uint32_t> shared;
    for (std::uint32_t t = 0; t < m_triangles.size(); ++t) {
        if (!alive(t))
            continue;
        const Triangle& c = m_triangles[t];
        const Vec3d middle = (m_points[c[0]] + m_points[c[1]] + m_points[c[2]]) / 3;
        for (std::size_t k = 0; k < 3; ++k) {
            if (vertexOf[t][k] != 0xFFFFFFFFU)
                continue;
            const std::uint32_t p = c[k];
            const auto vertex = out.vertexCount();
            out.positions.push_back(m_points[p].cast<float>());
            // Looked up a little inside of the triangle, so that it is the right side of a line.
            const ClosestPoint at = query.closest(0.9 * m_points[p] + 0.1 * middle);
            const std::uint32_t* s = &source.indices[3 * std::size_t{at.triangle}];
            // Beyond the triangle's edge its attributes run on, at most by its own size: a corner lies on the line.
            const Vec2d inside = triangleShares(source, at.triangle, m_points[p]).cwiseMax(-1.0).cwiseMin(2.0);
            const double u = inside.x();
            const double v = inside.y();
            const auto mix = [&](const auto& from, auto& to) {
                if (!from.empty())
                    to.push_back(static_cast<float>(1 - u - v) * from[s[0]] + static_cast<float>(u) * from[s[1]] +
                                 static_cast<float>(v) * from[s[2]]);
            };
            mix(source.normals, out.normals);
            if (!out.normals.empty()) {
                const float length = out.normals.back().norm();
                out.normals.back() =
                    length > 1e-6F ? Vec3f(out.normals.back() / length) : Vec3f(cross(c).normalized().cast<float>());
            }
            mix(source.uvs, out.uvs);
            mix(source.colors, out.colors);
            if (!out.colors.empty())
                out.colors.back() = out.colors.back().cwiseMax(0.0F).cwiseMin(1.0F);
            const double cu = std::clamp(u, 0.0, 1.0);
            const double cv = std::clamp(v, 0.0, 1.0 - cu);
            const double shares[3] = {1 - cu - cv, cu, cv};
            out.extras.addMean(source.extras, s, shares, 3);
            open.assign(1, t);
            vertexOf[t][k] = vertex;
            while (!open.empty()) {
                const std::uint32_t now = open.back();
                open.pop_back();
                for (const std::uint32_t q : m_triangles[now]) {
                    if (q == p || feature(p, q))
                        continue;
                    trianglesOf(p, q, shared);
                    for (const std::uint32_t next : shared) {
                        const auto corner =
                            static_cast<std::size_t>(std::find(m_triangles[next].begin(), m_triangles[next].end(), p) -
                                                     m_triangles[next].begin());
                        if (vertexOf[next][corner] == 0xFFFFFFFFU) {
                            vertexOf[next][corner] = vertex;
                            open.push_back(next);
                        }
                    }
                }
            }
        }
    }
    const std::uint32_t materials =
        m_material.empty() ? 0 : *std::max_element(m_material.begin(), m_material.end()) + 1;
    for (std::uint32_t m = 0; m < materials; ++m) {
        const std::uint32_t first = out.triangleCount();
        for (std::uint32_t t = 0; t < m_triangles.size(); ++t)
            if (alive(t) && m_material[t] == m)
                out.indices.insert(out.indices.end(), vertexOf[t].begin(), vertexOf[t].end());
        if (out.triangleCount() > first)
            out.parts.push_back({first, out.triangleCount() - first, m});
    }
    return out;
}

} // namespace thicket::reduce
