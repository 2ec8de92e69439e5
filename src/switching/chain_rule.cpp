#include "switching/chain_rule.h"

#include <algorithm>

namespace thicket {

double farthest(const SwitchRule& rule, const View& view) {
    return rule.reachMetres > 0 ? rule.reachMetres : view.farMetres;
}

namespace {

double toMiddle(const SwitchRule& rule, double radius) {
    return rule.measureFrom == MeasureFrom::NearestPoint ? radius : 0;
}

} // namespace

double heightWhere(const SwitchRule& rule, double radius, double distance, const View& view) {
    return screenHeight(view, radius, distance + toMiddle(rule, radius));
}

double distanceWhere(const SwitchRule& rule, double radius, double share, const View& view) {
    return std::max(0.0, distanceForScreenHeight(view, radius, share) - toMiddle(rule, radius));
}

namespace {

double statedDistance(const LevelCost& level, const SwitchRule& rule, double radius, const View& view) {
    if (!level.fixed)
        return distanceForPixels(view, std::max(level.deviationMetres, level.seenMetres), rule.allowPx);
    switch (level.fixed->unit) {
    case DecideBy::PixelError:
        return distanceForPixels(view, level.deviationMetres, level.fixed->value);
    case DecideBy::Distance:
        return level.fixed->value;
    case DecideBy::ScreenHeight:
        return distanceWhere(rule, radius, std::max(level.fixed->value, 1e-6), view);
    case DecideBy::ShareOfReach:
        return level.fixed->value * farthest(rule, view);
    }
    return 0;
}

} // namespace

double switchDistance(const LevelCost& level, const SwitchRule& rule, double radius, const View& view) {
    return statedDistance(level, rule, radius, view) * rule.importance * view.detail;
}

FixedSwitch fixAt(DecideBy unit, double inForce, const LevelCost& level, const SwitchRule& rule, double radius,
                  const View& view) {
    const double distance = inForce / (rule.importance * view.detail);
    switch (unit) {
    case DecideBy::PixelError:
        return {unit, std::max(pixelError(view, level.deviationMetres, distance), 1e-3)};
    case DecideBy::Distance:
        return {unit, distance};
    case DecideBy::ScreenHeight:
        return {unit, heightWhere(rule, radius, distance, view)};
    case DecideBy::ShareOfReach:
        return {unit, distance / farthest(rule, view)};
    }
    return {};
}

ResolvedChain resolveChain(const std::vector<LevelCost>& levels, const SwitchRule& rule, const Bounds& bounds,
                           double radius, const View& view) {
    ResolvedChain chain;
    chain.levels = levels;
    chain.rule = rule;
    chain.bounds = bounds;
    chain.centre = bounds.centre();
    chain.radius = radius;
    double last = 0;
    for (std::size_t i = 0; i < levels.size(); ++i) {
        if (i > 0)
            last = std::max(last, switchDistance(levels[i], rule, radius, view));
        chain.fromMetres.push_back(last);
        const bool plain = levels[i].fixed && (levels[i].fixed->unit == DecideBy::Distance ||
                                               levels[i].fixed->unit == DecideBy::ShareOfReach);
        chain.growsWithScale.push_back(!plain);
    }
    chain.detail = rule.importance * view.detail;
    return chain;
}

} // namespace thicket
