#pragma once
// Levels of strands with fewer points: a point stays where the line would be off by more than the level allows.

#include "strands/strand_set.h"
#include "switching/selector.h"

#include <optional>

namespace thicket {

struct StrandCards;

/// What each point is worth, metres: it stays in a level that may be off by less. Ends are worth infinity. How far a
/// strand without a point is off counts both its place and half of its width.
/// ERRORS  Cancelled.
/// COST    O(points * log(points a strand)) for lines that are not made to be bad, on all cores.
/// SOURCE  Douglas & Peucker 1973, with every point worth at most as much as what it was split from, so that one pass
///         answers for all allowances.
Result<std::vector<float>> weighPoints(const StrandSet& set, const JobContext& job);

/// The points of a strand that stay where the line may be so far off, as places in StrandSet::points, in order.
template <class Each>
void eachKept(const StrandSet& set, std::span<const float> worth, std::size_t strand, float off, const Each& each) {
    for (std::uint32_t i = set.first[strand]; i < set.first[strand + 1]; ++i)
        if (worth[i] > off)
            each(i);
}

/// A level of strands.
struct StrandLevel {
    double deviation = 0;       ///< metres that a line, with half of its width, is off at most; of cards as StrandCards
    std::uint64_t segments = 0; ///< of all strands; cards
    std::uint32_t perCard = 0;  ///< a card stands for so many strands; 0: they are drawn as lines
    std::optional<FixedSwitch> fixed;
    bool operator==(const StrandLevel&) const = default;
};

/// The level that keeps a share of the points that are not ends; its deviation is the true largest.
StrandLevel levelWithShare(const StrandSet& set, std::span<const float> worth, double share);
/// The level that may be so far off.
StrandLevel levelWithin(const StrandSet& set, std::span<const float> worth, double metres);

/// The source, then levels of half as many inner points each, down to straight lines; at most so many.
std::vector<StrandLevel> usualLevels(const StrandSet& set, std::span<const float> worth, std::size_t most);

/// What the selector draws strands by.
struct StrandLayout {
    std::shared_ptr<const CellTable> cells;
    std::shared_ptr<const StrandCosts> costs; ///< of `levels`
    std::vector<double> deviations;           ///< of the levels that `costs` are of
    std::shared_ptr<const StrandCards> cards; ///< of the last level, where it is one of cards
};
/// cards      of the last level, where it is one of cards
/// before     its cells are used again where they are of the same strands
StrandLayout layOut(const StrandSet& set, std::span<const float> worth, const StrandPlaces& places,
                    std::span<const StrandLevel> levels, const StrandLayout* before,
                    std::shared_ptr<const StrandCards> cards = {});

/// A set with only the points of a level, and only the strands of ranks below a share, made as many times as wide.
StrandSet cutStrands(const StrandSet& set, std::span<const float> worth, double deviation, double keep, double grow);

} // namespace thicket
