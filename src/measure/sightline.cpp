#include "measure/sightline.h"

#include <cmath>
#include <numbers>

namespace thicket {

Vec3d sightlineTo(const SurfaceRays& rays, const std::vector<Vec3d>& places, const Vec3d& outward, double about) {
    constexpr int kDirections = 48;
    constexpr double kOff = 1e-3;   // of the size there
    constexpr double kFacing = 0.3; // that facing is worth, beside being seen
    constexpr double kLevel = 0.1;  // and being seen neither from below nor straight from above
    constexpr double kUsual = 0.35; // height of the usual look
    const Vec3d usual = Vec3d(0.5, kUsual, 0.8).normalized();
    const bool known = outward.squaredNorm() > 0;
    Vec3d best = known ? outward : usual;
    double most = -1e300;
    const auto consider = [&](const Vec3d& direction) {
        double seen = 0;
        for (const Vec3d& place : places)
            seen += rays.cast(place + direction * (kOff * about), direction) ? 0 : 1;
        const double score = seen / static_cast<double>(places.size()) +
                             kFacing * (known ? outward : usual).dot(direction) -
                             kLevel * std::abs(direction.y() - kUsual);
        if (score > most) {
            most = score;
            best = direction;
        }
    };
    if (places.empty())
        return best;
    consider(best);
    // Spread evenly: turned by the golden angle from one to the next.
    for (int i = 0; i < kDirections; ++i) {
        const double y = 1 - (2 * i + 1.0) / kDirections;
        const double across = std::sqrt(1 - y * y);
        const double turn = i * std::numbers::pi * (3 - std::sqrt(5.0));
        consider({across * std::cos(turn), y, across * std::sin(turn)});
    }
    return best;
}

} // namespace thicket
