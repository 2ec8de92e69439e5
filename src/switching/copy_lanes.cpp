#include "switching/copy_lanes.h"

#include "base/lanes.h"

#include <algorithm>
#include <cmath>

namespace thicket::detail {
namespace {

constexpr float kFarthest = 1e30F; // metres
using Floats = std::array<float, kMostInCell>;
using Codes = std::array<CopyCode, kMostInCell>;

/// Where copies are drawn, which is what the table says until they grow.
struct Middles {
    const float* x;
    const float* y;
    const float* z;
};

// Loops go over whole groups of lanes, those of no copy included: what they say is of no account.

inline void distancesFrom(const Middles& p, const Vec3f& from, std::size_t count, float* __restrict out) {
    for (std::size_t k = 0; k < count; ++k) {
        const float x = p.x[k] - from.x();
        const float y = p.y[k] - from.y();
        const float z = p.z[k] - from.z();
        out[k] = std::sqrt(x * x + y * y + z * z);
    }
}

inline void alongFrom(const Middles& p, const Vec3f& from, const Vec3f& forward, std::size_t count,
                      float* __restrict out) {
    for (std::size_t k = 0; k < count; ++k)
        out[k] =
            forward.x() * (p.x[k] - from.x()) + forward.y() * (p.y[k] - from.y()) + forward.z() * (p.z[k] - from.z());
}

inline void ranksBeyond(const std::uint32_t* places, const float* kept, float aPlace, float ends, std::size_t count,
                        float* __restrict out) {
    for (std::size_t k = 0; k < count; ++k)
        out[k] = (static_cast<float>(static_cast<std::int32_t>(places[k])) + 0.5F) * aPlace - ends * kept[k];
}

inline void growAbout(const LaneInput& in, const float* grown, const LaneRule& rule, std::size_t count,
                      LaneAnswers::Grown& out) {
    const float px = rule.pivot.x();
    const float py = rule.pivot.y();
    const float pz = rule.pivot.z();
    const float bySize = rule.growDoubt * (rule.radius + rule.box + rule.pivot.norm());
    for (std::size_t k = 0; k < count; ++k) {
        const float scale = in.scale[k];
        const float size = scale * grown[k];
        const float more = size - scale;
        out.size[k] = size;
        out.x[k] = in.x[k] + more * px;
        out.y[k] = in.y[k] + more * py;
        out.z[k] = in.z[k] + more * pz;
        out.doubt[k] = rule.slack + std::abs(more) * rule.pivotSlack + scale * bySize;
    }
}

inline void insideOf(const Middles& p, const LaneRule::Plane& plane, bool first, std::size_t count,
                     float* __restrict out) {
    for (std::size_t k = 0; first && k < count; ++k)
        out[k] = kFarthest;
    for (std::size_t k = 0; k < count; ++k)
        out[k] = smaller(plane.x * p.x[k] + plane.y * p.y[k] + plane.z * p.z[k] + plane.at, out[k]);
}

/// Lanes of a test, which leaves open what is too near to another answer: `by` is how far a lane fails, less than 0 how
/// far it passes. What comes first decides. `rooms`: a lane's, as the tests before left it.
inline void decideBy(const float* by, const float* doubt, CopyCode failed, float slope, std::size_t count,
                     CopyCode* __restrict code, float* __restrict rooms) {
    for (std::size_t k = 0; k < count; ++k) {
        const CopyCode was = code[k];
        const float sure = std::abs(by[k]) - doubt[k];
        const CopyCode passed = by[k] > 0 ? failed : kUndecided;
        const CopyCode now = sure > 0 ? passed : kLeftOpen;
        code[k] = was == kUndecided ? now : was;
        rooms[k] = smaller(rooms[k], was == kUndecided ? sure * slope : kFarthest);
    }
}

inline void decideByRank(const float* by, float doubt, float slope, std::size_t count, CopyCode* __restrict code,
                         float* __restrict rooms) {
    for (std::size_t k = 0; k < count; ++k) {
        const CopyCode was = code[k];
        const float sure = std::abs(by[k]) - doubt;
        const CopyCode passed = by[k] > 0 ? codeOf(Culled::Thinned) : kUndecided;
        const CopyCode now = sure > 0 ? passed : kLeftOpen;
        code[k] = was == kUndecided ? now : was;
        rooms[k] = smaller(rooms[k], was == kUndecided ? sure * slope : kFarthest);
    }
}

/// How far spheres are outside.
inline void outside(const float* inside, const float* size, float radius, float margin, std::size_t count,
                    float* __restrict out) {
    for (std::size_t k = 0; k < count; ++k)
        out[k] = -(inside[k] + margin + radius * size[k]);
}

inline void nearestAndFarthest(const float* metres, const float* size, const float* doubt, float box, float inner,
                               std::size_t count, float* __restrict nearest, float* __restrict farthest) {
    for (std::size_t k = 0; k < count; ++k) {
        nearest[k] = larger(metres[k] - box * size[k] - doubt[k], 0);
        farthest[k] = larger(metres[k] - inner * size[k] + doubt[k], 0);
    }
}

/// The same by cylinders.
inline void nearestAndFarthestUpright(const Middles& p, const Vec3f& from, const float* size, const float* doubt,
                                      const LaneRule::Upright& upright, std::size_t count, float* __restrict nearest,
                                      float* __restrict farthest) {
    const auto [outerRadius, outerHalf, innerRadius, innerHalf] = upright;
    for (std::size_t k = 0; k < count; ++k) {
        const float x = p.x[k] - from.x();
        const float z = p.z[k] - from.z();
        const float across = std::sqrt(x * x + z * z);
        const float above = std::abs(p.y[k] - from.y());
        const float nearAcross = larger(across - outerRadius * size[k], 0);
        const float nearAbove = larger(above - outerHalf * size[k], 0);
        const float farAcross = larger(across - innerRadius * size[k], 0);
        const float farAbove = larger(above - innerHalf * size[k], 0);
        nearest[k] = larger(std::sqrt(nearAcross * nearAcross + nearAbove * nearAbove) - doubt[k], 0);
        farthest[k] = std::sqrt(farAcross * farAcross + farAbove * farAbove) + doubt[k];
    }
}

/// Of what lies between two bounds: how far both are beyond a limit, or before it, and what they leave open.
inline void beyond(const float* nearest, const float* farthest, float limit, std::size_t count, float* __restrict by,
                   float* __restrict doubt) {
    for (std::size_t k = 0; k < count; ++k) {
        const float middle = 0.5F * (nearest[k] + farthest[k]);
        by[k] = middle - limit;
        doubt[k] = 0.5F * (farthest[k] - nearest[k]) + kLaneRounding * (middle + limit);
    }
}

inline void tooSmall(const float* eye, const float* size, const float* doubts, const LaneRule& rule, std::size_t count,
                     float* __restrict by, float* __restrict doubt) {
    const float aSize = rule.smallRadii * rule.radius;
    const float slack = rule.slack;
    const float radii = rule.smallRadii;
    for (std::size_t k = 0; k < count; ++k) {
        const float limit = aSize * size[k];
        by[k] = eye[k] - limit;
        doubt[k] = kLaneRounding * limit + doubts[k] + (doubts[k] - slack) * radii;
    }
}

inline void fillFactors(const LaneInput& in, const LaneRule& rule, std::size_t count, float* __restrict out) {
    const float context = rule.context;
    if (in.factor == nullptr) {
        for (std::size_t k = 0; k < count; ++k)
            out[k] = context;
    } else {
        for (std::size_t k = 0; k < count; ++k)
            out[k] = context * in.factor[k];
    }
    if (in.spread == nullptr)
        return;
    const float soft = rule.soft;
    for (std::size_t k = 0; k < count; ++k)
        out[k] *= 1 + soft * ((static_cast<float>(in.spread[k]) + 0.5F) * (2.0F / 65536) - 1);
}

/// The level that each copy shows, -1 where it shows none, or will be found out of view.
void fillLevels(const LaneInput& in, const CopyCode* sides, std::size_t count, CopyCode* __restrict out) {
    std::fill(out, out + count, in.all->level);
    for (std::size_t k = 0; in.memories != nullptr && k < in.count; ++k)
        out[k] = in.memories[k].level;
    for (std::size_t k = 0; k < count; ++k)
        out[k] = sides[k] > kUndecided ? -1 : out[k];
}

struct Levels {
    Codes shown;
    Codes wanted;
    Codes running; ///< -1: so far all have come in
    Codes open;    ///< -1: not sure
};
/// One more level. Returns whether it has come in for any.
inline bool addLevel(const LaneRule::Switch& next, float late, const float* factor, const float* size,
                     const float* nearest, const float* farthest, std::size_t count, Levels& levels,
                     float* __restrict rooms) {
    CopyCode any = 0;
    const float slope = next.slope;
    const bool grows = next.grows;
    const float at = next.from;
    const float roundings = next.rounding;
    const CopyCode level = next.level;
    for (std::size_t k = 0; k < count; ++k) {
        const CopyCode shown = levels.shown[k];
        const float waits = shown >= 0 && level > shown ? late : 1.0F;
        const float own = factor[k] * (grows ? size[k] : 1.0F);
        const float from = at * own * waits;
        const float rounding = roundings * from;
        const float beyond = nearest[k] - from - rounding;
        const float sure = larger(from - rounding - farthest[k], beyond);
        const CopyCode running = levels.running[k];
        const CopyCode passes = beyond > 0 ? running : 0;
        const CopyCode open = sure > 0 ? 0 : running;
        levels.open[k] |= open;
        levels.wanted[k] -= passes;
        levels.running[k] = passes;
        any |= passes;
        rooms[k] = smaller(rooms[k], running != 0 ? sure * slope : kFarthest);
    }
    return any != 0;
}

inline void closeLevels(const Levels& levels, std::size_t count, CopyCode* __restrict code) {
    for (std::size_t k = 0; k < count; ++k) {
        const CopyCode sure = levels.open[k] != 0 ? kLeftOpen : kOfLevels + levels.wanted[k];
        code[k] = code[k] == kUndecided ? sure : code[k];
    }
}

inline void decideAll(CopyCode as, std::size_t count, CopyCode* __restrict code) {
    for (std::size_t k = 0; k < count; ++k)
        code[k] = code[k] == kUndecided ? as : code[k];
}

} // namespace

namespace {

/// All loops are built into it, and so for the registers that it is built for.
THICKET_LANES void decide(const LaneInput& in, const LaneRule& rule, Codes& sides, Codes& codes, LaneAnswers& out) {
    // Lanes beyond the last copy stand for none: they read what the table has there, and are decided from the start.
    const std::size_t count = (in.count + kLaneGroup - 1) / kLaneGroup * kLaneGroup;
    for (Codes* to : {&sides, &codes}) {
        std::fill(to->begin(), to->begin() + in.count, kUndecided);
        std::fill(to->begin() + in.count, to->begin() + static_cast<std::ptrdiff_t>(count), kOfReasons);
    }
    float* const others = out.others.data();
    std::fill_n(out.planes.data(), count, kFarthest);
    std::fill_n(others, count, kFarthest);
    alignas(32) Floats metres;
    alignas(32) Floats rank;
    alignas(32) Floats by;
    alignas(32) Floats doubts;
    const Middles own{in.x, in.y, in.z};
    Middles middles = own;
    const float* size = in.scale;
    const float* const doubt = out.grown.doubt.data();
    if (!rule.grows)
        std::fill_n(out.grown.doubt.data(), count, rule.slack);
    if (rule.thins) {
        alignas(32) Floats kept;
        distancesFrom(own, rule.decided, count, metres.data());
        curveOver(rule.thinning.keep, metres.data(), count, kept.data());
        ranksBeyond(in.places, kept.data(), rule.aPlace, rule.ends, in.count, rank.data());
        if (rule.grows) {
            alignas(32) Floats growth;
            growthsOver(rule.thinning, metres.data(), kept.data(), count, growth.data());
            growAbout(in, growth.data(), rule, count, out.grown);
            middles = {out.grown.x.data(), out.grown.y.data(), out.grown.z.data()};
            size = out.grown.size.data();
        }
    }
    out.drawn = {middles.x, middles.y, middles.z, size, doubt};
    if (rule.planeCount > 0) {
        alignas(32) Floats inside;
        for (std::size_t p = 0; p < rule.planeCount; ++p)
            insideOf(middles, rule.planes[p], p == 0, count, inside.data());
        outside(inside.data(), size, rule.radius, rule.margin, count, by.data());
        decideBy(by.data(), doubt, codeOf(Culled::OutOfView), rule.planeSlope, count, sides.data(), out.planes.data());
    }
    if (rule.noLevels) {
        decideAll(codeOf(Culled::NoLevels), count, codes.data());
        return;
    }
    alignas(32) Floats nearest;
    alignas(32) Floats farthest;
    if (rule.reach > 0 || !rule.switches.empty()) {
        const bool point = rule.measureFrom == MeasureFrom::NearestPoint;
        if (point && rule.upright.outerRadius > 0) {
            nearestAndFarthestUpright(middles, rule.decided, size, doubt, rule.upright, count, nearest.data(),
                                      farthest.data());
        } else {
            alignas(32) Floats from;
            if (rule.measureFrom == MeasureFrom::Depth)
                alongFrom(middles, rule.decided, rule.forward, count, from.data());
            else
                distancesFrom(middles, rule.decided, count, from.data());
            nearestAndFarthest(from.data(), size, doubt, point ? rule.box : 0, point ? rule.inner : 0, count,
                               nearest.data(), farthest.data());
        }
    }
    if (rule.reach > 0) {
        beyond(nearest.data(), farthest.data(), rule.reach, count, by.data(), doubts.data());
        decideBy(by.data(), doubts.data(), codeOf(Culled::BeyondReach), rule.reachSlope, count, codes.data(), others);
    }
    if (rule.thins)
        decideByRank(rank.data(), rule.rankDoubt, rule.rankSlope, count, codes.data(), others);
    if (rule.smallUnknown) {
        decideAll(kLeftOpen, count, codes.data());
        return;
    }
    if (rule.smallRadii > 0) {
        alignas(32) Floats eye;
        distancesFrom(middles, rule.eye, count, eye.data());
        tooSmall(eye.data(), size, doubt, rule, count, by.data(), doubts.data());
        decideBy(by.data(), doubts.data(), codeOf(Culled::TooSmall), rule.smallSlope, count, codes.data(), others);
    }
    if (rule.switches.empty()) {
        decideAll(codeOf(rule.levels), count, codes.data());
        return;
    }
    alignas(32) Floats factor;
    fillFactors(in, rule, in.count, factor.data());
    std::fill(factor.begin() + in.count, factor.begin() + static_cast<std::ptrdiff_t>(count), 1.0F);
    alignas(32) Levels levels;
    fillLevels(in, sides.data(), count, levels.shown.data());
    for (std::size_t k = 0; k < count; ++k) {
        levels.wanted[k] = rule.levels;
        levels.running[k] = codes[k] == kUndecided ? -1 : 0;
        levels.open[k] = 0;
    }
    for (const LaneRule::Switch& next : rule.switches)
        if (!addLevel(next, rule.late, factor.data(), size, nearest.data(), farthest.data(), count, levels, others))
            break;
    closeLevels(levels, count, codes.data());
}

/// Copies alone: what is kept of others is not this cell's.
THICKET_LANES void keep(const CopyCode* sides, const CopyCode* codes, std::size_t count, LaneAnswers& out) {
    std::uint8_t* const rest = out.rest.data();
    for (std::size_t k = 0; k < count; ++k)
        rest[k] = static_cast<std::uint8_t>(codes[k]);
    std::uint8_t* const all = out.codes.data();
    for (std::size_t k = 0; k < count; ++k)
        all[k] = static_cast<std::uint8_t>(sides[k] == kUndecided ? codes[k] : sides[k]);
    const float* const planes = out.planes.data();
    const float* const others = out.others.data();
    float leastPlanes = kFarthest;
    float leastOthers = kFarthest;
    for (std::size_t k = 0; k < count; ++k) {
        leastPlanes = smaller(leastPlanes, planes[k]);
        leastOthers = smaller(leastOthers, sides[k] > kUndecided ? kFarthest : others[k]);
    }
    out.leastPlanes = leastPlanes;
    out.leastOthers = leastOthers;
}

constexpr std::size_t kMomentsAtOnce = 4;
/// A plane of the view at some moments.
struct PlaneMoments {
    std::array<LaneRule::Plane, kMomentsAtOnce> planes;
    std::array<float, kMomentsAtOnce> more;
    std::array<std::int32_t, kMomentsAtOnce> bits; ///< 0 where there is no such moment
};
/// Marks what is outside of it, and what may be. `rims`: metres outside of it at which copies are.
inline void markSides(const LanePlaces& places, const float* rims, const float* scale, const PlaneMoments& plane,
                      std::size_t count, std::int32_t* __restrict outside, std::int32_t* __restrict unsure) {
    for (std::size_t k = 0; k < count; ++k) {
        std::int32_t out = outside[k];
        std::int32_t open = unsure[k];
        for (std::size_t i = 0; i < kMomentsAtOnce; ++i) {
            const LaneRule::Plane& p = plane.planes[i];
            const float by = p.x * places.x[k] + p.y * places.y[k] + p.z * places.z[k] + p.at + rims[k];
            const float doubt = places.doubt[k] + plane.more[i] * scale[k];
            out |= by < 0 ? plane.bits[i] : 0;
            open |= std::abs(by) > doubt ? 0 : plane.bits[i];
        }
        outside[k] = out;
        unsure[k] = open;
    }
}

/// What is in doubt about one plane may be outside of another: it is in doubt all the same.
THICKET_LANES void findSides(const LanePlaces& places, const float* scale, const LaneRule& rule,
                             const LaneRule::Plane* planes, const float* more, std::size_t moments, std::size_t count,
                             LaneSides& out) {
    std::fill_n(out.outside.data(), count, 0);
    std::fill_n(out.unsure.data(), count, 0);
    alignas(32) Floats rims;
    for (std::size_t k = 0; k < count; ++k)
        rims[k] = rule.margin + rule.radius * places.size[k];
    for (std::size_t first = 0; first < moments; first += kMomentsAtOnce)
        for (std::size_t p = 0; p < rule.planeCount; ++p) {
            PlaneMoments plane;
            for (std::size_t i = 0; i < kMomentsAtOnce; ++i) {
                const std::size_t at = std::min(first + i, moments - 1);
                plane.planes[i] = planes[at * rule.planeCount + p];
                plane.more[i] = more[at];
                plane.bits[i] = first + i < moments ? static_cast<std::int32_t>(1U << at) : 0;
            }
            markSides(places, rims.data(), scale, plane, count, out.outside.data(), out.unsure.data());
        }
}
} // namespace

void decideLanes(const LaneInput& in, const LaneRule& rule, LaneAnswers& out) {
    alignas(32) Codes sides;
    alignas(32) Codes codes;
    decide(in, rule, sides, codes, out);
    keep(sides.data(), codes.data(), in.count, out);
}

void findLaneSides(const LanePlaces& places, const float* scale, const LaneRule& rule,
                   std::span<const LaneRule::Plane> planes, std::span<const float> more, std::size_t count,
                   LaneSides& out) {
    const std::size_t lanes = (count + kLaneGroup - 1) / kLaneGroup * kLaneGroup;
    findSides(places, scale, rule, planes.data(), more.data(), more.size(), lanes, out);
}

} // namespace thicket::detail
