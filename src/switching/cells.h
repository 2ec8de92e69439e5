#pragma once
// Copies of one thing, grouped into cells that are small in space, so that most of them are decided together.

#include "mesh/mesh.h"
#include "switching/placement.h"

#include <algorithm>
#include <cmath>
#include <optional>

namespace thicket {

constexpr std::uint32_t kMostInCell = 256;
constexpr std::uint32_t kLaneGroup = 8; ///< copies that are decided at once in the widest registers

/// Copies of one thing in an order in which neighbours in memory are neighbours in space. A *slot* is a place in that
/// order; in a cell it follows the order of the placements, which in a field is the progressive one. Never changed once
/// made.
/// The arrays hold what deciding about a copy reads, as floats relative to the middle of its cell, so that they are
/// exact enough anywhere and vector code can read them; what they leave open is decided from the placement itself.
struct CellTable {
    struct Cell {
        std::uint32_t first = 0; ///< slots first .. first + count - 1
        std::uint32_t count = 0; ///< 1..kMostInCell
        Vec3d origin{0, 0, 0};   ///< middle of the box of the copies' centres
        Vec3f halfBox{0, 0, 0};  ///< half of that box, or a little more
        // Least ones not above, most ones not below what copies have:
        float leastScale = 1;
        float mostScale = 1;
        float leastFactor = 1; ///< of importance
        float mostFactor = 1;
        float leastProduct = 1; ///< of scale and importance
        float mostProduct = 1;
        float squares = 0;       ///< squareOf all copies, added up
        float lean = 0;          ///< sine of the most that a copy leans away from upright; 1 from a quarter turn on
        Vec3f offPivot{0, 0, 0}; ///< from what a copy stands on to its middle, at scale 1: the middle of all copies'
        float offSlack = 0;      ///< and how far that of a copy may be from it

        [[nodiscard]] Vec3d half() const { return halfBox.cast<double>(); }
    };

    SharedPlacements placements;
    std::optional<std::uint32_t> asset; ///< only placements of this one are in it
    Bounds bounds;                      ///< of the thing, in its own space
    double radius = 1;                  ///< of the sphere round the middle of its bounds that holds it
    std::vector<Cell> cells;
    /// The same of all cells side by side.
    struct Boxes {
        std::vector<double> x, y, z; ///< their middles
        std::vector<float> halfX, halfY, halfZ;
        std::vector<float> half; ///< diagonals
        std::vector<float> mostScale;
    } boxes;
    // One a slot:
    std::vector<std::uint32_t> placementOf; ///< index into `placements`
    // These go on for a group of lanes, so that it may begin at any slot:
    std::vector<float> x, y, z; ///< centre, from the cell's origin, metres
    std::vector<float> scale;
    std::vector<float> factor;         ///< importance; empty: 1 for all
    std::vector<std::uint16_t> spread; ///< spreadOf its id; of a field only, else empty
    double lowest = 0;                 ///< height of the lowest copy
    float squareStep = 1;

    /// The squared scale of a copy in steps of squareStep: whole numbers, so few that floats add those of a cell up
    /// without rounding, in any order.
    [[nodiscard]] float squareOf(std::uint32_t slot) const {
        return std::max(1.0F, std::nearbyint(scale[slot] * scale[slot] / squareStep));
    }
    [[nodiscard]] std::size_t size() const { return placementOf.size(); }
    [[nodiscard]] const Placement& at(std::uint32_t slot) const { return (*placements)[placementOf[slot]]; }
    /// The middle of a copy of a cell at its own size, as near as floats from the cell's origin say. Quicker than from its
    /// placement, which lies somewhere else in memory.
    [[nodiscard]] Vec3d middleOf(std::uint32_t cell, std::uint32_t slot) const {
        return cells[cell].origin + Vec3f(x[slot], y[slot], z[slot]).cast<double>();
    }
    /// The cell that a slot lies in.
    /// COST       O(log cells).
    [[nodiscard]] std::uint32_t cellOf(std::uint32_t slot) const;
};

/// The middle of a copy's bounds, world space.
Vec3d centreOf(const Placement& placement, const Bounds& bounds);

/// Orders the copies of one thing.
/// asset     only placements of this one; empty: all.
/// REQUIRES  finite positions, scales above 0.
/// COST      O(N log N), on all cores where there are many.
/// SOURCE    Morton 1966 for the order; cells are the leaves of its octree that hold at most kMostInCell.
std::shared_ptr<const CellTable> makeCells(const SharedPlacements& placements, std::optional<std::uint32_t> asset,
                                           const Bounds& bounds, double radius);

} // namespace thicket
