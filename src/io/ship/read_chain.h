#pragma once
// Chain descriptions read back: the thresholds of a subject that was shipped, here or by someone's own tool.

#include "base/job.h"
#include "scene/scene.h"

namespace thicket {

constexpr const char* kChainSuffix = ".chain.json";

/// What a chain description says of a subject.
struct ChainFile {
    std::string subject;
    SwitchRule rule;
    Bounds bounds;
    std::vector<Level> levels;       ///< without meshes: counts, what was measured, switches fixed by hand
    std::vector<std::string> shapes; ///< one a level: shapeOf its mesh; empty in files of version 1
};

/// ERRORS NotFound, BadInput naming the field.
Result<ChainFile> readChain(const std::filesystem::path& file);

/// A subject with the rule and the switches of a chain description; and with what was measured of its levels when that
/// was written, where all of its meshes are the ones that were measured.
/// ERRORS     CheckFailed when its levels are not those of the description, by count or size.
Result<Subject> withChain(const Subject& subject, const ChainFile& chain);

/// The chain description beside a mesh file that was shipped with one: NAME.chain.json for NAME.lod.glb,
/// NAME.levels.glb or NAME.glb. Empty when there is none.
std::filesystem::path chainBeside(const std::filesystem::path& mesh);

} // namespace thicket
