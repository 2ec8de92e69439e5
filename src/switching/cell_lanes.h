#pragma once
// All cells of a table at once, in floats: what their copies cover of the picture, and how far off they may be. Internal
// to the selector.

#include "switching/batch_pass.h"

#include <span>

namespace thicket::detail {

/// Of each cell, in the order of the table.
struct CellLanes {
    std::vector<float> away;    ///< metres from the eye to its middle
    std::vector<float> growths; ///< times their own size, or width, that copies in its middle are drawn at
    std::vector<float> values;  ///< what was asked for
    std::vector<float> scratch;
};

/// Fills `away` and `growths`.
void lookOver(const BatchPass& pass, CellLanes& lanes);
/// Pixels that cells cover which are so far away that their copies are as good as in one place; -1 of those that are not.
void pixelsOfFar(const BatchPass& pass, CellLanes& lanes);
/// The same of strands, which all cells say at once.
void pixelsOfStrands(const BatchPass& pass, CellLanes& lanes);
/// Pixels that copies of each cell are off at most.
void mostErrors(const BatchPass& pass, CellLanes& lanes);

/// Pixels that bounding discs of a cell's copies cover. `radius`: theirs at scale 1, as they have grown.
/// masks   of those that are drawn 1, else 0
double pixelsOfDiscs(const BatchPass& pass, std::uint32_t cell, double radius, const float* masks);

/// Added up in one order, however wide registers are.
double sumOf(std::span<const float> values);
/// Those of a cell's copies whose middles are nearer to the eye than `times` their scale and `more` metres: 1, else 0. Of
/// those at about that distance it may say 1.
void copiesNearerThan(const BatchPass& pass, std::uint32_t cell, double times, double more, std::uint8_t* out);
/// 0 where none is more.
float largestOf(std::span<const float> values);

} // namespace thicket::detail
