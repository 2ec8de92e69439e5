#include "models.h"

#include "base/text.h"
#include "solid_builder.h"

#include <cmath>
#include <numbers>

namespace thicket::demo {
namespace {

constexpr double kPi = std::numbers::pi;

std::function<double(double)> even(double radius) {
    return [radius](double) { return radius; };
}

Material material(const char* name, int image, float roughness, float metallic) {
    Material m;
    m.name = name;
    m.baseColorImage = image;
    m.roughness = roughness;
    m.metallic = metallic;
    return m;
}

std::vector<Eigen::Vector2d> dome(double radius, double height, int steps) {
    std::vector<Eigen::Vector2d> profile{{0, 0}, {radius, 0}};
    for (int i = 1; i <= steps; ++i) {
        const double a = kPi / 2 * i / steps;
        profile.emplace_back(i == steps ? 0.0 : radius * std::cos(a), height * std::sin(a));
    }
    return profile;
}

std::vector<Vec3d> circle(const Frame& frame, double radius, int steps) {
    std::vector<Vec3d> path;
    for (int i = 0; i < steps; ++i) {
        const double a = 2 * kPi * i / steps;
        path.emplace_back(frame * Vec3d(radius * std::cos(a), radius * std::sin(a), 0));
    }
    return path;
}

} // namespace

Model windpump() {
    enum : std::uint32_t { Tower, Sails, Wood };
    SolidBuilder b(3);
    const double height = 11.2;
    const auto corner = [&](int k, double y) -> Vec3d {
        const double spread = 2.05 - (2.05 - 0.34) * y / height;
        return {(k == 0 || k == 3 ? -1 : 1) * spread, y, (k < 2 ? -1 : 1) * spread};
    };
    for (int k = 0; k < 4; ++k) {
        b.rod(Tower, straight(corner(k, -0.3), corner(k, height), 150), even(0.075), 20, 0.7);
        b.box(Tower, at(corner(k, 0.08)), {0.62, 0.34, 0.62}, 0.05, 8, 4);
    }
    const std::vector<double> tiers{0.9, 2.5, 4.0, 5.4, 6.7, 7.9, 9.0, 10.0, 10.9};
    for (std::size_t tier = 0; tier < tiers.size(); ++tier)
        for (int k = 0; k < 4; ++k) {
            const int next = (k + 1) % 4;
            b.rod(Tower, straight(corner(k, tiers[tier]), corner(next, tiers[tier]), 44), even(0.042), 14, 0.7);
            if (tier + 1 < tiers.size()) {
                b.rod(Tower, straight(corner(k, tiers[tier]), corner(next, tiers[tier + 1]), 52), even(0.026), 12, 0.7);
                b.rod(Tower, straight(corner(next, tiers[tier]), corner(k, tiers[tier + 1]), 52), even(0.026), 12, 0.7);
            }
            b.box(Tower, at(corner(k, tiers[tier]), kPi / 4), {0.24, 0.26, 0.24}, 0.03, 4, 3);
        }
    for (int plank = 0; plank < 9; ++plank)
        b.box(Wood, at({-0.96 + 0.24 * plank, 9.55, 0}), {0.21, 0.05, 2.1}, 0.012, 10, 2);
    for (int side = 0; side < 2; ++side)
        b.rod(Wood, straight({-0.22 + 0.44 * side, 0, -2.2}, {-0.22 + 0.44 * side, 9.5, -0.75}, 90), even(0.03), 12,
              0.7);
    for (int rung = 0; rung < 26; ++rung) {
        const double t = (rung + 0.7) / 26.5;
        b.rod(Wood, straight({-0.22, 9.5 * t, -2.2 + 1.45 * t}, {0.22, 9.5 * t, -2.2 + 1.45 * t}, 8), even(0.018), 10,
              0.7);
    }
    // Gearbox, shaft and pump rod.
    b.box(Tower, at({0, 11.45, 0.1}), {0.66, 0.62, 1.05}, 0.14, 14, 8);
    std::vector<Eigen::Vector2d> hood{{0, 0}};
    for (int i = 0; i <= 20; ++i)
        hood.emplace_back(0.4 * std::cos(kPi / 2 * i / 20.5), 0.3 * std::sin(kPi / 2 * i / 20.5));
    hood.emplace_back(0, 0.3);
    b.lathe(Tower, at({0, 11.74, 0.1}), hood, 44);
    b.rod(Tower, straight({0, 11.45, -1.0}, {0, 11.45, 0.9}, 30), even(0.09), 24, 0.7);
    b.rod(Tower, straight({0, 0.2, 0}, {0, 11.2, 0}, 120), even(0.024), 12, 0.7);

    // The wheel: hub, spokes, two rims, twenty curved sails.
    const Vec3d hub(0, 11.45, -0.95);
    std::vector<Eigen::Vector2d> nose;
    for (int i = 0; i <= 24; ++i) {
        const double a = kPi * i / 24 - kPi / 2;
        nose.emplace_back(i == 0 || i == 24 ? 0.0 : 0.3 * std::cos(a), 0.24 * std::sin(a));
    }
    b.lathe(Tower, at(hub, 0, kPi / 2), nose, 48);
    for (const double radius : {1.32, 2.5})
        b.ring(Tower, circle(at(hub + Vec3d(0, 0, radius > 2 ? 0.10 : 0.04)), radius, 240), 0.032, 14, 0.7);
    constexpr int kSails = 20;
    for (int s = 0; s < kSails; ++s) {
        const double turn = 2 * kPi * s / kSails;
        const Frame frame = at(hub, 0, 0, 0) * Frame(Eigen::AngleAxisd(turn, Vec3d::UnitZ()));
        if (s % 2 == 0)
            b.rod(Tower, straight(frame * Vec3d(0, 0.2, 0), frame * Vec3d(0, 2.5, 0.09), 60), even(0.026), 12, 0.7);
        b.sheet(
            Sails,
            [frame](double u, double v) -> Vec3d {
                const double r = 0.95 + 2.05 * v;
                const double width = (0.20 + 0.46 * v) * (u - 0.5);
                const double belly = 0.10 * (0.4 + v) * (1 - 4 * (u - 0.5) * (u - 0.5));
                const double pitch = 0.62;
                return frame * Vec3d(width * std::cos(pitch) - belly * std::sin(pitch) * 0.3, r,
                                     width * std::sin(pitch) + belly);
            },
            0.012, 28, 66);
    }
    // Tail: two booms and a vane with a notch's curve.
    for (const double y : {11.3, 11.62})
        b.rod(Tower, straight({0, y, 0.5}, {0, 11.52 + (y - 11.46) * 0.7, 3.6}, 70), even(0.035), 14, 0.7);
    b.sheet(
        Sails,
        [](double u, double v) -> Vec3d {
            const double reach = 2.55 + 1.75 * v;
            const double tall = 0.42 + 0.5 * v;
            return {0.015 * std::sin(kPi * v), 11.52 + tall * (2 * u - 1),
                    reach + 0.22 * (2 * u - 1) * (2 * u - 1) * v};
        },
        0.02, 44, 70);
    for (int k = 0; k < 4; ++k)
        for (std::size_t tier = 0; tier < tiers.size(); ++tier)
            for (int n = 0; n < 2; ++n) {
                const Vec3d p = corner(k, tiers[tier] + 0.06 - 0.12 * n);
                const double face = std::atan2(p.x(), p.z());
                b.lathe(Tower, at(p + Vec3d(std::sin(face), 0, std::cos(face)) * 0.10, face, kPi / 2),
                        dome(0.034, 0.03, 7), 16);
            }

    Model model{"Windpump", {b.finish()}, {}};
    model.surfaces.images = {makeTexture(Pattern::Galvanised, "galvanised"),
                             makeTexture(Pattern::PaintedMetal, "sail paint"), makeTexture(Pattern::Timber, "timber")};
    model.surfaces.materials = {material("Galvanised iron", 0, 0.55F, 0.6F), material("Painted sails", 1, 0.6F, 0.1F),
                                material("Weathered timber", 2, 0.9F, 0.0F)};
    model.surfaces.materials[0].baseColor = Vec4f(0.9F, 0.92F, 0.95F, 1);
    return model;
}

Model eelTrap() {
    enum : std::uint32_t { Willow, Rope };
    SolidBuilder b(2);
    const double length = 1.6;
    // A bottle shape lying along X, its funnel turned inwards at the mouth.
    const auto bodyRadius = [](double t) {
        return 0.25 * (0.42 + 0.58 * std::sin(kPi * std::pow(1 - 0.86 * t, 1.25))) + 0.02 * (1 - t);
    };
    constexpr int kStakes = 26;
    const auto onBody = [&](double t, double angle, double out) -> Vec3d {
        const double r = bodyRadius(t) + out;
        return {length * (t - 0.5), 0.28 + r * std::sin(angle), r * std::cos(angle)};
    };
    for (int s = 0; s < kStakes; ++s) {
        const double angle = 2 * kPi * s / kStakes;
        std::vector<Vec3d> path;
        for (int i = 0; i <= 130; ++i)
            path.push_back(onBody(i / 130.0, angle, 0.0015 * std::sin(9.0 * i / 13 + s)));
        b.rod(
            Willow, path, [](double t) { return 0.0058 - 0.0022 * t; }, 8, 3);
    }
    constexpr int kWeavers = 58;
    for (int w = 0; w < kWeavers; ++w) {
        const double t = 0.015 + 0.965 * w / (kWeavers - 1);
        std::vector<Vec3d> path;
        constexpr int kSteps = kStakes * 6;
        for (int i = 0; i < kSteps; ++i) {
            const double angle = 2 * kPi * i / kSteps;
            const double wave = 0.0075 * std::cos(kStakes * angle / 2 + (w % 2 == 0 ? 0.0 : kPi));
            path.push_back(onBody(std::min(0.999, t + 0.002 * std::sin(3 * angle + w)), angle, wave));
        }
        b.ring(Willow, path, 0.0052 + 0.0008 * hashShare(static_cast<std::uint32_t>(w)), 8, 3);
    }
    const auto onFunnel = [&](double t, double angle, double out) -> Vec3d {
        const double r = 0.125 - 0.085 * t + out;
        return {length * (-0.5 + 0.02 + 0.42 * t), 0.28 + r * std::sin(angle), r * std::cos(angle)};
    };
    for (int s = 0; s < 16; ++s) {
        std::vector<Vec3d> path;
        for (int i = 0; i <= 70; ++i)
            path.push_back(onFunnel(i / 70.0, 2 * kPi * s / 16, 0));
        b.rod(
            Willow, path, [](double t) { return 0.0045 - 0.002 * t; }, 8, 3);
    }
    for (int w = 0; w < 22; ++w) {
        std::vector<Vec3d> path;
        for (int i = 0; i < 112; ++i) {
            const double angle = 2 * kPi * i / 112;
            path.push_back(onFunnel(0.02 + 0.9 * w / 21, angle, 0.005 * std::cos(8 * angle + (w % 2) * kPi)));
        }
        b.ring(Willow, path, 0.0042, 8, 3);
    }
    // Handle and a coil of rope.
    std::vector<Vec3d> handle;
    for (int i = 0; i <= 160; ++i) {
        const double t = i / 160.0;
        handle.emplace_back(-0.55 + 0.75 * t, 0.48 + 0.16 * std::sin(kPi * t), 0.01 * std::sin(40 * t));
    }
    b.rod(Rope, handle, even(0.011), 14, 6);
    std::vector<Vec3d> coil;
    for (int i = 0; i <= 900; ++i) {
        const double a = 2 * kPi * i / 150;
        const double r = 0.13 + 0.012 * std::sin(0.7 * a);
        coil.emplace_back(0.55 + r * std::cos(a), 0.02 + 0.0032 * a, 0.36 + r * std::sin(a));
    }
    b.rod(Rope, coil, even(0.0105), 12, 6);

    Model model{"Eel trap", {b.finish()}, {}};
    model.surfaces.images = {makeTexture(Pattern::Willow, "willow"), makeTexture(Pattern::Rope, "rope")};
    model.surfaces.materials = {material("Willow", 0, 0.85F, 0.0F), material("Rope", 1, 0.95F, 0.0F)};
    return model;
}

Model sluiceGate() {
    enum : std::uint32_t { Stone, Wood, Iron };
    SolidBuilder b(3);
    for (const int side : {-1, 1}) {
        b.box(Stone, at({side * 1.95, 1.35, 0}), {0.72, 2.9, 1.3}, 0.06, 16, 5, 0.6);
        b.box(Stone, at({side * 1.95, 2.86, 0}), {0.86, 0.16, 1.46}, 0.04, 10, 4, 0.6);
        b.box(Wood, at({side * 1.42, 2.3, 0}), {0.22, 4.4, 0.24}, 0.02, 14, 3, 0.6);
    }
    b.box(Stone, at({0, 0.06, 0}), {4.4, 0.3, 2.2}, 0.06, 18, 4, 0.6);
    b.box(Wood, at({0, 4.55, 0}), {3.5, 0.26, 0.3}, 0.025, 16, 4, 0.6);
    for (int plank = 0; plank < 8; ++plank)
        b.box(Wood, at({0, 0.42 + 0.232 * plank, 0.02}), {2.58, 0.22, 0.09}, 0.015, 14, 3, 0.6);
    for (const int side : {-1, 1}) {
        const double x = side * 0.62;
        b.box(Iron, at({x, 2.4, 0.1}), {0.09, 4.1, 0.06}, 0.012, 12, 3);
        for (int tooth = 0; tooth < 44; ++tooth)
            b.box(Iron, at({x, 2.55 + 0.042 * tooth, 0.145}), {0.085, 0.02, 0.04}, 0.004, 1, 2);
        // The pinion that climbs the rack.
        std::vector<Eigen::Vector2d> barrel{{0, -0.06}};
        for (int i = 0; i <= 12; ++i)
            barrel.emplace_back(0.1 - 0.012 * std::pow(std::abs(i - 6) / 6.0, 4), -0.06 + 0.01 * i);
        barrel.emplace_back(0, 0.06);
        b.lathe(Iron, at({x, 3.7, 0.27}, 0, 0, kPi / 2), barrel, 48);
        for (int tooth = 0; tooth < 14; ++tooth) {
            const double a = 2 * kPi * tooth / 14;
            b.box(Iron, at({x, 3.7 + 0.11 * std::sin(a), 0.27 + 0.11 * std::cos(a)}, 0, -a), {0.09, 0.022, 0.035},
                  0.005, 2, 2);
        }
    }
    b.rod(Iron, straight({-1.25, 3.7, 0.27}, {1.75, 3.7, 0.27}, 90), even(0.032), 24, 1);
    const Frame wheel = at({1.75, 3.7, 0.27}, kPi / 2);
    b.ring(Iron, circle(wheel, 0.46, 180), 0.028, 20, 1);
    for (int s = 0; s < 6; ++s) {
        const double a = 2 * kPi * s / 6;
        b.rod(Iron,
              straight(wheel * Vec3d(0.05 * std::cos(a), 0.05 * std::sin(a), 0),
                       wheel * Vec3d(0.45 * std::cos(a), 0.45 * std::sin(a), 0), 26),
              even(0.018), 14, 1);
    }
    b.lathe(Iron, at({1.70, 3.7, 0.27}, 0, 0, -kPi / 2), dome(0.09, 0.1, 12), 40);
    for (int strap = 0; strap < 3; ++strap)
        for (const int side : {-1, 1}) {
            b.box(Iron, at({side * 0.62, 0.55 + 0.72 * strap, 0.08}), {0.5, 0.09, 0.03}, 0.01, 6, 3);
            for (int bolt = 0; bolt < 4; ++bolt)
                b.lathe(Iron, at({side * 0.62 - 0.18 + 0.12 * bolt, 0.55 + 0.72 * strap, 0.095}, 0, kPi / 2),
                        dome(0.022, 0.018, 6), 20);
        }
    // Walkway behind the gate.
    for (int plank = 0; plank < 16; ++plank)
        b.box(Wood, at({-2.0 + 0.267 * plank, 2.98, -0.85}), {0.235, 0.05, 0.78}, 0.01, 6, 2, 0.6);
    for (const int side : {-1, 0, 1})
        b.rod(Iron, straight({side * 1.98, 2.95, -1.2}, {side * 1.98, 4.0, -1.2}, 30), even(0.024), 16, 1);
    for (const double y : {3.5, 3.98})
        b.rod(Iron, straight({-2.05, y, -1.2}, {2.05, y, -1.2}, 80), even(0.02), 16, 1);

    Model model{"Sluice gate", {b.finish()}, {}};
    model.surfaces.images = {makeTexture(Pattern::Concrete, "stone"), makeTexture(Pattern::Timber, "oak"),
                             makeTexture(Pattern::PaintedMetal, "iron")};
    model.surfaces.materials = {material("Stone", 0, 0.95F, 0.0F), material("Oak", 1, 0.85F, 0.0F),
                                material("Painted iron", 2, 0.5F, 0.4F)};
    model.surfaces.materials[2].baseColor = Vec4f(0.42F, 0.55F, 0.5F, 1);
    return model;
}

namespace {

Mesh skiffLevel(int detail) {
    enum : std::uint32_t { Hull, Trim };
    SolidBuilder b(2);
    const double length = 4.4;
    const int across = detail == 0 ? 72 : detail == 1 ? 28 : 10;
    const int along = detail == 0 ? 190 : detail == 1 ? 60 : 16;
    const auto half = [](double v) { return 0.74 * std::pow(std::sin(kPi * (0.06 + 0.78 * (1 - v) + 0.02)), 0.75); };
    const auto sheer = [](double v) { return 0.56 + 0.34 * v * v + 0.06 * (1 - v) * (1 - v); };
    const auto keel = [](double v) { return 0.02 + 0.34 * std::pow(v, 5); };
    b.sheet(
        Hull,
        [&](double u, double v) -> Vec3d {
            const double a = kPi * (u - 0.5);
            const double round = std::sin(a);
            const double drop = std::pow(std::abs(std::cos(a)), 0.62);
            const double lap = detail == 0 ? 0.008 * std::abs(std::sin(9 * kPi * u)) : 0;
            return {(half(v) + lap) * round, sheer(v) + (keel(v) - sheer(v)) * drop, length * (v - 0.5)};
        },
        0.028, across, along);
    const int rails = detail == 0 ? 150 : detail == 1 ? 40 : 10;
    const int section = detail == 0 ? 14 : detail == 1 ? 8 : 4;
    for (const int side : {-1, 1}) {
        std::vector<Vec3d> rail;
        for (int i = 0; i <= rails; ++i) {
            const double v = static_cast<double>(i) / rails;
            rail.emplace_back(side * half(v), sheer(v) + 0.01, length * (v - 0.5));
        }
        b.rod(Trim, rail, even(0.034), section, 1);
    }
    const int cells = detail == 0 ? 16 : detail == 1 ? 5 : 1;
    const int round = detail == 0 ? 5 : detail == 1 ? 2 : 1;
    for (const double v : {0.16, 0.46, 0.72})
        b.box(Trim, at({0, 0.46, length * (v - 0.5)}), {2 * half(v) - 0.03, 0.04, 0.26}, 0.012, cells, round);
    b.box(Trim, at({0, 0.34, -length / 2 + 0.01}), {2 * half(0) * 0.96, 0.56, 0.05}, 0.015, cells, round);
    if (detail < 2)
        for (int rib = 0; rib < 11; ++rib) {
            const double v = 0.08 + 0.8 * rib / 10.0;
            std::vector<Vec3d> path;
            const int steps = detail == 0 ? 60 : 16;
            for (int i = 0; i <= steps; ++i) {
                const double a = kPi * (0.04 + 0.92 * i / steps - 0.5);
                const double drop = std::pow(std::abs(std::cos(a)), 0.62);
                path.emplace_back(0.965 * half(v) * std::sin(a), sheer(v) + (keel(v) - sheer(v)) * drop * 0.95,
                                  length * (v - 0.5));
            }
            b.rod(Trim, path, even(0.018), detail == 0 ? 10 : 6, 1);
        }
    for (const int side : {-1, 1}) {
        const Vec3d grip(side * 0.25, 0.62, -0.2);
        const Vec3d tip(side * 0.42, 0.52, 1.55);
        b.rod(
            Trim,
            straight(grip, tip,
                     detail == 0   ? 90
                     : detail == 1 ? 20
                                   : 2),
            [](double t) { return 0.026 - 0.008 * t; }, section, 1);
        b.box(Trim, at(tip + Vec3d(0, 0, 0.22), 0.08 * side), {0.15, 0.02, 0.5}, 0.008, cells, round);
    }
    if (detail == 0)
        for (int i = 0; i < 60; ++i) {
            const double v = 0.03 + 0.94 * (i / 2) / 29.0;
            const int side = i % 2 == 0 ? -1 : 1;
            b.lathe(Trim, at({side * (half(v) + 0.03), sheer(v) - 0.06, length * (v - 0.5)}, 0, 0, -side * kPi / 2),
                    dome(0.013, 0.01, 5), 12);
        }
    return b.finish();
}

} // namespace

Model skiff() {
    Model model{"Skiff", {skiffLevel(0), skiffLevel(1), skiffLevel(2)}, {}};
    model.surfaces.images = {makeTexture(Pattern::PaintedMetal, "hull paint"), makeTexture(Pattern::Timber, "ash")};
    model.surfaces.materials = {material("Hull paint", 0, 0.5F, 0.0F), material("Ash", 1, 0.8F, 0.0F)};
    model.surfaces.materials[0].baseColor = Vec4f(0.45F, 0.66F, 0.72F, 1);
    return model;
}

double groundHeight(double x, double z) {
    // One winding channel along Z, side creeks, and a low dune to the east.
    const double middle = 22 * std::sin(z / 46.0) + 8 * std::sin(z / 17.0 + 1);
    const double channel = std::exp(-std::pow((x - middle) / 13.0, 2));
    const double creek =
        std::exp(-std::pow(std::sin(z / 31.0 + 0.02 * x) * 9, 2)) * std::exp(-std::pow((x - middle) / 70.0, 2));
    const double dune = 5.5 * std::exp(-std::pow((x - 120 - 14 * std::sin(z / 60)) / 34.0, 2));
    const double ripple =
        0.10 * std::sin(x / 3.1 + 0.6 * std::sin(z / 5.3)) + 0.35 * std::sin(x / 23.0) * std::sin(z / 29.0);
    return 0.9 + dune + ripple - 2.6 * channel - 0.8 * creek;
}

} // namespace thicket::demo
