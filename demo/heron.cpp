// The heron: one skinned figure with a skeleton and two animations, made of closed solids.

#include "base/text.h"
#include "models.h"
#include "solid_builder.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace thicket::demo {
namespace {

/// A bone stands at `from`, the joint's place, and reaches to `to`.
struct Bone {
    const char* name;
    int parent;
    Vec3d from;
    Vec3d to;
};

/// Parents first. The bird faces +Z and stands on y = 0.
const std::vector<Bone>& bones() {
    static const std::vector<Bone> kBones{{"hips", -1, {0, 0.52, -0.06}, {0, 0.56, 0.14}},
                                          {"tail", 0, {0, 0.51, -0.12}, {0, 0.46, -0.36}},
                                          {"neck low", 0, {0, 0.58, 0.16}, {0, 0.74, 0.24}},
                                          {"neck mid", 2, {0, 0.74, 0.24}, {0, 0.86, 0.15}},
                                          {"neck high", 3, {0, 0.86, 0.15}, {0, 0.97, 0.17}},
                                          {"head", 4, {0, 0.97, 0.17}, {0, 0.96, 0.44}},
                                          {"thigh left", 0, {0.05, 0.47, 0.0}, {0.055, 0.29, -0.05}},
                                          {"shin left", 6, {0.055, 0.29, -0.05}, {0.055, 0.03, 0.0}},
                                          {"foot left", 7, {0.055, 0.03, 0.0}, {0.055, 0.01, 0.10}},
                                          {"thigh right", 0, {-0.05, 0.47, 0.0}, {-0.055, 0.29, -0.05}},
                                          {"shin right", 9, {-0.055, 0.29, -0.05}, {-0.055, 0.03, 0.0}},
                                          {"foot right", 10, {-0.055, 0.03, 0.0}, {-0.055, 0.01, 0.10}},
                                          {"wing left", 0, {0.10, 0.60, 0.08}, {0.12, 0.55, -0.14}},
                                          {"wing tip left", 12, {0.12, 0.55, -0.14}, {0.08, 0.49, -0.34}},
                                          {"wing right", 0, {-0.10, 0.60, 0.08}, {-0.12, 0.55, -0.14}},
                                          {"wing tip right", 14, {-0.12, 0.55, -0.14}, {-0.08, 0.49, -0.34}}};
    return kBones;
}

std::vector<Vec3d> smooth(const std::vector<Vec3d>& through, int steps) {
    std::vector<Vec3d> path;
    const auto n = static_cast<int>(through.size());
    for (int i = 0; i < steps; ++i) {
        const double s = static_cast<double>(i) / (steps - 1) * (n - 1);
        const int k = std::min(static_cast<int>(s), n - 2);
        const double t = s - k;
        const auto point = [&](int j) { return through[static_cast<std::size_t>(std::clamp(j, 0, n - 1))]; };
        const Vec3d a = point(k - 1);
        const Vec3d b = point(k);
        const Vec3d c = point(k + 1);
        const Vec3d d = point(k + 2);
        path.emplace_back(
            0.5 * (2 * b + (c - a) * t + (2 * a - 5 * b + 4 * c - d) * t * t + (3 * b - a - 3 * c + d) * t * t * t));
    }
    return path;
}

std::function<double(double)> through(std::vector<double> radii) {
    return [radii = std::move(radii)](double t) {
        const double s = t * static_cast<double>(radii.size() - 1);
        const auto k = std::min(static_cast<std::size_t>(s), radii.size() - 2);
        const double u = s - static_cast<double>(k);
        const double eased = u * u * (3 - 2 * u);
        return radii[k] * (1 - eased) + radii[k + 1] * eased;
    };
}

double distanceToBone(const Bone& bone, const Vec3d& p) {
    const Vec3d way = bone.to - bone.from;
    const double t = std::clamp((p - bone.from).dot(way) / way.squaredNorm(), 0.0, 1.0);
    return (p - bone.from - t * way).norm();
}

/// The two or three nearest of a part's bones, by the fourth power of nearness.
void weigh(Mesh& mesh, std::uint32_t firstVertex, const std::vector<int>& allowed) {
    for (std::uint32_t v = firstVertex; v < mesh.vertexCount(); ++v) {
        std::vector<std::pair<double, int>> near;
        for (const int b : allowed)
            near.emplace_back(distanceToBone(bones()[static_cast<std::size_t>(b)], mesh.positions[v].cast<double>()),
                              b);
        std::sort(near.begin(), near.end());
        Joints joints{};
        Vec4f weights = Vec4f::Zero();
        for (std::size_t k = 0; k < std::min<std::size_t>(3, near.size()); ++k) {
            const double ratio = near[0].first / std::max(near[k].first, 1e-9);
            joints[k] = static_cast<std::uint16_t>(near[k].second);
            weights[static_cast<Eigen::Index>(k)] = static_cast<float>(std::pow(ratio, 4));
        }
        mesh.extras.joints.push_back(joints);
        mesh.extras.weights.push_back(weights / weights.sum());
    }
}

/// Joins a part onto the figure; its materials run on.
void join(Mesh& figure, const Mesh& part, const std::vector<int>& allowed) {
    const std::uint32_t base = figure.vertexCount();
    const auto append = [](auto& to, const auto& from) { to.insert(to.end(), from.begin(), from.end()); };
    append(figure.positions, part.positions);
    append(figure.normals, part.normals);
    append(figure.uvs, part.uvs);
    for (const MeshPart& p : part.parts)
        figure.parts.push_back({p.firstTriangle + figure.triangleCount(), p.triangleCount, p.material});
    for (const std::uint32_t i : part.indices)
        figure.indices.push_back(base + i);
    weigh(figure, base, allowed);
}

enum : std::uint32_t { Feather, Horn };

Mesh bodyAndNeck() {
    SolidBuilder b(2);
    b.rod(Feather,
          smooth({{0, 0.45, -0.37},
                  {0, 0.49, -0.22},
                  {0, 0.53, -0.06},
                  {0, 0.57, 0.10},
                  {0, 0.64, 0.21},
                  {0, 0.74, 0.24},
                  {0, 0.81, 0.19},
                  {0, 0.87, 0.145},
                  {0, 0.94, 0.145},
                  {0, 0.975, 0.19},
                  {0, 0.967, 0.26}},
                 340),
          through({0.008, 0.055, 0.105, 0.095, 0.048, 0.03, 0.024, 0.021, 0.022, 0.033, 0.014}), 60, 2);
    return b.finish();
}

Mesh beakAndEyes() {
    SolidBuilder b(2);
    b.rod(Horn, straight({0, 0.968, 0.245}, {0, 0.955, 0.42}, 60), through({0.015, 0.011, 0.0035, 0.0005}), 24, 2);
    for (const double side : {-1.0, 1.0}) {
        std::vector<Eigen::Vector2d> ball;
        for (int i = 0; i <= 12; ++i) {
            const double a = std::numbers::pi * i / 12 - std::numbers::pi / 2;
            ball.emplace_back(i == 0 || i == 12 ? 0.0 : 0.006 * std::cos(a), 0.006 * std::sin(a));
        }
        b.lathe(Horn, at({side * 0.026, 0.982, 0.215}), ball, 20);
    }
    // A crest of three thin plumes at the back of the head.
    for (int k = -1; k <= 1; ++k)
        b.rod(Feather, smooth({{0.006 * k, 0.985, 0.16}, {0.010 * k, 0.975, 0.09}, {0.016 * k, 0.93, 0.03}}, 50),
              through({0.004, 0.005, 0.001}), 10, 3);
    return b.finish();
}

Mesh leg(double side) {
    SolidBuilder b(2);
    b.rod(Feather, smooth({{side * 0.05, 0.50, 0.0}, {side * 0.053, 0.40, -0.02}, {side * 0.055, 0.29, -0.05}}, 70),
          through({0.045, 0.03, 0.010}), 30, 2);
    b.rod(Horn, smooth({{side * 0.055, 0.30, -0.05}, {side * 0.055, 0.16, -0.022}, {side * 0.055, 0.018, 0.0}}, 110),
          through({0.009, 0.011, 0.006, 0.0055, 0.006, 0.008}), 22, 2);
    for (const double turn : {-0.55, 0.0, 0.55, std::numbers::pi})
        b.rod(Horn,
              smooth({{side * 0.055, 0.016, 0.0},
                      {side * 0.055 + 0.05 * std::sin(turn), 0.011, 0.05 * std::cos(turn)},
                      {side * 0.055 + 0.10 * std::sin(turn), 0.005, 0.10 * std::cos(turn)}},
                     46),
              through({0.007, 0.005, 0.0015}), 14, 2);
    return b.finish();
}

Mesh wing(double side) {
    SolidBuilder b(2);
    // Laid on the body, with rows of feathers as shallow waves.
    b.sheet(
        Feather,
        [side](double u, double v) -> Vec3d {
            const double along = v;
            const double width = 0.085 * std::sin(std::numbers::pi * std::min(1.0, 0.12 + 0.95 * along)) + 0.012;
            const double wave = 0.0035 * std::sin(46 * along + 9 * u) * (0.3 + along);
            const double out = 0.112 - 0.055 * along * along + wave;
            return {side * (out - 0.05 * (2 * u - 1) * (2 * u - 1) * 0.5), 0.59 - 0.11 * along + width * (2 * u - 1),
                    0.10 - 0.46 * along};
        },
        0.006, 40, 120);
    return b.finish();
}

Rig skeleton() {
    Rig rig;
    for (const Bone& bone : bones()) {
        const Vec3d parent = bone.parent >= 0 ? bones()[static_cast<std::size_t>(bone.parent)].from : Vec3d(0, 0, 0);
        rig.joints.push_back(static_cast<int>(rig.nodes.size()));
        rig.nodes.push_back({bone.name, bone.parent, (bone.from - parent).cast<float>(), {0, 0, 0, 1}, {1, 1, 1}});
        const Vec3f back = -bone.from.cast<float>();
        rig.inverseBind.push_back({1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, back.x(), back.y(), back.z(), 1});
    }
    return rig;
}

/// A turn round one axis over time, as keys a tenth of the length apart.
RigChannel turning(int node, int axis, double seconds, const std::function<double(double)>& radians) {
    RigChannel channel;
    channel.node = node;
    channel.path = RigChannel::Path::Rotation;
    for (int i = 0; i <= 10; ++i) {
        const double t = i / 10.0;
        const auto half = static_cast<float>(radians(t) / 2);
        channel.times.push_back(static_cast<float>(seconds * t));
        for (int k = 0; k < 3; ++k)
            channel.values.push_back(k == axis ? std::sin(half) : 0.0F);
        channel.values.push_back(std::cos(half));
    }
    return channel;
}

std::vector<RigAnimation> animations() {
    const auto wave = [](double size, double phase) {
        return [size, phase](double t) { return size * std::sin(2 * std::numbers::pi * t + phase); };
    };
    const auto lift = [](double size, double phase) {
        return [size, phase](double t) { return size * std::max(0.0, std::sin(2 * std::numbers::pi * t + phase)); };
    };
    constexpr double kStep = 3.2;
    RigAnimation wade{"wade", {}};
    for (const int left : {6, 9}) {
        const double phase = left == 6 ? 0 : std::numbers::pi;
        wade.channels.push_back(turning(left, 0, kStep, wave(0.42, phase)));
        wade.channels.push_back(turning(left + 1, 0, kStep, lift(0.75, phase + 0.7)));
        wade.channels.push_back(turning(left + 2, 0, kStep, lift(-0.5, phase + 0.7)));
    }
    wade.channels.push_back(turning(2, 0, kStep, wave(0.16, 0.4)));
    wade.channels.push_back(turning(3, 0, kStep, wave(-0.2, 0.4)));
    wade.channels.push_back(turning(5, 0, kStep, wave(0.1, 0.4)));
    wade.channels.push_back(turning(1, 1, kStep, wave(0.12, 0)));
    // Neck thrown forward and down, wings out for balance.
    constexpr double kStrike = 1.8;
    const auto once = [](double size) {
        return [size](double t) { return size * std::pow(std::sin(std::numbers::pi * t), 3); };
    };
    RigAnimation strike{"strike", {}};
    strike.channels.push_back(turning(0, 0, kStrike, once(0.35)));
    strike.channels.push_back(turning(2, 0, kStrike, once(0.9)));
    strike.channels.push_back(turning(3, 0, kStrike, once(0.8)));
    strike.channels.push_back(turning(4, 0, kStrike, once(0.5)));
    strike.channels.push_back(turning(5, 0, kStrike, once(-0.5)));
    for (const int leg : {6, 9})
        strike.channels.push_back(turning(leg, 0, kStrike, once(-0.35)));
    for (const int wing : {12, 14}) {
        strike.channels.push_back(turning(wing, 1, kStrike, once(wing == 12 ? 0.7 : -0.7)));
        strike.channels.push_back(turning(wing + 1, 1, kStrike, once(wing == 12 ? 0.4 : -0.4)));
    }
    return {wade, strike};
}

/// Parts by material, so that the figure has one draw for each.
Mesh byMaterial(const Mesh& mesh, std::uint32_t materials) {
    Mesh out = mesh;
    out.indices.clear();
    out.parts.clear();
    for (std::uint32_t m = 0; m < materials; ++m) {
        const std::uint32_t first = out.triangleCount();
        for (const MeshPart& part : mesh.parts)
            if (part.material == m)
                out.indices.insert(out.indices.end(), mesh.indices.begin() + 3 * std::ptrdiff_t{part.firstTriangle},
                                   mesh.indices.begin() +
                                       3 * (std::ptrdiff_t{part.firstTriangle} + std::ptrdiff_t{part.triangleCount}));
        if (out.triangleCount() > first)
            out.parts.push_back({first, out.triangleCount() - first, m});
    }
    return out;
}

} // namespace

Model heron() {
    Mesh figure;
    join(figure, bodyAndNeck(), {0, 1, 2, 3, 4, 5});
    join(figure, beakAndEyes(), {5});
    join(figure, leg(1), {0, 6, 7, 8});
    join(figure, leg(-1), {0, 9, 10, 11});
    join(figure, wing(1), {12, 13});
    join(figure, wing(-1), {14, 15});
    Model model{"Heron", {byMaterial(figure, 2)}, {}, skeleton()};
    model.rig.animations = animations();
    model.surfaces.images = {makeTexture(Pattern::Feather, "feather"), makeTexture(Pattern::Horn, "horn")};
    Material feather;
    feather.name = "Feather";
    feather.baseColorImage = 0;
    feather.roughness = 0.9F;
    Material horn;
    horn.name = "Horn";
    horn.baseColorImage = 1;
    horn.roughness = 0.5F;
    model.surfaces.materials = {feather, horn};
    return model;
}

} // namespace thicket::demo
