#include "app/viewport/moving_budget.h"

#include <algorithm>
#include <cmath>

namespace thicket::app {
namespace {

constexpr std::uint64_t kFew = 20'000; // so light that triangles are not what takes the time
constexpr double kAllTriangles = 2e7;
constexpr double kSteps = 8; // of the scale, from nothing to all

} // namespace

double MovingBudget::forDrawing() const {
    return std::max(kFrameMs - m_otherMs - m_windowMs, kFrameMs / 4);
}

double MovingBudget::forTriangles() const {
    const double all = forDrawing();
    return std::max(all - m_msPerPixel * m_window * m_scale * m_scale, all / 4);
}

double MovingBudget::soloTriangles() const {
    return m_msPerTriangle > 0 ? std::clamp(forTriangles() / m_msPerTriangle, 3000.0, kAllTriangles) : kAllTriangles;
}

/// Least squares of relative errors over the last frames, of two costs that are not negative, held a little to what they
/// were where the frames do not tell them apart.
void MovingBudget::fit() {
    constexpr double kHold = 1e-3;
    double tt = 0;
    double tp = 0;
    double pp = 0;
    double tm = 0;
    double pm = 0;
    for (std::size_t i = 0; i < m_count; ++i) {
        const Frame& f = m_frames[i];
        const double weight = 1 / std::pow(f.ms + 5, 2);
        tt += weight * f.triangles * f.triangles;
        tp += weight * f.triangles * f.pixels;
        pp += weight * f.pixels * f.pixels;
        tm += weight * f.triangles * f.ms;
        pm += weight * f.pixels * f.ms;
    }
    tm += kHold * tt * m_msPerTriangle;
    pm += kHold * pp * m_msPerPixel;
    tt *= 1 + kHold;
    pp *= 1 + kHold;
    const double apart = tt * pp - tp * tp;
    const double triangle = apart > 0 ? (tm * pp - pm * tp) / apart : -1;
    const double pixel = apart > 0 ? (pm * tt - tm * tp) / apart : -1;
    if (triangle >= 0 && pixel >= 0) {
        m_msPerTriangle = triangle;
        m_msPerPixel = pixel;
    } else if (pixel < 0 && tt > 0) {
        m_msPerTriangle = tm / tt;
        m_msPerPixel = 0;
    } else if (pp > 0) {
        m_msPerTriangle = 0;
        m_msPerPixel = pm / pp;
    }
}

void MovingBudget::learn(double drawMs, double otherMs, double triangles, double pixels, double window) {
    m_window = window;
    m_otherMs = std::min(otherMs, kFrameMs);
    m_frames[m_next] = {drawMs, triangles, pixels};
    m_next = (m_next + 1) % m_frames.size();
    m_count = std::min(m_count + 1, m_frames.size());
    fit();

    const double all = forDrawing();
    const double full = m_msPerPixel * window;
    const double ofTriangles = m_msPerTriangle * triangles;
    const double share = full > 0 ? (all - std::min(ofTriangles, all / 2)) / full : 1;
    const double wanted = std::clamp(std::floor(std::sqrt(share) * kSteps) / kSteps, kLeastScale, 1.0);
    if (wanted <= m_scale) {
        m_scale = wanted;
        return;
    }
    const double next = std::min(wanted, m_scale + 1 / kSteps);
    if (std::min(ofTriangles, all / 2) + full * next * next < 0.85 * all)
        m_scale = next;
}

void MovingBudget::sceneTook(double drawMs, double otherMs, std::uint64_t triangles, double pixels, double window) {
    learn(drawMs, otherMs, static_cast<double>(triangles), pixels, window);
    const double share = m_msPerTriangle * static_cast<double>(triangles) / forTriangles();
    if (share > 1.1)
        m_factor = std::min(m_factor * std::clamp(std::sqrt(share), 1.05, 1.7), kMostFactor);
    else if (share < 0.8)
        m_factor = std::max(1.0, m_factor * 0.94);
}

void MovingBudget::soloTook(double drawMs, double otherMs, std::uint64_t triangles, double pixels, double window) {
    learn(drawMs, otherMs, static_cast<double>(triangles), pixels, window);
}

int MovingBudget::halvingsOf(std::uint64_t groundTriangles) {
    constexpr int kMost = 2;
    constexpr double kFrom = 4; // of the factor: until there levels do it
    constexpr double kShare = 0.4;
    constexpr double kLessShare = 0.3;
    const auto msOf = [&](int halvings) {
        return m_msPerTriangle * static_cast<double>(groundTriangles >> (2 * halvings));
    };
    if (m_halvings < kMost && m_factor >= kFrom && msOf(m_halvings) > kShare * forTriangles())
        ++m_halvings;
    else if (m_halvings > 0 && msOf(m_halvings - 1) < kLessShare * forTriangles())
        --m_halvings;
    return m_halvings;
}

void MovingBudget::restTook(double ms, std::uint64_t triangles) {
    constexpr double kPlain = 0.5; // without the samples of a picture at rest
    if (m_msPerTriangle == 0 && triangles > kFew)
        m_msPerTriangle = kPlain * ms / static_cast<double>(triangles);
}

bool MovingBudget::lighten(std::uint64_t triangles) {
    const double share = m_msPerTriangle * static_cast<double>(triangles) / forTriangles();
    if (m_factor >= kMostFactor || triangles < kFew || share < 1.3)
        return false;
    m_factor = std::min(m_factor * std::clamp(std::sqrt(share), 1.3, 4.0), kMostFactor);
    return true;
}

void MovingBudget::windowTook(double ms) {
    m_windowMs += 0.2 * (std::min(ms, kFrameMs / 2) - m_windowMs);
}

} // namespace thicket::app
