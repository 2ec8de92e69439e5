#pragma once
// Which tiles of a terrain are drawn: the one place that decides it.
//
// A tile is split while it is off by more than is allowed where it comes nearest to the eye; then those that would meet
// a neighbour two levels coarser make that one split too (restricted quadtree, Von Herzen & Barr 1987). The outcome
// follows from the view alone, never from what was drawn before; what is kept from frame to frame is memory, and what
// was drawn, to say what changed.
//
// Between two levels a vertex moves to where the coarser one has it, over a band of the allowance: where the coarser
// tile is off by `allowPx` it begins, where by `allowPx / (1 + band)` it has arrived and the tiles become one. So
// nothing drawn is ever off by more than the allowance, and no switch is sudden.

#include "switching/tile_tree.h"
#include "switching/view.h"

#include <memory>
#include <optional>

namespace thicket {

/// How a terrain is drawn, for one view's field and lines.
struct TileRule {
    double allowPx = 1;
    double band = 0.3; ///< 0: switches are sudden
    /// Over the band both levels are drawn, one in the pixels that the other leaves, in place of one that moves from
    /// the one to the other; sides move all the same, so that neighbours meet.
    bool crossFade = false;
    double factor = 1;   ///< every switch comes in so many times as far
    double reach = 0;    ///< metres; 0: no such limit
    double margin = 0.5; ///< metres; kept when this far outside the view
    bool horizon = true; ///< tiles that nearer ground certainly hides are left out
    bool cullView = true;
    bool finest = false;                           ///< everything is drawn at its finest
    std::vector<std::optional<double>> fromMetres; ///< by level: where it comes in, instead of by its error
};

enum class TileFate : std::uint8_t { Inner, Drawn, OutOfView, BeyondReach, Hidden, Empty };

struct DrawnTile {
    TileTree::Ref ref;
    std::uint8_t stitch = 0;
    float morph = 0;              ///< 0..1; how far its odd vertices are on the way to their coarser places
    std::array<float, 4> edges{}; ///< the same on its sides, where both tiles must agree; in the order of kSides
    float errorPx = 0;            ///< promised pixels off, at its nearest point
};

/// What is drawn, and what changed since the selection before.
struct TileCut {
    std::vector<DrawnTile> tiles; ///< nearest first, by quadrants
    std::vector<TileTree::Ref> added;
    std::vector<TileTree::Ref> removed;
    std::vector<TileTree::Ref> restitched;
    std::uint64_t triangles = 0;
    std::uint64_t vertices = 0;
    double pixels = 0; ///< covered, by how much of each faces the eye; at most the whole picture
    double worstErrorPx = 0;
    std::uint32_t outOfView = 0; ///< tiles that were left out, at the level at which that was clear
    std::uint32_t beyondReach = 0;
    std::uint32_t hidden = 0;
    std::uint32_t forced = 0; ///< tiles that were split for a neighbour's sake
    std::uint32_t split = 0;  ///< tiles drawn before whose quarters are drawn now
    std::uint32_t fading = 0; ///< tiles of which both levels are drawn
    std::uint32_t merged = 0; ///< tiles drawn now whose quarters were drawn before
};

/// Kept from selection to selection.
class TileState {
public:
    /// For a tree; keeps what it has when it is the same one.
    void settle(const std::shared_ptr<const TileTree>& tree);
    [[nodiscard]] const std::shared_ptr<const TileTree>& tree() const { return m_tree; }

private:
    friend class TilePass;
    struct Node {
        std::uint32_t stamp = 0; ///< of the selection in which it was last reached
        TileFate fate = TileFate::Inner;
        float morph = 0;           ///< of its children
        double distance = 0;       ///< to it and its strips, metres; of those that may be drawn
        std::uint32_t drawnAt = 0; ///< selection in which it was last drawn
        std::uint8_t stitch = 0;   ///< then
    };
    std::shared_ptr<const TileTree> m_tree;
    std::vector<Node> m_nodes;
    std::vector<std::vector<std::uint32_t>> m_leaves; ///< by level
    std::vector<std::uint32_t> m_before;              ///< tiles drawn in the selection before
    std::vector<float> m_horizon;
    std::uint32_t m_stamp = 0;
};

/// REQUIRES   `state` settled for the tree.
/// COST       O(tiles drawn and left out). Allocates nothing once its storage has grown.
/// THREADS    pure but for `state` and `out`.
void selectTiles(const View& view, const TileRule& rule, TileState& state, TileCut& out);

/// Where a level comes in at the latest by error: where its worst tile is off by just the allowance, metres.
double tileSwitchDistance(const TileTree& tree, std::uint32_t level, const TileRule& rule, const View& view);

} // namespace thicket
