#pragma once
// Skeletons and animations of what the import library read, as glTF has them.

#include "mesh/rig.h"
#include "mesh/vertex_extras.h"

#include <array>
#include <map>
#include <set>
#include <string>

#include <assimp/matrix4x4.h>

struct aiAnimation;
struct aiBone;
struct aiMesh;
struct aiNode;
struct aiScene;

namespace thicket::detail {

/// What the animations of a file move.
class OtherMotion {
public:
    explicit OtherMotion(const aiScene& scene);
    [[nodiscard]] const aiScene& scene() const { return m_scene; }
    /// Whether a mesh bends, or a node that it hangs on moves in an animation.
    [[nodiscard]] bool moves(const aiNode& node, const aiMesh& mesh) const;
    /// Whether a node itself is moved.
    [[nodiscard]] bool animates(const aiNode& node) const { return m_animated.contains(&node); }
    /// The node of a name, the first one; null where there is none.
    [[nodiscard]] const aiNode* find(const std::string& name) const;

private:
    const aiScene& m_scene;
    std::map<std::string, const aiNode*> m_named;
    std::set<const aiNode*> m_animated; ///< that do not stand still
};

/// What moves one subject: the joints that its meshes name, what these hang on, and what animates it.
class OtherRig {
public:
    explicit OtherRig(const OtherMotion& motion) : m_motion(motion) {}

    /// Joints and weights of a mesh's vertices, of each the four that hold it most. What is bound to none goes with its node.
    /// world  of the node, which the vertices were brought to.
    void append(const aiNode& node, const aiMesh& mesh, const aiMatrix4x4& world, VertexExtras& to);
    /// Empty where nothing was appended, or where it has more joints than can be told apart.
    [[nodiscard]] Rig finish();

private:
    using Bind = std::array<float, 16>; ///< columns first
    int nodeFor(const aiNode& node);
    std::size_t jointFor(const aiNode& node, const aiMatrix4x4& inverseBind);
    void addAnimation(const aiAnimation& animation);

    const OtherMotion& m_motion;
    std::map<const aiNode*, int> m_nodes;
    std::map<std::pair<int, Bind>, std::size_t> m_joints;
    Rig m_rig;
};

/// Whether all that a rig and a mesh's joints name is there: asked of what comes from another process.
bool isSound(const Rig& rig);
bool isSound(const VertexExtras& extras, const Rig& rig);

} // namespace thicket::detail
