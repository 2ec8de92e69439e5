#pragma once
// What a tile size costs: small tiles follow the ground closely and are many to draw; large ones are few and take long
// to make again. Measured along a flight, not reckoned.

#include "base/job.h"
#include "switching/select_tiles.h"
#include "terrain/heights.h"

#include <span>
#include <string>

namespace thicket {

struct TileSizeCost {
    std::uint32_t cells = 0;
    double tiles = 0; ///< drawn, mean of all frames
    double triangles = 0;
    double updateUs = 0; ///< selection, mean of all frames, one core, on this machine
    double worstUs = 0;
    double editMs = 0; ///< bounds, errors and points of what a brush of 64 heights touches; median of nine places
    double memory = 0; ///< bytes of the points of the tiles that are drawn, most of all frames
};

/// What a frame pays for.
struct TilePrices {
    double nsPerTriangle = 5;
    double usPerDraw = 5;
};

struct TileStudy {
    std::vector<TileSizeCost> sizes;
    std::size_t recommended = 0; ///< index into `sizes`: where triangles, draws and update take least of a frame
    std::string why;
};

/// ERRORS     Cancelled.
/// COST       a tree a size, and a selection a view and size.
Result<TileStudy> studyTileSizes(const Heights& heights, const TileRule& rule, std::span<const View> views,
                                 std::span<const std::uint32_t> sizes, const TilePrices& prices, const JobContext& job);
/// Milliseconds of a frame that a tile size takes.
double frameMs(const TileSizeCost& cost, const TilePrices& prices);

/// 16, 32, 64, 128, 256: those that are not wider than the terrain.
std::vector<std::uint32_t> usualTileSizes(const Heights& heights);

} // namespace thicket
