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
    bool operator==(const PopKey&) const = default;
};

/// One switch of a chain that can happen within the subject's reach. `level` is the coarser one.
struct SwitchPlace {
    std::uint32_t subject = 0;
    int level = 1;
    PopKey key;
};

/// All switches of a scene whose levels have their meshes, subject by subject, for the stated view. Levels that never
/// show (their switch is where the next one's is) are left out.
std::vector<SwitchPlace> switchesOf(const Scene& scene);

/// ERRORS     Cancelled.
/// REQUIRES   `place` is of `subject`, as it is.
Result<PopScore> scoreSwitch(const Subject& subject, const SwitchPlace& place, const PopOptions& options,
                             const JobContext& job);

} // namespace thicket
