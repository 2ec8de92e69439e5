#include "app/viewport/particle_items.h"

#include <algorithm>
#include <cmath>
#include <map>

namespace thicket::app {
namespace {

constexpr double kAlways = 1e12;

/// Particles of several emitters, put together and sorted.
class Cloud {
public:
    void add(const Subject& subject, std::size_t level, const Placement& at, double seconds, double since,
             double until) {
        const EmitterBody& body = *subject.emitter();
        particlesAt(partsAt(body.emitter, level), body.emitter.seed + at.id, seconds, since, until, m_particles);
        for (const Particle& p : m_particles) {
            const Vec3f place = (at.position + at.rotation * (p.place.cast<double>() * at.scale)).cast<float>();
            const auto shown = [](float linear) { return std::sqrt(std::clamp(linear, 0.0F, 1.0F)); };
            const bool glows = body.emitter.parts[p.part].glows;
            m_dots.push_back(
                {{place.x(), place.y(), place.z(), p.size * static_cast<float>(at.scale), shown(p.colour.x()),
                  shown(p.colour.y()), shown(p.colour.z()), glows ? -std::max(p.opacity, 1e-4F) : p.opacity},
                 body.sprites[p.part],
                 subject.id,
                 0});
        }
    }

    std::optional<DrawItem> finish(const Vec3d& eye) {
        if (m_dots.empty())
            return std::nullopt;
        const Vec3f from = eye.cast<float>();
        for (Entry& e : m_dots) {
            e.far = (Vec3f(e.dot.x, e.dot.y, e.dot.z) - from).squaredNorm();
            // What the eye comes into fades, so that no disc is cut through or fills the picture.
            e.dot.opacity *= std::clamp((std::sqrt(e.far) / e.dot.size - 0.35F) / 0.65F, 0.0F, 1.0F);
        }
        std::erase_if(m_dots, [](const Entry& e) { return e.dot.opacity == 0; });
        std::stable_sort(m_dots.begin(), m_dots.end(), [](const Entry& a, const Entry& b) { return a.far > b.far; });
        auto draw = std::make_shared<ParticleDraw>();
        for (const Entry& e : m_dots) {
            if (draw->groups.empty() || draw->groups.back().sprite != e.sprite)
                draw->groups.push_back({static_cast<std::uint32_t>(draw->dots.size()), 0, e.sprite});
            ++draw->groups.back().count;
            draw->dots.push_back(e.dot);
            draw->owners.push_back(e.owner);
        }
        DrawItem item;
        item.particles = std::move(draw);
        return item;
    }

private:
    struct Entry {
        ParticleDot dot;
        std::shared_ptr<const Image> sprite;
        std::uint32_t owner = 0;
        float far = 0;
    };
    std::vector<Particle> m_particles;
    std::vector<Entry> m_dots;
};

} // namespace

std::optional<DrawItem> particlesOf(const Scene& scene, const SelectInput& input, const Selection& selection,
                                    const View& view, double seconds) {
    Cloud cloud;
    for (const Run& run : selection.runs) {
        const Batch& batch = input.batches[run.batch];
        const Subject& subject = scene.subjects[batch.subject];
        if (subject.emitter() == nullptr ||
            static_cast<std::size_t>(run.level) >= subject.emitter()->emitter.levels.size())
            continue;
        eachOf(selection, run, [&](std::uint32_t slot) {
            const Placement& at = batch.copies->at(slot);
            if (run.fadingFrom < 0) {
                cloud.add(subject, static_cast<std::size_t>(run.level), at, seconds, -kAlways, kAlways);
                return;
            }
            const double switched = seconds - static_cast<double>(run.fade) * batch.chain.rule.fadeSeconds;
            cloud.add(subject, static_cast<std::size_t>(run.level), at, seconds, switched, kAlways);
            cloud.add(subject, static_cast<std::size_t>(run.fadingFrom), at, seconds, -kAlways, switched);
        });
    }
    return cloud.finish(view.eye);
}

std::optional<DrawItem> particlesOf(const Subject& emitter, int level, const std::vector<double>& offsets,
                                    const Vec3d& eye, double seconds) {
    Cloud cloud;
    Placement at;
    if (level >= 0) {
        cloud.add(emitter, static_cast<std::size_t>(level), at, seconds, -kAlways, kAlways);
    } else {
        for (std::size_t l = 0; l < offsets.size(); ++l) {
            at.position.x() = offsets[l];
            cloud.add(emitter, l, at, seconds, -kAlways, kAlways);
        }
    }
    return cloud.finish(eye);
}

CloudHit cloudAlong(const ParticleDraw& cloud, const Vec3d& eye, const Vec3d& direction) {
    std::map<std::uint32_t, double> shares;
    double clear = 1;
    double nearest = 0;
    for (std::size_t i = cloud.dots.size(); i-- > 0;) { // the nearest first
        const ParticleDot& dot = cloud.dots[i];
        const Vec3d to = Vec3f(dot.x, dot.y, dot.z).cast<double>() - eye;
        const double along = to.dot(direction);
        const double off = (to - along * direction).norm() / (0.5 * static_cast<double>(dot.size));
        if (along <= 0 || off >= 1)
            continue;
        const double opacity = std::min(1.0, static_cast<double>(std::abs(dot.opacity))) * (1 - off * off);
        if (shares.empty())
            nearest = along;
        shares[cloud.owners[i]] += clear * opacity;
        clear *= 1 - opacity;
    }
    if (shares.empty())
        return {};
    const auto most = std::max_element(shares.begin(), shares.end(),
                                       [](const auto& a, const auto& b) { return a.second < b.second; });
    return {most->first, 1 - clear, nearest};
}

} // namespace thicket::app
