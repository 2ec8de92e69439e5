#include "bake/sample_grid.h"

#include "base/parallel.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace thicket {
namespace {

constexpr double kNear = 1e-4; // of the depth of the farthest corner; what is nearer is cut off

/// A corner on the grid: samples have whole numbers. Depth as its inverse, which is linear across the picture.
struct Corner {
    double x = 0;
    double y = 0;
    double inverse = 0;
};

/// A corner before the division by depth.
struct Ahead {
    double x = 0;
    double y = 0;
    double depth = 0;
};

class Drawing {
public:
    Drawing(const Appearance& what, const SampleGrid& grid) : m_what(what), m_grid(grid) {
        const Mesh& mesh = what.mesh();
        m_corners.resize(mesh.vertexCount());
        constexpr std::size_t kTogether = 16384;
        parallelChunks(m_corners.size(), kTogether, [&](std::size_t from, std::size_t to) {
            for (std::size_t v = from; v < to; ++v) {
                const Vec3d way = mesh.positions[v].cast<double>() - grid.eye;
                m_corners[v] = {way.dot(grid.right), way.dot(grid.up), way.dot(grid.ahead)};
            }
        });
        double farthest = 0;
        for (const Ahead& c : m_corners)
            farthest = std::max(farthest, c.depth);
        m_near = kNear * farthest;
        m_onGrid.resize(m_corners.size());
        parallelChunks(m_corners.size(), kTogether, [&](std::size_t from, std::size_t to) {
            for (std::size_t v = from; v < to; ++v)
                if (m_corners[v].depth >= m_near)
                    m_onGrid[v] = onGrid(m_corners[v]);
        });
    }

    /// Some rows of the grid while they are drawn.
    struct Band {
        int first = 0;
        int last = 0;
        std::vector<double> inverse; ///< of the depth of what is seen, 0: nothing is
        std::vector<std::uint32_t> triangles;

        Band(const SampleGrid& grid, int from, int to) : first(from), last(to) {
            const auto samples = static_cast<std::size_t>(grid.across) * static_cast<std::size_t>(to - from + 1);
            inverse.resize(samples, 0);
            triangles.resize(samples, kNoTriangle);
        }
    };

    void draw(Band& band) const {
        const Mesh& mesh = m_what.mesh();
        for (std::uint32_t t = 0; t < mesh.triangleCount(); ++t) {
            const std::uint32_t* c = &mesh.indices[3 * std::size_t{t}];
            const Corner& p = m_onGrid[c[0]];
            const Corner& q = m_onGrid[c[1]];
            const Corner& r = m_onGrid[c[2]];
            if (p.inverse > 0 && q.inverse > 0 && r.inverse > 0)
                draw(t, p, q, r, band);
            else if (p.inverse > 0 || q.inverse > 0 || r.inverse > 0)
                drawCut(t, {m_corners[c[0]], m_corners[c[1]], m_corners[c[2]]}, band);
        }
    }

private:
    [[nodiscard]] Corner onGrid(const Ahead& a) const {
        const double inverse = 1 / a.depth;
        return {a.x * inverse / m_grid.step + m_grid.across / 2.0 - 0.5,
                m_grid.down / 2.0 - 0.5 - a.y * inverse / m_grid.step, inverse};
    }

    /// What of a triangle lies beyond the near plane: three or four corners.
    void drawCut(std::uint32_t t, const std::array<Ahead, 3>& a, Band& band) const {
        std::array<Corner, 4> kept;
        std::size_t count = 0;
        for (std::size_t k = 0; k < 3; ++k) {
            const Ahead& from = a[k];
            const Ahead& to = a[(k + 1) % 3];
            if (from.depth >= m_near)
                kept[count++] = onGrid(from);
            if ((from.depth >= m_near) != (to.depth >= m_near)) {
                const double s = (m_near - from.depth) / (to.depth - from.depth);
                kept[count++] = onGrid({from.x + s * (to.x - from.x), from.y + s * (to.y - from.y), m_near});
            }
        }
        for (std::size_t k = 2; k < count; ++k)
            draw(t, kept[0], kept[k - 1], kept[k], band);
    }

    void draw(std::uint32_t t, const Corner& p, const Corner& q, const Corner& r, Band& band) const {
        const auto [low, high] = std::minmax({p.y, q.y, r.y});
        // What reaches far beyond the picture would not fit whole numbers.
        const int top = std::max(band.first, static_cast<int>(std::ceil(std::clamp(low, -1.0, band.last + 1.0))));
        const int bottom =
            std::min(band.last, static_cast<int>(std::floor(std::clamp(high, band.first - 1.0, band.last + 1.0))));
        if (top > bottom)
            return;
        const double x1 = q.x - p.x;
        const double y1 = q.y - p.y;
        const double x2 = r.x - p.x;
        const double y2 = r.y - p.y;
        const double area = x1 * y2 - x2 * y1;
        if (std::abs(area) < 1e-12)
            return; // seen from its edge
        const double i1 = q.inverse - p.inverse;
        const double i2 = r.inverse - p.inverse;
        const double perX = (i1 * y2 - i2 * y1) / area;
        const double perY = (i2 * x1 - i1 * x2) / area;
        const auto [farther, nearer] = std::minmax({p.inverse, q.inverse, r.inverse});
        const bool holes = m_what.hasHoles(t);
        for (int y = top; y <= bottom; ++y) {
            double left = 1e300;
            double right = -1e300;
            cross(p, q, y, left, right);
            cross(q, r, y, left, right);
            cross(r, p, y, left, right);
            const int from = static_cast<int>(std::ceil(std::clamp(left, 0.0, m_grid.across + 0.0)));
            const int to = static_cast<int>(std::floor(std::clamp(right, -1.0, m_grid.across - 1.0)));
            const std::size_t row = static_cast<std::size_t>(y - band.first) * static_cast<std::size_t>(m_grid.across);
            for (int x = from; x <= to; ++x) {
                const double inverse = std::clamp(p.inverse + (x - p.x) * perX + (y - p.y) * perY, farther, nearer);
                const std::size_t at = row + static_cast<std::size_t>(x);
                if (inverse <= band.inverse[at])
                    continue;
                if (holes && !m_what.solidAt(t, m_grid.eye, m_grid.towards(x, y)))
                    continue;
                band.inverse[at] = inverse;
                band.triangles[at] = t;
            }
        }
    }

    /// Where an edge meets a row; from its upper end down, so that both its triangles find the same place.
    static void cross(const Corner& a, const Corner& b, double y, double& left, double& right) {
        const Corner& upper = a.y < b.y ? a : b;
        const Corner& lower = a.y < b.y ? b : a;
        if (y < upper.y || y > lower.y || upper.y == lower.y)
            return;
        const double x = upper.x + (lower.x - upper.x) * ((y - upper.y) / (lower.y - upper.y));
        left = std::min(left, x);
        right = std::max(right, x);
    }

    const Appearance& m_what;
    const SampleGrid& m_grid;
    std::vector<Ahead> m_corners;
    std::vector<Corner> m_onGrid; ///< an inverse of 0: nearer than the near plane
    double m_near = 0;
};

} // namespace

void drawInBands(const Appearance& what, const SampleGrid& grid, int rows,
                 const std::function<void(int first, std::span<const std::uint32_t> triangles)>& each) {
    const Drawing drawing(what, grid);
    parallelChunks(static_cast<std::size_t>(grid.down), static_cast<std::size_t>(rows),
                   [&](std::size_t from, std::size_t to) {
                       Drawing::Band band(grid, static_cast<int>(from), static_cast<int>(to) - 1);
                       drawing.draw(band);
                       each(band.first, band.triangles);
                   });
}

std::vector<std::uint32_t> firstTriangles(const Appearance& what, const SampleGrid& grid) {
    constexpr int kBand = 256;
    const auto across = static_cast<std::size_t>(grid.across);
    std::vector<std::uint32_t> out(across * static_cast<std::size_t>(grid.down));
    drawInBands(what, grid, kBand, [&](int first, std::span<const std::uint32_t> triangles) {
        std::copy(triangles.begin(), triangles.end(),
                  out.begin() + static_cast<std::ptrdiff_t>(across * static_cast<std::size_t>(first)));
    });
    return out;
}

} // namespace thicket
