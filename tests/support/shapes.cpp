#include "support/shapes.h"

#include <cmath>
#include <map>
#include <numbers>
#include <random>

namespace thicket::shapes {

Mesh rod(double length, double radius, int along, int round) {
    Mesh mesh;
    for (int i = 0; i <= along; ++i)
        for (int j = 0; j < round; ++j) {
            const double a = 2 * std::numbers::pi * j / round;
            mesh.positions.emplace_back(static_cast<float>(length * (i / static_cast<double>(along) - 0.5)),
                                        static_cast<float>(radius * std::cos(a)),
                                        static_cast<float>(radius * std::sin(a)));
        }
    const auto at = [round](int i, int j) { return static_cast<std::uint32_t>(i * round + j % round); };
    for (int i = 0; i < along; ++i)
        for (int j = 0; j < round; ++j)
            for (const std::uint32_t v :
                 {at(i, j), at(i, j + 1), at(i + 1, j + 1), at(i, j), at(i + 1, j + 1), at(i + 1, j)})
                mesh.indices.push_back(v);
    for (int j = 1; j + 1 < round; ++j)
        for (const std::uint32_t v : {at(0, 0), at(0, j + 1), at(0, j), at(along, 0), at(along, j), at(along, j + 1)})
            mesh.indices.push_back(v);
    onePart(mesh);
    return mesh;
}

void append(Mesh& to, const Mesh& what, const Vec3d& offset) {
    const std::uint32_t first = to.vertexCount();
    for (const Vec3f& p : what.positions)
        to.positions.push_back((p.cast<double>() + offset).cast<float>());
    for (const std::uint32_t v : what.indices)
        to.indices.push_back(first + v);
    onePart(to);
}

void onePart(Mesh& mesh) {
    mesh.parts = {{0, mesh.triangleCount(), 0}};
}

namespace {
/// Joins equal positions, keeping positions only.
Mesh welded(const Mesh& mesh) {
    const Weld weld = weldPositions(mesh);
    Mesh out;
    out.positions.resize(weld.pointCount);
    for (std::size_t v = 0; v < mesh.positions.size(); ++v)
        out.positions[weld.pointOf[v]] = mesh.positions[v];
    for (const std::uint32_t v : mesh.indices)
        out.indices.push_back(weld.pointOf[v]);
    onePart(out);
    return out;
}
} // namespace

Mesh sphere(int splits, double radius) {
    const double g = std::numbers::phi;
    const std::vector<Vec3d> corner{{-1, g, 0},  {1, g, 0},  {-1, -g, 0}, {1, -g, 0}, {0, -1, g},  {0, 1, g},
                                    {0, -1, -g}, {0, 1, -g}, {g, 0, -1},  {g, 0, 1},  {-g, 0, -1}, {-g, 0, 1}};
    const int face[20][3] = {{0, 11, 5},  {0, 5, 1},  {0, 1, 7},  {0, 7, 10}, {0, 10, 11}, {1, 5, 9}, {5, 11, 4},
                             {11, 10, 2}, {10, 7, 6}, {7, 1, 8},  {3, 9, 4},  {3, 4, 2},   {3, 2, 6}, {3, 6, 8},
                             {3, 8, 9},   {4, 9, 5},  {2, 4, 11}, {6, 2, 10}, {8, 6, 7},   {9, 8, 1}};
    // Points on edges are named by their corners and weights, so that both faces find the same one.
    std::map<std::array<int, 6>, std::uint32_t> known;
    Mesh mesh;
    const auto vertex = [&](const int* f, int i, int j, int k) {
        std::array<std::pair<int, int>, 3> named{{{f[0], i}, {f[1], j}, {f[2], k}}};
        for (auto& n : named)
            if (n.second == 0)
                n.first = -1;
        std::sort(named.begin(), named.end());
        const std::array<int, 6> key{named[0].first,  named[0].second, named[1].first,
                                     named[1].second, named[2].first,  named[2].second};
        const auto [found, fresh] = known.try_emplace(key, mesh.vertexCount());
        if (fresh) {
            const Vec3d p = (corner[static_cast<std::size_t>(f[0])] * i + corner[static_cast<std::size_t>(f[1])] * j +
                             corner[static_cast<std::size_t>(f[2])] * k)
                                .normalized() *
                            radius;
            mesh.positions.push_back(p.cast<float>());
        }
        return found->second;
    };
    for (const auto& f : face)
        for (int i = 0; i < splits; ++i)
            for (int j = 0; j < splits - i; ++j) {
                const int k = splits - i - j;
                mesh.indices.insert(mesh.indices.end(),
                                    {vertex(f, k, i, j), vertex(f, k - 1, i + 1, j), vertex(f, k - 1, i, j + 1)});
                if (k > 1)
                    mesh.indices.insert(mesh.indices.end(), {vertex(f, k - 1, i + 1, j), vertex(f, k - 2, i + 1, j + 1),
                                                             vertex(f, k - 1, i, j + 1)});
            }
    onePart(mesh);
    return mesh;
}

Mesh torus(int around, int across, double major, double minor) {
    Mesh mesh;
    for (int i = 0; i < around; ++i)
        for (int j = 0; j < across; ++j) {
            const double u = 2 * std::numbers::pi * i / around;
            const double v = 2 * std::numbers::pi * j / across;
            mesh.positions.emplace_back(static_cast<float>((major + minor * std::cos(v)) * std::cos(u)),
                                        static_cast<float>(minor * std::sin(v)),
                                        static_cast<float>((major + minor * std::cos(v)) * std::sin(u)));
            const auto at = [&](int x, int y) {
                return static_cast<std::uint32_t>((x % around) * across + y % across);
            };
            mesh.indices.insert(mesh.indices.end(),
                                {at(i, j), at(i, j + 1), at(i + 1, j), at(i, j + 1), at(i + 1, j + 1), at(i + 1, j)});
        }
    onePart(mesh);
    return mesh;
}

Mesh box(int splits, const Vec3d& size) {
    Mesh mesh;
    for (int axis = 0; axis < 3; ++axis)
        for (int side = 0; side < 2; ++side)
            for (int i = 0; i < splits; ++i)
                for (int j = 0; j < splits; ++j) {
                    const auto base = mesh.vertexCount();
                    for (const auto& [di, dj] : {std::pair{0, 0}, {1, 0}, {1, 1}, {0, 1}}) {
                        Vec3d p;
                        p[axis] = side - 0.5;
                        p[(axis + 1) % 3] = static_cast<double>(i + di) / splits - 0.5;
                        p[(axis + 2) % 3] = static_cast<double>(j + dj) / splits - 0.5;
                        mesh.positions.push_back(p.cwiseProduct(size).cast<float>());
                    }
                    if (side == 1)
                        mesh.indices.insert(mesh.indices.end(), {base, base + 1, base + 2, base, base + 2, base + 3});
                    else
                        mesh.indices.insert(mesh.indices.end(), {base, base + 2, base + 1, base, base + 3, base + 2});
                }
    return welded(mesh);
}

Mesh plateWithHoles(int squares) {
    Mesh mesh;
    const auto at = [&](int x, int z) { return static_cast<std::uint32_t>(z * (squares + 1) + x); };
    for (int z = 0; z <= squares; ++z)
        for (int x = 0; x <= squares; ++x)
            mesh.positions.emplace_back(static_cast<float>(x), 0.0F, static_cast<float>(z));
    for (int z = 0; z < squares; ++z)
        for (int x = 0; x < squares; ++x) {
            if (x % 8 >= 3 && x % 8 <= 5 && z % 8 >= 3 && z % 8 <= 5)
                continue;
            mesh.indices.insert(mesh.indices.end(),
                                {at(x, z), at(x, z + 1), at(x + 1, z), at(x + 1, z), at(x, z + 1), at(x + 1, z + 1)});
        }
    dropUnusedVertices(mesh);
    onePart(mesh);
    return mesh;
}

Surfaces white() {
    Surfaces out;
    out.materials.emplace_back();
    return out;
}

Mesh texturedSphere(int columns, int rows) {
    Mesh mesh;
    for (int r = 0; r <= rows; ++r)
        for (int c = 0; c <= columns; ++c) {
            const double v = static_cast<double>(r) / rows;
            const double u = static_cast<double>(c) / columns;
            const double polar = v * std::numbers::pi;
            const double turn = (c == columns ? 0.0 : u) * 2 * std::numbers::pi;
            const double ring = r == 0 || r == rows ? 0.0 : std::sin(polar);
            const Vec3d n(ring * std::cos(turn), std::cos(polar), -ring * std::sin(turn));
            mesh.positions.push_back(n.cast<float>());
            mesh.normals.push_back(n.normalized().cast<float>());
            mesh.uvs.emplace_back(static_cast<float>(u), static_cast<float>(v));
        }
    const auto at = [&](int c, int r) { return static_cast<std::uint32_t>(r * (columns + 1) + c); };
    for (int r = 0; r < rows; ++r)
        for (int c = 0; c < columns; ++c) {
            if (r > 0)
                mesh.indices.insert(mesh.indices.end(), {at(c, r), at(c, r + 1), at(c + 1, r)});
            if (r < rows - 1)
                mesh.indices.insert(mesh.indices.end(), {at(c + 1, r), at(c, r + 1), at(c + 1, r + 1)});
        }
    onePart(mesh);
    return mesh;
}

Mesh bumpy(int splits, unsigned seed) {
    Mesh mesh = sphere(splits);
    std::mt19937 random(seed);
    std::normal_distribution<double> gauss(0, 1);
    std::vector<std::pair<Vec3d, double>> bumps(24);
    for (auto& [at, height] : bumps) {
        at = Vec3d(gauss(random), gauss(random), gauss(random)).normalized();
        height = 0.12 * gauss(random);
    }
    for (Vec3f& p : mesh.positions) {
        double r = 1;
        for (const auto& [at, height] : bumps)
            r += height * std::exp(-20 * (1 - at.dot(p.cast<double>())));
        p *= static_cast<float>(r);
    }
    return mesh;
}

bool isClosed(const Mesh& mesh) {
    const Weld weld = weldPositions(mesh);
    std::map<std::pair<std::uint32_t, std::uint32_t>, int> uses;
    for (std::uint32_t t = 0; t < mesh.triangleCount(); ++t)
        for (std::uint32_t k = 0; k < 3; ++k)
            ++uses[{weld.pointOf[mesh.indices[3 * t + k]], weld.pointOf[mesh.indices[3 * t + (k + 1) % 3]]}];
    for (const auto& [edge, count] : uses) {
        const auto back = uses.find({edge.second, edge.first});
        if (count != 1 || back == uses.end() || back->second != 1)
            return false;
    }
    return true;
}

} // namespace thicket::shapes
