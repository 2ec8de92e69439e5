#pragma once
// Strokes of care as JSON.

#include "io/json/fields.h"
#include "mesh/care.h"

namespace thicket::json {

ordered_json encode(const Care& care);
Care decodeCare(const ordered_json& list, const std::string& path);

} // namespace thicket::json
