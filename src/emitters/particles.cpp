#include "emitters/particles.h"

#include "scatter/spread_order.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace thicket {
namespace {

constexpr double kPi = std::numbers::pi;

/// Times its middle size that a particle is at a share of its life.
double sizeAt(const EmitterPart& part, double life) {
    return life < 0.5 ? part.sizeAtBirth + (1 - part.sizeAtBirth) * 2 * life
                      : 1 + (part.sizeAtEnd - 1) * (2 * life - 1);
}

/// The mean over a life of that, squared: of a line from a to b it is (a2 + ab + b2) / 3.
double meanSquare(const EmitterPart& part) {
    const auto half = [](double a, double b) { return (a * a + a * b + b * b) / 3; };
    return (half(part.sizeAtBirth, 1) + half(1, part.sizeAtEnd)) / 2;
}

double opacityAt(const EmitterPart& part, double life) {
    const double in = part.fadeIn > 0 ? std::min(1.0, life / part.fadeIn) : 1;
    const double out = part.fadeOut < 1 ? std::clamp((1 - life) / (1 - part.fadeOut), 0.0, 1.0) : 1;
    return part.opacity * in * out;
}

/// Everything about a particle follows from its number.
void addParticle(const EmitterPart& part, std::uint8_t index, std::uint64_t seed, std::uint64_t number, double age,
                 std::vector<Particle>& out) {
    const auto draw = [&](std::uint64_t what) { return share(seed + 0x9E3779B9ULL * what, number); };
    const double life = part.lifetime.low + (part.lifetime.high - part.lifetime.low) * draw(1);
    if (age >= life)
        return;
    const double size = part.size.low + (part.size.high - part.size.low) * draw(2);
    const double speed = part.speed.low + (part.speed.high - part.speed.low) * draw(3);
    // Evenly over the cap of directions within the spread.
    const double least = std::cos(part.spreadDegrees * kPi / 180);
    const double along = least + (1 - least) * draw(4);
    const double around = 2 * kPi * draw(5);
    const Vec3d any = std::abs(part.direction.y()) < 0.9 ? Vec3d(0, 1, 0) : Vec3d(1, 0, 0);
    const Vec3d side = part.direction.cross(any).normalized();
    const Vec3d other = part.direction.cross(side);
    const double off = std::sqrt(std::max(0.0, 1 - along * along));
    const Vec3d way = along * part.direction + off * (std::cos(around) * side + std::sin(around) * other);
    const Vec3d begin = part.middle + part.from.cwiseProduct(Vec3d(2 * draw(6) - 1, 2 * draw(7) - 1, 2 * draw(8) - 1));
    const double t = age / life;
    Particle p;
    p.place = (begin + way * (speed * age) + part.pull * (age * age / 2)).cast<float>();
    p.size = static_cast<float>(size * sizeAt(part, t));
    p.colour = part.colour + static_cast<float>(t) * (part.colourAtEnd - part.colour);
    p.opacity = static_cast<float>(opacityAt(part, t));
    p.part = index;
    out.push_back(p);
}

} // namespace

double EmitterForecast::overdraw(double metres, const View& view) const {
    const double metre = view.pixelScale() / std::max(metres, 1e-6);
    return area * metre * metre / (static_cast<double>(view.lines) * view.lines * view.aspect);
}

EmitterForecast forecastOf(const std::vector<EmitterPart>& parts) {
    EmitterForecast out;
    for (const EmitterPart& part : parts) {
        if (!part.on || (part.rate <= 0 && part.burst <= 0))
            continue;
        const double rate = part.rate + part.burst / part.burstEvery;
        const double live = rate * part.lifetime.mean();
        out.live += live;
        // At the worst all live as long as they can, and a burst has just come.
        out.worst += std::ceil(part.rate * part.lifetime.high) +
                     std::ceil(part.burst) * std::ceil(part.lifetime.high / part.burstEvery);
        const auto [low, high] = part.size;
        out.area += live * kPi / 4 * (low * low + low * high + high * high) / 3 * meanSquare(part);
        ++out.partsOn;
        ++out.draws;
    }
    return out;
}

void particlesAt(const std::vector<EmitterPart>& parts, std::uint32_t seed, double seconds, double since, double until,
                 std::vector<Particle>& out) {
    out.clear();
    const double now = std::floor(seconds / kParticleStep + 1e-6) * kParticleStep;
    for (std::size_t p = 0; p < parts.size() && p < Emitter::kMostParts; ++p) {
        const EmitterPart& part = parts[p];
        if (!part.on)
            continue;
        const std::uint64_t own = lot(seed, p);
        const double oldest = std::max({now - part.lifetime.high, since, 0.0});
        const double newest = std::min(now, until);
        if (part.rate > 0)
            for (auto i = static_cast<std::int64_t>(std::ceil(oldest * part.rate)); i >= 0; ++i) {
                const double born = static_cast<double>(i) / part.rate;
                if (born > newest || born >= until)
                    break;
                addParticle(part, static_cast<std::uint8_t>(p), own, static_cast<std::uint64_t>(i), now - born, out);
            }
        if (part.burst > 0)
            for (auto b = static_cast<std::int64_t>(std::ceil(oldest / part.burstEvery)); b >= 0; ++b) {
                const double born = static_cast<double>(b) * part.burstEvery;
                if (born > newest || born >= until)
                    break;
                for (std::uint64_t k = 0; k < static_cast<std::uint64_t>(part.burst); ++k)
                    addParticle(part, static_cast<std::uint8_t>(p), own + 1, (static_cast<std::uint64_t>(b) << 20U) + k,
                                now - born, out);
            }
    }
}

Bounds particleBounds(const std::vector<EmitterPart>& parts) {
    Vec3d low = Vec3d::Constant(1e300);
    Vec3d high = -low;
    for (const EmitterPart& part : parts) {
        const double largest = part.size.high * std::max({1.0, part.sizeAtBirth, part.sizeAtEnd}) / 2;
        const double life = part.lifetime.high;
        // Each coordinate of a way within the spread lies between those of the cap of directions.
        for (int axis = 0; axis < 3; ++axis) {
            const double angle = std::acos(std::clamp(part.direction[axis], -1.0, 1.0));
            const double spread = part.spreadDegrees * kPi / 180;
            const double most = std::cos(std::max(0.0, angle - spread));
            const double least = std::cos(std::min(kPi, angle + spread));
            // The path's turning point lies on the way where it is pulled back.
            const auto reach = [&](double cosine, double sign) {
                double out = 0;
                for (const double speed : {part.speed.low, part.speed.high}) {
                    const double v = cosine * speed;
                    const double a = part.pull[axis];
                    out = std::max(out, sign * (v * life + a * life * life / 2));
                    if (a != 0 && -v / a > 0 && -v / a < life)
                        out = std::max(out, sign * (-v * v / (2 * a)));
                }
                return out;
            };
            const double up = std::max(reach(most, 1), reach(least, 1));
            const double down = std::max(reach(most, -1), reach(least, -1));
            low[axis] = std::min(low[axis], part.middle[axis] - part.from[axis] - down - largest);
            high[axis] = std::max(high[axis], part.middle[axis] + part.from[axis] + up + largest);
        }
    }
    return {low, high};
}

Bounds seenBounds(const std::vector<EmitterPart>& parts, std::uint32_t seed) {
    double longest = 0;
    for (const EmitterPart& part : parts)
        longest = std::max(longest, part.lifetime.high);
    Vec3d low = Vec3d::Constant(1e300);
    Vec3d high = -low;
    std::vector<Particle> out;
    constexpr int kMoments = 6;
    for (int i = 0; i < kMoments; ++i) {
        particlesAt(parts, seed, longest * (1 + 0.37 * i), -1e9, 1e9, out);
        for (const Particle& p : out) {
            constexpr float kFaint = 0.15F; // of the most its part shows: hardly seen
            if (p.opacity < kFaint * static_cast<float>(parts[p.part].opacity))
                continue;
            const Vec3d half = Vec3d::Constant(0.35 * static_cast<double>(p.size));
            low = low.cwiseMin(p.place.cast<double>() - half);
            high = high.cwiseMax(p.place.cast<double>() + half);
        }
    }
    return low.x() <= high.x() ? Bounds{low, high} : particleBounds(parts);
}

} // namespace thicket
