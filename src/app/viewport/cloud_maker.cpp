#include "app/viewport/cloud_maker.h"

#include <algorithm>
#include <cmath>

namespace thicket::app {
namespace {

struct CloudDot {
    ParticleDot dot;
    std::shared_ptr<const Image> sprite;
    std::uint32_t owner = 0;
    float far = 0;
};

void addDots(const CloudSource& source, double seconds, std::vector<Particle>& particles, std::vector<CloudDot>& out) {
    const Placement& at = source.at;
    particlesAt(source.parts, source.seed + at.id, seconds, source.since, source.until, particles);
    for (const Particle& p : particles) {
        const Vec3f place = (at.position + at.rotation * (p.place.cast<double>() * at.scale)).cast<float>();
        const auto shown = [](float linear) { return std::sqrt(std::clamp(linear, 0.0F, 1.0F)); };
        const bool glows = source.parts[p.part].glows;
        out.push_back({{place.x(), place.y(), place.z(), p.size * static_cast<float>(at.scale), shown(p.colour.x()),
                        shown(p.colour.y()), shown(p.colour.z()), glows ? -std::max(p.opacity, 1e-4F) : p.opacity},
                       p.part < source.sprites.size() ? source.sprites[p.part] : nullptr,
                       source.subject,
                       0});
    }
}

} // namespace

std::shared_ptr<const ParticleDraw> makeCloud(const CloudWish& wish) {
    std::vector<Particle> particles;
    std::vector<CloudDot> dots;
    for (const CloudSource& source : wish.sources)
        addDots(source, wish.seconds, particles, dots);
    const Vec3f from = wish.eye.cast<float>();
    for (CloudDot& e : dots) {
        e.far = (Vec3f(e.dot.x, e.dot.y, e.dot.z) - from).squaredNorm();
        // What the eye comes into fades, so that no disc is cut through or fills the picture.
        e.dot.opacity *= std::clamp((std::sqrt(e.far) / e.dot.size - 0.35F) / 0.65F, 0.0F, 1.0F);
    }
    std::erase_if(dots, [](const CloudDot& e) { return e.dot.opacity == 0; });
    if (dots.empty())
        return nullptr;
    std::stable_sort(dots.begin(), dots.end(), [](const CloudDot& a, const CloudDot& b) { return a.far > b.far; });
    auto draw = std::make_shared<ParticleDraw>();
    for (const CloudDot& e : dots) {
        if (draw->groups.empty() || draw->groups.back().sprite != e.sprite)
            draw->groups.push_back({static_cast<std::uint32_t>(draw->dots.size()), 0, e.sprite});
        ++draw->groups.back().count;
        draw->dots.push_back(e.dot);
        draw->owners.push_back(e.owner);
    }
    return draw;
}

CloudMaker::CloudMaker(std::function<void()> ready) : m_ready(std::move(ready)) {
    m_worker.setMaxThreadCount(1);
}

CloudMaker::~CloudMaker() {
    m_worker.waitForDone();
}

CloudMaker::Made CloudMaker::want(const CloudWish& wish) {
    const std::lock_guard lock(m_mutex);
    if (wish == m_asked)
        return {m_made, m_madeNumber == m_number};
    m_asked = wish;
    ++m_number;
    if (wish.sources.empty()) { // nothing is soon made
        m_made = nullptr;
        m_madeNumber = m_number;
        return {nullptr, true};
    }
    if (!m_busy) {
        m_busy = true;
        m_worker.start([this] { work(); });
    }
    return {m_made, false};
}

bool CloudMaker::waiting() const {
    const std::lock_guard lock(m_mutex);
    return m_madeNumber != m_number;
}

void CloudMaker::work() {
    while (true) {
        CloudWish wish;
        std::uint64_t number = 0;
        {
            const std::lock_guard lock(m_mutex);
            if (m_madeNumber == m_number) {
                m_busy = false;
                return;
            }
            wish = m_asked;
            number = m_number;
        }
        auto made = makeCloud(wish);
        {
            const std::lock_guard lock(m_mutex);
            if (number < m_madeNumber)
                continue;
            m_made = std::move(made);
            m_madeNumber = number;
        }
        m_ready();
    }
}

} // namespace thicket::app
