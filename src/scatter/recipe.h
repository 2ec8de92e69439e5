#pragma once
// What a field is scattered by: where, how dense, of what. A recipe knows no meshes: the same one goes onto another
// surface or into another project.

#include "base/named.h"
#include "mesh/vec.h"

#include <cstdint>
#include <filesystem>
#include <string>
#include <vector>

namespace thicket {

/// One of the things that are scattered.
struct ScatterAsset {
    std::uint32_t subject = 0; ///< id
    double weight = 1;         ///< its share against the others'
    double leastSize = 0.8;    ///< scales, evenly between
    double mostSize = 1.2;
    double turnDegrees = 360; ///< about its own up, evenly within
    double leanDegrees = 3;   ///< away from upright at most
    double follow = 0;        ///< 0: stands upright; 1: at right angles to the surface
    bool operator==(const ScatterAsset&) const = default;
};

/// Between two distances on the map of a route's line or of the outlines of a subject's copies (0: inside of them).
struct ScatterNear {
    enum class Of { Route, Subject };
    Of of = Of::Route;
    std::string route;         ///< by name
    std::uint32_t subject = 0; ///< by id
    double least = 0;          ///< metres
    double most = 1e9;
    bool operator==(const ScatterNear&) const = default;
};
constexpr Named<ScatterNear::Of> kNearOf[] = {{ScatterNear::Of::Route, "route", "Route"},
                                              {ScatterNear::Of::Subject, "subject", "Subject"}};
constexpr std::span<const Named<ScatterNear::Of>> namesOf(ScatterNear::Of /*any*/) {
    return kNearOf;
}

struct ScatterRecipe {
    std::uint32_t surface = 0; ///< id of a subject with a mesh, or of a terrain; 0: level ground
    double groundHeight = 0;   ///< of level ground, metres, and its rectangle
    double lowX = -50;
    double lowZ = -50;
    double highX = 50;
    double highZ = 50;
    double density = 1;    ///< copies a square metre of surface; of a terrain, of the map
    double leastSlope = 0; ///< degrees
    double mostSlope = 60;
    double leastHeight = -1e9; ///< metres, of the world
    double mostHeight = 1e9;
    std::filesystem::path mask; ///< grey picture over the surface's extent from above: white is full density
    std::vector<ScatterNear> near;
    std::vector<ScatterAsset> assets;
    std::uint32_t seed = 1;
    bool operator==(const ScatterRecipe&) const = default;
};

} // namespace thicket
