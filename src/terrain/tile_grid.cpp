#include "terrain/tile_grid.h"

#include <algorithm>
#include <cmath>

namespace thicket {

std::pair<std::uint32_t, std::uint32_t> stitchedPoint(std::uint32_t cells, std::uint8_t stitch, std::uint32_t i,
                                                      std::uint32_t j) {
    // Which way each side's points go is chosen so that corners where two stitched sides meet keep their area.
    if (j == 0 && (i & 1U) != 0 && (stitch & kNorth) != 0)
        return {i - 1, j};
    if (j == cells && (i & 1U) != 0 && (stitch & kSouth) != 0)
        return {i + 1, j};
    if (i == 0 && (j & 1U) != 0 && (stitch & kWest) != 0)
        return {i, j + 1};
    if (i == cells && (j & 1U) != 0 && (stitch & kEast) != 0)
        return {i, j - 1};
    return {i, j};
}

namespace {

/// Calls each(a, b, c) for the triangles of one cell, with points as pairs; those without area are left out.
template <class Each>
void cellTriangles(std::uint32_t cells, std::uint8_t stitch, std::uint32_t i, std::uint32_t j, const Each& each) {
    const auto at = [&](std::uint32_t di, std::uint32_t dj) { return stitchedPoint(cells, stitch, i + di, j + dj); };
    const auto nw = at(0, 0);
    const auto ne = at(1, 0);
    const auto sw = at(0, 1);
    const auto se = at(1, 1);
    if (nw != sw && sw != ne && nw != ne)
        each(nw, sw, ne);
    if (ne != sw && sw != se && ne != se)
        each(ne, sw, se);
}

} // namespace

std::vector<std::uint32_t> stitchedTriangles(std::uint32_t cells, std::uint8_t stitch) {
    std::vector<std::uint32_t> out;
    out.reserve(std::size_t{6} * cells * cells);
    for (std::uint32_t j = 0; j < cells; ++j)
        for (std::uint32_t i = 0; i < cells; ++i)
            cellTriangles(cells, stitch, i, j, [&](auto a, auto b, auto c) {
                for (const auto& p : {a, b, c})
                    out.push_back(p.second * (cells + 1) + p.first);
            });
    return out;
}

std::uint32_t sampleAt(const TileTree& tree, std::uint32_t level, std::uint32_t at, std::uint32_t i,
                       std::uint32_t count) {
    const std::uint64_t sample = (std::uint64_t{at} * tree.cells + i) << level;
    return static_cast<std::uint32_t>(std::min<std::uint64_t>(sample, count - 1));
}

TilePoints tilePoints(const Heights& heights, const TileTree& tree, TileTree::Ref tile) {
    const std::uint32_t n = tree.cells;
    const std::size_t count = std::size_t{n + 1} * (n + 1);
    TilePoints out;
    out.heights.resize(count);
    out.coarser.resize(count);
    out.normals.resize(count);
    std::vector<std::uint32_t> columns(n + 1);
    std::vector<std::uint32_t> rows(n + 1);
    for (std::uint32_t i = 0; i <= n; ++i) {
        columns[i] = sampleAt(tree, tile.level, tile.x, i, heights.columns);
        rows[i] = sampleAt(tree, tile.level, tile.y, i, heights.rows);
    }
    const auto inverse = static_cast<float>(0.5 / heights.spacing);
    for (std::uint32_t j = 0; j <= n; ++j)
        for (std::uint32_t i = 0; i <= n; ++i) {
            const std::uint32_t x = columns[i];
            const std::uint32_t y = rows[j];
            const std::uint32_t west = x > 0 ? x - 1 : x;
            const std::uint32_t east = std::min(x + 1, heights.columns - 1);
            const std::uint32_t north = y > 0 ? y - 1 : y;
            const std::uint32_t south = std::min(y + 1, heights.rows - 1);
            const std::size_t at = std::size_t{j} * (n + 1) + i;
            out.heights[at] = heights.at(x, y);
            const float sx = (heights.at(west, y) - heights.at(east, y)) * inverse * (east - west == 2 ? 1.0F : 2.0F);
            const float sz =
                (heights.at(x, north) - heights.at(x, south)) * inverse * (south - north == 2 ? 1.0F : 2.0F);
            out.normals[at] = Vec3f(sx, 1, sz).normalized();
        }
    // Odd points lie on the middle of an edge of the coarser level: of a side, or of a diagonal.
    const auto between = [](std::uint32_t low, std::uint32_t at, std::uint32_t high) {
        return high == low ? 0.0F : static_cast<float>(at - low) / static_cast<float>(high - low);
    };
    for (std::uint32_t j = 0; j <= n; ++j)
        for (std::uint32_t i = 0; i <= n; ++i) {
            const std::size_t at = std::size_t{j} * (n + 1) + i;
            const bool oddX = (i & 1U) != 0;
            const bool oddY = (j & 1U) != 0;
            const auto h = [&](std::uint32_t ii, std::uint32_t jj) {
                return out.heights[std::size_t{jj} * (n + 1) + ii];
            };
            float to = out.heights[at];
            if (oddX && oddY) {
                const float u = between(columns[i - 1], columns[i], columns[i + 1]);
                const float v = between(rows[j - 1], rows[j], rows[j + 1]);
                const float east = h(i + 1, j - 1);
                const float south = h(i - 1, j + 1);
                to = u + v <= 1 ? h(i - 1, j - 1) * (1 - u - v) + east * u + south * v
                                : h(i + 1, j + 1) * (u + v - 1) + south * (1 - u) + east * (1 - v);
            } else if (oddX) {
                const float u = between(columns[i - 1], columns[i], columns[i + 1]);
                to = h(i - 1, j) * (1 - u) + h(i + 1, j) * u;
            } else if (oddY) {
                const float v = between(rows[j - 1], rows[j], rows[j + 1]);
                to = h(i, j - 1) * (1 - v) + h(i, j + 1) * v;
            }
            out.coarser[at] = to;
        }
    return out;
}

bool hasGround(const Heights& heights, const TileTree& tree, TileTree::Ref tile, std::uint32_t i, std::uint32_t j) {
    const std::uint32_t west = sampleAt(tree, tile.level, tile.x, i, heights.columns);
    const std::uint32_t east = sampleAt(tree, tile.level, tile.x, i + 1, heights.columns);
    const std::uint32_t north = sampleAt(tree, tile.level, tile.y, j, heights.rows);
    const std::uint32_t south = sampleAt(tree, tile.level, tile.y, j + 1, heights.rows);
    if (!heights.holes)
        return east > west && south > north;
    for (std::uint32_t y = north; y < south; ++y)
        for (std::uint32_t x = west; x < east; ++x)
            if (!heights.holeAt(x, y))
                return true;
    return false;
}

std::vector<std::uint32_t> tileTriangles(const Heights& heights, const TileTree& tree, TileTree::Ref tile,
                                         std::uint8_t stitch) {
    const std::uint32_t n = tree.cells;
    const std::uint32_t across = tree.cellsAcross(tile);
    const std::uint32_t down = tree.cellsDown(tile);
    std::vector<std::uint32_t> out;
    out.reserve(std::size_t{6} * across * down);
    // After an odd last cell comes one without width, whose points a stitched side may pull apart.
    for (std::uint32_t j = 0; j < down + (down & 1U); ++j)
        for (std::uint32_t i = 0; i < across + (across & 1U); ++i) {
            if (heights.holes && !hasGround(heights, tree, tile, std::min(i, across - 1), std::min(j, down - 1)))
                continue;
            cellTriangles(n, stitch, i, j, [&](auto a, auto b, auto c) {
                // Points beyond the last row or column lie on it, where those of another cell may lie already.
                const auto place = [&](auto p) {
                    return std::pair(std::min(p.first, across), std::min(p.second, down));
                };
                const auto pa = place(a);
                const auto pb = place(b);
                const auto pc = place(c);
                if (pa == pb || pb == pc || pa == pc)
                    return;
                for (const auto& p : {pa, pb, pc})
                    out.push_back(p.second * (n + 1) + p.first);
            });
        }
    return out;
}

Mesh tileGridMesh(const Heights& heights, const TileTree& tree, TileTree::Ref tile, std::uint8_t stitch) {
    const std::uint32_t n = tree.cells;
    const TilePoints points = tilePoints(heights, tree, tile);
    Mesh mesh;
    mesh.indices = tileTriangles(heights, tree, tile, stitch);
    for (std::uint32_t j = 0; j <= n; ++j)
        for (std::uint32_t i = 0; i <= n; ++i) {
            const std::size_t at = std::size_t{j} * (n + 1) + i;
            const std::uint32_t x = sampleAt(tree, tile.level, tile.x, i, heights.columns);
            const std::uint32_t y = sampleAt(tree, tile.level, tile.y, j, heights.rows);
            mesh.positions.emplace_back(static_cast<float>(tree.origin.x() + x * tree.spacing),
                                        static_cast<float>(tree.origin.y() + static_cast<double>(points.heights[at])),
                                        static_cast<float>(tree.origin.z() + y * tree.spacing));
        }
    mesh.normals = points.normals;
    mesh.parts = {{0, mesh.triangleCount(), 0}};
    return mesh;
}

Mesh tileMesh(const Heights& heights, const TileTree& tree, TileTree::Ref tile, std::uint8_t stitch, double skirt) {
    Mesh mesh = tileGridMesh(heights, tree, tile, stitch);
    if (skirt > 0) {
        const auto lower = [&](std::uint32_t of) {
            mesh.positions.push_back(mesh.positions[of] - Vec3f(0, static_cast<float>(skirt), 0));
            mesh.normals.push_back(mesh.normals[of]);
            return static_cast<std::uint32_t>(mesh.positions.size() - 1);
        };
        // Edges that belong to one triangle only are the outline; each gets a wall that faces outwards.
        std::vector<std::pair<std::uint64_t, std::uint64_t>> edges;
        for (std::size_t t = 0; t < mesh.indices.size(); t += 3)
            for (std::size_t k = 0; k < 3; ++k) {
                const std::uint64_t a = mesh.indices[t + k];
                const std::uint64_t b = mesh.indices[t + (k + 1) % 3];
                edges.emplace_back(std::min(a, b) << 32 | std::max(a, b), a << 32 | b);
            }
        std::sort(edges.begin(), edges.end());
        std::vector<std::uint32_t> below(mesh.positions.size(), 0);
        for (std::size_t e = 0; e < edges.size(); ++e) {
            if ((e > 0 && edges[e - 1].first == edges[e].first) ||
                (e + 1 < edges.size() && edges[e + 1].first == edges[e].first))
                continue;
            const auto a = static_cast<std::uint32_t>(edges[e].second >> 32);
            const auto b = static_cast<std::uint32_t>(edges[e].second);
            for (const std::uint32_t of : {a, b})
                if (below[of] == 0)
                    below[of] = lower(of);
            for (const std::uint32_t v : {a, below[a], b, b, below[a], below[b]})
                mesh.indices.push_back(v);
        }
    }
    mesh.parts = {{0, mesh.triangleCount(), 0}};
    dropUnusedVertices(mesh);
    return mesh;
}

} // namespace thicket
