#pragma once
// Quadrics of position and of attributes along a surface, and the one solve they share.

#include "mesh/vec.h"

#include <array>
#include <cmath>

namespace thicket::reduce {

/// Sum of squared distances to weighted planes: p'Ap + 2b'p + c, A symmetric as xx xy xz yy yz zz.
struct Quadric {
    std::array<double, 6> a{};
    Vec3d b{0, 0, 0};
    double c = 0;
    double weight = 0; ///< sum of the surface planes' weights (area), constraints not counted

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
    /// The point of least value. Where the surface leaves a direction free, stays close to `near`.
    [[nodiscard]] Vec3d best(const Vec3d& near) const {
        // A pull of a millionth towards `near` decides free directions and hides nothing steeper than a milliradian.
        // L D L' of the 3 x 3, positive definite because of the pull.
        const double pull = 1e-6 * (a[0] + a[3] + a[5]) + 1e-300;
        const double i0 = 1 / (a[0] + pull);
        const double l10 = a[1] * i0;
        const double l20 = a[2] * i0;
        const double i1 = 1 / std::max(a[3] + pull - l10 * a[1], pull);
        const double m21 = a[4] - l20 * a[1];
        const double l21 = m21 * i1;
        const double i2 = 1 / std::max(a[5] + pull - l20 * a[2] - l21 * m21, pull);
        const auto solve = [&](const Vec3d& r) {
            const double y1 = r.y() - l10 * r.x();
            const double z = (r.z() - l20 * r.x() - l21 * y1) * i2;
            const double y = y1 * i1 - l21 * z;
            return Vec3d(r.x() * i0 - l10 * y - l20 * z, y, z);
        };
        // Solving again from the first answer takes back what the pull moved it in the directions that are not free.
        return solve(pull * solve(pull * near - b) - b);
    }
};

/// Normals, UVs, colours, and what stands in for skinning and morphing.
constexpr int kMostAttributes = 3 + 2 + 4 + 2 + 6;

/// How K attributes run along the faces round a vertex (Hoppe 1999). For face weight w and attribute value g.p + d:
/// sums of w g g', w d g, w d^2 over all attributes, and of w g and w d for each. Laid out flat, 11 + 4 K doubles, so
/// that all vertices' quadrics are one array: [A: 6][b: 3][c][w] then K times [g: 3][d].
struct AttributeSpan {
    double* data;
    int count;

    static constexpr int stride(int attributes) { return 11 + 4 * attributes; }
    [[nodiscard]] double weight() const { return data[10]; }

    void addFace(int k, const Vec3d& g, double d, double w) const {
        data[0] += w * g.x() * g.x();
        data[1] += w * g.x() * g.y();
        data[2] += w * g.x() * g.z();
        data[3] += w * g.y() * g.y();
        data[4] += w * g.y() * g.z();
        data[5] += w * g.z() * g.z();
        data[6] += w * d * g.x();
        data[7] += w * d * g.y();
        data[8] += w * d * g.z();
        data[9] += w * d * d;
        double* own = data + 11 + 4 * k;
        own[0] += w * g.x();
        own[1] += w * g.y();
        own[2] += w * g.z();
        own[3] += w * d;
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
