#include "emitters/emitter_look.h"

#include "image/colour.h"

#include <algorithm>
#include <cmath>

namespace thicket {
namespace {

constexpr float kGround = 0.18F; // linear grey behind it
constexpr int kMoments = 24;
constexpr int kMostSide = 192;

} // namespace

void drawParticles(const std::vector<EmitterPart>& parts, std::vector<Particle> particles, const Vec3d& middle,
                   double metre, EmitterPicture& onto) {
    std::stable_sort(particles.begin(), particles.end(),
                     [](const Particle& a, const Particle& b) { return a.place.z() < b.place.z(); });
    for (const Particle& p : particles) {
        const double x = onto.width / 2.0 + (static_cast<double>(p.place.x()) - middle.x()) * metre;
        const double y = onto.height / 2.0 - (static_cast<double>(p.place.y()) - middle.y()) * metre;
        // What is small is spread over some pixels, of each of which it covers its share.
        const double own = static_cast<double>(p.size) * metre / 2;
        const double r = std::max(own, 1.5);
        const double share = own * own / (r * r);
        const int low = std::max(0, static_cast<int>(std::floor(y - r)));
        const int high = std::min(onto.height - 1, static_cast<int>(std::ceil(y + r)));
        const int left = std::max(0, static_cast<int>(std::floor(x - r)));
        const int right = std::min(onto.width - 1, static_cast<int>(std::ceil(x + r)));
        for (int py = low; py <= high; ++py)
            for (int px = left; px <= right; ++px) {
                const double d2 = ((px + 0.5 - x) * (px + 0.5 - x) + (py + 0.5 - y) * (py + 0.5 - y)) / (r * r);
                if (d2 >= 1)
                    continue;
                const float a = p.opacity * static_cast<float>(share * (1 - d2) * (1 - d2));
                const std::size_t at =
                    static_cast<std::size_t>(py) * static_cast<std::size_t>(onto.width) + static_cast<std::size_t>(px);
                if (parts[p.part].glows) {
                    onto.colour[at] += a * p.colour;
                } else {
                    onto.colour[at] += a * (p.colour - onto.colour[at]);
                    onto.cover[at] += a * (1 - onto.cover[at]);
                }
            }
    }
}

EmitterPicture meanPicture(const std::vector<EmitterPart>& parts, std::uint32_t seed, const Bounds& box, double metre) {
    EmitterPicture out;
    const auto side = [metre](double size) { return std::max(4, static_cast<int>(std::ceil(size * metre)) + 2); };
    out.width = side(box.size().x());
    out.height = side(box.size().y());
    const std::size_t pixels = static_cast<std::size_t>(out.width) * static_cast<std::size_t>(out.height);
    EmitterPicture moment = out;
    out.colour.assign(pixels, Vec3f::Zero());
    out.cover.assign(pixels, 0);
    double longest = 0;
    for (const EmitterPart& part : parts)
        longest = std::max(longest, part.lifetime.high);
    std::vector<Particle> particles;
    for (int i = 0; i < kMoments; ++i) {
        moment.colour.assign(pixels, Vec3f::Constant(kGround));
        moment.cover.assign(pixels, 0);
        particlesAt(parts, seed, longest * (1 + 0.29 * i), -1e9, 1e9, particles);
        drawParticles(parts, particles, box.centre(), metre, moment);
        for (std::size_t k = 0; k < pixels; ++k) {
            out.colour[k] += moment.colour[k] / kMoments;
            out.cover[k] += moment.cover[k] / kMoments;
        }
    }
    return out;
}

EmitterPop emitterPop(const Emitter& emitter, std::size_t level, double metres, double pixelScale) {
    Bounds box = seenBounds(emitter.parts, emitter.seed);
    for (std::size_t l = 1; l < emitter.levels.size(); ++l) {
        const Bounds own = seenBounds(partsAt(emitter, l), emitter.seed);
        box = {box.low.cwiseMin(own.low), box.high.cwiseMax(own.high)};
    }
    EmitterPop pop;
    pop.level = static_cast<int>(level);
    pop.metres = metres;
    const double onScreen = pixelScale / std::max(metres, 0.1);
    const double metre = std::min(onScreen, kMostSide / std::max({box.size().x(), box.size().y(), 1e-6}));
    pop.scale = metre / onScreen;
    pop.before = meanPicture(partsAt(emitter, level - 1), emitter.seed, box, metre);
    pop.after = meanPicture(partsAt(emitter, level), emitter.seed, box, metre);
    double seen = 0;
    for (std::size_t k = 0; k < pop.before.colour.size(); ++k) {
        const double pixel = 1 / (pop.scale * pop.scale); // of the screen, for one looked at
        pop.coverBefore += pixel * static_cast<double>(pop.before.cover[k]);
        pop.coverAfter += pixel * static_cast<double>(pop.after.cover[k]);
        const Vec3f ground = Vec3f::Constant(kGround);
        if ((pop.before.colour[k] - ground).cwiseAbs().maxCoeff() < 0.002F &&
            (pop.after.colour[k] - ground).cwiseAbs().maxCoeff() < 0.002F)
            continue;
        const Vec3f before = labOf(pop.before.colour[k]);
        const Vec3f after = labOf(pop.after.colour[k]);
        seen += 1;
        pop.deltaE += static_cast<double>((after - before).norm());
        pop.lightBefore += static_cast<double>(before.x());
        pop.lightAfter += static_cast<double>(after.x());
    }
    if (seen > 0) {
        pop.deltaE /= seen;
        pop.lightBefore /= seen;
        pop.lightAfter /= seen;
    }
    return pop;
}

Result<std::vector<EmitterPop>> emitterPops(const Emitter& emitter, std::span<const double> from, const View& view,
                                            const JobContext& job) {
    std::vector<EmitterPop> out;
    for (std::size_t l = 1; l < emitter.levels.size() && l < from.size(); ++l) {
        if (job.cancelled())
            return cancelledError();
        out.push_back(emitterPop(emitter, l, from[l], view.pixelScale()));
    }
    return out;
}

} // namespace thicket
