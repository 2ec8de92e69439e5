#include "measure/picture.h"

#include "base/parallel.h"

#include <algorithm>
#include <cmath>

namespace thicket {

Picture renderPicture(const Mesh& mesh, const PictureOptions& options) {
    const SurfaceQuery query(mesh);
    const Bounds bounds = boundsOf(mesh);
    const double cp = std::cos(options.pitchRadians);
    const Vec3d back(std::sin(options.yawRadians) * cp, std::sin(options.pitchRadians),
                     std::cos(options.yawRadians) * cp);
    const Vec3d right = kUp.cross(back).normalized();
    const Vec3d up = back.cross(right);
    double halfWidth = 1e-9;
    double halfHeight = 1e-9;
    for (int i = 0; i < 8; ++i) {
        const Vec3d corner((i & 1) != 0 ? bounds.high.x() : bounds.low.x(),
                           (i & 2) != 0 ? bounds.high.y() : bounds.low.y(),
                           (i & 4) != 0 ? bounds.high.z() : bounds.low.z());
        halfWidth = std::max(halfWidth, std::abs((corner - bounds.centre()).dot(right)));
        halfHeight = std::max(halfHeight, std::abs((corner - bounds.centre()).dot(up)));
    }
    const double perPixel = 1.06 * 2 * std::max(halfWidth / options.width, halfHeight / options.height);
    const double away = bounds.diagonal() + 1;
    const Vec3d light = (back + 0.9 * up - 0.5 * right).normalized();

    Picture picture{options.width, options.height, {}};
    picture.rgba.resize(4 * static_cast<std::size_t>(options.width) * static_cast<std::size_t>(options.height));
    const int n = options.samplesPerSide;
    parallelChunks(static_cast<std::size_t>(options.height), 8, [&](std::size_t begin, std::size_t end) {
        for (std::size_t y = begin; y < end; ++y)
            for (int x = 0; x < options.width; ++x) {
                double shade = 0;
                int hits = 0;
                for (int s = 0; s < n * n; ++s) {
                    const double px = (x + (s % n + 0.5) / n - options.width / 2.0) * perPixel;
                    const double py = (options.height / 2.0 - static_cast<double>(y) - (s / n + 0.5) / n) * perPixel;
                    const auto hit = query.cast(bounds.centre() + right * px + up * py + back * away, -back);
                    if (!hit)
                        continue;
                    ++hits;
                    const std::uint32_t* i = &mesh.indices[3 * static_cast<std::size_t>(hit->triangle)];
                    Vec3d normal = (mesh.positions[i[1]] - mesh.positions[i[0]])
                                       .cross(mesh.positions[i[2]] - mesh.positions[i[0]])
                                       .cast<double>()
                                       .normalized();
                    if (!mesh.normals.empty())
                        normal = (mesh.normals[i[0]] * (1 - hit->u - hit->v) + mesh.normals[i[1]] * hit->u +
                                  mesh.normals[i[2]] * hit->v)
                                     .cast<double>()
                                     .normalized();
                    if (normal.dot(back) < 0)
                        normal = -normal;
                    shade += 0.35 + 0.65 * std::max(0.0, normal.dot(light));
                }
                std::uint8_t* out =
                    &picture.rgba[4 * (y * static_cast<std::size_t>(options.width) + static_cast<std::size_t>(x))];
                const double mean = hits > 0 ? shade / hits : 0;
                for (int c = 0; c < 3; ++c)
                    out[c] = static_cast<std::uint8_t>(
                        std::clamp(255.0 * mean * static_cast<double>(options.tint[c]), 0.0, 255.0));
                out[3] = static_cast<std::uint8_t>(255 * hits / (n * n));
            }
    });
    return picture;
}

} // namespace thicket
