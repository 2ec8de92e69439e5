#pragma once
// Which meshes of a file are things of their own, and where each stands.

#include "switching/placement.h"

#include <Eigen/Geometry>
#include <cstdint>
#include <map>
#include <optional>
#include <string>
#include <vector>

namespace thicket::detail {

/// A node of a file that holds triangles.
struct StandingMesh {
    std::string name;
    std::vector<int> meshes; ///< nodes that hold the same are copies of one thing
    int object = -1;         ///< of what moves: nodes of the same object stay together; -1: it stands still
    Eigen::Affine3d at = Eigen::Affine3d::Identity();
};

/// What becomes a subject of its own.
struct Thing {
    std::string name;
    /// Into what was given: the nodes that are put together, each where it stands. Of copies only the first.
    std::vector<std::size_t> members;
    /// Of copies: what brings the mesh's points to where the placements take them from: upright, in the size of the first
    /// one, stretched and mirrored as all of these copies are.
    std::optional<Eigen::Affine3d> own;
    Placements placed;
};

/// Things in the order of their first nodes, under names that differ. Copies that are stretched or mirrored alike are one
/// thing; those that are stretched otherwise are another, since a placement only turns and scales.
/// COST       O(N log N).
std::vector<Thing> takeApart(const std::vector<StandingMesh>& meshes, const std::string& nameless);

/// A transform as a placement; empty where it shears, mirrors or stretches unevenly, or has no size.
std::optional<Placement> placementOf(const Eigen::Affine3d& transform);

/// Names that nobody has yet: the second "Lamp" is "Lamp 2".
class FreeNames {
public:
    std::string take(std::string name);

private:
    std::map<std::string, int> m_taken; ///< how often it was asked for
};

/// What names of copies have in common ("Lamp.001", "Lamp.002": "Lamp"), or the first of them.
std::string commonName(const std::vector<std::string>& names);

/// Which nodes move as one: those that hang on the same highest node that moves, a bone or animated itself.
/// parents  of each node, -1 of a root; moves  of each node.
class MovingObjects {
public:
    MovingObjects(std::vector<int> parents, std::vector<bool> moves)
        : m_parents(std::move(parents)), m_moves(std::move(moves)) {}
    /// That node of a node; -1 where nothing moves it.
    [[nodiscard]] int of(int node) const;

private:
    std::vector<int> m_parents;
    std::vector<bool> m_moves;
};

} // namespace thicket::detail
