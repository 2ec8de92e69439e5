#include "mesh/care.h"

#include "base/parallel.h"

#include <algorithm>
#include <cmath>
#include <tuple>

namespace thicket {
namespace {

constexpr std::size_t kCareChunk = 16384;

float squaredDistanceToSegment(const Vec3f& p, const Vec3f& a, const Vec3f& b) {
    const Vec3f ab = b - a;
    const float length = ab.squaredNorm();
    const float t = length > 0 ? std::clamp((p - a).dot(ab) / length, 0.0F, 1.0F) : 0.0F;
    return (p - a - t * ab).squaredNorm();
}

/// How much of a stroke reaches a place: 1 in the middle of its path, 0 from its radius on.
float reach(const Vec3f& p, const CareStroke& stroke) {
    float nearest = HUGE_VALF;
    if (stroke.path.size() == 1)
        nearest = (p - stroke.path.front()).squaredNorm();
    for (std::size_t i = 1; i < stroke.path.size(); ++i)
        nearest = std::min(nearest, squaredDistanceToSegment(p, stroke.path[i - 1], stroke.path[i]));
    const float t = 1 - std::sqrt(nearest) / stroke.radius;
    return t > 0 ? t * t * (3 - 2 * t) : 0;
}

float laid(const CareStroke& stroke, float before, float share) {
    return stroke.kind == CareStroke::Kind::Erase ? before * (1 - share * stroke.strength)
                                                  : std::max(before, share * stroke.strength);
}

/// Bilinear, repeating, 0..1.
float maskAt(const CareMask& mask, const Vec2f& uv) {
    const auto wrapped = [](float x, int n) {
        const float at = (x - std::floor(x)) * static_cast<float>(n) - 0.5F;
        const int low = static_cast<int>(std::floor(at));
        return std::tuple((low + n) % n, (low + 1 + n) % n, at - static_cast<float>(low));
    };
    const auto [x0, x1, u] = wrapped(uv.x(), mask.width);
    const auto [y0, y1, v] = wrapped(uv.y(), mask.height);
    const auto at = [&mask](int x, int y) {
        return static_cast<float>(mask.values[static_cast<std::size_t>(y * mask.width + x)]) / 255;
    };
    return (1 - v) * ((1 - u) * at(x0, y0) + u * at(x1, y0)) + v * ((1 - u) * at(x0, y1) + u * at(x1, y1));
}

} // namespace

void layCare(const Mesh& mesh, const CareStroke& stroke, std::vector<float>& values) {
    values.resize(mesh.positions.size(), 0.0F);
    if (stroke.kind == CareStroke::Kind::FromColor) {
        for (std::size_t v = 0; v < mesh.colors.size(); ++v)
            values[v] = laid(stroke, values[v], std::clamp(mesh.colors[v][stroke.channel], 0.0F, 1.0F));
        return;
    }
    if (stroke.kind == CareStroke::Kind::FromMask) {
        for (std::size_t v = 0; v < mesh.uvs.size() && stroke.mask; ++v)
            values[v] = laid(stroke, values[v], maskAt(*stroke.mask, mesh.uvs[v]));
        return;
    }
    if (stroke.path.empty() || !(stroke.radius > 0))
        return;
    Vec3f low = stroke.path.front();
    Vec3f high = low;
    for (const Vec3f& p : stroke.path) {
        low = low.cwiseMin(p);
        high = high.cwiseMax(p);
    }
    const Vec3f margin = Vec3f::Constant(stroke.radius);
    low -= margin;
    high += margin;
    const auto inside = [&](const Vec3f& p) {
        return (p.array() >= low.array()).all() && (p.array() <= high.array()).all();
    };
    parallelChunks(values.size(), kCareChunk, [&](std::size_t begin, std::size_t end) {
        for (std::size_t v = begin; v < end; ++v) {
            Vec3f p = mesh.positions[v];
            float share = inside(p) ? reach(p, stroke) : 0;
            if (stroke.mirror) {
                p.x() = 2 * stroke.mirrorX - p.x();
                share = std::max(share, inside(p) ? reach(p, stroke) : 0);
            }
            if (share > 0)
                values[v] = laid(stroke, values[v], share);
        }
    });
}

std::vector<float> careOf(const Mesh& mesh, const Care& care) {
    std::vector<float> values;
    for (const CareStroke& stroke : care)
        layCare(mesh, stroke, values);
    return values;
}

} // namespace thicket
