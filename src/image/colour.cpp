#include "image/colour.h"

#include <cmath>

namespace thicket {

Vec3f labOf(const Vec3f& linear) {
    const Vec3f c = linear.cwiseMax(0.0F);
    const float x = (0.4124564F * c[0] + 0.3575761F * c[1] + 0.1804375F * c[2]) / 0.95047F;
    const float y = 0.2126729F * c[0] + 0.7151522F * c[1] + 0.0721750F * c[2];
    const float z = (0.0193339F * c[0] + 0.1191920F * c[1] + 0.9503041F * c[2]) / 1.08883F;
    const auto f = [](float t) { return t > 0.008856F ? std::cbrt(t) : 7.787F * t + 16.0F / 116; };
    return {116 * f(y) - 16, 500 * (f(x) - f(y)), 200 * (f(y) - f(z))};
}

} // namespace thicket
