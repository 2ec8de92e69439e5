#pragma once
// What a tile is drawn as: a grid of points, and one of sixteen lists of triangles, by which of its sides meet a
// coarser neighbour. There every second point of the side is drawn onto its neighbour (geometrical mipmapping, de Boer
// 2000), so that both tiles have the same points along it: no cracks, by construction.
// All diagonals run the same way, so the triangles of a level lie within those of the next coarser one.

#include "switching/tile_tree.h"
#include "terrain/heights.h"

namespace thicket {

/// Point (i, j) of a grid is number j * (cells + 1) + i.
/// REQUIRES   `cells` even, 2..256.
std::vector<std::uint32_t> stitchedTriangles(std::uint32_t cells, std::uint8_t stitch);

/// Where a point of a stitched grid is drawn: itself, or the even one beside it.
std::pair<std::uint32_t, std::uint32_t> stitchedPoint(std::uint32_t cells, std::uint8_t stitch, std::uint32_t i,
                                                      std::uint32_t j);

/// The column (or row) of the heights at which point `i` of tile `at` of a level lies: those beyond the last are drawn
/// at it.
std::uint32_t sampleAt(const TileTree& tree, std::uint32_t level, std::uint32_t at, std::uint32_t i,
                       std::uint32_t count);

/// The points of one tile.
struct TilePoints {
    std::vector<float> heights; ///< (cells + 1)^2, metres above the terrain's origin
    std::vector<float> coarser; ///< where the next coarser level has the same points
    std::vector<Vec3f> normals; ///< of the finest surface, so that levels are lit alike
};
TilePoints tilePoints(const Heights& heights, const TileTree& tree, TileTree::Ref tile);

/// Whether a cell of a tile's grid is drawn: one of the heights' cells in it is no hole.
bool hasGround(const Heights& heights, const TileTree& tree, TileTree::Ref tile, std::uint32_t i, std::uint32_t j);

/// The triangles of one tile as they are drawn: without those beyond the terrain, in holes, or without area.
std::vector<std::uint32_t> tileTriangles(const Heights& heights, const TileTree& tree, TileTree::Ref tile,
                                         std::uint8_t stitch);

/// One tile as a mesh in world space, welded to nothing; only points that are used.
/// skirt      metres that its sides hang down; 0: none.
Mesh tileMesh(const Heights& heights, const TileTree& tree, TileTree::Ref tile, std::uint8_t stitch, double skirt = 0);

/// The same with all points of the grid in their order, so that any list of stitchedTriangles() fits it.
Mesh tileGridMesh(const Heights& heights, const TileTree& tree, TileTree::Ref tile, std::uint8_t stitch);

} // namespace thicket
