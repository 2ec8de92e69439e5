#pragma once
// An emitter as a file of its own (docs/formats/emitter.schema.json).

#include "base/job.h"
#include "scene/scene.h"

#include <filesystem>

namespace thicket {

constexpr const char* kEmitterSuffix = ".emitter.json";

struct EmitterFile {
    std::string name;
    Emitter emitter;
    std::vector<std::shared_ptr<const Image>> sprites; ///< one a part; null: a soft disc
    std::string hash;                                  ///< of the file's bytes
};

/// Sprites lie in the folder of the file.
/// ERRORS   NotFound, also of a sprite; BadInput naming the field, and what checkEmitter says; a sprite that is no PNG or
///          JPEG or lies outside of the folder.
Result<EmitterFile> readEmitterFile(const std::filesystem::path& path);

/// What levels say and no more, or every level with all of its values. Sprites are named, not copied.
enum class EmitterText { Compact, Resolved };
std::string encodeEmitterFile(const std::string& name, const Emitter& emitter, EmitterText how,
                              const std::filesystem::path& folder);

/// A picture by its path; null for an empty one.
/// ERRORS   NotFound; BadInput when it is no picture that takePicture knows.
Result<std::shared_ptr<const Image>> readSprite(const std::filesystem::path& path);

} // namespace thicket
