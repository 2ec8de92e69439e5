#include "strands/ribbon_picture.h"

#include <algorithm>
#include <cmath>

namespace thicket {

RibbonPicture::RibbonPicture(int width, int height)
    : m_width(width), m_height(height),
      m_depth(static_cast<std::size_t>(width) * static_cast<std::size_t>(height), kNothing),
      m_colour(m_depth.size(), Vec3f::Zero()) {}

RibbonPicture::Span RibbonPicture::spanOf(float left, float right, float low, float high) const {
    const auto within = [](float at, int count) {
        return static_cast<int>(std::clamp(at, -1.0F, static_cast<float>(count)));
    };
    return {std::max(0, within(std::floor(left), m_width)), std::min(m_width - 1, within(std::ceil(right), m_width)),
            std::max(0, within(std::floor(low), m_height)), std::min(m_height - 1, within(std::ceil(high), m_height))};
}

void RibbonPicture::ribbon(const Vec3f& a, const Vec3f& b, float wideA, float wideB, const Vec3f& tintA,
                           const Vec3f& tintB) {
    const Eigen::Vector2f along(b.x() - a.x(), b.y() - a.y());
    const float length = along.norm();
    if (length < 1e-6F)
        return;
    const Eigen::Vector2f unit = along / length;
    const float half = std::max(wideA, wideB) / 2;
    const Span span = spanOf(std::min(a.x(), b.x()) - half, std::max(a.x(), b.x()) + half,
                             std::min(a.y(), b.y()) - half, std::max(a.y(), b.y()) + half);
    for (int y = span.low; y <= span.high; ++y)
        for (int x = span.left; x <= span.right; ++x) {
            const Eigen::Vector2f to(static_cast<float>(x) + 0.5F - a.x(), static_cast<float>(y) + 0.5F - a.y());
            const float t = to.dot(unit) / length;
            if (t < 0 || t > 1)
                continue;
            const float off = std::abs(to.x() * unit.y() - to.y() * unit.x());
            if (off <= (wideA + t * (wideB - wideA)) / 2)
                put(x, y, a.z() + t * (b.z() - a.z()), tintA + t * (tintB - tintA));
        }
}

std::size_t RibbonPicture::coveredCount() const {
    return static_cast<std::size_t>(
        std::count_if(m_depth.begin(), m_depth.end(), [](float depth) { return depth > kNothing; }));
}

std::pair<double, Vec3f> RibbonPicture::result() const {
    Vec3d sum(0, 0, 0);
    for (std::size_t i = 0; i < m_depth.size(); ++i)
        if (m_depth[i] > kNothing)
            sum += m_colour[i].cast<double>();
    const std::size_t covered = coveredCount();
    return {static_cast<double>(covered) / static_cast<double>(m_depth.size()),
            Vec3f((sum / static_cast<double>(std::max<std::size_t>(covered, 1))).cast<float>())};
}

} // namespace thicket
