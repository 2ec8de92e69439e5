#pragma once
// Quadrics of position and of attributes along a surface.

#include "mesh/vec.h"

#include <array>
#include <cmath>

namespace thicket::reduce {

/// Sum of squared distances to weighted planes: p'Ap + 2b'p + c, A symmetric as xx xy xz yy yz zz.
/// Not filled by itself, so that arrays of it can be made without touching them.
struct Quadric {
    std::array<double, 6> a;
    Vec3d b;
    double c;
    double weight; ///< sum of the surface planes' weights (area), constraints not counted

    static Quadric zero() { return {{0, 0, 0, 0, 0, 0}, Vec3d::Zero(), 0, 0}; }
    void addPlane(const Vec3d& n, double d, double w) {
        a[0] += w * n.x() * n.x();
        a[1] += w * n.x() * n.y();
        a[2] += w * n.x() * n.z();
        a[3] += w * n.y() * n.y();
        a[4] += w * n.y() * n.z();
        a[5] += w * n.z() * n.z();
        b += w * d * n;
        c += w * d * d;
    }
    void add(const Quadric& o) {
        for (std::size_t i = 0; i < 6; ++i)
            a[i] += o.a[i];
        b += o.b;
        c += o.c;
        weight += o.weight;
    }
    [[nodiscard]] double at(const Vec3d& p) const {
        return p.x() * (a[0] * p.x() + 2 * (a[1] * p.y() + a[2] * p.z() + b.x())) +
               p.y() * (a[3] * p.y() + 2 * (a[4] * p.z() + b.y())) + p.z() * (a[5] * p.z() + 2 * b.z()) + c;
    }
};

/// Normals, UVs, colours, and what stands in for skinning and morphing.
constexpr int kMostAttributes = 3 + 2 + 4 + 2 + 6;
using AttributeValues = std::array<double, kMostAttributes>;

/// How K attributes run along the faces round a vertex (Hoppe 1999). For face weight w and attribute value g.p + d:
/// sums of w g g', w d g, w d^2 over all attributes, and of w g and w d for each. Laid out flat, 11 + 4 K doubles, so
/// that all vertices' quadrics are one array: [A: 6][b: 3][c][w] then K times [g: 3][d].
struct AttributeSpan {
    double* data;
    int count;

    static constexpr int stride(int attributes) { return 11 + 4 * attributes; }
    [[nodiscard]] double weight() const { return data[10]; }

    /// Adds a face of weight w. Attribute k rises by gu[k] along and gv[k] across, two directions in the face, and is
    /// d[k] where they put the origin.
    void addFace(const Vec3d& along, const Vec3d& across, const AttributeValues& gu, const AttributeValues& gv,
                 const AttributeValues& d, double w) const {
        double uu = 0;
        double uv = 0;
        double vv = 0;
        double ud = 0;
        double vd = 0;
        double dd = 0;
        for (int k = 0; k < count; ++k) {
            const auto i = static_cast<std::size_t>(k);
            uu += gu[i] * gu[i];
            uv += gu[i] * gv[i];
            vv += gv[i] * gv[i];
            ud += gu[i] * d[i];
            vd += gv[i] * d[i];
            dd += d[i] * d[i];
            double* own = data + 11 + 4 * k;
            for (int axis = 0; axis < 3; ++axis)
                own[axis] += w * (gu[i] * along[axis] + gv[i] * across[axis]);
            own[3] += w * d[i];
        }
        const Vec3d first = w * (uu * along + uv * across);
        const Vec3d second = w * (uv * along + vv * across);
        data[0] += first.x() * along.x() + second.x() * across.x();
        data[1] += first.x() * along.y() + second.x() * across.y();
        data[2] += first.x() * along.z() + second.x() * across.z();
        data[3] += first.y() * along.y() + second.y() * across.y();
        data[4] += first.y() * along.z() + second.y() * across.z();
        data[5] += first.z() * along.z() + second.z() * across.z();
        for (int axis = 0; axis < 3; ++axis)
            data[6 + axis] += w * (ud * along[axis] + vd * across[axis]);
        data[9] += w * dd;
        data[10] += w;
    }
    void add(const double* other) const {
        for (int i = 0; i < stride(count); ++i)
            data[i] += other[i];
    }
    /// Adds what is left once the attribute values are the best for the position: a quadric in position alone.
    void reduceInto(Quadric& q) const {
        if (!(data[10] > 0))
            return;
        // The usual sets of attributes get a loop of known length.
        if (count == 5)
            reduceFor<5>(q);
        else if (count == 3)
            reduceFor<3>(q);
        else
            reduceFor<0>(q);
    }
    [[nodiscard]] double valueAt(int k, const Vec3d& p) const {
        const double* own = data + 11 + 4 * k;
        return (own[0] * p.x() + own[1] * p.y() + own[2] * p.z() + own[3]) / data[10];
    }

private:
    template <int Known> void reduceFor(Quadric& q) const {
        const int k = Known > 0 ? Known : count;
        std::array<double, 10> outer{};
        for (int i = 0; i < k; ++i) {
            const double* own = data + 11 + 4 * i;
            outer[0] += own[0] * own[0];
            outer[1] += own[0] * own[1];
            outer[2] += own[0] * own[2];
            outer[3] += own[1] * own[1];
            outer[4] += own[1] * own[2];
            outer[5] += own[2] * own[2];
            outer[6] += own[3] * own[0];
            outer[7] += own[3] * own[1];
            outer[8] += own[3] * own[2];
            outer[9] += own[3] * own[3];
        }
        const double s = 1 / data[10];
        for (std::size_t i = 0; i < 6; ++i)
            q.a[i] += data[i] - s * outer[i];
        for (int i = 0; i < 3; ++i)
            q.b[i] += data[6 + i] - s * outer[static_cast<std::size_t>(6 + i)];
        q.c += data[9] - s * outer[9];
    }
};

} // namespace thicket::reduce
