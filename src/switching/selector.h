#pragma once
// The selector: the one function that says what is drawn. The viewport, the audit and every count call it.

#include "switching/chain_rule.h"

namespace thicket {

/// Placed copies, one entry an array; apart from each other so that culling reads only centres and radii.
struct CopyArrays {
    std::vector<Vec3d> position;
    std::vector<Quatd> rotation;
    std::vector<double> scale;
    std::vector<std::uint32_t> chain; ///< index into the chains

    // worked out by finishCopies
    std::vector<Vec3d> centre; ///< of the bounding sphere, world space
    std::vector<double> radius;

    [[nodiscard]] std::size_t size() const { return position.size(); }
};
void finishCopies(CopyArrays& copies, const std::vector<ResolvedChain>& chains);

enum class Culled : std::uint8_t { No, OutOfView, BeyondReach, TooSmall, NoLevels };

/// What is drawn of one copy. While a cross-fade lasts, `fadingFrom` is drawn too, with the complement of `fade`.
struct Pick {
    Culled culled = Culled::No;
    std::int8_t level = -1;
    std::int8_t fadingFrom = -1;
    float fade = 1;         ///< share of pixels that show `level`
    float distance = 0;     ///< metres, measured as the rule says
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
    std::uint32_t culledBy[5] = {}; ///< counts by Culled
    std::uint32_t switches = 0;     ///< copies whose level differs from the frame before
    double worstErrorPx = 0;
};

struct SelectOptions {
    double allowanceFactor = 1; ///< 1: exact; larger: every switch comes nearer by this factor (the viewport in motion)
    bool fades = true;          ///< false: switches are sudden
    bool cullView = true;
    bool cullReach = true;
    bool cullSmall = true;
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

} // namespace thicket
