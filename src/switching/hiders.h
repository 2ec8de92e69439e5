#pragma once
// The few copies that may hide most, and where something may stand behind them. Internal to the selector.

#include "switching/batch_pass.h"
#include "switching/occlusion.h"

namespace thicket::detail {

/// A copy that others are looked for behind.
struct Hider {
    double height = 0; ///< share of the viewport
    std::uint32_t batch = 0;
    std::uint32_t slot = 0;
    std::int8_t level = 0;
};

/// The copies that may hide most: large on screen, drawn as one solid level, few enough to be drawn twice.
std::vector<Hider> chooseHiders(const std::vector<BatchPass>& passes, const View& view);

/// What may be hidden, seen by what things cover of the picture at most.
struct Behind {
    struct Cell {
        std::uint32_t batch = 0;
        std::uint32_t cell = 0;
    };
    std::vector<Hider> hiders; ///< those of the chosen that something may be hidden behind
    std::vector<Cell> cells;   ///< in which it may be; no other holds anything that they hide
};

/// What is hidden lies with all of its patch behind the patches of others. Drawing them is dear, and mostly nothing
/// stands behind anything.
/// COST       O(cells + copies drawn in cells that hiders overlap).
Behind whatIsBehind(const std::vector<Hider>& chosen, const std::vector<BatchPass>& passes, const View& view);

/// Of the chosen those that what was hidden before may be hidden behind.
std::vector<Hider> stillBefore(const std::vector<SelectState::HiddenPlaces::Place>& hidden,
                               const std::vector<Hider>& chosen, const std::vector<BatchPass>& passes,
                               const View& view);

/// A box that holds all copies of a cell, whatever way they are turned and whatever level they show.
OrientedBox boxOfCell(const BatchPass& pass, const CellTable::Cell& cell);

/// How far any of its levels is off at most, at scale 1.
double widestOf(const ResolvedChain& chain);
/// Triangles of one copy; levels of strands are those of all of them.
std::uint64_t trianglesAt(const Batch& batch, std::size_t level);
/// So light that looking whether a copy is hidden costs more than drawing it.
bool lightAt(const Batch& batch, std::size_t level);
/// Single copies are not worth a look.
bool allLight(const BatchPass& pass);

} // namespace thicket::detail
