#pragma once
// What an emitter's particles are and cost: forecast in closed form, and where each is at any moment.

#include "emitters/emitter.h"
#include "mesh/mesh.h"

namespace thicket {

struct EmitterForecast {
    double live = 0;  ///< particles in the steady state, on average
    double worst = 0; ///< and at most
    double area = 0;  ///< square metres of the discs of the live ones, one beside the other
    std::uint32_t draws = 0;
    std::uint32_t partsOn = 0;

    /// How often they cover the whole picture of a view from so far away: where it is 1, each pixel is drawn once more.
    [[nodiscard]] double overdraw(double metres, const View& view) const;
    /// Bytes of the buffers that hold the worst moment: place, size, colour and age of each.
    [[nodiscard]] double bytes() const { return worst * 48; }
};

/// SOURCE  Little 1961: live = rate * mean lifetime; areas by the integral of the size over a life, squared.
EmitterForecast forecastOf(const std::vector<EmitterPart>& parts);

struct Particle {
    Vec3f place;    ///< from the emitter
    float size = 0; ///< across, metres
    Vec3f colour;
    float opacity = 0;
    std::uint8_t part = 0;
};

/// What is alive at a moment: the same for the same emitter and seed, on any machine, whatever was asked before. Time
/// goes in steps of kParticleStep. Only those that were given off within [since, until) count: what a level that
/// has ended leaves to live out, what one that has begun gives off.
/// COST   O(live).
constexpr double kParticleStep = 1.0 / 60;
void particlesAt(const std::vector<EmitterPart>& parts, std::uint32_t seed, double seconds, double since, double until,
                 std::vector<Particle>& out);

/// A box that holds all particles at any moment, from the emitter.
Bounds particleBounds(const std::vector<EmitterPart>& parts);
/// The box that most of what is seen lies in at some moments: smaller, for framing pictures.
Bounds seenBounds(const std::vector<EmitterPart>& parts, std::uint32_t seed);

} // namespace thicket
