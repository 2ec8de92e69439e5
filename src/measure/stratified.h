#pragma once
// Points spread evenly over a surface: equal steps of area, one point jittered by hash in each.

#include "mesh/mesh.h"

namespace thicket {

struct SurfacePlace {
    std::uint32_t triangle = 0;
    double u = 0; ///< weight of the triangle's second corner
    double v = 0; ///< of its third
};

class StratifiedPlaces {
public:
    /// REQUIRES   count > 0.
    /// COST       O(triangles).
    StratifiedPlaces(const Mesh& mesh, std::uint32_t count);
    /// False when the mesh has no area: then there are no places.
    [[nodiscard]] bool any() const { return m_upTo.back() > 0; }
    [[nodiscard]] double area() const { return m_upTo.back(); }
    /// Mean distance between neighbours, metres.
    [[nodiscard]] double spacing() const;
    /// REQUIRES   any() and i < count.
    /// COST       O(log triangles).
    [[nodiscard]] SurfacePlace place(std::uint32_t i) const;

private:
    std::vector<double> m_upTo; ///< area up to and with each triangle
    std::uint32_t m_count;
};

/// A value at a place, from an array of one entry a vertex.
template <class Array> auto valueAt(const Mesh& mesh, const Array& values, const SurfacePlace& place) {
    const std::uint32_t* c = &mesh.indices[3 * std::size_t{place.triangle}];
    using Scalar = typename Array::value_type::Scalar;
    return typename Array::value_type(static_cast<Scalar>(1 - place.u - place.v) * values[c[0]] +
                                      static_cast<Scalar>(place.u) * values[c[1]] +
                                      static_cast<Scalar>(place.v) * values[c[2]]);
}

} // namespace thicket
