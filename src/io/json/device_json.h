#pragma once
// A device as JSON, in projects and in files of its own.

#include "io/json/fields.h"
#include "scene/scene.h"

namespace thicket::json {

ordered_json encode(const Device& device);
/// What a fit loosened is left out: it speaks of one project's subjects.
ordered_json encodeFigures(const Device& device);
Device decodeDevice(const ordered_json& in, const std::string& path);

} // namespace thicket::json
