#pragma once
// Which loose pieces go, in which order, at what cost.

#include "reduce/pieces.h"

namespace thicket::reduce {

struct DropPlan {
    struct Drop {
        std::uint32_t piece;
        double error; ///< metres; never falls along the order
    };
    std::vector<Drop> order;
    std::vector<double> areas; ///< a piece each, square metres
    bool aggregate = false;    ///< many alike, near each other
};

/// level     a cut near enough to the source to measure distances on; pieceOf: its triangles' pieces, 0..pieces-1
/// ERRORS    Cancelled (looked at every few hundred pieces).
/// COST      up to 20,000 pieces are weighed one by one; of more, the order is a spread along the space-filling curve
///           and only its cost is measured, at a dozen shares.
/// THREADS   the result does not depend on how many run.
Result<DropPlan> planDrops(const Mesh& level, const std::vector<std::uint32_t>& pieceOf, std::uint32_t pieces,
                           const PieceOptions& options, const JobContext& job);

} // namespace thicket::reduce
