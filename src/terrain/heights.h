#pragma once
// Heights on a regular grid: the source of a terrain.

#include "base/result.h"
#include "base/shared_rows.h"
#include "mesh/vec.h"

#include <cstdint>
#include <memory>
#include <optional>
#include <vector>

namespace thicket {

using HeightGrid = SharedRows;

/// Row by row from north to south (+Z), each from west to east (+X). Metres. Never changed once shared: an edit makes
/// another, which shares all rows but those it changes.
struct Heights {
    std::uint32_t columns = 0; ///< at least 2
    std::uint32_t rows = 0;
    double spacing = 1;                             ///< metres between neighbours, both ways
    Vec3d origin{0, 0, 0};                          ///< where the first lies, at height 0
    HeightGrid grid;                                ///< finite; where there is no ground, filled from what is round it
    std::shared_ptr<const std::vector<bool>> holes; ///< (columns - 1) * (rows - 1) cells without ground; null: none

    [[nodiscard]] float at(std::uint32_t x, std::uint32_t y) const { return grid.at(x, y); }
    [[nodiscard]] const float* row(std::uint32_t y) const { return grid.row(y); }
    [[nodiscard]] bool holeAt(std::uint32_t x, std::uint32_t y) const {
        return holes && (*holes)[std::size_t{y} * (columns - 1) + x];
    }
    [[nodiscard]] double width() const { return (columns - 1) * spacing; }
    [[nodiscard]] double depth() const { return (rows - 1) * spacing; }
    [[nodiscard]] std::size_t bytes() const { return grid.size() * sizeof(float) + (holes ? holes->size() / 8 : 0); }
    /// Height of the finest surface at a place of the world; empty beside it and over holes. Of both triangles of a
    /// cell, as they are drawn.
    [[nodiscard]] std::optional<double> heightAt(double x, double z) const;
    /// Unit normal there, of the smooth surface.
    [[nodiscard]] Vec3d normalAt(double x, double z) const;
};

/// Hash of all heights and holes, to notice that a source has changed.
std::string hashOf(const Heights& heights);

/// The middle of the ground at the origin of the world.
void centreHeights(Heights& heights);

/// Turns heights that are no finite numbers, and those in `missing`, into holes: every cell that touches one has no
/// ground, and the height itself becomes that of the nearest ground in its row or column.
/// Returns how many there were.
/// ERRORS     BadInput when nothing is left.
Result<std::uint64_t> makeHoles(Heights& heights, const std::vector<bool>& missing, const std::string& where);

/// Checks size, spacing and heights once, on entry; what follows trusts them.
/// ERRORS     BadInput: fewer than 2 x 2 heights, spacing that is not positive, heights that are not finite or beyond
///            1e6 metres.
Result<void> checkHeights(const Heights& heights, const std::string& where);

} // namespace thicket
