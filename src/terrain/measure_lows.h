#pragma once
// How low and how high ground lies, from its heights.

#include "switching/ground_lows.h"
#include "switching/tile_tree.h"
#include "terrain/heights.h"

namespace thicket {

/// The squares that there will be, with nothing known of them yet: as small as two cells a side, and no more than a million.
GroundLows emptyLows(const Heights& heights);

/// COST       O(heights), on all cores.
GroundLows measureLows(const Heights& heights);

/// After heights in a rectangle have changed: the same as from nothing.
/// REQUIRES   `lows` was measured of heights of that size.
void measureLowsAgain(GroundLows& lows, const Heights& heights, const TileTree::Rect& edited);

} // namespace thicket
