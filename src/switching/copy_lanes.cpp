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

struct Grown {
    Floats x, y, z, size, doubt;
};
inline void growAbout(const LaneInput& in, const float* grown, const LaneRule& rule, std::size_t count, Grown& out) {
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
/// far it passes. What comes first decides.
inline float decideBy(const float* by, const float* doubt, CopyCode failed, float slope, std::size_t count,
                      CopyCode* __restrict code) {
    float room = kFarthest;
    for (std::size_t k = 0; k < count; ++k) {
        const CopyCode was = code[k];
        const float sure = std::abs(by[k]) - doubt[k];
        const CopyCode passed = by[k] > 0 ? failed : kUndecided;
        const CopyCode now = sure > 0 ? passed : kLeftOpen;
        code[k] = was == kUndecided ? now : was;
        room = smaller(room, was == kUndecided ? sure : kFarthest);
    }
    return room * slope;
}

inline float decideByRank(const float* by, float doubt, float slope, std::size_t count, CopyCode* __restrict code) {
    float room = kFarthest;
    for (std::size_t k = 0; k < count; ++k) {
        const CopyCode was = code[k];
        const float sure = std::abs(by[k]) - doubt;
        const CopyCode passed = by[k] > 0 ? codeOf(Culled::Thinned) : kUndecided;
        const CopyCode now = sure > 0 ? passed : kLeftOpen;
        code[k] = was == kUndecided ? now : was;
        room = smaller(room, was == kUndecided ? sure : kFarthest);
    }
    return room * slope;
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

/// The level that each copy shows, -1 where it shows none.
void fillLevels(const LaneInput& in, std::size_t count, CopyCode* __restrict out) {
    std::fill(out, out + count, in.all->level);
    for (std::size_t k = 0; in.memories != nullptr && k < in.count; ++k)
        out[k] = in.memories[k].level;
}

struct Levels {
    Codes shown;
    Codes wanted;
    Codes running; ///< -1: so far all have come in
    Codes open;    ///< -1: not sure
};
/// One more level. Returns the room that it leaves, and whether it has come in for any.
inline std::pair<float, bool> addLevel(const LaneRule::Switch& next, float late, const float* factor, const float* size,
                                       const float* nearest, const float* farthest, std::size_t count, Levels& levels) {
    float room = kFarthest;
    CopyCode any = 0;
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
        room = smaller(room, running != 0 ? sure : kFarthest);
    }
    return {room * next.slope, any != 0};
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
THICKET_LANES LaneRooms decide(const LaneInput& in, const LaneRule& rule, Codes& codes) {
    // Lanes beyond the last copy stand for none: they read what the table has there, and are decided from the start.
    const std::size_t count = (in.count + kLaneGroup - 1) / kLaneGroup * kLaneGroup;
    std::fill(codes.begin(), codes.begin() + in.count, kUndecided);
    std::fill(codes.begin() + in.count, codes.begin() + static_cast<std::ptrdiff_t>(count), kOfReasons);
    LaneRooms rooms{kFarthest, kFarthest};
    alignas(32) Floats metres;
    alignas(32) Floats rank;
    alignas(32) Floats plain; // doubt of copies at their own size
    alignas(32) Grown grown;
    alignas(32) Floats by;
    alignas(32) Floats doubts;
    const Middles own{in.x, in.y, in.z};
    Middles middles = own;
    const float* size = in.scale;
    std::fill(plain.begin(), plain.begin() + static_cast<std::ptrdiff_t>(count), rule.slack);
    const float* doubt = plain.data();
    if (rule.thins) {
        alignas(32) Floats kept;
        distancesFrom(own, rule.decided, count, metres.data());
        curveOver(rule.thinning.keep, metres.data(), count, kept.data());
        ranksBeyond(in.places, kept.data(), rule.aPlace, rule.ends, in.count, rank.data());
        if (rule.grows) {
            alignas(32) Floats growth;
            growthsOver(rule.thinning, metres.data(), kept.data(), count, growth.data());
            growAbout(in, growth.data(), rule, count, grown);
            middles = {grown.x.data(), grown.y.data(), grown.z.data()};
            size = grown.size.data();
            doubt = grown.doubt.data();
        }
    }
    if (rule.planeCount > 0) {
        alignas(32) Floats inside;
        for (std::size_t p = 0; p < rule.planeCount; ++p)
            insideOf(middles, rule.planes[p], p == 0, count, inside.data());
        outside(inside.data(), size, rule.radius, rule.margin, count, by.data());
        rooms.planes = decideBy(by.data(), doubt, codeOf(Culled::OutOfView), rule.planeSlope, count, codes.data());
    }
    if (rule.noLevels) {
        decideAll(codeOf(Culled::NoLevels), count, codes.data());
        return rooms;
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
        rooms.others = std::min(rooms.others, decideBy(by.data(), doubts.data(), codeOf(Culled::BeyondReach),
                                                       rule.reachSlope, count, codes.data()));
    }
    if (rule.thins) {
        rooms.others =
            std::min(rooms.others, decideByRank(rank.data(), rule.rankDoubt, rule.rankSlope, count, codes.data()));
    }
    if (rule.smallUnknown) {
        decideAll(kLeftOpen, count, codes.data());
        return rooms;
    }
    if (rule.smallRadii > 0) {
        alignas(32) Floats eye;
        distancesFrom(middles, rule.eye, count, eye.data());
        tooSmall(eye.data(), size, doubt, rule, count, by.data(), doubts.data());
        rooms.others = std::min(rooms.others, decideBy(by.data(), doubts.data(), codeOf(Culled::TooSmall),
                                                       rule.smallSlope, count, codes.data()));
    }
    if (rule.switches.empty()) {
        decideAll(codeOf(rule.levels), count, codes.data());
        return rooms;
    }
    alignas(32) Floats factor;
    fillFactors(in, rule, in.count, factor.data());
    std::fill(factor.begin() + in.count, factor.begin() + static_cast<std::ptrdiff_t>(count), 1.0F);
    alignas(32) Levels levels;
    fillLevels(in, count, levels.shown.data());
    for (std::size_t k = 0; k < count; ++k) {
        levels.wanted[k] = rule.levels;
        levels.running[k] = codes[k] == kUndecided ? -1 : 0;
        levels.open[k] = 0;
    }
    for (const LaneRule::Switch& next : rule.switches) {
        const auto [room, any] =
            addLevel(next, rule.late, factor.data(), size, nearest.data(), farthest.data(), count, levels);
        rooms.others = std::min(rooms.others, room);
        if (!any)
            break;
    }
    closeLevels(levels, count, codes.data());
    return rooms;
}

/// Copies alone: what is kept of others is not this cell's.
THICKET_LANES void keep(const CopyCode* codes, std::size_t count, std::uint8_t* __restrict out) {
    for (std::size_t k = 0; k < count; ++k)
        out[k] = static_cast<std::uint8_t>(codes[k]);
}
} // namespace

LaneRooms decideLanes(const LaneInput& in, const LaneRule& rule, KeptCodes& codes) {
    alignas(32) Codes all;
    const LaneRooms rooms = decide(in, rule, all);
    keep(all.data(), in.count, codes.data());
    return rooms;
}

} // namespace thicket::detail
