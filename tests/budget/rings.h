#pragma once
// Small scenes that are over a budget, for fits.

#include "budget/first_audit.h"
#include "scene/select_input.h"
#include "support/shapes.h"

#include <algorithm>
#include <array>
#include <gtest/gtest.h>
#include <optional>
#include <random>
#include <string>

namespace thicket::test {

/// Balls of four levels in rings round the route, one subject a size.
inline Scene sceneOf(std::size_t subjects, unsigned seed) {
    std::mt19937 generator(seed);
    const auto between = [&](double low, double high) {
        return std::uniform_real_distribution<double>(low, high)(generator);
    };
    static const std::array meshes{
        std::make_shared<const Mesh>(shapes::sphere(24)), std::make_shared<const Mesh>(shapes::sphere(12)),
        std::make_shared<const Mesh>(shapes::sphere(6)), std::make_shared<const Mesh>(shapes::sphere(2))};
    Scene scene;
    scene.settings.cullHidden = false;
    std::uint32_t id = 1;
    for (std::size_t i = 0; i < subjects; ++i) {
        Subject s;
        s.id = id++;
        s.name = "ball " + std::to_string(i);
        s.mesh().surfaces = std::make_shared<const Surfaces>();
        s.rule.fadeSeconds = 0;
        s.rule.hysteresis = 0;
        s.rule.cullBelowPx = 0;
        const double coarse = between(0.5, 2);
        for (std::size_t l = 0; l < meshes.size(); ++l) {
            Deviation off;
            off.there.max = off.there.bound = off.visible = l == 0 ? 0 : coarse * std::array{0.0, 0.004, 0.02, 0.2}[l];
            s.mesh().levels.push_back(levelFrom(meshes[l], off, l == 0 ? LevelOrigin::Source : LevelOrigin::Collapsed));
        }
        refreshSubject(s);
        Placements placed;
        for (int k = 0; k < 20; ++k)
            placed.push_back({id++, 0, {between(-40, 40), 0, between(-60, 60)}, Quatd::Identity(), between(0.5, 2), 1});
        s.mesh().placed = std::make_shared<const Placements>(std::move(placed));
        scene.subjects.push_back(std::move(s));
    }
    scene.nextId = id;
    scene.settings.routes = {
        {"along", {{0, {0, 3, 70}, {0, 1, 0}}, {3, {10, 3, 0}, {0, 1, -40}}, {6, {0, 3, -30}, {0, 1, -90}}}}};
    return scene;
}

inline Device plain() {
    Device d;
    d.name = "plain";
    d.frameRate = 20;
    d.frameMs = 1000;
    d.triangleBudget = 1'000'000'000;
    d.drawBudget = 1'000'000;
    return d;
}

inline std::uint64_t mostTriangles(const Audit& audit) {
    std::uint64_t most = 0;
    for (const AuditFrame& f : audit.frames)
        most = std::max(most, f.triangles);
    return most;
}

/// A device whose triangles lie between what the scene takes as it is and what it takes at its loosest.
inline Device tight(const Scene& scene, double share) {
    Device device = plain();
    const std::uint64_t most = mostTriangles(auditOf(scene, device));
    Device loose = device;
    for (const Subject& s : scene.subjects)
        loose.fitted[s.id] = 8;
    const std::uint64_t least = mostTriangles(auditOf(scene, loose));
    EXPECT_LT(least, most);
    device.triangleBudget = least + static_cast<std::uint64_t>(share * static_cast<double>(most - least));
    return device;
}

/// What is seen of a setting along the whole route, as a fit weighs it; none where some frame does not hold.
inline std::optional<double> seenOf(const Scene& scene, Device device, const Loosened& times) {
    device.fitted = times;
    const std::size_t subjects = scene.subjects.size();
    std::vector<double> sum(subjects, 0);
    std::vector<double> frames(subjects, 0);
    double all = 0;
    bool holds = true;
    const SelectInput input = selectInput(scene, scene.statedView(&device));
    const auto flown = flyRoute(scene, input, scene.settings.routes[0], device, 1, {},
                                [&](std::size_t, const View&, const Selection& selection) {
                                    all += 1;
                                    holds = holds && selection.total.triangles <= device.triangleBudget;
                                    for (std::size_t s = 0; s < subjects; ++s)
                                        if (selection.subjects[s].drawn > 0) {
                                            sum[s] += selection.subjects[s].worstErrorPx;
                                            frames[s] += 1;
                                        }
                                });
    if (!flown || !holds)
        return std::nullopt;
    double out = 0;
    for (std::size_t s = 0; s < subjects; ++s)
        out += sum[s] / std::max(frames[s], 1.0) * scene.subjects[s].rule.importance * (0.1 + 0.9 * frames[s] / all);
    return out;
}

} // namespace thicket::test
