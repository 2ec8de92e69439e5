#pragma once
// Skinned and morphing meshes at a moment of their animations.

#include "mesh/mesh.h"
#include "mesh/rig.h"

namespace thicket {

/// What moves the vertices at one moment.
struct Pose {
    std::vector<Eigen::Matrix4f> joints; ///< a joint of the skin each: from the mesh at rest to where it is now
    std::vector<float> morphWeights;     ///< a target each
};

/// A moment of one of a rig's animations.
struct Moment {
    std::size_t animation = 0;
    double seconds = 0;
};

/// Length of an animation: its last key.
double durationOf(const RigAnimation& animation);

/// The pose at a moment; ends are held.
/// REQUIRES   the rig's parents stand before their children.
/// SOURCE     glTF 2.0, 3.7.3 (skins) and 3.11 (animations, appendix C for the interpolation).
Pose poseAt(const Rig& rig, const Moment& moment);

/// Moments spread evenly over all animations, at least one each, about `most` together.
std::vector<Moment> momentsOf(const Rig& rig, std::size_t most);

/// Whether a pose changes anything of the mesh.
bool moves(const Mesh& mesh);

/// The mesh as it stands in a pose, by linear blend skinning after morphing; without what made it move. Normals are
/// unit length.
/// COST       O(V * (4 + targets)).
/// THREADS    uses all cores.
Mesh posed(const Mesh& mesh, const Pose& pose);

} // namespace thicket
