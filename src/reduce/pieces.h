#pragma once
// Loose pieces of a mesh: those that fall below a pixel may go; of many alike pieces some go and the rest grow.

#include "reduce/chain.h"

namespace thicket {

struct PieceOptions {
    /// A piece may go while that costs at most this share of the mesh's diagonal. 0.02: the object is 50 px tall when
    /// the allowance is one.
    double mostShare = 0.02;
    double mostShareOfAggregate = 0.06; ///< the same for an aggregate, whose kept pieces grow
    const Mesh* source = nullptr;       ///< what `care` is of
    std::span<const float> care;        ///< one a vertex of the source: a piece with half of it or more never goes
};

/// Adds to a record the dropping of whole pieces, each where the surface collapse alone is already off by as much as
/// the piece's absence will be, so that a level gets lighter and no worse. What a piece's absence costs is the larger
/// of its width and the distance from it, and from all that went before and leant on it, to the nearest piece that
/// stays. curve   of the record as it is.
/// COST       O(P log P) closest-point queries for P pieces.
/// ERRORS     Cancelled; the record is then unchanged.
/// SOURCE     the idea of thinning with growth: Cook, Halstead, Planck, Ryu 2007. Ours orders by distance, not by hash:
///         the piece whose neighbours stand closest goes first, which leaves the kept ones evenly spread.
Result<void> dropPieces(Record& record, const DeviationCurve& curve, const PieceOptions& options,
                        const JobContext& job);

/// Loose pieces of a record's surface: sets of triangles that hang together by points.
std::uint32_t countPieces(const Record& record);

/// Area of the pieces that grow, square metres.
/// pieceOf  one entry a triangle; kinds: a piece each, or empty: all grow.
double areaThatGrows(const Mesh& mesh, const std::vector<std::uint32_t>& pieceOf, std::span<const Record::Piece> kinds);

/// Grows the pieces of a level so that they cover what all did: strands get thicker by 1/keptShare, compact and flat
/// pieces larger by its root, both at most kMostGrowth times and so that nothing moves farther than `mostMetres`. Those
/// at the rim of the whole grow inward: they stand out no farther than before, so that the outline stays.
/// pieceOf  one entry a triangle of the level; kinds: a piece each, or empty: all grow, to all sides alike.
constexpr double kMostGrowth = 8;
void growPieces(Mesh& level, const std::vector<std::uint32_t>& pieceOf, std::span<const Record::Piece> kinds,
                double keptShare, double mostMetres);

} // namespace thicket
