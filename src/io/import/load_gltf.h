#pragma once
// The tree of a glTF file as tinygltf gives it, looked over first and kept inside the file's folder.

#include "io/import/gltf_reader.h"

#include <filesystem>
#include <span>

namespace thicket::detail {

struct LoadedGltf {
    tinygltf::Model model; ///< pictures as they stand in the file
    std::string refused;   ///< the first reference that was not followed, and why; a picture's, else it is an error
};

/// ERRORS     BadInput: what checkGltf says, or a file that it names is missing, too large or outside of the folder.
Result<LoadedGltf> loadGltf(const std::filesystem::path& path, std::span<const std::byte> data);

/// A node and where it stands in the world.
struct PlacedNode {
    int node;
    Eigen::Affine3d transform;
};
/// All nodes of the file's scene, parents first. A node met twice is a loop and is left out.
std::vector<PlacedNode> placedNodes(const tinygltf::Model& model);

} // namespace thicket::detail
