#pragma once
// The Saltmere bed: two kilometres of estuary, one height a metre.

#include "terrain/heights.h"

namespace thicket::demo {

/// A channel with side creeks and banks through a salt marsh; dunes and a beach to the west, a sea wall with drained
/// fields behind it and a cliff edge to the east. 2049 x 2049 heights, in steps of 1/128 m.
Heights saltmereBed();

} // namespace thicket::demo
