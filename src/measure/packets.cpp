#include "measure/packets.h"

#include <algorithm>
#include <span>
#include <tbb/parallel_invoke.h>

namespace thicket::measure {
namespace {

struct Middle {
    std::array<float, 3> at;
    std::uint32_t triangle;
};

void cutInHalves(std::span<Middle> run) {
    constexpr std::size_t kWorthAThread = 8192;
    constexpr std::size_t kLanes = TrianglePackets::kLanes;
    if (run.size() <= kLanes)
        return;
    std::array<float, 3> low = run.front().at;
    std::array<float, 3> high = low;
    for (const Middle& m : run)
        for (std::size_t k = 0; k < 3; ++k) {
            low[k] = std::min(low[k], m.at[k]);
            high[k] = std::max(high[k], m.at[k]);
        }
    std::size_t axis = 0;
    for (std::size_t k = 1; k < 3; ++k)
        axis = high[k] - low[k] > high[axis] - low[axis] ? k : axis;
    const std::size_t half = (run.size() / 2 + kLanes - 1) / kLanes * kLanes;
    std::nth_element(run.begin(), run.begin() + static_cast<std::ptrdiff_t>(half), run.end(),
                     [axis](const Middle& x, const Middle& y) {
                         return x.at[axis] != y.at[axis] ? x.at[axis] < y.at[axis] : x.triangle < y.triangle;
                     });
    const auto first = [&] { cutInHalves(run.first(half)); };
    const auto rest = [&] { cutInHalves(run.subspan(half)); };
    if (run.size() > kWorthAThread) {
        tbb::parallel_invoke(first, rest);
    } else {
        first();
        rest();
    }
}

} // namespace

TrianglePackets packTriangles(const Mesh& mesh, const std::vector<Vec3f>& places) {
    constexpr std::size_t kLanes = TrianglePackets::kLanes;
    const std::size_t count = mesh.triangleCount();
    std::vector<Middle> order(count);
    for (std::size_t t = 0; t < count; ++t) {
        const Vec3f& a = places[mesh.indices[3 * t]];
        const Vec3f& b = places[mesh.indices[3 * t + 1]];
        const Vec3f& c = places[mesh.indices[3 * t + 2]];
        const Vec3f middle = (a.cwiseMin(b).cwiseMin(c) + a.cwiseMax(b).cwiseMax(c)) / 2.0F;
        order[t] = {{middle.x(), middle.y(), middle.z()}, static_cast<std::uint32_t>(t)};
    }
    cutInHalves(order);
    TrianglePackets out;
    out.packets.resize((count + kLanes - 1) / kLanes);
    out.inLast = count % kLanes == 0 ? kLanes : count % kLanes;
    for (std::size_t i = 0; i < out.packets.size() * kLanes; ++i) {
        const std::uint32_t t = order[std::min(i, count - 1)].triangle;
        TrianglePackets::Packet& packet = out.packets[i / kLanes];
        packet.triangle[i % kLanes] = t;
        for (std::size_t k = 0; k < 9; ++k)
            packet.corners[k * kLanes + i % kLanes] =
                places[mesh.indices[3 * std::size_t{t} + k / 3]][static_cast<int>(k % 3)];
    }
    return out;
}

} // namespace thicket::measure
