#pragma once
// One side of a subject as a part of a picture: what cards and view grids are baked from. Not for anyone else.

#include "bake/appearance.h"

#include "base/job.h"

namespace thicket {

/// A rectangle in space, looked at from its front, and the rectangle of texels that shows it.
struct BakedView {
    Vec3d right, up, facing;
    double halfWide = 0;
    double halfTall = 0;
    int left = 0;
    int top = 0;
    int wide = 0;
    int tall = 0;
};

/// Casts samples^2 rays a texel. `color`: mean colour, darker where normals scatter, with cover as alpha; `normal`: by the
/// view's own frame, with alpha 255, or, when `depth`, how far in front of the rectangle the surface is: 128 on it, 255 and
/// 1 at `reach`.
/// ERRORS     none; what is written once the job is cancelled is of no use.
/// THREADS    uses all cores.
void bakeView(const Appearance& from, const BakedView& view, const Vec3d& centre, int samples, bool depth, double reach,
              const JobContext& job, Pixels& color, Pixels& normal);

/// Makes each texel of a view solid or clear, so that as much of every place is solid as was covered: what is woven, or
/// finer than a texel, is seen through as much as it was. Alpha is 255 or 0 then.
/// SOURCE     Floyd & Steinberg 1976 (error diffusion), to and fro.
void spreadCover(Pixels& color, const BakedView& view);

/// A flat normal everywhere.
Pixels flatNormals(int width, int height);

/// Adds the view's rectangle to a mesh, two triangles, its UVs those of its texels in a picture of that size.
void addRectangle(Mesh& mesh, const BakedView& view, const Vec3d& centre, int width, int height);

} // namespace thicket
