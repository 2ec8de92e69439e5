#pragma once
// Handing over: GLBs and the chain description, each read back and compared before it is called done.

#include "base/job.h"
#include "scene/scene.h"

#include <filesystem>
#include <set>
#include <string>

namespace thicket {

struct ShipOptions {
    bool extensionGlb = true; ///< NAME.lod.glb: one node with the level-of-detail extension
    bool namedGlb = true;     ///< NAME.levels.glb: NAME_LOD0, NAME_LOD1, ...
    bool chainJson = true;    ///< NAME.chain.json: every threshold, fade, cull rule and measured deviation
    bool tables = true; ///< of a field, NAME.placements.csv and .json; of placed meshes scene.placements.csv and .json
    bool ribbons = false; ///< of strands, ribbons of triangles besides their lines
    bool tiles = false;   ///< of a terrain, every tile of every level as GLB besides what an engine makes them from
};

struct ShippedFile {
    std::filesystem::path path;
    std::uint64_t bytes = 0;
    bool verified = false; ///< read back and found equal
};

struct ShipReport {
    std::vector<ShippedFile> files;
    std::vector<std::string> skipped; ///< subjects left out and why
};

/// Writes all subjects that have their meshes.
/// ERRORS     Unwritable; CheckFailed when a file read back differs; Cancelled. Files already written stay, each of
///            them whole.
Result<ShipReport> shipScene(const Scene& scene, const std::filesystem::path& folder, const ShipOptions& options,
                             const JobContext& job);

/// The chain description of a subject: everything an engine needs to switch it as we do (docs/formats/README.md).
/// REQUIRES a mesh.
std::string encodeChain(const Subject& subject, const View& view);

/// "Sluice gate" -> "sluice-gate": safe as a file name.
std::string fileNameFor(const std::string& name);
/// The same with a number behind it where it is taken already; it is from now on.
std::string freeFileName(const std::string& name, std::set<std::string>& taken);

} // namespace thicket
