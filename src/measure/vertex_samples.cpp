#include "measure/vertex_samples.h"

#include "base/parallel.h"

#include <algorithm>

namespace thicket {
namespace {

SideSamples sampleSide(const Mesh& from, const SurfaceQuery& target, std::uint32_t points) {
    constexpr std::size_t kTogether = 512;
    SideSamples out;
    out.step = std::max<std::size_t>(1, from.positions.size() / points);
    const std::size_t count = (from.positions.size() + out.step - 1) / out.step;
    out.distance.resize(count);
    out.closest.resize(count);
    parallelChunks(count, kTogether, [&](std::size_t begin, std::size_t end) {
        std::uint32_t hint = 0;
        for (std::size_t i = begin; i < end; ++i) {
            const ClosestPoint hit = target.closest(out.placeIn(from, i), hint);
            hint = hit.triangle;
            out.distance[i] = hit.distance;
            out.closest[i] = hit.triangle;
        }
    });
    return out;
}

} // namespace

VertexSamples sampleVertices(const Mesh& reference, const SurfaceQuery& referenceQuery, const Mesh& level,
                             const SurfaceQuery& levelQuery, std::uint32_t points) {
    return {sampleSide(reference, levelQuery, points), sampleSide(level, referenceQuery, points)};
}

} // namespace thicket
