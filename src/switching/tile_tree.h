#pragma once
// The tiles of a terrain as the selector sees them: a quadtree by levels, each tile with its bounds and how far it is
// off. Tile (x, y) of level l covers `cells << l` height cells a side and is drawn as a grid of `cells` a side; level 0
// is the finest. What fills it is terrain/build_tree.h.

#include "mesh/mesh.h"
#include "switching/ground_lows.h"

#include <array>
#include <cstdint>
#include <memory>
#include <vector>

namespace thicket {

/// Sides of a tile, as bits of a stitch mask: those that meet a neighbour one level coarser.
enum TileSide : std::uint8_t { kNorth = 1, kEast = 2, kSouth = 4, kWest = 8 };
constexpr std::uint8_t kSides[] = {kNorth, kEast, kSouth, kWest};
/// Step to the neighbour across a side, by its place in kSides: columns run east (+X), rows south (+Z).
constexpr int kSideX[] = {0, 1, 0, -1};
constexpr int kSideY[] = {-1, 0, 1, 0};

struct TileTree {
    struct Tile {
        float error = 0; ///< metres; largest vertical distance from all heights within it, and within the strips of
                         ///< finer neighbours that are stitched to it
        float low = 0;   ///< of the heights within it
        float high = 0;
        float reachLow = 0; ///< and within those strips
        float reachHigh = 0;
        std::uint32_t triangles = 0; ///< unstitched; of tiles with holes: kHoles and a place in `holes`
    };
    struct Level {
        std::uint32_t across = 0;
        std::uint32_t down = 0;
        std::uint32_t first = 0; ///< into `tiles`, which lie row by row
        float worst = 0;         ///< largest error of its tiles
        float typical = 0;       ///< half of its tiles are off by no more
    };
    /// Where a tile lies.
    struct Ref {
        std::uint32_t level = 0;
        std::uint32_t x = 0;
        std::uint32_t y = 0;
        bool operator==(const Ref&) const = default;
    };
    /// Columns x0 .. x1 and rows y0 .. y1 of heights, inclusive.
    struct Rect {
        std::uint32_t x0 = 0;
        std::uint32_t y0 = 0;
        std::uint32_t x1 = 0;
        std::uint32_t y1 = 0;
    };
    static constexpr std::uint32_t kHoles = 1U << 31;

    std::uint32_t columns = 0; ///< heights a row
    std::uint32_t rows = 0;
    std::uint32_t cells = 64;  ///< even; a tile's grid
    double spacing = 1;        ///< metres between heights
    Vec3d origin{0, 0, 0};     ///< where the first height lies, at height 0
    std::vector<Level> levels; ///< finest first; the last has one tile
    std::vector<Tile> tiles;
    /// By level from 1 on, then by finest tile: how far that level is off within it. For edits.
    std::vector<float> blockErrors;
    std::vector<std::array<std::uint32_t, 16>> holes; ///< triangles by stitch mask, of tiles with holes; 0: all hole
    float low = 0;
    float high = 0;
    GroundLows lows;                          ///< for what the ground hides
    std::weak_ptr<const TileTree> editedFrom; ///< the tree that this one was made of, where heights changed in `edited`
    Rect edited;

    [[nodiscard]] std::uint32_t index(Ref r) const {
        return levels[r.level].first + r.y * levels[r.level].across + r.x;
    }
    [[nodiscard]] Ref refOf(std::uint32_t tile) const;
    /// Cells of its grid that lie within the terrain.
    [[nodiscard]] std::uint32_t cellsAcross(Ref r) const { return cellsWithin(r.x, r.level, columns); }
    [[nodiscard]] std::uint32_t cellsDown(Ref r) const { return cellsWithin(r.y, r.level, rows); }
    [[nodiscard]] std::uint32_t trianglesOf(Ref r, std::uint8_t stitch) const;
    /// What it covers, in the world.
    [[nodiscard]] Bounds boundsOf(Ref r) const;
    /// The same and the strips of finer neighbours that its error answers for.
    [[nodiscard]] Bounds reachOf(Ref r) const;

private:
    [[nodiscard]] std::uint32_t cellsWithin(std::uint32_t at, std::uint32_t level, std::uint32_t heights) const {
        const std::uint64_t first = (std::uint64_t{at} * cells) << level;
        const std::uint64_t left = heights - 1 - first;
        return static_cast<std::uint32_t>(std::min<std::uint64_t>(cells, ((left + (1ULL << level) - 1) >> level)));
    }
};

} // namespace thicket
