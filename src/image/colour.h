#pragma once
// How far colours are apart to the eye.

#include "mesh/vec.h"

namespace thicket {

/// CIELAB (D65) of a linear sRGB colour.
Vec3f labOf(const Vec3f& linear);

} // namespace thicket
