#pragma once
// Triangles that a glTF file holds packed (KHR_draco_mesh_compression).

#include "io/import/gltf_reader.h"

#include <cstddef>
#include <filesystem>
#include <optional>
#include <span>
#include <vector>

namespace thicket::detail {

/// The same file with primitives whose corners are packed naming no accessor for them: the loader wants such an accessor to
/// have bytes of its own. Nothing where there are none.
/// REQUIRES   what checkGltf lets pass.
std::optional<std::vector<std::byte>> withoutPackedCorners(std::span<const std::byte> data, bool binary);

/// Unpacks what primitives hold packed and nowhere else, in the reader's process, and puts it into buffers of the model as
/// if it had stood in the file like that.
/// where      names the file in errors.
/// ERRORS     Cancelled; BadInput: it is damaged, or does not fit what the file says of it.
Result<void> unpackGeometry(tinygltf::Model& model, const std::filesystem::path& where, const JobContext& job);

} // namespace thicket::detail
