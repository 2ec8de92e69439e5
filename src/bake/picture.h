#pragma once
// Small shaded pictures of a mesh, made by casting rays: for lists, cards and reports, without any graphics driver.

#include "bake/appearance.h"

namespace thicket {

struct PictureOptions {
    int width = 96;
    int height = 96;
    int samplesPerSide = 3;     ///< 3 x 3 samples a pixel
    double yawRadians = 0.65;   ///< seen from this side, round +Y
    double pitchRadians = 0.25; ///< from above
};

/// Fits the mesh's bounds into the picture, orthographic, in its own colours; alpha is coverage.
/// COST       O(width * height * samples * log T).
Pixels renderPicture(const Mesh& mesh, const Surfaces& surfaces, const PictureOptions& options);

} // namespace thicket
