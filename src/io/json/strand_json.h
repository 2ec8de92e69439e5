#pragma once
// What strands grow by, look like and thin to, as JSON: project files, recipe files and descriptions for engines.

#include "io/json/field_json.h"
#include "strands/grow_strands.h"
#include "strands/strand_cover.h"

namespace thicket::json {

ordered_json encode(const StrandLook& look);
StrandLook decodeLook(const ordered_json& in, const std::string& path);

/// `folder`: what the mask's path is relative to.
ordered_json encode(const StrandRecipe& recipe, const SubjectNames& names, const std::filesystem::path& folder);
StrandRecipe decodeStrandRecipe(const ordered_json& in, const SubjectNames& names, const std::filesystem::path& folder,
                                const std::string& path);

ordered_json encode(const StrandLevel& level);
StrandLevel decodeStrandLevel(const ordered_json& in, const std::string& path);

} // namespace thicket::json
