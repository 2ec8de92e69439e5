#pragma once
// The one way to write a level: project files, chain descriptions and the command line all use it.

#include "io/json/fields.h"
#include "scene/subject.h"

namespace thicket::json {

/// How the views of an impostor are laid out.
ordered_json encode(const ViewGrid& grid);

/// Counts, what was measured, how it came about, switches set by hand. Fields that say nothing are left out.
ordered_json encode(const Level& level);
/// Reads that back; there is no mesh yet. Of the counts and deviations nothing may be missing.
Level decodeLevel(const ordered_json& in, const std::string& path);

} // namespace thicket::json
