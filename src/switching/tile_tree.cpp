#include "switching/tile_tree.h"

#include <algorithm>

namespace thicket {

TileTree::Ref TileTree::refOf(std::uint32_t tile) const {
    std::uint32_t level = 0;
    while (level + 1 < levels.size() && tile >= levels[level + 1].first)
        ++level;
    const std::uint32_t in = tile - levels[level].first;
    return {level, in % levels[level].across, in / levels[level].across};
}

std::uint32_t TileTree::trianglesOf(Ref r, std::uint8_t stitch) const {
    const std::uint32_t own = tiles[index(r)].triangles;
    if ((own & kHoles) != 0)
        return holes[own & ~kHoles][stitch];
    // A side that is stitched loses every second of its points, and a triangle with each.
    const std::uint32_t alongX = cellsAcross(r) / 2;
    const std::uint32_t alongY = cellsDown(r) / 2;
    const auto is = [stitch](std::uint8_t side) { return (stitch & side) != 0 ? 1U : 0U; };
    return own - alongX * (is(kNorth) + is(kSouth)) - alongY * (is(kEast) + is(kWest));
}

Bounds TileTree::boundsOf(Ref r) const {
    const Tile& tile = tiles[index(r)];
    const double side = static_cast<double>(std::uint64_t{cells} << r.level) * spacing;
    const Vec3d from(origin.x() + r.x * side, origin.y() + static_cast<double>(tile.low), origin.z() + r.y * side);
    return {from,
            {std::min(from.x() + side, origin.x() + (columns - 1) * spacing),
             origin.y() + static_cast<double>(tile.high),
             std::min(from.z() + side, origin.z() + (rows - 1) * spacing)}};
}

Bounds TileTree::reachOf(Ref r) const {
    Bounds b = boundsOf(r);
    const double strip = r.level == 0 ? 0 : static_cast<double>(std::uint64_t{1} << (r.level - 1)) * spacing;
    const Vec3d by(strip, 0, strip);
    const Tile& tile = tiles[index(r)];
    b.low.y() = origin.y() + static_cast<double>(tile.reachLow);
    b.high.y() = origin.y() + static_cast<double>(tile.reachHigh);
    return {b.low - by, b.high + by};
}

} // namespace thicket
