#pragma once
// Materials and pictures of a glTF file.

#include "io/import/gltf_reader.h"

namespace thicket::detail {

/// Pictures are what their bytes say; what is no picture is left out, and said in `notes`. Takes the pictures out of the
/// model.
std::shared_ptr<const Surfaces> readSurfaces(tinygltf::Model& model, std::vector<std::string>& notes,
                                             const JobContext& job);

} // namespace thicket::detail
