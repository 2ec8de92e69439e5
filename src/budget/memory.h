#pragma once
// What of a scene is in memory while a route is flown.

#include "scene/scene.h"

namespace thicket {

/// Bytes of one subject on the graphics card: vertices, indices, pictures with mipmaps, places of copies.
struct SubjectMemory {
    double always = 0;          ///< whatever shows: places of copies, particles, strands
    double pictures = 0;        ///< that levels share: there as long as any of them is
    double vertices = 0;        ///< that levels share
    std::vector<double> levels; ///< what is each one's own
    double tile = 0;            ///< of a terrain: one tile
    double tiles = 0;           ///< all of its tiles
    double pictureBytes = 0;    ///< all of its pictures
    double saved = 0;           ///< what levels would take besides if each had vertices and pictures of its own
    /// With the levels of a mask; `drawn` tiles of a terrain, negative for all.
    [[nodiscard]] double with(std::uint64_t levels, double drawn) const;
    [[nodiscard]] double all() const { return with(~std::uint64_t{0}, -1); }
};

/// One a subject, scene order. Of places of copies an engine is taken to need 32 bytes each, of particles 48.
std::vector<SubjectMemory> memoryOfScene(const Scene& scene);

/// What shows of a subject in one frame.
struct Shown {
    std::uint64_t levels = 0; ///< a bit each
    std::uint32_t tiles = 0;  ///< of a terrain
};

/// Memory along a route, in millions of bytes.
struct MemoryUse {
    std::vector<float> frames;
    std::vector<double> subjects; ///< one a subject: at the worst frame
    double all = 0;               ///< where everything is there, always
    double worst = 0;
    std::size_t worstFrame = 0;
    double pictures = 0; ///< of `all`, those that are pictures
    double saved = 0;    ///< what sharing vertices and pictures among levels saves of `all`
    std::uint32_t framesOver = 0;
};

/// shown     of every frame, one a subject.
/// Levels are there so long before and after they show as the device says; all of them, always, where it says nothing.
MemoryUse memoryAlong(const Scene& scene, const Device& device, const std::vector<std::vector<Shown>>& shown);

} // namespace thicket
