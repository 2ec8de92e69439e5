#pragma once
// All copies of a cell at once, in floats, of which a processor handles several at a time: what can be said of each
// without doubt, and how far the eye may go until that may be otherwise. Internal to the selector.

#include "switching/curve_lanes.h"
#include "switching/selector.h"

#include <array>
#include <span>

namespace thicket::detail {

/// What a copy is, as far as floats tell: a reason, or the level that it wants.
using CopyCode = std::int32_t;
constexpr CopyCode kLeftOpen = 0;  ///< only a closer look tells
constexpr CopyCode kUndecided = 1; ///< as yet
constexpr CopyCode kOfReasons = 0x40;
constexpr CopyCode kOfLevels = 0x80;
constexpr std::size_t kMostLevels = 64;
constexpr CopyCode codeOf(Culled reason) {
    return kOfReasons + static_cast<CopyCode>(reason);
}
constexpr Culled reasonOf(CopyCode code) {
    return static_cast<Culled>(code - kOfReasons);
}
/// Of copies that have to be looked at in the next frame, whatever is said of them then.
constexpr std::uint8_t kNoCode = 0xff;
constexpr CopyCode codeOf(int level) {
    return kOfLevels + level;
}
constexpr int levelOf(CopyCode code) {
    return code - kOfLevels;
}

/// A byte is enough for each.
using KeptCodes = std::array<std::uint8_t, kMostInCell>;

/// Relative; what floats may be off after some steps.
constexpr float kLaneRounding = 2e-6F;

/// The copies of a cell as its table has them: one a lane.
struct LaneInput {
    const float* x;
    const float* y;
    const float* z;
    const float* scale;
    const float* factor;         ///< null: 1 for all
    const std::uint16_t* spread; ///< null: there is no soft band
    const std::uint32_t* places;
    const CopyMemory* memories; ///< what each remembers; null: all of them `all`
    const CopyMemory* all;
    std::uint32_t count;
};

/// What holds for all of them. Places are from the cell's middle, metres. Each test has a slope: metres that the eye may
/// go for a metre, or a share, that lies between a copy and another answer.
struct LaneRule {
    struct Plane {
        float x, y, z, at;
    };
    std::array<Plane, 6> planes; ///< those of the view that the cell lies across
    std::size_t planeCount = 0;
    float planeSlope = 1;
    Vec3f eye;
    Vec3f decided; ///< from where curves and levels are decided
    Vec3f forward;
    MeasureFrom measureFrom = MeasureFrom::NearestPoint;
    float radius = 1; ///< at scale 1, as all lengths of the thing
    float box = 1;    ///< of the sphere round its box
    float inner = 1;  ///< of the one inside of it
    /// Upright cylinders round its box, however copies lean, and inside of it; 0: not known to be tighter.
    struct Upright {
        float outerRadius = 0;
        float outerHalf = 0; ///< of their height
        float innerRadius = 0;
        float innerHalf = 0;
    } upright;
    float margin = 0;
    float slack = 0; ///< metres that rounding may take from a place

    bool thins = false; ///< else no copy is of another size than its own, nor gone by its rank
    LaneThinning thinning;
    float ends = 1;   ///< ranks are drawn up to so many times the kept share
    float aPlace = 1; ///< of the field
    float rankDoubt = 0;
    float rankSlope = 1;
    bool grows = false;
    float growDoubt = 0;
    Vec3f pivot; ///< from what a copy stands on to its middle, give or take
    float pivotSlack = 0;

    bool noLevels = false;
    float reach = 0; ///< 0: all copies are within it
    float reachSlope = 1;
    float smallRadii = 0; ///< too small beyond so many radii; 0: none is
    float smallSlope = 1;
    bool smallUnknown = false; ///< only a closer look tells

    struct Switch {
        float from; ///< metres, of a copy of scale and importance 1
        int level;
        float rounding; ///< of that
        float slope;
        bool grows;
    };
    int levels = 0;                     ///< that have come in for all of them
    std::span<const Switch> switches{}; ///< those that come next, which may have for some
    float late = 1;                     ///< so many times as far for copies that are finer, of the hysteresis
    float context = 1;
    float soft = 0;
};

/// Where copies are drawn and how large, and metres that this may be off, for each.
struct LanePlaces {
    const float* x;
    const float* y;
    const float* z;
    const float* size;
    const float* doubt;
};

/// What was found out about each copy. Rooms are metres that the eye may go until that may be otherwise.
struct LaneAnswers {
    using Floats = std::array<float, kMostInCell>;
    KeptCodes codes;
    KeptCodes rest;            ///< what it is, or would be where the view reaches it
    alignas(32) Floats planes; ///< of sides of the view's planes; its turning counts too
    alignas(32) Floats others; ///< of the rest
    float leastPlanes;         ///< of all copies
    float leastOthers;         ///< of those that the view may reach
    LanePlaces drawn;

    // Where that is kept:
    struct Grown {
        alignas(32) Floats x;
        alignas(32) Floats y;
        alignas(32) Floats z;
        alignas(32) Floats size;
        alignas(32) Floats doubt;
    } grown;

    LaneAnswers() = default;
    LaneAnswers(const LaneAnswers&) = delete;
    LaneAnswers& operator=(const LaneAnswers&) = delete;
};

/// THREADS  pure.
void decideLanes(const LaneInput& in, const LaneRule& rule, LaneAnswers& out);

/// On which side of the view's planes copies are from moment to moment: a bit for each.
struct LaneSides {
    alignas(32) std::array<std::int32_t, kMostInCell> outside;
    alignas(32) std::array<std::int32_t, kMostInCell> unsure;
};
constexpr std::size_t kMostMoments = 32;
/// planes  those of the view that `rule` has, from the cell's middle: all of one moment, then of the next.
/// more    for each moment: metres that copies may be off then, for their scale.
/// THREADS pure.
void findLaneSides(const LanePlaces& places, const float* scale, const LaneRule& rule,
                   std::span<const LaneRule::Plane> planes, std::span<const float> more, std::size_t count,
                   LaneSides& out);

} // namespace thicket::detail
