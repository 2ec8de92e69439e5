#pragma once
// Strands from files: line primitives of glTF and GLB, lines of OBJ.

#include "mesh/upright.h"
#include "strands/strand_set.h"

#include <filesystem>

namespace thicket {

struct StrandReading {
    double width = 0.004;   ///< metres, where the file says none
    bool keepOrder = false; ///< as they stand in the file; else in a progressive order
    double unit = 1;        ///< metres that one of the file's lengths is; widths of its own go along
    Up up = Up::Y;          ///< in the file
};

struct ReadStrands {
    StrandSet set;
    std::string hash;    ///< of the file's bytes
    bool widths = false; ///< the file says how wide they are
    std::vector<std::string> notes;
};

/// Reads all lines of a file in the world that it makes of its nodes. Segments of a list that follow each other, one
/// beginning at the point where the other ends, are one strand; a loop is closed. A glTF attribute `_RADIUS` (one number
/// a point) or `_WIDTH` gives widths, in metres before the node's scale; where there is none they are the
/// reading's.
/// ERRORS     NotFound; BadInput: no lines, one of a single point, a place that is no number, a negative radius;
///            TooLarge, before anything is allocated; Cancelled.
Result<ReadStrands> readStrands(const std::filesystem::path& path, const StrandReading& how, const JobContext& job);

} // namespace thicket
