#pragma once
// The last level of strands: cards. One in so many strands keeps a card that turns to the camera, with a picture of the
// tuft that stands round such a strand; the others are drawn no more.

#include "base/job.h"
#include "base/result.h"
#include "strands/strand_set.h"
#include "switching/thinning.h"

namespace thicket {

constexpr std::uint32_t kLeastPerCard = 2;
constexpr std::uint32_t kMostPerCard = 1024;
constexpr std::uint32_t kUsualPerCard = 16;

/// A card stands along the mean of the lines from root to tip of its tuft: the strands that are nearer to its own than
/// to any other that has a card. It is so many times as large as the one the picture is of as that mean is longer, half
/// to twice. All measures are of that one, metres.
struct StrandCards {
    /// One a strand with a card, which are the first so many, evenly spread as every beginning is: the direction it
    /// stands along, of length 1, and how large it is.
    struct Stand {
        Vec3f axis;
        float size = 1;
        bool operator==(const Stand&) const = default;
    };
    std::vector<Stand> stands;
    float half = 0; ///< of its width
    float low = 0;  ///< where it begins along its axis, from the root of its strand; mostly a little below
    float high = 0;
    int width = 0; ///< of the picture
    int height = 0;
    /// Rows from `low` on. 0: nothing, else 1 at the root of a strand to 255 at its tip.
    std::vector<std::uint8_t> picture;
    /// How far a card reaches beyond the tuft that it stands for, or falls short of it, at most: seen from four sides of
    /// sixteen of them, metres. Where in it each strand stands does not count, as it does not where strands are thinned
    /// out: that is a matter of the cover.
    double deviation = 0;

    /// 0 at the root, 1 at the tip, below 0 where there is nothing; u and v 0..1 across and along.
    [[nodiscard]] float at(float u, float v) const;
    [[nodiscard]] std::uint32_t count() const { return static_cast<std::uint32_t>(stands.size()); }
    bool operator==(const StrandCards&) const = default;
};

/// REQUIRES   a set in a progressive order, perCard in kLeastPerCard .. kMostPerCard.
/// ERRORS     Cancelled.
/// COST       O(strands * log(strands)) on all cores; some small pictures.
Result<StrandCards> cardsOf(const StrandSet& set, std::uint32_t perCard, const JobContext& job);

/// How many times as wide a card is at a distance: 1 as long as all strands with cards are kept, then what holds the
/// cover where that is held.
double cardGrowthAt(const Thinning& thinning, double metres, double share);

} // namespace thicket
