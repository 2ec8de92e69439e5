#pragma once
// Heights on a regular grid: the source of a terrain.

#include "base/big_vector.h"
#include "base/result.h"
#include "mesh/vec.h"

#include <cstdint>
#include <memory>
#include <optional>
#include <vector>

namespace thicket {

/// Numbers in rows, in blocks of rows that copies share until one of them changes theirs.
class HeightGrid {
public:
    HeightGrid() = default;
    /// In memory, all 0.
    HeightGrid(std::uint32_t columns, std::uint32_t rows);
    /// Over rows that lie one after the other somewhere else, such as in a file: they are never written to, and held as
    /// long as a grid has them.
    static HeightGrid over(std::uint32_t columns, std::uint32_t rows, std::shared_ptr<const float> first);
    /// Over such rows that are being filled: edits go into them, of all copies.
    static HeightGrid filling(std::uint32_t columns, std::uint32_t rows, std::shared_ptr<float> first);

    [[nodiscard]] std::size_t size() const { return std::size_t{m_columns} * m_rows; }
    [[nodiscard]] const float* row(std::uint32_t y) const {
        return m_blocks[y / kRows].get() + std::size_t{y % kRows} * m_columns;
    }
    [[nodiscard]] float at(std::uint32_t x, std::uint32_t y) const { return row(y)[x]; }
    /// Whether its rows lay somewhere else when it was made: looking at them may take as long as a disk does.
    [[nodiscard]] bool stored() const { return m_held != nullptr; }
    /// A row to write to. A block that another grid holds too becomes this one's own first.
    /// THREADS    rows of one block are for one thread at a time; see kRows.
    float* edit(std::uint32_t y);

    static constexpr std::uint32_t kRows = 32; ///< a block

private:
    std::uint32_t m_columns = 0;
    std::uint32_t m_rows = 0;
    bool m_filling = false;
    std::shared_ptr<const float> m_held;          ///< what is not to be written to
    std::vector<std::shared_ptr<float>> m_blocks; ///< each holds what it lies in: a vector, or all of a file
};

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
