#pragma once
// How fields thin out, and what they were scattered by, as JSON: project files, chain descriptions and recipe files.

#include "io/json/fields.h"
#include "scatter/recipe.h"
#include "switching/thinning.h"

#include <filesystem>
#include <functional>

namespace thicket::json {

ordered_json encode(const Thinning& thinning);
Thinning decodeThinning(const ordered_json& in, const std::string& path);

/// How a recipe's file names subjects: by id in a project, by name in a file of its own.
struct SubjectNames {
    std::function<ordered_json(std::uint32_t)> name;
    std::function<std::uint32_t(const ordered_json& in, const char* member, const std::string& path)> id;
};
/// By their ids.
const SubjectNames& byId();

/// `folder`: what the mask's path is relative to.
ordered_json encode(const ScatterRecipe& recipe, const SubjectNames& names, const std::filesystem::path& folder);
ScatterRecipe decodeRecipe(const ordered_json& in, const SubjectNames& names, const std::filesystem::path& folder,
                           const std::string& path);

} // namespace thicket::json
