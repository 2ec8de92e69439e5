#pragma once
// Small shaded pictures of a mesh, made by casting rays: for lists, cards and reports, without any graphics driver.

#include "measure/surface_query.h"

namespace thicket {

/// Eight-bit RGBA, rows from the top, alpha is coverage (not multiplied in).
struct Picture {
    int width = 0;
    int height = 0;
    std::vector<std::uint8_t> rgba;
};

struct PictureOptions {
    int width = 96;
    int height = 96;
    int samplesPerSide = 3;     ///< 3 x 3 samples a pixel
    double yawRadians = 0.65;   ///< seen from this side, round +Y
    double pitchRadians = 0.25; ///< from above
    Vec3f tint{0.85F, 0.85F, 0.8F};
};

/// Fits the mesh's bounds into the picture, orthographic. COST O(width * height * samples * log T).
Picture renderPicture(const Mesh& mesh, const PictureOptions& options);

} // namespace thicket
