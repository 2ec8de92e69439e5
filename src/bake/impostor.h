#pragma once
// A subject seen from a grid of directions, on one rectangle that turns to the camera: the lightest of all levels.

#include "bake/cards.h"

namespace thicket {

/// Directions on a hemi-octahedral grid: `across` x `across` of them from the horizon (the grid's border) to straight
/// above (its middle). View i shows the subject from `viewDirection`; its texels are the cell in column i % across and
/// row i / across of the pictures.
struct ViewGrid {
    int across = 0; ///< 0: no grid; else 2..32
    Vec3d centre{0, 0, 0};
    double half = 0; ///< of every view's square, metres
    int texels = 0;  ///< along a side of a view, without the gutter round it
    bool operator==(const ViewGrid&) const = default;
};
constexpr int kViewGutter = 2; // texels on each side of a view

/// Unit, from the subject to the camera.
/// SOURCE     octahedral maps: Cigolle et al. 2014, folded to the upper half.
Vec3d viewDirection(const ViewGrid& grid, int view);
/// The view that is nearest to a direction; below the horizon, to the same direction on the horizon.
int nearestView(const ViewGrid& grid, const Vec3d& towardsCamera);
/// The rectangle of one view: two triangles that face its direction, with the UVs of its cell.
Mesh viewRectangle(const ViewGrid& grid, int view);

struct ImpostorOptions {
    int across = 8;  ///< 2..32
    int texels = 64; ///< 8..512 along a side of a view
    int samples = 3; ///< rays along each side of a texel
};

struct BakedImpostor {
    BakedLevel level; ///< `mesh`: the view from the front (+Z) on the horizon
    ViewGrid grid;
};

/// Bakes colour with alpha as in spreadCover, and normals by the view's own frame with the depth in front of the rectangle
/// as alpha (128 on it; 255 and 1 at `grid.half` before and behind). Outlines are compared from directions between the
/// views too, each time with the nearest view.
/// ERRORS     Cancelled.
/// COST       across^2 * texels^2 * samples^2 rays.
/// THREADS    uses all cores.
Result<BakedImpostor> bakeImpostor(const Mesh& mesh, const Surfaces& surfaces, const ImpostorOptions& options,
                                   const JobContext& job);

} // namespace thicket
