#include "bake/picture.h"

#include "base/parallel.h"

#include <algorithm>
#include <cmath>

namespace thicket {

Pixels renderPicture(const Mesh& mesh, const Surfaces& surfaces, const PictureOptions& options) {
    const Appearance seen(mesh, surfaces);
    const Bounds& bounds = seen.bounds();
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

    Pixels picture{options.width, options.height, {}};
    picture.rgba.resize(4 * static_cast<std::size_t>(options.width) * static_cast<std::size_t>(options.height));
    const int n = options.samplesPerSide;
    parallelChunks(static_cast<std::size_t>(options.height), 8, [&](std::size_t begin, std::size_t end) {
        for (std::size_t y = begin; y < end; ++y)
            for (int x = 0; x < options.width; ++x) {
                Vec3f sum = Vec3f::Zero();
                int hits = 0;
                for (int s = 0; s < n * n; ++s) {
                    const double px = (x + (s % n + 0.5) / n - options.width / 2.0) * perPixel;
                    const double py = (options.height / 2.0 - static_cast<double>(y) - (s / n + 0.5) / n) * perPixel;
                    const auto hit = seen.look(bounds.centre() + right * px + up * py + back * away, -back);
                    if (!hit)
                        continue;
                    ++hits;
                    const double shade = 0.5 + 1.1 * std::max(0.0, hit->normal.dot(light));
                    sum += static_cast<float>(shade) * hit->color;
                }
                std::uint8_t* out = picture.at(x, static_cast<int>(y));
                for (int c = 0; c < 3; ++c)
                    out[c] = hits > 0 ? toSrgb(sum[c] / static_cast<float>(hits)) : 0;
                out[3] = static_cast<std::uint8_t>(255 * hits / (n * n));
            }
    });
    return picture;
}

} // namespace thicket
