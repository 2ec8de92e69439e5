#include "measure/stratified.h"

#include "base/text.h"

#include <algorithm>
#include <cmath>

namespace thicket {

StratifiedPlaces::StratifiedPlaces(const Mesh& mesh, std::uint32_t count)
    : m_upTo(mesh.triangleCount()), m_count(count) {
    double area = 0;
    for (std::uint32_t t = 0; t < mesh.triangleCount(); ++t) {
        const Vec3f& a = mesh.positions[mesh.indices[3 * std::size_t{t}]];
        area += 0.5 * (mesh.positions[mesh.indices[3 * std::size_t{t} + 1]] - a)
                          .cross(mesh.positions[mesh.indices[3 * std::size_t{t} + 2]] - a)
                          .cast<double>()
                          .norm();
        m_upTo[t] = area;
    }
}

double StratifiedPlaces::spacing() const {
    return std::sqrt(area() / m_count);
}

SurfacePlace StratifiedPlaces::place(std::uint32_t i) const {
    const double at = area() * (static_cast<double>(i) + hashShare(3 * i)) / m_count;
    const auto found = std::upper_bound(m_upTo.begin(), m_upTo.end(), at);
    const auto t = std::min<std::size_t>(static_cast<std::size_t>(found - m_upTo.begin()), m_upTo.size() - 1);
    const double root = std::sqrt(hashShare(3 * i + 1));
    const double share = hashShare(3 * i + 2);
    return {static_cast<std::uint32_t>(t), root * (1 - share), root * share};
}

} // namespace thicket
