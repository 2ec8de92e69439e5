#pragma once
// Materials and pictures of what the import library read, as glTF has them: normal maps, cover in the colour's alpha,
// metal and roughness in one picture.

#include "mesh/mesh.h"

#include <filesystem>
#include <string>
#include <vector>

struct aiScene;

namespace thicket::detail {

struct OtherSurfaces {
    Surfaces surfaces;
    std::vector<std::string> notes; ///< what was left out, in words for the user
};

/// Bytes of what look like pictures beside a file and in the folders for them, which reading it may have to go through.
std::uintmax_t picturesBeside(const std::filesystem::path& file);

/// file  the one that was read: pictures are looked for in its folder, and in what folders there are for them.
OtherSurfaces otherSurfaces(const aiScene& scene, const std::filesystem::path& file);

} // namespace thicket::detail
