#pragma once
// Parametric solids with normals and UVs, from which the demo's models are put together. Every piece is closed.

#include "mesh/mesh.h"

#include <functional>

namespace thicket::demo {

using Frame = Eigen::Isometry3d;

/// Collects triangles by material and gives one mesh, parts in order of material.
class SolidBuilder {
public:
    explicit SolidBuilder(std::uint32_t materials) : m_parts(materials) {}

    /// Round rod along a path (at least two points), radius by share of length, caps at both ends.
    /// around: segments of the section; UVs run `uvPerMetre` along the rod.
    void rod(std::uint32_t material, const std::vector<Vec3d>& path, const std::function<double(double)>& radius,
             int around, double uvPerMetre = 1);
    /// The same, closed into a ring without ends.
    void ring(std::uint32_t material, const std::vector<Vec3d>& path, double radius, int around, double uvPerMetre = 1);
    /// Box with rounded edges; `cells` squares a side of the flat faces, `round` over each edge.
    void box(std::uint32_t material, const Frame& at, const Vec3d& size, double edge, int cells, int round,
             double uvPerMetre = 1);
    /// Body of revolution round the frame's Y axis: profile of (radius, height) from bottom to top; ends of radius 0
    /// close it.
    void lathe(std::uint32_t material, const Frame& at, const std::vector<Eigen::Vector2d>& profile, int around);
    /// A sheet with thickness over (u, v) in [0,1]^2, `across` by `along` squares each side, closed by a rim.
    void sheet(std::uint32_t material, const std::function<Vec3d(double, double)>& surface, double thickness,
               int across, int along);

    [[nodiscard]] Mesh finish() const;

private:
    struct Part {
        Mesh mesh;
    };
    std::uint32_t vertex(std::uint32_t material, const Vec3d& p, const Vec3d& n, double u, double v);
    void triangle(std::uint32_t material, std::uint32_t a, std::uint32_t b, std::uint32_t c);
    void quad(std::uint32_t material, std::uint32_t a, std::uint32_t b, std::uint32_t c, std::uint32_t d);
    /// Frames along a path that do not twist (parallel transport): two axes across each point.
    static std::vector<std::pair<Vec3d, Vec3d>> axesAlong(const std::vector<Vec3d>& path, bool closed);

    std::vector<Part> m_parts;
};

/// Triangles of a square grid of points, `cells` + 1 a side, row by row.
std::vector<std::uint32_t> gridTriangles(int cells);

/// Points from a to b, both included.
std::vector<Vec3d> straight(const Vec3d& a, const Vec3d& b, int steps);
Frame at(const Vec3d& place, double turnY = 0, double turnX = 0, double turnZ = 0);

} // namespace thicket::demo
