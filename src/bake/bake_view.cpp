#include "bake/bake_view.h"

#include "base/parallel.h"

#include <algorithm>
#include <cmath>

namespace thicket {
namespace {

std::uint8_t unitByte(double value) {
    return static_cast<std::uint8_t>(std::lround(std::clamp(0.5 + 0.5 * value, 0.0, 1.0) * 255));
}

/// Of the light that a surface of one normal gives back, what one gives back whose normals scatter: their mean is so
/// long. The mean of their cosines to a light that all of them face is the mean normal's times that length.
double litShare(double length) {
    constexpr double kMeanCosine = 2.0 / 3; // to light from anywhere before a surface, weighted by its cosine
    const double smooth = shadeOf(kMeanCosine);
    return shadeOf(kMeanCosine * length) / smooth;
}

/// One texel: mean colour, normal and depth of the rays that met something, and their share.
void bakeTexel(const Appearance& from, const BakedView& view, const Vec3d& centre, double away, int x, int y,
               int samples, bool depth, double reach, std::uint8_t* color, std::uint8_t* normal) {
    Vec3f sum = Vec3f::Zero();
    Vec3d turned = Vec3d::Zero();
    double before = 0;
    int met = 0;
    for (int s = 0; s < samples * samples; ++s) {
        const double px = ((x + (s % samples + 0.5) / samples) / view.wide - 0.5) * 2 * view.halfWide;
        const double py = (0.5 - (y + (s / samples + 0.5) / samples) / view.tall) * 2 * view.halfTall;
        const auto seen = from.look(centre + view.right * px + view.up * py + view.facing * away, Vec3d(-view.facing));
        if (!seen)
            continue;
        ++met;
        sum += seen->color;
        turned += seen->normal;
        before += away - seen->distance;
    }
    color[3] = static_cast<std::uint8_t>(std::lround(255.0 * met / (samples * samples)));
    normal[3] = !depth ? 255 : met > 0 ? std::max<std::uint8_t>(1, unitByte(before / met / reach)) : 128;
    const double size = turned.norm();
    const Vec3d n = met > 0 && size > 1e-9 ? Vec3d(turned / size) : view.facing;
    normal[0] = unitByte(n.dot(view.right));
    normal[1] = unitByte(n.dot(view.up));
    normal[2] = unitByte(std::max(n.dot(view.facing), 0.05));
    const double lit = met > 0 ? litShare(size / met) : 0;
    for (int i = 0; i < 3; ++i)
        color[i] = met > 0 ? toSrgb(static_cast<float>(lit) * sum[i] / static_cast<float>(met)) : 0;
}

} // namespace

void bakeView(const Appearance& from, const BakedView& view, const Vec3d& centre, int samples, bool depth, double reach,
              const JobContext& job, Pixels& color, Pixels& normal) {
    const double away = from.bounds().diagonal() + 1;
    parallelChunks(static_cast<std::size_t>(view.tall), 4, [&](std::size_t begin, std::size_t end) {
        for (std::size_t row = begin; row < end && !job.cancelled(); ++row) {
            const int y = static_cast<int>(row);
            for (int x = 0; x < view.wide; ++x)
                bakeTexel(from, view, centre, away, x, y, samples, depth, reach, color.at(view.left + x, view.top + y),
                          normal.at(view.left + x, view.top + y));
        }
    });
}

void spreadCover(Pixels& color, const BakedView& view) {
    // What is over of a row and of the next, with a place on each side.
    std::vector<float> over(static_cast<std::size_t>(view.wide) + 2, 0.0F);
    std::vector<float> next = over;
    for (int y = 0; y < view.tall; ++y) {
        const int step = y % 2 == 0 ? 1 : -1;
        for (int k = 0; k < view.wide; ++k) {
            const int x = step > 0 ? k : view.wide - 1 - k;
            const auto at = static_cast<std::size_t>(x + 1);
            const auto ahead = static_cast<std::size_t>(x + 1 + step);
            const auto behind = static_cast<std::size_t>(x + 1 - step);
            std::uint8_t& alpha = color.at(view.left + x, view.top + y)[3];
            // Nothing is set where nothing was: an outline does not grow.
            const float wanted = static_cast<float>(alpha) / 255 + over[at];
            const bool solid = alpha > 0 && wanted >= 0.5F;
            const float left = wanted - (solid ? 1.0F : 0.0F);
            alpha = solid ? 255 : 0;
            over[ahead] += left * 7 / 16;
            next[behind] += left * 3 / 16;
            next[at] += left * 5 / 16;
            next[ahead] += left / 16;
        }
        std::swap(over, next);
        std::fill(next.begin(), next.end(), 0.0F);
    }
}

Pixels flatNormals(int width, int height) {
    Pixels normal{width, height,
                  std::vector<std::uint8_t>(4 * static_cast<std::size_t>(width) * static_cast<std::size_t>(height))};
    for (std::size_t i = 0; i < normal.rgba.size(); i += 4) {
        normal.rgba[i] = normal.rgba[i + 1] = 128;
        normal.rgba[i + 2] = normal.rgba[i + 3] = 255;
    }
    return normal;
}

void addRectangle(Mesh& mesh, const BakedView& view, const Vec3d& centre, int width, int height) {
    const std::uint32_t base = mesh.vertexCount();
    for (int k = 0; k < 4; ++k) {
        const double x = (k & 1) != 0 ? 1 : -1;
        const double y = (k & 2) != 0 ? 1 : -1;
        mesh.positions.push_back(
            (centre + view.right * (x * view.halfWide) + view.up * (y * view.halfTall)).cast<float>());
        mesh.normals.push_back(view.facing.cast<float>());
        mesh.uvs.emplace_back(static_cast<float>(view.left + (x > 0 ? view.wide : 0)) / static_cast<float>(width),
                              static_cast<float>(view.top + (y > 0 ? 0 : view.tall)) / static_cast<float>(height));
        mesh.extras.tangents.emplace_back(static_cast<float>(view.right.x()), static_cast<float>(view.right.y()),
                                          static_cast<float>(view.right.z()), 1.0F);
    }
    mesh.indices.insert(mesh.indices.end(), {base, base + 1, base + 3, base, base + 3, base + 2});
}

} // namespace thicket
