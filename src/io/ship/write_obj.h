#pragma once
// Wavefront OBJ out, for editing by hand.

#include "mesh/mesh.h"

#include <filesystem>

namespace thicket {

struct ObjOptions {
    bool quads = false; ///< triangles joined two by two where that gives a square and flat face
};

/// Writes a mesh with UVs and normals, a group a material with the material's name. Colours and what only moves are
/// left out: the format has no place for them.
/// ERRORS     Unwritable.
Result<void> writeObj(const std::filesystem::path& file, const std::string& name, const Mesh& mesh,
                      const Surfaces& surfaces, const ObjOptions& options);

} // namespace thicket
