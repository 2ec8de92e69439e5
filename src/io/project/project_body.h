#pragma once
// A subject as JSON: what all kinds have in common, and a page for each kind.

#include "io/json/fields.h"
#include "scene/scene.h"

#include <filesystem>
#include <functional>
#include <map>

namespace thicket {

/// Large arrays that a project's text only names, by the hash of their bytes: file name to bytes.
using BesideFiles = std::map<std::string, std::vector<std::byte>>;
/// Gives what a file beside the project holds, by its hash.
struct BesideReader {
    std::function<Result<SharedPlacements>(const std::string& hash)> placements;
    std::function<Result<std::shared_ptr<const StrandSet>>(const std::string& hash)> strands;
};

/// Placements up to this many stand in the JSON itself.
constexpr std::size_t kMostInText = 256;
constexpr const char* kPlacementsSuffix = ".placements";

json::ordered_json encodeSubject(const Subject& subject, const std::filesystem::path& folder, BesideFiles* files);
/// Throws json::FieldError.
Subject decodeSubject(const json::ordered_json& in, const std::filesystem::path& folder, const std::string& path,
                      const BesideReader& beside);
/// A path as a project writes it: relative to its folder where that can be.
std::filesystem::path relativeTo(const std::filesystem::path& file, const std::filesystem::path& folder);

/// Changes the tree of a project of an earlier version into one of the present. Throws json::FieldError.
void upgradeProject(json::ordered_json& project, int version);
constexpr int kProjectVersion = 2;

} // namespace thicket
