#pragma once
// The selector: the one function that says what is drawn. The viewport, the audit and every count call it.

#include "switching/chain_rule.h"
#include "switching/occlusion.h"

#include <memory>

namespace thicket {

/// Placed copies, one entry an array; apart from each other so that culling reads only centres and radii.
struct CopyArrays {
    std::vector<Vec3d> position;
    std::vector<Quatd> rotation;
    std::vector<double> scale;
    std::vector<std::uint32_t> chain; ///< index into the chains
    std::vector<double> importance;   ///< of each copy beside its subject's; empty: 1 for all

    // worked out by finishCopies
    std::vector<Vec3d> centre; ///< of the bounding sphere, world space
    std::vector<double> radius;

    [[nodiscard]] std::size_t size() const { return position.size(); }
};
void finishCopies(CopyArrays& copies, const std::vector<ResolvedChain>& chains);

enum class Culled : std::uint8_t { No, OutOfView, BeyondReach, TooSmall, NoLevels, Hidden };
constexpr std::size_t kCullReasons = 6;

/// What is drawn of one copy. While a cross-fade lasts, `fadingFrom` is drawn too, with the complement of `fade`.
struct Pick {
    Culled culled = Culled::No;
    std::int8_t level = -1;
    std::int8_t fadingFrom = -1;
    bool switched = false;  ///< its level differs from the frame before
    float fade = 1;         ///< share of pixels that show `level`
    float distance = 0;     ///< metres, measured as the rule says; of a copy out of view 0, like the rest
    float screenHeight = 0; ///< share of the viewport
    float errorPx = 0;      ///< promised pixels off, at the nearest point
};

/// What a copy remembers from frame to frame.
struct PickMemory {
    std::int8_t level = -1;
    std::int8_t fadingFrom = -1;
    double fadeStart = 0;
    double switched = -1e18; ///< when it last changed its level, and when that was last decided, seconds
    double checked = -1e18;
};

struct Selection {
    std::vector<Pick> picks; ///< one a copy
    std::uint64_t triangles = 0;
    std::uint64_t vertices = 0;
    std::uint64_t draws = 0;
    std::uint32_t drawn = 0;
    std::uint32_t culledBy[kCullReasons] = {}; ///< counts by Culled
    std::uint32_t occluders = 0;               ///< copies that others were looked for behind
    std::uint32_t switches = 0;                ///< copies whose level differs from the frame before
    double worstErrorPx = 0;
};

/// One a chain, one a level; null where a level hides nothing, or is not known to.
using Occluders = std::vector<std::vector<std::shared_ptr<const Occluder>>>;

struct SelectOptions {
    double allowanceFactor = 1; ///< 1: exact; larger: every switch comes nearer by this factor (the viewport in motion)
    double speed = 0;           ///< of the camera, metres a second
    double halfSpeed = 0; ///< at this speed switches come in half as far, at twice it a third; 0: speed is nothing
    bool fades = true;    ///< false: switches are sudden
    const Occluders* occluders = nullptr; ///< what may hide others; null: nothing is culled for being hidden
    bool cullView = true;
    bool cullReach = true;
    bool cullSmall = true;
    bool cullHidden = true; ///< where there are occluders
};

/// Chooses a level, or a reason not to draw, for each copy.
/// memory     one entry a copy, or empty for a first frame; brought up to date.
/// seconds    any clock that does not run back.
/// COST       O(copies * levels). THREADS pure but for `memory` and `out`, whose storage is reused.
void select(const std::vector<ResolvedChain>& chains, const CopyArrays& copies, const View& view, double seconds,
            const SelectOptions& options, std::vector<PickMemory>& memory, Selection& out);

/// Distance of a point to a copy, measured as the rule says.
double copyDistance(const ResolvedChain& chain, const CopyArrays& copies, std::size_t copy, const View& view,
                    MeasureFrom from);

/// The distance that levels are decided by: as the rule measures it, from the camera or from the rule's target.
double decidingDistance(const ResolvedChain& chain, const CopyArrays& copies, std::size_t copy, const View& view);

/// How many times as far switches come in for a copy, by its own importance and the speed of the camera.
double contextFactor(const CopyArrays& copies, std::size_t copy, const SelectOptions& options);

/// A copy's box in the world, made wider by metres at scale 1; and its corners.
OrientedBox boxOf(const ResolvedChain& chain, const CopyArrays& copies, std::size_t copy, double wider);
std::array<Vec3d, 8> boxCorners(const ResolvedChain& chain, const CopyArrays& copies, std::size_t copy, double wider);

} // namespace thicket
