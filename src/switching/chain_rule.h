#pragma once
// When each level of a chain shows, and when nothing does.

#include "base/named.h"
#include "switching/view.h"

#include <optional>
#include <vector>

namespace thicket {

enum class DecideBy { PixelError, Distance, ScreenHeight, ShareOfReach };
constexpr Named<DecideBy> kDecideBy[] = {{DecideBy::PixelError, "pixel-error", "Pixel error"},
                                         {DecideBy::Distance, "distance", "Distance"},
                                         {DecideBy::ScreenHeight, "screen-height", "Screen height"},
                                         {DecideBy::ShareOfReach, "share-of-reach", "Share of reach"}};
constexpr std::span<const Named<DecideBy>> namesOf(DecideBy /*any*/) {
    return kDecideBy;
}
enum class MeasureFrom { NearestPoint, Centre, Depth };
constexpr Named<MeasureFrom> kMeasureFrom[] = {{MeasureFrom::NearestPoint, "nearest-point", "Nearest point"},
                                               {MeasureFrom::Centre, "centre", "Centre"},
                                               {MeasureFrom::Depth, "depth", "Depth"}};
constexpr std::span<const Named<MeasureFrom>> namesOf(MeasureFrom /*any*/) {
    return kMeasureFrom;
}

/// A switch that a person set by hand, kept in the unit it was set in. `value`: pixels, metres, a share of the
/// viewport, or a share of the largest distance. Importance and detail move it like any other.
struct FixedSwitch {
    DecideBy unit = DecideBy::Distance;
    double value = 0;
    bool operator==(const FixedSwitch&) const = default;
};

struct SwitchRule {
    DecideBy decideBy = DecideBy::PixelError;
    MeasureFrom measureFrom = MeasureFrom::NearestPoint; ///< only the nearest point keeps the pixel promise
    double allowPx = 1.0;                                ///< 0.25..8; pixels that a drawn surface may be off
    double hysteresis = 0.08;                            ///< 0..0.5; coarser at d (1 + h), finer again at d
    double dwellSeconds = 0;                             ///< 0..5; after a switch it goes no coarser for so long
    double checkSeconds = 0;                             ///< 0..5; the level is decided so often; 0: in every frame
    double softBand = 0;       ///< 0..0.5; each copy's switches come in by so much sooner or later, by a hash of its id
    double fadeSeconds = 0.25; ///< 0..2; both levels are drawn, and counted, while it lasts
    double cullBelowPx = 3;    ///< 0..64; nothing is drawn when the subject is less tall than this
    double reachMetres = 0;    ///< nothing is drawn beyond; 0: no such limit
    double reachGrows = 0;     ///< 0..100; it lies so much farther a metre that the eye is above the lowest copy
    double marginMetres = 0.5; ///< kept when this far outside the view
    double importance = 1;     ///< 0.1..10; its switches come in so many times as far
    bool everyPoint = false;   ///< by the largest deviation of any point, not by what of it a pixel can show
    bool looks = true;         ///< and no nearer than where a switch that was looked at goes unseen
    std::uint32_t target = 0;  ///< id of the copy whose place distances are measured from; 0: the camera

    bool operator==(const SwitchRule&) const = default;
};

/// A rule with its allowance made larger.
inline SwitchRule loosened(SwitchRule rule, double times) {
    rule.allowPx *= times;
    return rule;
}

/// The largest distance that shares are of: the reach, or the far plane where there is none.
double farthest(const SwitchRule& rule, const View& view);

/// What the selector knows of one level.
struct LevelCost {
    std::uint32_t triangles = 0;
    std::uint32_t vertices = 0;
    std::uint32_t draws = 0;
    double deviationMetres = 0; ///< two-sided deviation from L0: what can be seen of it, or that of every point
    std::optional<FixedSwitch> fixed;
    double area = 0; ///< square metres that are drawn of it, where it is no surface; 0: by its bounding disc
    /// Metres that it counts as off where that is more, for nobody to see the switch to it: decides where it comes in, and
    /// says nothing of how far its surface is off.
    double seenMetres = 0;
};

/// A chain in force for one view's field and lines: distances at instance scale 1, never falling; the first is 0.
struct ResolvedChain {
    std::vector<LevelCost> levels;
    std::vector<double> fromMetres;   ///< where each level comes in
    std::vector<bool> growsWithScale; ///< false where the switch was set as a plain distance
    SwitchRule rule;
    Bounds bounds;
    Vec3d centre{0, 0, 0};
    double radius = 1;
    double detail = 1;                 ///< what `fromMetres` were multiplied by: importance and the view's detail
    std::optional<Vec3d> measuredFrom; ///< in place of the camera

    /// The next level comes in where this one does.
    [[nodiscard]] bool neverShows(std::size_t level) const {
        return level + 1 < fromMetres.size() && fromMetres[level + 1] <= fromMetres[level];
    }
    /// It comes in where nothing is drawn any more.
    [[nodiscard]] bool beyondReach(std::size_t level) const {
        return rule.reachMetres > 0 && fromMetres[level] >= rule.reachMetres;
    }
};

/// Whether so many pixels off are more than a rule allows; `slack` for what rounding a typed number may cost.
constexpr double kAllowanceSlack = 1.0001;
constexpr bool overAllowance(const SwitchRule& rule, double px, double slack = kAllowanceSlack) {
    return px > rule.allowPx * slack;
}

/// Works out all switches. Those fixed by hand keep their value in their own unit; the others follow the allowance.
ResolvedChain resolveChain(const std::vector<LevelCost>& levels, const SwitchRule& rule, const Bounds& bounds,
                           double radius, const View& view);

/// How tall a subject is, as a share of the viewport, at a distance that is measured as the rule says: its middle is
/// taken to be one radius behind its nearest point. And the distance at which it is so tall, at least 0.
double heightWhere(const SwitchRule& rule, double radius, double distanceMetres, const View& view);
double distanceWhere(const SwitchRule& rule, double radius, double share, const View& view);

/// Where one level would come in without regard to its neighbours, metres at scale 1, with importance and detail.
double switchDistance(const LevelCost& level, const SwitchRule& rule, double radius, const View& view);

/// A distance written as a switch in a unit.
FixedSwitch fixAt(DecideBy unit, double distanceMetres, const LevelCost& level, const SwitchRule& rule, double radius,
                  const View& view);

} // namespace thicket
