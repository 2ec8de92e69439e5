#pragma once
// Where one copy is, seen from a camera: what levels are decided by, exactly. Cells answer for many copies at once only
// where this would give the same answer for each.

#include "switching/chain_rule.h"
#include "switching/occlusion.h"
#include "switching/placement.h"

namespace thicket {

struct SelectOptions;

/// Distance of a view's eye to a copy, metres, measured as said.
double copyDistance(const ResolvedChain& chain, const Placement& copy, const View& view, MeasureFrom from);

/// The distance that levels are decided by: as the rule measures it, from the camera or from the rule's target.
double decidingDistance(const ResolvedChain& chain, const Placement& copy, const View& view);

/// How far copies are drawn from an eye, the lowest of which stands so high; 0: any distance.
double reachFrom(const SwitchRule& rule, const Vec3d& eye, double lowest);

/// How many times as far switches come in for a copy, by its own importance and the speed of the camera.
double contextFactor(double importance, const SelectOptions& options);

/// A copy's box in the world, made wider by metres at scale 1; and its corners.
OrientedBox boxOf(const ResolvedChain& chain, const Placement& copy, double wider);
std::array<Vec3d, 8> boxCorners(const ResolvedChain& chain, const Placement& copy, double wider);

} // namespace thicket
