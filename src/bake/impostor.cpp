#include "bake/impostor.h"

#include "bake/bake_view.h"

#include <algorithm>
#include <cmath>
#include <memory>

namespace thicket {
namespace {

BakedView viewOf(const ViewGrid& grid, int view) {
    BakedView v;
    v.facing = viewDirection(grid, view);
    const Vec3d right = kUp.cross(v.facing);
    v.right = right.norm() > 1e-6 ? Vec3d(right.normalized()) : Vec3d(1, 0, 0);
    v.up = v.facing.cross(v.right);
    v.halfWide = v.halfTall = grid.half;
    v.wide = v.tall = grid.texels;
    const int cell = grid.texels + 2 * kViewGutter;
    v.left = view % grid.across * cell + kViewGutter;
    v.top = view / grid.across * cell + kViewGutter;
    return v;
}

int sideOf(const ViewGrid& grid) {
    return grid.across * (grid.texels + 2 * kViewGutter);
}

} // namespace

Vec3d viewDirection(const ViewGrid& grid, int view) {
    const double x = 2.0 * (view % grid.across) / (grid.across - 1) - 1;
    const double y = 2.0 * (view / grid.across) / (grid.across - 1) - 1;
    const double a = (x + y) / 2;
    const double b = (y - x) / 2;
    return Vec3d(a, 1 - std::abs(a) - std::abs(b), b).normalized();
}

int nearestView(const ViewGrid& grid, const Vec3d& towardsCamera) {
    Vec3d d(towardsCamera.x(), std::max(towardsCamera.y(), 0.0), towardsCamera.z());
    const double sum = std::abs(d.x()) + d.y() + std::abs(d.z());
    if (!(sum > 0))
        d = Vec3d(0, 0, 1);
    else
        d /= sum;
    const auto cell = [&](double at) {
        return std::clamp(static_cast<int>(std::floor((at + 1) / 2 * (grid.across - 1))), 0, grid.across - 2);
    };
    const int x = cell(d.x() - d.z());
    const int y = cell(d.x() + d.z());
    // Of the cell's four corners, the one at the least angle.
    int best = 0;
    double cosine = -2;
    for (const int view :
         {y * grid.across + x, y * grid.across + x + 1, (y + 1) * grid.across + x, (y + 1) * grid.across + x + 1})
        if (const double c = viewDirection(grid, view).dot(d.normalized()); c > cosine + 1e-12) {
            cosine = c;
            best = view;
        }
    return best;
}

Mesh viewRectangle(const ViewGrid& grid, int view) {
    Mesh mesh;
    addRectangle(mesh, viewOf(grid, view), grid.centre, sideOf(grid), sideOf(grid));
    mesh.parts = {{0, 2, 0}};
    return mesh;
}

Result<BakedImpostor> bakeImpostor(const Mesh& mesh, const Surfaces& surfaces, const ImpostorOptions& options,
                                   const JobContext& job) {
    const Appearance from(mesh, surfaces);
    BakedImpostor out;
    out.grid.across = std::clamp(options.across, 2, 32);
    out.grid.texels = std::clamp(options.texels, 8, 512);
    out.grid.centre = from.bounds().centre();
    // A texel more on each side, so that no outline is cut off by filtering.
    out.grid.half = std::max(radiusAround(mesh, out.grid.centre), 1e-9) * (1 + 2.0 / out.grid.texels);
    const ViewGrid& grid = out.grid;
    const int side = sideOf(grid);
    Pixels color{side, side,
                 std::vector<std::uint8_t>(4 * static_cast<std::size_t>(side) * static_cast<std::size_t>(side))};
    Pixels normal = flatNormals(side, side);
    for (std::size_t i = 3; i < normal.rgba.size(); i += 4)
        normal.rgba[i] = 128;
    const int views = grid.across * grid.across;
    for (int view = 0; view < views; ++view) {
        job.report(0.6 * view / views, "baking views");
        bakeView(from, viewOf(grid, view), grid.centre, options.samples, true, grid.half, job, color, normal);
        if (job.cancelled())
            return cancelledError();
    }
    bleedColors(color, 0, side);
    for (int view = 0; view < views; ++view)
        spreadCover(color, viewOf(grid, view));
    out.level.cutoff = coverageCutoff(color, 2);
    Material material;
    material.name = "views";
    material.alphaMode = AlphaMode::Mask;
    material.alphaCutoff = out.level.cutoff;
    material.doubleSided = true;
    material.baseColorImage = 0;
    material.normalImage = 1;
    out.level.surfaces.materials = {material};
    out.level.surfaces.images = {encodePng(color, "views color"), encodePng(normal, "views normal and depth")};
    out.level.mesh = viewRectangle(grid, nearestView(grid, {0, 0, 1}));

    SilhouetteOptions outlines;
    outlines.directions = 16;
    outlines.elevations = {0.05, 0.4, 0.9};
    std::unique_ptr<Mesh> shown;
    std::unique_ptr<Appearance> seen;
    auto difference = silhouetteDifference(
        from,
        [&](const Vec3d& back) -> const Appearance& {
            seen.reset();
            shown = std::make_unique<Mesh>(viewRectangle(grid, nearestView(grid, back)));
            seen = std::make_unique<Appearance>(*shown, out.level.surfaces);
            return *seen;
        },
        Bounds{grid.centre - Vec3d::Constant(grid.half), grid.centre + Vec3d::Constant(grid.half)}, outlines,
        job.part(0.6, 1));
    if (!difference)
        return difference.error();
    out.level.difference = *difference;
    return out;
}

} // namespace thicket
