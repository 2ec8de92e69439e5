#pragma once
// A small picture of ribbons that face the eye, drawn to be counted.

#include "mesh/vec.h"

#include <algorithm>
#include <cmath>
#include <utility>
#include <vector>

namespace thicket {

/// x to the right, y up, z towards the eye, in samples; the nearer hides the other.
class RibbonPicture {
public:
    RibbonPicture(int width, int height);

    /// From a to b, so wide at either end.
    void ribbon(const Vec3f& a, const Vec3f& b, float wideA, float wideB, const Vec3f& tintA, const Vec3f& tintB);
    /// What `tintOf(u, v)` gives of the parallelogram at + u * along + v * up, u and v 0..1; negative where it gives
    /// nothing. All of it is as deep as `at`.
    template <class TintOf>
    void patch(const Vec3f& at, const Eigen::Vector2f& along, const Eigen::Vector2f& up, const TintOf& tintOf);

    [[nodiscard]] int width() const { return m_width; }
    [[nodiscard]] int height() const { return m_height; }
    [[nodiscard]] bool covered(int x, int y) const { return m_depth[place(x, y)] > kNothing; }
    [[nodiscard]] const Vec3f& tint(int x, int y) const { return m_colour[place(x, y)]; }
    [[nodiscard]] std::size_t samples() const { return m_depth.size(); }
    [[nodiscard]] std::size_t coveredCount() const;
    /// The share that is covered, and the mean colour of it.
    [[nodiscard]] std::pair<double, Vec3f> result() const;

private:
    static constexpr float kNothing = -1e30F;
    [[nodiscard]] std::size_t place(int x, int y) const {
        return static_cast<std::size_t>(y) * static_cast<std::size_t>(m_width) + static_cast<std::size_t>(x);
    }
    struct Span {
        int left, right, low, high;
    };
    [[nodiscard]] Span spanOf(float left, float right, float low, float high) const;
    void put(int x, int y, float depth, const Vec3f& tint) {
        const std::size_t at = place(x, y);
        if (depth <= m_depth[at])
            return;
        m_depth[at] = depth;
        m_colour[at] = tint;
    }

    int m_width;
    int m_height;
    std::vector<float> m_depth;
    std::vector<Vec3f> m_colour;
};

template <class TintOf>
void RibbonPicture::patch(const Vec3f& at, const Eigen::Vector2f& along, const Eigen::Vector2f& up,
                          const TintOf& tintOf) {
    const float area = along.x() * up.y() - along.y() * up.x();
    if (std::abs(area) < 1e-6F)
        return;
    const auto [least, most] = std::minmax({0.0F, along.x(), up.x(), along.x() + up.x()});
    const auto [lowest, highest] = std::minmax({0.0F, along.y(), up.y(), along.y() + up.y()});
    const Span span = spanOf(at.x() + least, at.x() + most, at.y() + lowest, at.y() + highest);
    for (int y = span.low; y <= span.high; ++y)
        for (int x = span.left; x <= span.right; ++x) {
            const Eigen::Vector2f to(static_cast<float>(x) + 0.5F - at.x(), static_cast<float>(y) + 0.5F - at.y());
            const float u = (to.x() * up.y() - to.y() * up.x()) / area;
            const float v = (along.x() * to.y() - along.y() * to.x()) / area;
            if (u < 0 || u >= 1 || v < 0 || v >= 1)
                continue;
            const Vec3f tint = tintOf(u, v);
            if (tint.x() >= 0)
                put(x, y, at.z(), tint);
        }
}

} // namespace thicket
