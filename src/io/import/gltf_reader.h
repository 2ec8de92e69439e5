#pragma once
// Checked reading of tinygltf's tree: every index and every byte is looked at before it is used.

#include "io/import/import.h"

#include <Eigen/Geometry>
#define TINYGLTF_NO_STB_IMAGE
#define TINYGLTF_NO_STB_IMAGE_WRITE
#include <map>
#include <optional>
#include <set>
#include <tiny_gltf.h>

namespace thicket::detail {

struct GltfReader {
    const tinygltf::Model& model;
    std::string where;

    [[nodiscard]] Error bad(std::string what, std::string remedy = "export the file again") const {
        return {ErrorCode::BadInput, where, std::move(what), std::move(remedy)};
    }

    /// All values of an accessor as doubles, `wanted` components each. Handles sparse accessors.
    [[nodiscard]] Result<std::vector<double>> values(int index, int wanted, const std::string& what) const;

    /// Where a skinned mesh's joints stand in the rig that is put together.
    struct JointRange {
        double first = 0;
        double count = 0;
        bool whole = false; ///< every point hangs on the first alone, whatever the mesh says
    };
    /// Appends one primitive, transformed, to a mesh under construction.
    Result<void> append(const tinygltf::Primitive& primitive, const std::vector<std::string>& morphNames,
                        const JointRange& joints, const Eigen::Affine3d& transform, Mesh& mesh,
                        std::vector<std::uint32_t>& materialOfTriangle) const;

    [[nodiscard]] static Eigen::Affine3d localOf(const tinygltf::Node& node);

private:
    [[nodiscard]] Result<const unsigned char*> bytesOf(int viewIndex, std::size_t offset, std::size_t count,
                                                       std::size_t element, std::size_t& stride,
                                                       const std::string& what) const;
    Result<void> appendMorphs(const tinygltf::Primitive& primitive, const std::vector<std::string>& names,
                              const Eigen::Matrix3d& turn, const Eigen::Matrix3d& normalTurn, std::uint32_t base,
                              std::size_t count, VertexExtras& extras) const;
};

/// What the animations of a file move.
class GltfMotion {
public:
    /// What cannot be read of an animation counts as moving; who reads it says what is wrong.
    explicit GltfMotion(const GltfReader& reader);
    /// Whether a node, or one that it hangs on, does not stand still.
    [[nodiscard]] bool moves(int node) const;
    /// Whether a node itself is moved.
    [[nodiscard]] bool animates(int node) const { return m_animated.contains(node); }
    /// Whether anything moves or bends.
    [[nodiscard]] bool any() const { return m_any; }
    /// Lets all nodes stand still, but for what bends.
    void stand() { m_animated.clear(); }
    /// Of each node, -1 of a root.
    [[nodiscard]] const std::vector<int>& parents() const { return m_parents; }

private:
    std::vector<int> m_parents;
    std::set<int> m_animated;
    bool m_any = false;
};

/// Puts a rig together for the mesh nodes of a subject: their skins' joints with all ancestors, and what animates them.
class GltfRig {
public:
    GltfRig(const GltfReader& reader, const GltfMotion& motion);
    /// Where the joints of a mesh node's skin stand; adds them when they are not there yet. Without a skin it goes with
    /// another node as a whole, where that moves. Nothing where the file holds nothing that does either.
    /// carrier  the node that it goes with, itself as a rule; -1: it stands still.
    /// rest     of the carrier, in the coordinates that the mesh was brought to.
    Result<GltfReader::JointRange> use(int node, int carrier, const Eigen::Affine3d& rest);
    /// Hangs what stands still beside what moves on a joint of its own; a level of which nothing moves has none.
    /// REQUIRES   all of the level has been appended.
    void hang(VertexExtras& extras);
    /// A node whose way is wanted: one more joint, which a pose then takes from the origin to where the node is.
    void follow(int node);
    /// The rig of all that was used.
    /// ERRORS     BadInput when an animation or a matrix reaches beyond its buffer.
    Result<Rig> finish();
    /// Names of a mesh's morph targets, as far as the file gives them.
    [[nodiscard]] static std::vector<std::string> morphNames(const tinygltf::Mesh& mesh);

private:
    int nodeFor(int modelNode);
    Result<GltfReader::JointRange> bend(int skin);
    GltfReader::JointRange goWith(int carrier, const Eigen::Affine3d& rest);
    Result<void> addAnimation(const tinygltf::Animation& animation);

    const GltfReader& m_reader;
    const GltfMotion& m_motion;
    std::map<int, int> m_node;            ///< the rig's node of a model's node
    std::map<int, std::size_t> m_skin;    ///< where a skin's joints begin
    std::map<int, std::size_t> m_carrier; ///< the joint of what goes with a node
    std::set<int> m_meshNodes;
    std::optional<std::uint16_t> m_still; ///< the joint of what stands still beside what moves
    bool m_morphs = false;
    Rig m_rig;
};

} // namespace thicket::detail
