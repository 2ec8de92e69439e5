#pragma once
// Checked reading of tinygltf's tree: every index and every byte is looked at before it is used.

#include "io/import/import.h"

#include <Eigen/Geometry>
#define TINYGLTF_NO_STB_IMAGE
#define TINYGLTF_NO_STB_IMAGE_WRITE
#include <map>
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

/// Puts a rig together for the mesh nodes of a subject: their skins' joints with all ancestors, and what animates them.
class GltfRig {
public:
    explicit GltfRig(const GltfReader& reader);
    /// Where the joints of a node's skin stand; adds them when they are not there yet. Empty for a node without one.
    Result<GltfReader::JointRange> use(int node);
    /// A node whose way is wanted: one more joint, which a pose then takes from the origin to where the node is.
    void follow(int node);
    /// The rig of all that was used.
    /// ERRORS     BadInput when an animation or a matrix reaches beyond its buffer.
    Result<Rig> finish();
    /// Names of a mesh's morph targets, as far as the file gives them.
    [[nodiscard]] static std::vector<std::string> morphNames(const tinygltf::Mesh& mesh);

private:
    int nodeFor(int modelNode);
    Result<void> addAnimation(const tinygltf::Animation& animation);

    const GltfReader& m_reader;
    std::vector<int> m_parent;         ///< of the model's nodes
    std::map<int, int> m_node;         ///< the rig's node of a model's node
    std::map<int, std::size_t> m_skin; ///< where a skin's joints begin
    std::set<int> m_meshNodes;
    Rig m_rig;
};

} // namespace thicket::detail
