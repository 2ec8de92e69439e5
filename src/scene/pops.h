#pragma once
// The switches of a scene, each looked at where it happens.

#include "bake/pop.h"
#include "scene/scene.h"

namespace thicket {

/// What a switch's score depends on: when this is the same, so is the score.
struct PopKey {
    std::shared_ptr<const Mesh> finer;
    std::shared_ptr<const Mesh> coarser;
    std::shared_ptr<const Surfaces> finerSurfaces;
    std::shared_ptr<const Surfaces> coarserSurfaces;
    double metres = 0; ///< measured as the promise is: to the nearest point
    double pixelScale = 0;
    /// Of ground: the tile that gives way to its coarser one, in place of meshes.
    std::shared_ptr<const TileTree> tree = {};
    std::uint32_t tile = 0; ///< the coarser one
    /// Of an emitter: it and the coarser level, in place of meshes.
    std::optional<Emitter> emitter = {};
    std::size_t emitterLevel = 0;
    bool operator==(const PopKey&) const = default;
};

/// One switch of a chain that can happen within the subject's reach. `level` is the coarser one.
struct SwitchPlace {
    std::uint32_t subject = 0;
    int level = 1;
    PopKey key;
};

/// All switches of a scene whose levels have their meshes, subject by subject, for the stated view. Levels that never
/// show (their switch is where the next one's is) are left out. Of ground whose levels switch suddenly: of each level
/// the tile that is off most where all of its like have come in; levels that pass into each other have no switch.
std::vector<SwitchPlace> switchesOf(const Scene& scene);

/// ERRORS     Cancelled.
/// REQUIRES   `place` is of `subject`, as it is.
Result<PopScore> scoreSwitch(const Subject& subject, const SwitchPlace& place, const PopOptions& options,
                             const JobContext& job);

} // namespace thicket
