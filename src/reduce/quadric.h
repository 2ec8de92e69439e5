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
        const double pull = 1e-6 * (a[0] + a[3] + a[5]) + 1e-300;
        const double xx = a[0] + pull;
        const double yy = a[3] + pull;
        const double zz = a[5] + pull;
        const Vec3d r = pull * near - b;
        // Cholesky of the 3 x 3; positive definite because of the pull.
        const double l00 = std::sqrt(xx);
        const double l10 = a[1] / l00;
        const double l20 = a[2] / l00;
        const double l11 = std::sqrt(std::max(yy - l10 * l10, pull));
        const double l21 = (a[4] - l20 * l10) / l11;
        const double l22 = std::sqrt(std::max(zz - l20 * l20 - l21 * l21, pull));
        const double y0 = r.x() / l00;
        const double y1 = (r.y() - l10 * y0) / l11;
        const double y2 = (r.z() - l20 * y0 - l21 * y1) / l22;
        const double z = y2 / l22;
        const double y = (y1 - l21 * z) / l11;
        return {(y0 - l10 * y - l20 * z) / l00, y, z};
    }
};

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
        const double w = data[10];
        if (!(w > 0))
            return;
        for (std::size_t i = 0; i < 6; ++i)
            q.a[i] += data[i];
        q.b += Vec3d(data[6], data[7], data[8]);
        q.c += data[9];
        for (int k = 0; k < count; ++k) {
            const double* own = data + 11 + 4 * k;
            const double s = 1 / w;
            q.a[0] -= s * own[0] * own[0];
            q.a[1] -= s * own[0] * own[1];
            q.a[2] -= s * own[0] * own[2];
            q.a[3] -= s * own[1] * own[1];
            q.a[4] -= s * own[1] * own[2];
            q.a[5] -= s * own[2] * own[2];
            q.b -= s * own[3] * Vec3d(own[0], own[1], own[2]);
            q.c -= s * own[3] * own[3];
        }
    }
    [[nodiscard]] double valueAt(int k, const Vec3d& p) const {
        const double* own = data + 11 + 4 * k;
        return (own[0] * p.x() + own[1] * p.y() + own[2] * p.z() + own[3]) / data[10];
    }
};

} // namespace thicket::reduce
