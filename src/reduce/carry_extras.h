#pragma once
// What vertices carry along, for the nodes that collapses made.

#include "reduce/record.h"

namespace thicket::reduce {

/// Gives every made node the mean of its children's extras, each weighted by how near it stood: on the line between two
/// children that is linear interpolation.
/// REQUIRES   the extras of the input's nodes are there.
/// COST       O(nodes).
void carryExtras(Record& record);

} // namespace thicket::reduce
