#pragma once
// What stands many times in a glTF file: by nodes that share a mesh, or by the instancing extension.

#include "io/import/load_gltf.h"
#include "switching/placement.h"

namespace thicket::detail {

constexpr const char* kInstancingExtension = "EXT_mesh_gpu_instancing";

/// Where meshes stand: mesh to nodes and places.
using Copies = std::map<int, std::vector<std::pair<int, Placement>>>;

/// Meshes that stand in more places than are baked into one.
/// used  nodes that are something else already.
Copies copiesOf(const tinygltf::Model& model, const std::vector<PlacedNode>& placed, const std::set<int>& used);

/// Where a node's instances stand in the world, when it has the extension. Those that are stretched are left out, and said.
/// ERRORS     BadInput.
Result<std::vector<Placement>> instancesOf(const GltfReader& reader, const tinygltf::Node& node,
                                           const Eigen::Affine3d& world, std::vector<std::string>& notes);

} // namespace thicket::detail
