#include "terrain/ground_brush.h"

#include <algorithm>
#include <cmath>

namespace thicket {
namespace {

double distanceToPath(const std::vector<std::array<double, 2>>& path, double x, double z) {
    double best = std::hypot(path.front()[0] - x, path.front()[1] - z);
    for (std::size_t i = 1; i < path.size(); ++i) {
        const double ux = path[i][0] - path[i - 1][0];
        const double uz = path[i][1] - path[i - 1][1];
        const double along = ux * ux + uz * uz;
        const double t =
            along > 0 ? std::clamp(((x - path[i - 1][0]) * ux + (z - path[i - 1][1]) * uz) / along, 0.0, 1.0) : 0;
        best = std::min(best, std::hypot(path[i - 1][0] + t * ux - x, path[i - 1][1] + t * uz - z));
    }
    return best;
}

/// Mean of the heights within two of a place.
float meanRound(const Heights& h, std::uint32_t x, std::uint32_t y) {
    float sum = 0;
    float count = 0;
    for (std::uint32_t j = y > 2 ? y - 2 : 0; j <= std::min(y + 2, h.rows - 1); ++j)
        for (std::uint32_t i = x > 2 ? x - 2 : 0; i <= std::min(x + 2, h.columns - 1); ++i) {
            sum += h.at(i, j);
            count += 1;
        }
    return sum / count;
}

} // namespace

double brushFalloff(double radii) {
    if (radii >= 1)
        return 0;
    const double left = 1 - radii * radii;
    return left * left;
}

Stroked applyStroke(const std::shared_ptr<const Heights>& from, const GroundStroke& stroke) {
    Stroked out{from, {1, 1, 0, 0}};
    const Heights& h = *from;
    double lowX = 1e300;
    double lowZ = 1e300;
    double highX = -1e300;
    double highZ = -1e300;
    for (const auto& [x, z] : stroke.path) {
        lowX = std::min(lowX, x);
        highX = std::max(highX, x);
        lowZ = std::min(lowZ, z);
        highZ = std::max(highZ, z);
    }
    const auto column = [&](double x) { return (x - h.origin.x()) / h.spacing; };
    const auto row = [&](double z) { return (z - h.origin.z()) / h.spacing; };
    const double x0 = std::max(0.0, std::ceil(column(lowX - stroke.radius)));
    const double y0 = std::max(0.0, std::ceil(row(lowZ - stroke.radius)));
    const double x1 = std::min(h.columns - 1.0, std::floor(column(highX + stroke.radius)));
    const double y1 = std::min(h.rows - 1.0, std::floor(row(highZ + stroke.radius)));
    if (stroke.path.empty() || !(x1 >= x0 && y1 >= y0))
        return out;
    out.touched = {static_cast<std::uint32_t>(x0), static_cast<std::uint32_t>(y0), static_cast<std::uint32_t>(x1),
                   static_cast<std::uint32_t>(y1)};
    Heights after = h;
    const auto strength = static_cast<float>(stroke.strength);
    for (std::uint32_t y = out.touched.y0; y <= out.touched.y1; ++y) {
        float* to = nullptr;
        for (std::uint32_t x = out.touched.x0; x <= out.touched.x1; ++x) {
            const double away = distanceToPath(stroke.path, h.origin.x() + x * h.spacing, h.origin.z() + y * h.spacing);
            const auto weight = static_cast<float>(brushFalloff(away / stroke.radius));
            if (weight <= 0)
                continue;
            if (to == nullptr)
                to = after.grid.edit(y);
            const float was = h.at(x, y);
            switch (stroke.kind) {
            case BrushKind::Raise:
                to[x] = was + weight * strength;
                break;
            case BrushKind::Lower:
                to[x] = was - weight * strength;
                break;
            case BrushKind::Smooth:
                to[x] = was + weight * strength * (meanRound(h, x, y) - was);
                break;
            case BrushKind::Flatten:
                to[x] = was + weight * strength * (static_cast<float>(stroke.level) - was);
                break;
            }
        }
    }
    out.heights = std::make_shared<const Heights>(std::move(after));
    return out;
}

} // namespace thicket
