#include "solid_builder.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>

namespace thicket::demo {

namespace {
constexpr double kTurn = 2 * std::numbers::pi;
}

std::vector<std::uint32_t> gridTriangles(int cells) {
    std::vector<std::uint32_t> out;
    const auto id = [cells](int i, int j) { return static_cast<std::uint32_t>(j * (cells + 1) + i); };
    for (int j = 0; j < cells; ++j)
        for (int i = 0; i < cells; ++i)
            out.insert(out.end(), {id(i, j), id(i, j + 1), id(i + 1, j), id(i + 1, j), id(i, j + 1), id(i + 1, j + 1)});
    return out;
}

std::vector<Vec3d> straight(const Vec3d& a, const Vec3d& b, int steps) {
    std::vector<Vec3d> path;
    for (int i = 0; i <= steps; ++i)
        path.emplace_back(a + (b - a) * (static_cast<double>(i) / steps));
    return path;
}

Frame at(const Vec3d& place, double turnY, double turnX, double turnZ) {
    Frame f = Frame::Identity();
    f.translate(place);
    f.rotate(Eigen::AngleAxisd(turnY, kUp));
    f.rotate(Eigen::AngleAxisd(turnX, Vec3d::UnitX()));
    f.rotate(Eigen::AngleAxisd(turnZ, Vec3d::UnitZ()));
    return f;
}

std::uint32_t SolidBuilder::vertex(std::uint32_t material, const Vec3d& p, const Vec3d& n, double u, double v) {
    Mesh& mesh = m_parts[material].mesh;
    mesh.positions.push_back(p.cast<float>());
    mesh.normals.push_back(n.normalized().cast<float>());
    mesh.uvs.emplace_back(static_cast<float>(u), static_cast<float>(v));
    return mesh.vertexCount() - 1;
}

void SolidBuilder::triangle(std::uint32_t material, std::uint32_t a, std::uint32_t b, std::uint32_t c) {
    m_parts[material].mesh.indices.insert(m_parts[material].mesh.indices.end(), {a, b, c});
}

void SolidBuilder::quad(std::uint32_t material, std::uint32_t a, std::uint32_t b, std::uint32_t c, std::uint32_t d) {
    triangle(material, a, b, c);
    triangle(material, a, c, d);
}

std::vector<std::pair<Vec3d, Vec3d>> SolidBuilder::axesAlong(const std::vector<Vec3d>& path, bool closed) {
    const std::size_t n = path.size();
    const auto tangent = [&](std::size_t i) -> Vec3d {
        const Vec3d& before = closed ? path[(i + n - 1) % n] : path[i == 0 ? 0 : i - 1];
        const Vec3d& after = closed ? path[(i + 1) % n] : path[std::min(i + 1, n - 1)];
        return (after - before).normalized();
    };
    const Vec3d t0 = tangent(0);
    Vec3d side = t0.cross(std::abs(t0.y()) < 0.9 ? kUp : Vec3d::UnitX()).normalized();
    std::vector<std::pair<Vec3d, Vec3d>> axes;
    for (std::size_t i = 0; i < n; ++i) {
        const Vec3d t = tangent(i);
        side = (side - t * side.dot(t)).normalized();
        axes.emplace_back(side, t.cross(side));
    }
    return axes;
}

void SolidBuilder::rod(std::uint32_t material, const std::vector<Vec3d>& path,
                       const std::function<double(double)>& radius, int around, double uvPerMetre) {
    const auto axes = axesAlong(path, false);
    const std::size_t n = path.size();
    std::vector<std::uint32_t> first(n);
    double run = 0;
    for (std::size_t i = 0; i < n; ++i) {
        if (i > 0)
            run += (path[i] - path[i - 1]).norm();
        const double r = radius(static_cast<double>(i) / static_cast<double>(n - 1));
        first[i] = m_parts[material].mesh.vertexCount();
        for (int k = 0; k <= around; ++k) {
            const double a = kTurn * (k % around) / around;
            const Vec3d out = axes[i].first * std::cos(a) + axes[i].second * std::sin(a);
            vertex(material, path[i] + out * r, out, static_cast<double>(k) / around, run * uvPerMetre);
        }
    }
    for (std::size_t i = 1; i < n; ++i)
        for (std::uint32_t k = 0; k < static_cast<std::uint32_t>(around); ++k)
            quad(material, first[i - 1] + k, first[i - 1] + k + 1, first[i] + k + 1, first[i] + k);
    for (const bool end : {false, true}) {
        const std::size_t i = end ? n - 1 : 0;
        const Vec3d normal = end ? (path[n - 1] - path[n - 2]) : (path[0] - path[1]);
        const double r = radius(end ? 1.0 : 0.0);
        const std::uint32_t centre = vertex(material, path[i], normal, 0.5, 0.5);
        const std::uint32_t rim = centre + 1;
        for (int k = 0; k < around; ++k) {
            const double a = kTurn * k / around;
            const Vec3d out = axes[i].first * std::cos(a) + axes[i].second * std::sin(a);
            vertex(material, path[i] + out * r, normal, 0.5 + 0.5 * std::cos(a), 0.5 + 0.5 * std::sin(a));
        }
        for (std::uint32_t k = 0; k < static_cast<std::uint32_t>(around); ++k) {
            const std::uint32_t next = rim + (k + 1) % static_cast<std::uint32_t>(around);
            triangle(material, centre, end ? rim + k : next, end ? next : rim + k);
        }
    }
}

void SolidBuilder::ring(std::uint32_t material, const std::vector<Vec3d>& path, double radius, int around,
                        double uvPerMetre) {
    auto axes = axesAlong(path, true);
    const std::size_t n = path.size();
    // Parallel transport does not close by itself: the rest is spread over the whole ring.
    const Vec3d t = (path[1] - path[n - 1]).normalized();
    const Vec3d last = axes[n - 1].first;
    const Vec3d carried = (last - t * last.dot(t)).normalized();
    const double rest = std::atan2(axes[0].first.cross(carried).dot(t), axes[0].first.dot(carried));
    std::vector<std::uint32_t> first(n + 1);
    double run = 0;
    for (std::size_t i = 0; i <= n; ++i) {
        if (i > 0)
            run += (path[i % n] - path[i - 1]).norm();
        first[i] = m_parts[material].mesh.vertexCount();
        for (int k = 0; k <= around; ++k) {
            const double a =
                kTurn * (k % around) / around - (i == n ? 0.0 : rest * static_cast<double>(i) / static_cast<double>(n));
            const Vec3d out = axes[i % n].first * std::cos(a) + axes[i % n].second * std::sin(a);
            vertex(material, path[i % n] + out * radius, out, static_cast<double>(k) / around, run * uvPerMetre);
        }
    }
    for (std::size_t i = 1; i <= n; ++i)
        for (std::uint32_t k = 0; k < static_cast<std::uint32_t>(around); ++k)
            quad(material, first[i - 1] + k, first[i - 1] + k + 1, first[i] + k + 1, first[i] + k);
}

void SolidBuilder::box(std::uint32_t material, const Frame& frame, const Vec3d& size, double edge, int cells, int round,
                       double uvPerMetre) {
    const Vec3d half = size / 2;
    edge = std::min(edge, 0.49 * size.minCoeff());
    const int steps = cells + 2 * round;
    // Grid lines: `round` across each rounded edge by angle, `cells` evenly between. Names the same point on both faces
    // of an edge.
    const auto line = [&](int i, int axis) {
        const double flat = half[axis] - edge;
        if (i < round)
            return -flat - edge * std::tan(std::numbers::pi / 4 * (round - i) / round);
        if (i > steps - round)
            return flat + edge * std::tan(std::numbers::pi / 4 * (i - steps + round) / round);
        return -flat + 2 * flat * (i - round) / cells;
    };
    for (int axis = 0; axis < 3; ++axis)
        for (const int side : {-1, 1}) {
            const int u = (axis + 1) % 3;
            const int v = (axis + 2) % 3;
            const std::uint32_t base = m_parts[material].mesh.vertexCount();
            for (int j = 0; j <= steps; ++j)
                for (int i = 0; i <= steps; ++i) {
                    Vec3d p;
                    p[axis] = side * half[axis];
                    p[u] = line(i, u);
                    p[v] = line(j, v);
                    const Vec3d inner =
                        p.cwiseMax(-half + Vec3d::Constant(edge)).cwiseMin(half - Vec3d::Constant(edge));
                    const Vec3d out = (p - inner).normalized();
                    vertex(material, frame * Vec3d(inner + out * edge), frame.linear() * out, p[u] * uvPerMetre,
                           p[v] * uvPerMetre);
                }
            const auto id = [&](int i, int j) { return base + static_cast<std::uint32_t>(j * (steps + 1) + i); };
            for (int j = 0; j < steps; ++j)
                for (int i = 0; i < steps; ++i) {
                    if (side > 0)
                        quad(material, id(i, j), id(i + 1, j), id(i + 1, j + 1), id(i, j + 1));
                    else
                        quad(material, id(i, j), id(i, j + 1), id(i + 1, j + 1), id(i + 1, j));
                }
        }
}

void SolidBuilder::lathe(std::uint32_t material, const Frame& frame, const std::vector<Eigen::Vector2d>& profile,
                         int around) {
    const std::size_t n = profile.size();
    std::vector<std::uint32_t> first(n);
    for (std::size_t i = 0; i < n; ++i) {
        const Eigen::Vector2d along = profile[std::min(i + 1, n - 1)] - profile[i == 0 ? 0 : i - 1];
        first[i] = m_parts[material].mesh.vertexCount();
        for (int k = 0; k <= around; ++k) {
            const double a = kTurn * (k % around) / around;
            const Vec3d out(std::cos(a), 0, -std::sin(a));
            Vec3d normal = out * along.y() - kUp * along.x();
            if (profile[i].x() <= 0)
                normal = Vec3d(0, i == 0 ? -1.0 : 1.0, 0);
            vertex(material, frame * Vec3d(out * profile[i].x() + kUp * profile[i].y()), frame.linear() * normal,
                   static_cast<double>(k) / around, static_cast<double>(i) / static_cast<double>(n - 1));
        }
    }
    for (std::size_t i = 1; i < n; ++i)
        for (std::uint32_t k = 0; k < static_cast<std::uint32_t>(around); ++k) {
            if (profile[i - 1].x() > 0)
                triangle(material, first[i - 1] + k, first[i - 1] + k + 1, first[i] + (profile[i].x() > 0 ? k + 1 : k));
            if (profile[i].x() > 0)
                triangle(material, first[i - 1] + k, first[i] + k + 1, first[i] + k);
        }
}

void SolidBuilder::sheet(std::uint32_t material, const std::function<Vec3d(double, double)>& surface, double thickness,
                         int across, int along) {
    constexpr double kStep = 1e-4;
    const auto normalAt = [&](double u, double v) -> Vec3d {
        const double u0 = std::clamp(u, kStep, 1 - kStep);
        const double v0 = std::clamp(v, kStep, 1 - kStep);
        return (surface(u0 + kStep, v0) - surface(u0 - kStep, v0))
            .cross(surface(u0, v0 + kStep) - surface(u0, v0 - kStep))
            .normalized();
    };
    std::array<std::uint32_t, 2> base{};
    for (const int side : {0, 1}) {
        base[static_cast<std::size_t>(side)] = m_parts[material].mesh.vertexCount();
        for (int j = 0; j <= along; ++j)
            for (int i = 0; i <= across; ++i) {
                const double u = static_cast<double>(i) / across;
                const double v = static_cast<double>(j) / along;
                const Vec3d n = normalAt(u, v) * (side == 0 ? 1.0 : -1.0);
                vertex(material, surface(u, v) + n * (thickness / 2), n, u, v);
            }
        const auto id = [&](int i, int j) {
            return base[static_cast<std::size_t>(side)] + static_cast<std::uint32_t>(j * (across + 1) + i);
        };
        for (int j = 0; j < along; ++j)
            for (int i = 0; i < across; ++i) {
                if (side == 0)
                    quad(material, id(i, j), id(i + 1, j), id(i + 1, j + 1), id(i, j + 1));
                else
                    quad(material, id(i, j), id(i, j + 1), id(i + 1, j + 1), id(i + 1, j));
            }
    }
    std::vector<std::pair<int, int>> border;
    for (int i = 0; i < across; ++i)
        border.emplace_back(i, 0);
    for (int j = 0; j < along; ++j)
        border.emplace_back(across, j);
    for (int i = across; i > 0; --i)
        border.emplace_back(i, along);
    for (int j = along; j > 0; --j)
        border.emplace_back(0, j);
    const Vec3d middle = surface(0.5, 0.5);
    for (std::size_t b = 0; b < border.size(); ++b) {
        const auto& [i0, j0] = border[b];
        const auto& [i1, j1] = border[(b + 1) % border.size()];
        const auto point = [&](int i, int j, int side) -> Vec3d {
            const double u = static_cast<double>(i) / across;
            const double v = static_cast<double>(j) / along;
            return surface(u, v) + normalAt(u, v) * ((side == 0 ? 1.0 : -1.0) * thickness / 2);
        };
        const Vec3d a = point(i0, j0, 0);
        const Vec3d c = point(i1, j1, 1);
        const Vec3d along1 = point(i1, j1, 0) - a;
        Vec3d out = along1.cross(normalAt(0.5, 0.5));
        if (out.dot((a + c) / 2 - middle) < 0)
            out = -out;
        const double u = static_cast<double>(b) / static_cast<double>(border.size());
        const std::uint32_t v0 = vertex(material, a, out, u, 0);
        vertex(material, point(i0, j0, 1), out, u, 0.05);
        vertex(material, c, out, u, 0.05);
        vertex(material, point(i1, j1, 0), out, u, 0);
        quad(material, v0, v0 + 1, v0 + 2, v0 + 3);
    }
}

Mesh SolidBuilder::finish() const {
    Mesh out;
    for (std::uint32_t m = 0; m < m_parts.size(); ++m) {
        const Mesh& part = m_parts[m].mesh;
        if (part.indices.empty())
            continue;
        const auto base = out.vertexCount();
        out.parts.push_back({out.triangleCount(), part.triangleCount(), m});
        out.positions.insert(out.positions.end(), part.positions.begin(), part.positions.end());
        out.normals.insert(out.normals.end(), part.normals.begin(), part.normals.end());
        out.uvs.insert(out.uvs.end(), part.uvs.begin(), part.uvs.end());
        for (const std::uint32_t v : part.indices)
            out.indices.push_back(base + v);
    }
    return out;
}

} // namespace thicket::demo
