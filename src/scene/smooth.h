#pragma once
// Switches moved to where nobody sees them, found by looking.

#include "scene/pops.h"

namespace thicket {

struct SmoothedSwitch {
    int level = 1;         ///< the coarser one
    double fromMetres = 0; ///< where it came in
    double toMetres = 0;   ///< where it comes in now; as before when it is seen everywhere that was looked
    bool unseen = false;
};
struct Smoothing {
    /// With the switches moved: of a mesh by what its levels count as off (Level::seen), where they are not fixed; else
    /// fixed in the unit its rule decides by. Of ground: with levels that pass into each other, which leaves no switch
    /// to be seen.
    Subject subject;
    std::vector<SmoothedSwitch> switches;
};

/// Metres from which on nothing is drawn of a subject: it is too low on screen, or beyond its reach; infinite if never.
double drawnTo(const Subject& subject, const ResolvedChain& chain, const View& view);

/// The subject of a switch with that moved, fixed in the unit its rule decides by. Of a field the asset that switches
/// first comes to be there; decided by pixels, the others keep their proportion to it.
Subject withSwitchAt(const Scene& scene, const SwitchPlace& place, double metres);

/// Moves each switch of a subject that is seen farther away, to about the nearest distance at which it is unseen, at
/// most sixteen times as far and no farther than it is drawn. Level by level from the finest, since where one comes in
/// decides what the next is seen beside. onlyLevel  only the switch to this level.
/// ERRORS     Cancelled.
/// COST       some eight looks a switch that is seen.
Result<Smoothing> smoothLater(const Scene& scene, std::uint32_t subject, std::optional<int> onlyLevel,
                              const PopOptions& options, const JobContext& job);

/// Looks at the switches of a mesh whose levels were just made, and says of each level what it has to count as off. Those
/// that are seen wherever they were looked at stay, and so do those that were set by hand. Nothing is done where its
/// rule goes by surfaces alone.
/// view       the stated one.
/// onlyLevel  only the switch to this level.
/// ERRORS     Cancelled.
Result<Smoothing> lookAtSwitches(const Subject& mesh, const View& view, std::optional<int> onlyLevel,
                                 const JobContext& job);

} // namespace thicket
