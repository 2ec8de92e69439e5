#pragma once
// A field's copies as tables, in the columns that placement tables are read by.

#include "scene/scene.h"

namespace thicket {

/// asset, x, y, z, qx, qy, qz, qw, scale, id, importance: a row a copy in the field's progressive order, every number
/// as short as gives it back exactly.
/// names    of the assets, by their place in the field.
std::string encodeCsv(const Placements& copies, const std::vector<std::string>& names);
std::string encodeTableJson(const Placements& copies, const std::vector<std::string>& names);

/// Names of a field's assets, all different.
std::vector<std::string> assetNames(const Scene& scene, const InstancesBody& field);

} // namespace thicket
