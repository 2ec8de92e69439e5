#pragma once
// GLB out: one subject with its levels, as a level-of-detail extension or as named nodes.

#include "scene/scene.h"

namespace thicket {

enum class GlbLevels {
    Extension, ///< the first level's node lists the others (MSFT_lod) with screen coverages
    Named,     ///< one node a level, NAME_LOD0, NAME_LOD1, ...
};

/// Copies that are drawn together, written relative to a place among them.
struct InstanceBlock {
    Vec3d origin{0, 0, 0};
    Placements copies;
};

/// The bytes of a GLB. Geometry is written as it is (floats, 32-bit or 16-bit indices); pictures are passed on
/// unchanged. A level whose vertices are all among the first level's is written with indices into that one's, when
/// `shareVertices`. `rig`: null, or what the meshes' joints and morph targets belong to. `views`: one a level or none:
/// those of impostors are written into their node's extras. `coverages`: for Extension, the screen height (share of the
/// viewport) down to which each level shows, one a level. `blocks`: for Extension, nodes of each block in place of one
/// set of nodes, its copies by the GPU-instancing extension (EXT_mesh_gpu_instancing).
std::vector<std::byte> encodeGlb(const std::string& name, const std::vector<std::shared_ptr<const Mesh>>& levels,
                                 const Surfaces& surfaces, GlbLevels how, const std::vector<double>& coverages,
                                 const Rig* rig = nullptr, bool shareVertices = false,
                                 const std::vector<ViewGrid>& views = {},
                                 const std::vector<InstanceBlock>& blocks = {});

/// Meshes that stand side by side, one node each, in their own coordinates. Meshes with the same triangles share them.
/// ERRORS     TooLarge: a GLB holds 4 GB at most.
struct NamedMesh {
    std::string name;
    const Mesh* mesh = nullptr;
};
Result<std::vector<std::byte>> encodeNodes(const std::vector<NamedMesh>& meshes, const Surfaces& surfaces);

/// One camera, moved by an animation whose channels belong to node 0.
std::vector<std::byte> encodeCamera(const std::string& name, const RigAnimation& animation, const View& view);

/// Strands as one primitive of lines, with half of their widths as the attribute _RADIUS; their node stands at the set's
/// origin.
/// ERRORS     TooLarge: a GLB holds 4 GB at most.
Result<std::vector<std::byte>> encodeLines(const std::string& name, const StrandSet& set);

/// One mesh in a node that stands somewhere.
std::vector<std::byte> encodeAt(const std::string& name, const Mesh& mesh, const Surfaces& surfaces, const Vec3d& at);

} // namespace thicket
