#pragma once
// How a terrain's heights are read or made up, and the strokes on it, as JSON.

#include "io/json/fields.h"
#include "terrain/ground_brush.h"
#include "terrain/height_options.h"
#include "terrain/make_heights.h"

namespace thicket::json {

ordered_json encode(const HeightOptions& reading);
HeightOptions decodeReading(const ordered_json& in, const std::string& path);

ordered_json encode(const GroundRecipe& recipe);
GroundRecipe decodeGround(const ordered_json& in, const std::string& path);

ordered_json encode(const GroundStroke& stroke);
GroundStroke decodeStroke(const ordered_json& in, const std::string& path);

} // namespace thicket::json
