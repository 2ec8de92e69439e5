#include "app/viewport/particle_items.h"

#include <algorithm>
#include <cmath>
#include <map>

namespace thicket::app {
namespace {

constexpr double kAlways = 1e12;

CloudSource sourceOf(const Subject& subject, std::size_t level, const Placement& at, double since, double until) {
    const EmitterBody& body = *subject.emitter();
    return {subject.id, partsAt(body.emitter, level), body.sprites, body.emitter.seed, at, since, until};
}

} // namespace

CloudWish cloudOf(const Scene& scene, const SelectInput& input, const Selection& selection, const View& view,
                  double seconds) {
    CloudWish out;
    out.eye = view.eye;
    out.seconds = seconds;
    for (const Run& run : selection.runs) {
        const Batch& batch = input.batches[run.batch];
        const Subject& subject = scene.subjects[batch.subject];
        if (subject.emitter() == nullptr ||
            static_cast<std::size_t>(run.level) >= subject.emitter()->emitter.levels.size())
            continue;
        eachOf(selection, run, [&](std::uint32_t slot) {
            const Placement& at = batch.copies->at(slot);
            if (run.fadingFrom < 0) {
                out.sources.push_back(sourceOf(subject, static_cast<std::size_t>(run.level), at, -kAlways, kAlways));
                return;
            }
            const double switched = seconds - static_cast<double>(run.fade) * batch.chain.rule.fadeSeconds;
            out.sources.push_back(sourceOf(subject, static_cast<std::size_t>(run.level), at, switched, kAlways));
            out.sources.push_back(sourceOf(subject, static_cast<std::size_t>(run.fadingFrom), at, -kAlways, switched));
        });
    }
    return out;
}

CloudWish cloudOf(const Subject& emitter, int level, const std::vector<double>& offsets, const Vec3d& eye,
                  double seconds) {
    CloudWish out;
    out.eye = eye;
    out.seconds = seconds;
    Placement at;
    if (level >= 0) {
        out.sources.push_back(sourceOf(emitter, static_cast<std::size_t>(level), at, -kAlways, kAlways));
        return out;
    }
    for (std::size_t l = 0; l < offsets.size(); ++l) {
        at.position.x() = offsets[l];
        out.sources.push_back(sourceOf(emitter, l, at, -kAlways, kAlways));
    }
    return out;
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
