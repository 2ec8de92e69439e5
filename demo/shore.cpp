// What grows and lies on the shore: three clumps of reed, a marker post, a drift stone, and the water between.

#include "base/text.h"
#include "models.h"
#include "solid_builder.h"

#include <algorithm>
#include <cmath>
#include <numbers>
#include <vector>

namespace thicket::demo {
namespace {

Material material(const char* name, int image, float roughness) {
    Material m;
    m.name = name;
    m.baseColorImage = image;
    m.roughness = roughness;
    m.metallic = 0;
    return m;
}

struct Blade {
    Vec3d root{0, 0, 0};
    double turn = 0;
    double tall = 1;
    double lean = 0; ///< how far its tip stands from its root, metres
    double wide = 0.02;
    int pieces = 4;
};

/// A flat leaf that bends over, seen from both sides, with a texture from root to tip.
void addBlade(Mesh& mesh, const Blade& b) {
    const Vec3d out(std::cos(b.turn), 0, std::sin(b.turn));
    const Vec3d across(-out.z(), 0, out.x());
    const auto first = static_cast<std::uint32_t>(mesh.positions.size());
    for (int i = 0; i <= b.pieces; ++i) {
        const double t = static_cast<double>(i) / b.pieces;
        const Vec3d at = b.root + Vec3d(0, b.tall * (t - 0.12 * t * t * b.lean), 0) + out * (b.lean * t * t);
        const double half = b.wide / 2 * (1 - 0.65 * t * t);
        const Vec3d normal = (out * 0.55 + Vec3d(0, 0.35 + 0.5 * b.lean * t, 0)).normalized();
        const bool tip = i == b.pieces;
        for (const int side : tip ? std::vector{0} : std::vector{-1, 1}) {
            mesh.positions.push_back((at + across * (half * side)).cast<float>());
            mesh.normals.push_back((normal + across * (0.25 * side)).normalized().cast<float>());
            mesh.uvs.emplace_back(0.25F + 0.2F * static_cast<float>(side), static_cast<float>(1 - t));
        }
    }
    for (int i = 0; i < b.pieces; ++i) {
        const std::uint32_t a = first + 2 * static_cast<std::uint32_t>(i);
        mesh.indices.insert(mesh.indices.end(), {a, a + 1, a + 2});
        if (i + 1 < b.pieces)
            mesh.indices.insert(mesh.indices.end(), {a + 2, a + 1, a + 3});
    }
}

/// A thin spindle at the top of a stem: four sides from the foot to the tip.
void addHead(Mesh& mesh, const Vec3d& foot, double tall, double wide) {
    const auto first = static_cast<std::uint32_t>(mesh.positions.size());
    constexpr int kSides = 4;
    const double rows[3][2] = {{0, 0.2}, {0.45, 1}, {1, 0.06}};
    for (const auto& row : rows)
        for (int s = 0; s <= kSides; ++s) {
            const double a = 2 * std::numbers::pi * s / kSides;
            const Vec3d way(std::cos(a), 0.1, std::sin(a));
            mesh.positions.push_back(
                (foot + Vec3d(way.x() * wide * row[1], tall * row[0], way.z() * wide * row[1])).cast<float>());
            mesh.normals.push_back(way.normalized().cast<float>());
            mesh.uvs.emplace_back(static_cast<float>(0.55 + 0.4 * s / kSides), static_cast<float>(1 - row[0]));
        }
    for (std::uint32_t r = 0; r < 2; ++r)
        for (std::uint32_t s = 0; s < kSides; ++s) {
            const std::uint32_t a = first + r * (kSides + 1) + s;
            mesh.indices.insert(mesh.indices.end(), {a, a + kSides + 1, a + 1, a + 1, a + kSides + 1, a + kSides + 2});
        }
}

struct Clump {
    const char* name;
    int stems;
    double tall;
    double lean;
    double spread;
    bool heads;
    std::uint32_t seed;
};

Mesh clumpMesh(const Clump& c) {
    Mesh mesh;
    const auto u = [&c](int stem, std::uint32_t k) {
        return hashShare(c.seed + 31U * static_cast<std::uint32_t>(stem) + 977U * k);
    };
    for (int i = 0; i < c.stems; ++i) {
        const double around = 2 * std::numbers::pi * u(i, 1);
        const double from = c.spread * std::sqrt(u(i, 2));
        Blade stem;
        stem.root = {from * std::cos(around), 0, from * std::sin(around)};
        stem.turn = around + 1.2 * (u(i, 3) - 0.5);
        stem.tall = c.tall * (0.7 + 0.35 * u(i, 4));
        stem.lean = c.lean * (0.25 + 0.9 * u(i, 5));
        stem.wide = 0.026 + 0.014 * u(i, 6);
        stem.pieces = 5;
        addBlade(mesh, stem);
        // A stem has leaves of its own, lower and more bent.
        for (int leaf = 0; leaf < 2; ++leaf) {
            Blade side = stem;
            const double at = 0.25 + 0.3 * leaf + 0.1 * u(i, 7 + static_cast<std::uint32_t>(leaf));
            side.root += Vec3d(std::cos(stem.turn), 0, std::sin(stem.turn)) * (stem.lean * at * at) +
                         Vec3d(0, stem.tall * at, 0);
            side.turn = stem.turn + 1.1 + 3.6 * u(i, 9 + static_cast<std::uint32_t>(leaf));
            side.tall = stem.tall * 0.36;
            side.lean = 0.26 + 0.2 * u(i, 11 + static_cast<std::uint32_t>(leaf));
            side.wide = 0.03;
            side.pieces = 3;
            addBlade(mesh, side);
        }
        if (c.heads && i % 2 == 0) {
            const double t = 0.97;
            addHead(mesh,
                    stem.root + Vec3d(0, stem.tall * (t - 0.12 * t * t * stem.lean), 0) +
                        Vec3d(std::cos(stem.turn), 0, std::sin(stem.turn)) * (stem.lean * t * t),
                    0.26, 0.035);
        }
    }
    mesh.parts = {{0, mesh.triangleCount(), 0}};
    return mesh;
}

Model reedClump(const Clump& c) {
    Model model{c.name, {clumpMesh(c)}, {}};
    model.surfaces.images = {makeTexture(Pattern::Reed, "reed")};
    model.surfaces.materials = {material("Reed", 0, 0.8F)};
    model.surfaces.materials.front().doubleSided = true;
    return model;
}

} // namespace

Model tallReed() {
    return reedClump({"Tall reed", 13, 2.3, 0.45, 0.34, false, 7100});
}
Model bentReed() {
    return reedClump({"Bent reed", 11, 1.75, 0.95, 0.40, false, 7200});
}
Model seedHead() {
    return reedClump({"Seed head", 9, 2.5, 0.35, 0.28, true, 7300});
}

Model markerPost() {
    SolidBuilder build(2);
    build.lathe(0, at({0, 0, 0}), {{0, -0.6}, {0.075, -0.58}, {0.082, 0}, {0.07, 1.35}, {0.062, 1.39}, {0, 1.4}}, 20);
    build.lathe(1, at({0, 0, 0}), {{0.0705, 1.0}, {0.0765, 1.005}, {0.0745, 1.195}, {0.068, 1.2}}, 20);
    Model model{"Marker post", {build.finish()}, {}};
    model.surfaces.images = {makeTexture(Pattern::Timber, "timber"), makeTexture(Pattern::PaintedMetal, "band")};
    model.surfaces.materials = {material("Timber", 0, 0.9F), material("Band", 1, 0.6F)};
    return model;
}

Model driftStone() {
    Mesh mesh;
    constexpr int kRows = 18;
    constexpr int kColumns = 28;
    const auto point = [](double v, double w) {
        const double a = 2 * std::numbers::pi * w;
        const double b = std::numbers::pi * (v - 0.5);
        const Vec3d n(std::cos(b) * std::cos(a), std::sin(b), std::cos(b) * std::sin(a));
        const double bump = 1 + 0.14 * std::sin(2.3 * n.x() + 1.1) * std::cos(3.1 * n.z()) +
                            0.08 * std::sin(5.2 * n.y() + 4.1 * n.x()) + 0.03 * std::sin(11 * n.z() + 7 * n.x());
        return Vec3d(0.34 * n.x() * bump, 0.10 + 0.19 * n.y() * bump, 0.26 * n.z() * bump);
    };
    for (int r = 0; r <= kRows; ++r)
        for (int c = 0; c <= kColumns; ++c) {
            const double v = static_cast<double>(r) / kRows;
            const double w = static_cast<double>(c % kColumns) / kColumns;
            const double h = 1e-3;
            const Vec3d along = point(v, w + h) - point(v, w - h);
            const Vec3d up = point(std::min(v + h, 1.0), w) - point(std::max(v - h, 0.0), w);
            Vec3d n = up.cross(along);
            if (n.norm() < 1e-9)
                n = Vec3d(0, v < 0.5 ? -1 : 1, 0);
            mesh.positions.push_back(point(v, w).cast<float>());
            mesh.normals.push_back(n.normalized().cast<float>());
            mesh.uvs.emplace_back(static_cast<float>(2.0 * c / kColumns), static_cast<float>(v));
        }
    const auto id = [](int r, int c) { return static_cast<std::uint32_t>(r * (kColumns + 1) + c); };
    for (int r = 0; r < kRows; ++r)
        for (int c = 0; c < kColumns; ++c) {
            if (r > 0)
                mesh.indices.insert(mesh.indices.end(), {id(r, c), id(r + 1, c), id(r, c + 1)});
            if (r + 1 < kRows)
                mesh.indices.insert(mesh.indices.end(), {id(r, c + 1), id(r + 1, c), id(r + 1, c + 1)});
        }
    mesh.parts = {{0, mesh.triangleCount(), 0}};
    Model model{"Drift stone", {std::move(mesh)}, {}};
    model.surfaces.images = {makeTexture(Pattern::Concrete, "stone")};
    model.surfaces.materials = {material("Stone", 0, 0.9F)};
    return model;
}

Model channelWater() {
    Mesh mesh;
    constexpr int kCells = 24;
    constexpr double kSize = 2048;
    for (int j = 0; j <= kCells; ++j)
        for (int i = 0; i <= kCells; ++i) {
            const double x = kSize * (static_cast<double>(i) / kCells - 0.5);
            const double z = kSize * (static_cast<double>(j) / kCells - 0.5);
            mesh.positions.emplace_back(static_cast<float>(x), static_cast<float>(kWaterHeight), static_cast<float>(z));
            mesh.normals.emplace_back(0.0F, 1.0F, 0.0F);
            mesh.uvs.emplace_back(static_cast<float>(x / 16), static_cast<float>(z / 16));
        }
    mesh.indices = gridTriangles(kCells);
    mesh.parts = {{0, mesh.triangleCount(), 0}};
    Model model{"Channel water", {std::move(mesh)}, {}};
    model.surfaces.images = {makeTexture(Pattern::Water, "water")};
    model.surfaces.materials = {material("Water", 0, 0.1F)};
    return model;
}

} // namespace thicket::demo
