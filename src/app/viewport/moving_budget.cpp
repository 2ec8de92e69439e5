#include "app/viewport/moving_budget.h"

#include <algorithm>
#include <cmath>

namespace thicket::app {
namespace {

constexpr std::uint64_t kFew = 30'000; // so light that triangles are not what takes the time

} // namespace

void MovingBudget::soloTook(double ms, std::uint64_t triangles) {
    const double drawn = static_cast<double>(std::max<std::uint64_t>(triangles, 1));
    if (ms > kFrameMs * 1.1)
        m_solo = std::max(3000.0, std::min(m_solo, drawn) * std::max(0.35, kFrameMs / ms));
    else if (ms < kFrameMs * 0.6)
        m_solo = std::min(m_solo * 1.25, 2e7);
}

void MovingBudget::sceneTook(double ms, std::uint64_t triangles) {
    if (ms > kFrameMs * 1.1)
        m_factor = std::min(m_factor * std::min(1.7, std::sqrt(ms / kFrameMs)), kMostFactor);
    else if (ms < kFrameMs * 0.7)
        m_factor = std::max(1.0, m_factor * 0.94);
    // What a triangle takes here, so that the first frame of the next motion is light enough already.
    if (triangles > kFew)
        m_msPerTriangle += 0.2 * (ms / static_cast<double>(triangles) - m_msPerTriangle);
}

bool MovingBudget::lighten(std::uint64_t triangles) {
    if (m_factor >= kMostFactor || triangles < kFew ||
        static_cast<double>(triangles) * m_msPerTriangle < 1.5 * kFrameMs)
        return false;
    m_factor = std::min(m_factor * 1.3, kMostFactor);
    return true;
}

void MovingBudget::windowTook(double ms) {
    m_windowMs += 0.2 * (std::min(ms, kFrameMs) - m_windowMs);
}

} // namespace thicket::app
