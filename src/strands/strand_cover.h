#pragma once
// What thinned strands cover, and in which colour, against all of them: rendered and counted.

#include "strands/thin_points.h"
#include "switching/thinning.h"

namespace thicket {

/// What strands look like. Colours are linear.
struct StrandLook {
    Vec3f root{0.09F, 0.11F, 0.035F};
    Vec3f tip{0.42F, 0.40F, 0.17F};
    double vary = 0.35; ///< 0..1; strands are darker or lighter by so much at most, by their ids
    bool operator==(const StrandLook&) const = default;
};
/// How much lighter than its set a strand is.
float lightnessOf(const StrandLook& look, std::uint32_t strand);

struct StrandCover {
    double metres = 0;
    double full = 0;    ///< share of the picture that all strands cover
    double thinned = 0; ///< and what those that are drawn there do
    double colour = 0;  ///< how far the mean colours of what is covered are apart, CIELAB delta E 1976
    std::uint32_t strands = 0;
    std::uint32_t drawn = 0;

    [[nodiscard]] double share() const { return full > 0 ? thinned / full : 1; }
};

/// Pictures of a patch in the middle of the set as it is seen from such distances, from a little above: all strands at
/// their finest, then those that the thinning keeps there, as wide as it makes them and with the points of the level
/// that the chain shows. 4 x 4 samples a pixel; the nearer strand hides the other.
/// cards   of the chain's last level, where it is one of cards; else null
/// ERRORS  Cancelled.
Result<std::vector<StrandCover>> measureCover(const StrandSet& set, std::span<const float> worth,
                                              const ResolvedChain& chain, const Thinning& thinning,
                                              const StrandLook& look, const View& view,
                                              std::span<const double> distances, const JobContext& job,
                                              const StrandCards* cards = nullptr);

} // namespace thicket
