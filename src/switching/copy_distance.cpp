#include "switching/copy_distance.h"

#include "switching/cells.h"
#include "switching/selector.h"

#include <algorithm>

namespace thicket {
namespace {

double distanceFrom(const Vec3d& eye, const Vec3d& forward, const ResolvedChain& chain, const Placement& copy,
                    MeasureFrom from) {
    if (from == MeasureFrom::NearestPoint) {
        const Vec3d local = copy.rotation.conjugate() * (eye - copy.position) / copy.scale;
        const Vec3d nearest = local.cwiseMax(chain.bounds.low).cwiseMin(chain.bounds.high);
        return (local - nearest).norm() * copy.scale;
    }
    const Vec3d centre = centreOf(copy, chain.bounds);
    return from == MeasureFrom::Centre ? (centre - eye).norm() : std::max(0.0, (centre - eye).dot(forward));
}

} // namespace

double copyDistance(const ResolvedChain& chain, const Placement& copy, const View& view, MeasureFrom from) {
    return distanceFrom(view.eye, view.forward, chain, copy, from);
}

double decidingDistance(const ResolvedChain& chain, const Placement& copy, const View& view) {
    return distanceFrom(chain.measuredFrom.value_or(view.eye), view.forward, chain, copy, chain.rule.measureFrom);
}

double reachFrom(const SwitchRule& rule, const Vec3d& eye, double lowest) {
    return rule.reachMetres > 0 ? rule.reachMetres + rule.reachGrows * std::max(0.0, eye.y() - lowest) : 0;
}

double contextFactor(double importance, const SelectOptions& options) {
    return options.halfSpeed > 0 ? importance / (1 + options.speed / options.halfSpeed) : importance;
}

OrientedBox boxOf(const ResolvedChain& chain, const Placement& copy, double wider) {
    const Eigen::Matrix3d turn = copy.rotation.toRotationMatrix() * copy.scale;
    const Vec3d half = chain.bounds.size() / 2 + Vec3d::Constant(wider);
    return {copy.position + turn * chain.bounds.centre(),
            {turn.col(0) * half.x(), turn.col(1) * half.y(), turn.col(2) * half.z()}};
}

std::array<Vec3d, 8> boxCorners(const ResolvedChain& chain, const Placement& copy, double wider) {
    const OrientedBox box = boxOf(chain, copy, wider);
    std::array<Vec3d, 8> out;
    for (std::size_t k = 0; k < out.size(); ++k) {
        out[k] = box.middle;
        for (std::size_t axis = 0; axis < 3; ++axis)
            out[k] += ((k >> axis) & 1) != 0 ? box.half[axis] : Vec3d(-box.half[axis]);
    }
    return out;
}

} // namespace thicket
