#include "terrain/build_tree.h"

#include "base/parallel.h"
#include "terrain/measure_lows.h"
#include "terrain/tile_grid.h"

#include <algorithm>
#include <cmath>

namespace thicket {
namespace {

using Ref = TileTree::Ref;
using RowMap = Eigen::Map<const Eigen::ArrayXf>;

/// What a tile's strips say of it.
struct Strips {
    float error = 0;
    float low = 1e30F;
    float high = -1e30F;
};

/// One cell of a level, by columns and rows of the heights.
struct Cell {
    std::uint32_t x0, y0, x1, y1;
};

/// Heights of columns fromX .. toX and rows fromY .. toY, all within one cell of a level, against its two triangles.
float cellError(const Heights& h, const Cell& c, std::uint32_t fromX, std::uint32_t fromY, std::uint32_t toX,
                std::uint32_t toY, const Eigen::ArrayXf& ramp) {
    const std::uint32_t wide = c.x1 - c.x0;
    const float nw = h.at(c.x0, c.y0);
    const float ne = h.at(c.x1, c.y0);
    const float sw = h.at(c.x0, c.y1);
    const float se = h.at(c.x1, c.y1);
    const float overWide = 1.0F / static_cast<float>(wide);
    const float overTall = 1.0F / static_cast<float>(c.y1 - c.y0);
    const float westSlope = (ne - nw) * overWide;
    const float eastSlope = (se - sw) * overWide;
    float worst = 0;
    for (std::uint32_t y = fromY; y <= toY; ++y) {
        const float* row = h.row(y);
        const float v = static_cast<float>(y - c.y0) * overTall;
        // The diagonal runs from north-east to south-west: left of it the north-west triangle.
        const auto split = c.x0 + std::min(wide, static_cast<std::uint32_t>((1 - v) * static_cast<float>(wide)));
        const float west = nw + (sw - nw) * v;
        const float east = se + (ne - se) * (1 - v);
        if (fromX <= split) {
            const auto count = static_cast<Eigen::Index>(std::min(split, toX) - fromX + 1);
            const float at = west + westSlope * static_cast<float>(fromX - c.x0);
            if (count < 6)
                for (Eigen::Index u = 0; u < count; ++u)
                    worst = std::max(worst, std::abs(row[fromX + u] - (at + westSlope * static_cast<float>(u))));
            else
                worst = std::max(worst,
                                 (RowMap(row + fromX, count) - (ramp.head(count) * westSlope + at)).abs().maxCoeff());
        }
        if (toX > split) {
            const std::uint32_t first = std::max(split + 1, fromX);
            const auto count = static_cast<Eigen::Index>(toX - first + 1);
            const float at = east - eastSlope * static_cast<float>(c.x1 - first);
            if (count < 6)
                for (Eigen::Index u = 0; u < count; ++u)
                    worst = std::max(worst, std::abs(row[first + u] - (at + eastSlope * static_cast<float>(u))));
            else
                worst = std::max(worst,
                                 (RowMap(row + first, count) - (ramp.head(count) * eastSlope + at)).abs().maxCoeff());
        }
    }
    return worst;
}

/// Cells of two a side, those of one row of cells.
float twoRowError(const Heights& h, std::uint32_t x0, std::uint32_t y0, std::uint32_t count) {
    const float* north = h.row(y0) + x0;
    const float* middle = h.row(y0 + 1) + x0;
    const float* south = h.row(y0 + 2) + x0;
    float worst = 0;
    for (std::uint32_t i = 0; i < count; ++i, north += 2, middle += 2, south += 2) {
        const float top = std::abs(north[1] - (north[0] + north[2]) * 0.5F);
        const float left = std::abs(middle[0] - (north[0] + south[0]) * 0.5F);
        const float centre = std::abs(middle[1] - (north[2] + south[0]) * 0.5F);
        const float right = std::abs(middle[2] - (north[2] + south[2]) * 0.5F);
        const float bottom = std::abs(south[1] - (south[0] + south[2]) * 0.5F);
        worst = std::max({worst, top, left, centre, right, bottom});
    }
    return worst;
}

/// What a finest tile covers, and how far a level is off within it.
struct Block {
    std::uint32_t x0, y0, x1, y1;
};

Block blockAt(const TileTree& tree, std::uint32_t x, std::uint32_t y) {
    return {sampleAt(tree, 0, x, 0, tree.columns), sampleAt(tree, 0, y, 0, tree.rows),
            sampleAt(tree, 0, x, tree.cells, tree.columns), sampleAt(tree, 0, y, tree.cells, tree.rows)};
}

float blockError(const Heights& h, const Block& b, std::uint32_t level, const Eigen::ArrayXf& ramp) {
    const std::uint32_t side = 1U << level;
    float worst = 0;
    for (std::uint32_t y = b.y0 >> level << level; y < b.y1; y += side) {
        const std::uint32_t bottom = std::min(y + side, h.rows - 1);
        std::uint32_t x = b.x0 >> level << level;
        if (level == 1 && bottom - y == 2) {
            const std::uint32_t whole = (b.x1 - b.x0) / 2;
            worst = std::max(worst, twoRowError(h, b.x0, y, whole));
            x = b.x0 + 2 * whole;
        }
        for (; x < b.x1; x += side)
            worst =
                std::max(worst, cellError(h, {x, y, std::min(x + side, h.columns - 1), bottom}, std::max(x, b.x0),
                                          std::max(y, b.y0), std::min(x + side, b.x1), std::min(bottom, b.y1), ramp));
    }
    return worst;
}

/// A cell that holds both holes and ground shows a border that is off sideways. Told by blocks, on the safe side.
float holeError(const Heights& h, const Block& b, std::uint32_t level, double spacing) {
    bool hole = false;
    bool ground = false;
    for (std::uint32_t y = b.y0; y < b.y1; ++y)
        for (std::uint32_t x = b.x0; x < b.x1; ++x)
            (h.holeAt(x, y) ? hole : ground) = true;
    const bool larger = (1U << level) > b.x1 - b.x0 || (1U << level) > b.y1 - b.y0;
    return hole && (ground || larger) ? static_cast<float>(std::sqrt(2.0) * static_cast<double>(1U << level) * spacing)
                                      : 0;
}

void measureBounds(const Heights& h, const Block& b, TileTree::Tile& tile) {
    float low = 1e30F;
    float high = -1e30F;
    for (std::uint32_t row = b.y0; row <= b.y1; ++row) {
        const RowMap values(h.row(row) + b.x0, static_cast<Eigen::Index>(b.x1 - b.x0 + 1));
        low = std::min(low, values.minCoeff());
        high = std::max(high, values.maxCoeff());
    }
    tile.low = tile.reachLow = low;
    tile.high = tile.reachHigh = high;
    tile.error = 0;
}

void measureBlock(const Heights& h, TileTree& tree, std::uint32_t x, std::uint32_t y, const Eigen::ArrayXf& ramp) {
    const Block b = blockAt(tree, x, y);
    measureBounds(h, b, tree.tiles[tree.index({0, x, y})]);
    const std::size_t blocks = std::size_t{tree.levels[0].across} * tree.levels[0].down;
    for (std::uint32_t level = 1; level < tree.levels.size(); ++level) {
        float error = blockError(h, b, level, ramp);
        if (h.holes)
            error = std::max(error, holeError(h, b, level, tree.spacing));
        tree.blockErrors[(level - 1) * blocks + tree.index({0, x, y})] = error;
    }
}

/// Heights under one triangle of a stitched strip, in columns and rows.
void takeTriangle(const Heights& h, const std::array<std::array<std::uint32_t, 2>, 3>& p, Strips& out) {
    const auto x = [&](std::size_t k) { return static_cast<std::int64_t>(p[k][0]); };
    const auto y = [&](std::size_t k) { return static_cast<std::int64_t>(p[k][1]); };
    const std::int64_t area = (x(1) - x(0)) * (y(2) - y(0)) - (y(1) - y(0)) * (x(2) - x(0));
    if (area == 0)
        return;
    const float corners[3] = {h.at(p[0][0], p[0][1]), h.at(p[1][0], p[1][1]), h.at(p[2][0], p[2][1])};
    const auto [lowX, highX] = std::minmax({p[0][0], p[1][0], p[2][0]});
    const auto [lowY, highY] = std::minmax({p[0][1], p[1][1], p[2][1]});
    const double over = 1.0 / static_cast<double>(area);
    for (std::int64_t j = lowY; j <= highY; ++j)
        for (std::int64_t i = lowX; i <= highX; ++i) {
            const std::int64_t b = (i - x(0)) * (y(2) - y(0)) - (j - y(0)) * (x(2) - x(0));
            const std::int64_t c = (x(1) - x(0)) * (j - y(0)) - (y(1) - y(0)) * (i - x(0));
            const std::int64_t a = area - b - c;
            if (area > 0 ? (a < 0 || b < 0 || c < 0) : (a > 0 || b > 0 || c > 0))
                continue;
            const float drawn =
                static_cast<float>((static_cast<double>(a) * corners[0] + static_cast<double>(b) * corners[1] +
                                    static_cast<double>(c) * corners[2]) *
                                   over);
            const float height = h.at(static_cast<std::uint32_t>(i), static_cast<std::uint32_t>(j));
            out.error = std::max(out.error, std::abs(drawn - height));
            out.low = std::min(out.low, height);
            out.high = std::max(out.high, height);
        }
}

/// Triangles of one cell of a finer tile as they are stitched.
void takeStitchedCell(const Heights& h, const TileTree& tree, Ref fine, std::uint8_t stitch, std::uint32_t i,
                      std::uint32_t j, Strips& out) {
    const auto at = [&](std::uint32_t di, std::uint32_t dj) -> std::array<std::uint32_t, 2> {
        const auto p = stitchedPoint(tree.cells, stitch, i + di, j + dj);
        return {sampleAt(tree, fine.level, fine.x, p.first, h.columns),
                sampleAt(tree, fine.level, fine.y, p.second, h.rows)};
    };
    takeTriangle(h, {at(0, 0), at(0, 1), at(1, 0)}, out);
    takeTriangle(h, {at(1, 0), at(0, 1), at(1, 1)}, out);
}

/// The strip of a finer tile along one of its sides, stitched there, and at its ends to the next sides too.
void takeStrip(const Heights& h, const TileTree& tree, Ref fine, std::size_t side, Strips& out) {
    const std::uint32_t n = tree.cells;
    const std::uint8_t own = kSides[side];
    const bool alongX = own == kNorth || own == kSouth;
    const std::uint32_t depth = own == kSouth || own == kEast ? n - 1 : 0;
    const std::uint8_t before = alongX ? kWest : kNorth;
    const std::uint8_t after = alongX ? kEast : kSouth;
    const auto cell = [&](std::uint8_t stitch, std::uint32_t along, std::uint32_t at) {
        takeStitchedCell(h, tree, fine, stitch, alongX ? along : at, alongX ? at : along, out);
    };
    for (std::uint32_t k = 0; k < n; ++k)
        cell(own, k, depth);
    for (std::uint32_t k = 0; k < std::min(n, 2U); ++k) {
        cell(own | before, k, depth);
        cell(own | after, n - 1 - k, depth);
        if (n == 2)
            cell(own | before | after, k, depth);
    }
}

/// What the finer neighbours along all sides of a tile add to it, when they are stitched to it.
Strips stripsOf(const Heights& h, const TileTree& tree, Ref r) {
    Strips out;
    if (r.level < 2) // the finest tiles have every height in their strips
        return out;
    const TileTree::Level& row = tree.levels[r.level];
    const TileTree::Level& below = tree.levels[r.level - 1];
    for (std::size_t side = 0; side < 4; ++side) {
        const Ref beside{r.level, r.x + static_cast<std::uint32_t>(kSideX[side]),
                         r.y + static_cast<std::uint32_t>(kSideY[side])};
        if (beside.x >= row.across || beside.y >= row.down)
            continue;
        // Seen from the neighbour it is the opposite side, and the two children along it.
        const std::size_t facing = (side + 2) % 4;
        for (std::uint32_t k = 0; k < 2; ++k) {
            Ref fine{r.level - 1, 2 * beside.x, 2 * beside.y};
            if (kSides[facing] == kNorth || kSides[facing] == kSouth) {
                fine.x += k;
                fine.y += kSides[facing] == kSouth ? 1 : 0;
            } else {
                fine.y += k;
                fine.x += kSides[facing] == kEast ? 1 : 0;
            }
            if (fine.x < below.across && fine.y < below.down)
                takeStrip(h, tree, fine, facing, out);
        }
    }
    return out;
}

bool touchesHole(const Heights& h, const TileTree& tree, Ref r) {
    if (!h.holes)
        return false;
    const std::uint32_t x1 = sampleAt(tree, r.level, r.x, tree.cells, h.columns);
    const std::uint32_t y1 = sampleAt(tree, r.level, r.y, tree.cells, h.rows);
    for (std::uint32_t y = sampleAt(tree, r.level, r.y, 0, h.rows); y < y1; ++y)
        for (std::uint32_t x = sampleAt(tree, r.level, r.x, 0, h.columns); x < x1; ++x)
            if (h.holeAt(x, y))
                return true;
    return false;
}

} // namespace

TileTree emptyTileTree(const Heights& heights, std::uint32_t cells) {
    TileTree tree;
    tree.columns = heights.columns;
    tree.rows = heights.rows;
    tree.cells = cells;
    tree.spacing = heights.spacing;
    tree.origin = heights.origin;
    std::uint32_t first = 0;
    std::uint32_t across = (heights.columns - 2) / cells + 1;
    std::uint32_t down = (heights.rows - 2) / cells + 1;
    for (;;) {
        tree.levels.push_back({across, down, first, 0});
        first += across * down;
        if (across == 1 && down == 1)
            break;
        across = (across + 1) / 2;
        down = (down + 1) / 2;
    }
    tree.tiles.resize(first);
    tree.blockErrors.resize((tree.levels.size() - 1) * tree.levels[0].across * tree.levels[0].down);
    tree.lows = emptyLows(heights);
    return tree;
}

namespace {

/// A run of 0, 1, 2, ... as long as a block.
Eigen::ArrayXf rampFor(const TileTree& tree) {
    return Eigen::ArrayXf::LinSpaced(static_cast<Eigen::Index>(tree.cells) + 1, 0, static_cast<float>(tree.cells));
}

/// Bounds and error of a tile above the finest, from blocks, strips and what is below it: errors never fall from a
/// level to the next coarser one.
/// REQUIRES   those below it are done.
void joinTile(const Heights& h, TileTree& tree, Ref r) {
    TileTree::Tile& tile = tree.tiles[tree.index(r)];
    tile.error = 0;
    tile.low = 1e30F;
    tile.high = -1e30F;
    for (std::uint32_t k = 0; k < 4; ++k) {
        const Ref child{r.level - 1, 2 * r.x + (k & 1U), 2 * r.y + (k >> 1U)};
        if (child.x >= tree.levels[child.level].across || child.y >= tree.levels[child.level].down)
            continue;
        const TileTree::Tile& below = tree.tiles[tree.index(child)];
        tile.low = std::min(tile.low, below.low);
        tile.high = std::max(tile.high, below.high);
        tile.error = std::max(tile.error, below.error);
    }
    const TileTree::Level& blocks = tree.levels[0];
    const float* errors = tree.blockErrors.data() + std::size_t{r.level - 1} * blocks.across * blocks.down;
    const std::uint32_t endX = std::min((r.x + 1) << r.level, blocks.across);
    const std::uint32_t endY = std::min((r.y + 1) << r.level, blocks.down);
    for (std::uint32_t y = r.y << r.level; y < endY; ++y)
        for (std::uint32_t x = r.x << r.level; x < endX; ++x)
            tile.error = std::max(tile.error, errors[y * blocks.across + x]);
    const Strips strips = stripsOf(h, tree, r);
    tile.error = std::max(tile.error, strips.error);
    tile.reachLow = std::min(tile.low, strips.low);
    tile.reachHigh = std::max(tile.high, strips.high);
}

/// Counts, worst tiles and bounds of the whole.
void finish(TileTree& tree) {
    for (TileTree::Level& row : tree.levels) {
        std::vector<float> errors;
        for (std::uint32_t i = row.first; i < row.first + row.across * row.down; ++i)
            errors.push_back(tree.tiles[i].error);
        row.worst = *std::max_element(errors.begin(), errors.end());
        std::nth_element(errors.begin(), errors.begin() + static_cast<std::ptrdiff_t>(errors.size() / 2), errors.end());
        row.typical = errors[errors.size() / 2];
    }
    tree.low = tree.tiles.back().low;
    tree.high = tree.tiles.back().high;
}

/// Triangles of every tile: an edit changes none of them, for holes stay where they are.
void countTriangles(const Heights& h, TileTree& tree) {
    for (std::uint32_t i = 0; i < tree.tiles.size(); ++i) {
        const Ref r = tree.refOf(i);
        TileTree::Tile& tile = tree.tiles[i];
        tile.triangles = 2 * tree.cellsAcross(r) * tree.cellsDown(r);
        if (!touchesHole(h, tree, r))
            continue;
        std::array<std::uint32_t, 16> counts{};
        for (std::uint8_t stitch = 0; stitch < 16; ++stitch)
            counts[stitch] = static_cast<std::uint32_t>(tileTriangles(h, tree, r, stitch).size() / 3);
        tile.triangles = TileTree::kHoles | static_cast<std::uint32_t>(tree.holes.size());
        tree.holes.push_back(counts);
    }
}

} // namespace

bool isTileSize(std::uint32_t cells) {
    return cells >= 2 && cells <= 256 && cells % 2 == 0;
}

Result<std::shared_ptr<const TileTree>> buildTileTree(const Heights& heights, std::uint32_t cells,
                                                      const JobContext& job) {
    auto tree = std::make_shared<TileTree>(emptyTileTree(heights, cells));
    const Eigen::ArrayXf ramp = rampFor(*tree);
    const std::uint32_t across = tree->levels[0].across;
    const std::size_t blocks = std::size_t{across} * tree->levels[0].down;
    const std::size_t few = std::max<std::size_t>(1, 131072 / cells / cells);
    // By rows of blocks, so that progress can be said between them.
    const std::size_t step = std::max<std::size_t>(few, blocks / 20);
    for (std::size_t from = 0; from < blocks; from += step) {
        job.report(0.9 * static_cast<double>(from) / static_cast<double>(blocks), "Measuring tiles");
        if (!parallelChunks(std::min(step, blocks - from), few, job, [&](std::size_t a, std::size_t b) {
                for (std::size_t i = from + a; i < from + b; ++i)
                    measureBlock(heights, *tree, static_cast<std::uint32_t>(i % across),
                                 static_cast<std::uint32_t>(i / across), ramp);
            }))
            return cancelledError();
    }
    for (std::uint32_t level = 1; level < tree->levels.size(); ++level) {
        const TileTree::Level& row = tree->levels[level];
        if (!parallelChunks(std::size_t{row.across} * row.down, 8, job, [&](std::size_t a, std::size_t b) {
                for (std::size_t i = a; i < b; ++i)
                    joinTile(heights, *tree,
                             {level, static_cast<std::uint32_t>(i % row.across),
                              static_cast<std::uint32_t>(i / row.across)});
            }))
            return cancelledError();
    }
    countTriangles(heights, *tree);
    finish(*tree);
    tree->lows = measureLows(heights);
    return std::shared_ptr<const TileTree>(std::move(tree));
}

std::shared_ptr<const TileTree> editTileTree(const std::shared_ptr<const TileTree>& before, const Heights& heights,
                                             const HeightRect& edited, std::uint32_t* touched) {
    auto tree = std::make_shared<TileTree>(*before);
    tree->editedFrom = before;
    tree->edited = edited;
    const Eigen::ArrayXf ramp = rampFor(*tree);
    const std::size_t blocks = std::size_t{tree->levels[0].across} * tree->levels[0].down;
    std::uint32_t count = 0;
    // Calls each tile of a level that has one of the edited heights, or lies within so many of one.
    const auto each = [&](std::uint32_t level, std::uint32_t wider, const auto& body) {
        const TileTree::Level& row = tree->levels[level];
        const std::uint32_t side = tree->cells << level;
        const auto low = [&](std::uint32_t at) { return at > wider ? (at - wider - 1) / side : 0; };
        for (std::uint32_t y = low(edited.y0); y <= std::min((edited.y1 + wider) / side, row.down - 1); ++y)
            for (std::uint32_t x = low(edited.x0); x <= std::min((edited.x1 + wider) / side, row.across - 1); ++x)
                body(Ref{level, x, y});
    };
    for (std::uint32_t level = 0; level < tree->levels.size(); ++level)
        each(0, level == 0 ? 0 : 1U << level, [&](Ref r) {
            const Block b = blockAt(*tree, r.x, r.y);
            if (level == 0) {
                measureBounds(heights, b, tree->tiles[tree->index(r)]);
                ++count;
                return;
            }
            float error = blockError(heights, b, level, ramp);
            if (heights.holes)
                error = std::max(error, holeError(heights, b, level, tree->spacing));
            tree->blockErrors[(level - 1) * blocks + tree->index(r)] = error;
        });
    for (std::uint32_t level = 1; level < tree->levels.size(); ++level)
        each(level, 1U << level, [&](Ref r) {
            joinTile(heights, *tree, r);
            ++count;
        });
    finish(*tree);
    measureLowsAgain(tree->lows, heights, edited);
    if (touched != nullptr)
        *touched = count;
    return tree;
}

} // namespace thicket
