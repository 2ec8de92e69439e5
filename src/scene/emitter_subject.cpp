#include "scene/emitter_subject.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>

namespace thicket {

Result<Subject> makeEmitter(std::string name, Emitter emitter, std::vector<std::shared_ptr<const Image>> sprites) {
    if (auto sound = checkEmitter(emitter, name); !sound)
        return sound.error();
    Subject out;
    out.name = std::move(name);
    out.role = Role::Dressing;
    out.rule.decideBy = DecideBy::Distance;
    out.rule.measureFrom = MeasureFrom::Centre;
    out.rule.checkSeconds = 0.25;
    for (const EmitterPart& part : emitter.parts) // what a level leaves lives out meanwhile
        out.rule.fadeSeconds = std::max(out.rule.fadeSeconds, std::min(part.lifetime.high, 60.0));
    out.rule.hysteresis = 0.1;
    EmitterBody body;
    body.emitter = std::move(emitter);
    body.sprites = std::move(sprites);
    body.sprites.resize(body.emitter.parts.size());
    out.body = std::move(body);
    refresh({}, out);
    out.rule.reachMetres = std::clamp(std::round(out.radius * 120 / 10) * 10, 100.0, 4000.0);
    return out;
}

std::vector<LevelCost> emitterCosts(const Emitter& emitter) {
    std::vector<LevelCost> out;
    for (std::size_t l = 0; l < emitter.levels.size(); ++l) {
        const EmitterForecast forecast = forecastOf(partsAt(emitter, l));
        LevelCost cost;
        cost.triangles = static_cast<std::uint32_t>(std::lround(2 * forecast.live));
        cost.vertices = static_cast<std::uint32_t>(std::lround(4 * forecast.live));
        cost.draws = forecast.draws;
        cost.area = std::max(forecast.area, 1e-9); // what is off draws nothing, and is no surface either
        if (l > 0)
            cost.fixed = emitter.levels[l].from;
        out.push_back(cost);
    }
    return out;
}

ResolvedChain emitterChain(const Subject& subject, const View& view) {
    const Emitter& emitter = subject.emitter()->emitter;
    ResolvedChain chain =
        resolveChain(emitterCosts(emitter), subject.rule, subject.bounds, std::max(subject.radius, 1e-6), view);
    std::optional<std::size_t> only;
    if (emitter.forced)
        only = *emitter.forced;
    else if (emitter.levelBy == LevelBy::Tier)
        only = std::min<std::size_t>(static_cast<std::size_t>(std::max(view.tier, 0)), emitter.levels.size() - 1);
    if (only) {
        constexpr double kNever = 1e12;
        for (std::size_t l = 0; l < chain.fromMetres.size(); ++l)
            chain.fromMetres[l] = l <= *only ? 0 : kNever;
        std::fill(chain.growsWithScale.begin(), chain.growsWithScale.end(), false);
    }
    return chain;
}

FixedSwitch usualSwitch(const Emitter& emitter, std::size_t level) {
    constexpr double kFirst = 25; // metres
    const FixedSwitch& before = emitter.levels[level - 1].from;
    return {DecideBy::Distance,
            level > 1 && before.unit == DecideBy::Distance ? 2 * std::max(before.value, 1.0) : kFirst};
}

std::pair<std::shared_ptr<const Mesh>, std::shared_ptr<const Surfaces>> emitterLikeness(const Emitter& emitter) {
    std::vector<Particle> particles;
    double longest = 0;
    for (const EmitterPart& part : emitter.parts)
        longest = std::max(longest, part.lifetime.high);
    particlesAt(emitter.parts, emitter.seed, 2 * longest, -1e9, 1e9, particles);
    auto mesh = std::make_shared<Mesh>();
    auto surfaces = std::make_shared<Surfaces>();
    constexpr std::size_t kShown = 300;
    constexpr int kCorners = 8;
    for (std::size_t p = 0; p < emitter.parts.size(); ++p) {
        const EmitterPart& part = emitter.parts[p];
        const Vec3f colour = ((part.colour + part.colourAtEnd) / 2).cwiseMin(1.0F);
        Material material;
        material.name = part.name;
        material.doubleSided = true;
        material.baseColor = {colour.x(), colour.y(), colour.z(), 1};
        surfaces->materials.push_back(material);
        const std::uint32_t first = mesh->triangleCount();
        std::size_t shown = 0;
        for (const Particle& particle : particles) {
            if (particle.part != p || ++shown > kShown)
                continue;
            const auto at = static_cast<std::uint32_t>(mesh->positions.size());
            for (int c = 0; c < kCorners; ++c) {
                const float angle = 2 * std::numbers::pi_v<float> * static_cast<float>(c) / kCorners;
                // Turned a little to the usual direction of pictures.
                mesh->positions.push_back(particle.place +
                                          particle.size * 0.35F *
                                              Vec3f(0.8F * std::cos(angle), std::sin(angle), -0.6F * std::cos(angle)));
                if (c > 1)
                    mesh->indices.insert(mesh->indices.end(), {at, at + static_cast<std::uint32_t>(c) - 1,
                                                               at + static_cast<std::uint32_t>(c)});
            }
        }
        if (mesh->triangleCount() > first)
            mesh->parts.push_back({first, mesh->triangleCount() - first, static_cast<std::uint32_t>(p)});
    }
    if (mesh->indices.empty())
        return {nullptr, nullptr};
    return {mesh, surfaces};
}

} // namespace thicket
