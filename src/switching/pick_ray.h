#pragma once
// Which copy a ray meets: what a click means.

#include "switching/selector.h"

#include <functional>

namespace thicket {

/// The drawn copy whose box a ray enters first, of the batches that `takes` agrees to. Boxes that hold the ray's origin
/// are passed over. `direction` of length 1.
/// REQUIRES   `state` as a selection for the same input, view and options left it.
/// COST       O(cells + copies of the cells that it passes).
std::optional<CopyRef> copyAlong(const SelectInput& input, const SelectState& state, const View& view,
                                 const SelectOptions& options, const Vec3d& origin, const Vec3d& direction,
                                 const std::function<bool(const Batch&)>& takes);

} // namespace thicket
