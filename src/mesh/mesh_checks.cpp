#include "mesh/mesh_checks.h"

#include "base/parallel.h"
#include "mesh/joined.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <functional>
#include <unordered_map>

namespace thicket {
namespace {

using Corners = std::array<std::uint32_t, 3>;

Corners pointsOf(const Mesh& mesh, const Weld& weld, std::uint32_t t) {
    return {weld.pointOf[mesh.indices[3 * t]], weld.pointOf[mesh.indices[3 * t + 1]],
            weld.pointOf[mesh.indices[3 * t + 2]]};
}
bool repeats(const Corners& p) {
    return p[0] == p[1] || p[1] == p[2] || p[0] == p[2];
}
Vec3d cornerOf(const Mesh& mesh, std::uint32_t t, std::uint32_t k) {
    return mesh.positions[mesh.indices[3 * t + k]].cast<double>();
}

/// Longest side squared, and twice the area.
std::pair<double, double> shapeAt(const Mesh& mesh, std::uint32_t t) {
    const Vec3d ab = cornerOf(mesh, t, 1) - cornerOf(mesh, t, 0);
    const Vec3d ac = cornerOf(mesh, t, 2) - cornerOf(mesh, t, 0);
    return {std::max({ab.squaredNorm(), ac.squaredNorm(), (ac - ab).squaredNorm()}), ab.cross(ac).norm()};
}
bool isFlat(double longest, double area) {
    return area <= 1e-9 * longest;
}
bool withoutArea(const Mesh& mesh, std::uint32_t t) {
    const auto [longest, area] = shapeAt(mesh, t);
    return isFlat(longest, area);
}

/// Things in order of a point of each, and those of one point sorted. Few things have the same, so that takes less than
/// sorting all of them.
/// each  calls what it is given with the point and the thing of all there are, the same each time
template <class Thing, class Each, class Before>
std::vector<Thing> byPoint(std::uint32_t points, const Each& each, const Before& before) {
    constexpr std::size_t kTogether = 16384;
    std::vector<std::uint32_t> end(std::size_t{points} + 1, 0); // of a point's things; at first where they begin
    each([&](std::uint32_t point, const Thing&) { ++end[point + 1]; });
    for (std::size_t p = 1; p < end.size(); ++p)
        end[p] += end[p - 1];
    std::vector<Thing> out(end.back());
    each([&](std::uint32_t point, const Thing& thing) { out[end[point]++] = thing; });
    parallelChunks(points, kTogether, [&](std::size_t from, std::size_t to) {
        for (std::size_t p = from; p < to; ++p)
            std::sort(out.begin() + (p > 0 ? end[p - 1] : 0), out.begin() + end[p], before);
    });
    return out;
}

template <class F> void eachEdge(const std::vector<MeshSide>& sides, const F& visit) {
    for (std::size_t i = 0; i < sides.size();) {
        std::size_t j = i;
        while (j < sides.size() && sides[j].low == sides[i].low && sides[j].high == sides[i].high)
            ++j;
        visit(i, j);
        i = j;
    }
}

/// Of single floats, since there is one a point.
struct Box {
    Vec3f low{1e30F, 1e30F, 1e30F};
    Vec3f high{-1e30F, -1e30F, -1e30F};
    [[nodiscard]] double diagonal() const { return low.x() > high.x() ? 0 : (high - low).cast<double>().norm(); }
};

/// A piece that hangs together by edges of two triangles.
struct Piece {
    TriangleList triangles;
    bool closed = true;
    double against = 0; ///< area that faces against its first triangle, less that which faces with it
    double volume = 0;  ///< as its first triangle faces, six times
    Bounds box{Vec3d::Constant(1e300), Vec3d::Constant(-1e300)};
};

} // namespace

std::vector<MeshSide> sidesOf(const Mesh& mesh, const Weld& weld) {
    return byPoint<MeshSide>(
        weld.pointCount,
        [&](const auto& visit) {
            for (std::uint32_t t = 0; t < mesh.triangleCount(); ++t) {
                const Corners p = pointsOf(mesh, weld, t);
                if (repeats(p))
                    continue;
                for (std::size_t k = 0; k < 3; ++k) {
                    const std::uint32_t a = p[k];
                    const std::uint32_t b = p[(k + 1) % 3];
                    visit(std::min(a, b), MeshSide{std::min(a, b), std::max(a, b), t, a < b});
                }
            }
        },
        [](const MeshSide& a, const MeshSide& b) {
            return std::tie(a.high, a.triangle) < std::tie(b.high, b.triangle);
        });
}

TriangleList trianglesWithoutArea(const Mesh& mesh, const Weld& weld) {
    TriangleList out;
    for (std::uint32_t t = 0; t < mesh.triangleCount(); ++t)
        if (repeats(pointsOf(mesh, weld, t)) || withoutArea(mesh, t))
            out.push_back(t);
    return out;
}

TriangleList duplicateTriangles(const Mesh& mesh, const Weld& weld) {
    using Turned = std::array<std::uint32_t, 4>; // from its lowest corner on, the way round stays; and the triangle
    const auto sorted = byPoint<Turned>(
        weld.pointCount,
        [&](const auto& visit) {
            for (std::uint32_t t = 0; t < mesh.triangleCount(); ++t) {
                Corners p = pointsOf(mesh, weld, t);
                if (repeats(p))
                    continue;
                std::rotate(p.begin(), std::min_element(p.begin(), p.end()), p.end());
                visit(p[0], Turned{p[0], p[1], p[2], t});
            }
        },
        std::less<>());
    TriangleList out;
    for (std::size_t i = 1; i < sorted.size(); ++i)
        if (std::equal(sorted[i].begin(), sorted[i].begin() + 3, sorted[i - 1].begin()))
            out.push_back(sorted[i][3]);
    std::sort(out.begin(), out.end());
    return out;
}

EdgeFindings findEdges(const std::vector<MeshSide>& sides) {
    EdgeFindings out;
    eachEdge(sides, [&](std::size_t from, std::size_t to) {
        if (to - from == 1)
            out.open.push_back(sides[from]);
        if (to - from > 2)
            out.crowded.push_back(sides[from]);
    });
    return out;
}

TriangleList flippedTriangles(const Mesh& mesh, const Weld& weld, const std::vector<MeshSide>& sides) {
    const std::uint32_t triangles = mesh.triangleCount();
    struct Neighbour {
        std::uint32_t triangle;
        bool agrees;
    };
    std::vector<std::array<Neighbour, 3>> beside(triangles);
    std::vector<std::uint8_t> count(triangles, 0);
    std::vector<bool> borders(triangles, false);
    eachEdge(sides, [&](std::size_t from, std::size_t to) {
        if (to - from != 2) {
            for (std::size_t i = from; i < to; ++i)
                borders[sides[i].triangle] = true;
            return;
        }
        const MeshSide& a = sides[from];
        const MeshSide& b = sides[from + 1];
        const bool agrees = a.ahead != b.ahead;
        beside[a.triangle][count[a.triangle]++] = {b.triangle, agrees};
        beside[b.triangle][count[b.triangle]++] = {a.triangle, agrees};
    });

    std::vector<Piece> pieces;
    std::vector<std::int8_t> facing(triangles, 0); // against the first of its piece: -1
    for (std::uint32_t first = 0; first < triangles; ++first) {
        if (facing[first] != 0 || repeats(pointsOf(mesh, weld, first)))
            continue;
        Piece piece;
        piece.triangles.push_back(first);
        facing[first] = 1;
        const Vec3d origin = cornerOf(mesh, first, 0);
        for (std::size_t i = 0; i < piece.triangles.size(); ++i) {
            const std::uint32_t t = piece.triangles[i];
            const double sign = facing[t];
            piece.closed = piece.closed && !borders[t];
            piece.against -= sign * shapeAt(mesh, t).second;
            piece.volume += sign * (cornerOf(mesh, t, 0) - origin)
                                       .dot((cornerOf(mesh, t, 1) - origin).cross(cornerOf(mesh, t, 2) - origin));
            for (std::uint32_t k = 0; k < 3; ++k) {
                piece.box.low = piece.box.low.cwiseMin(cornerOf(mesh, t, k));
                piece.box.high = piece.box.high.cwiseMax(cornerOf(mesh, t, k));
            }
            for (std::uint8_t k = 0; k < count[t]; ++k) {
                const Neighbour& n = beside[t][k];
                if (facing[n.triangle] != 0)
                    continue;
                facing[n.triangle] = static_cast<std::int8_t>(n.agrees ? facing[t] : -facing[t]);
                piece.triangles.push_back(n.triangle);
            }
        }
        pieces.push_back(std::move(piece));
    }

    // Of what may hold others only the largest are asked.
    constexpr std::size_t kMostShells = 64;
    std::vector<const Piece*> shells;
    for (const Piece& piece : pieces)
        if (piece.closed)
            shells.push_back(&piece);
    std::stable_sort(shells.begin(), shells.end(),
                     [](const Piece* a, const Piece* b) { return a->box.diagonal() > b->box.diagonal(); });
    shells.resize(std::min(shells.size(), kMostShells));
    const auto within = [&shells](const Bounds& box) {
        return std::any_of(shells.begin(), shells.end(), [&box](const Piece* shell) {
            return (shell->box.low.array() < box.low.array()).all() &&
                   (shell->box.high.array() > box.high.array()).all();
        });
    };
    TriangleList out;
    for (const Piece& piece : pieces) {
        // What most of it says is right, but for a closed piece that is inside out.
        std::int8_t right = piece.against > 0 ? std::int8_t{-1} : std::int8_t{1};
        const double size = piece.box.diagonal();
        if (piece.closed && std::abs(piece.volume) > 1e-9 * size * size * size && !within(piece.box))
            right = piece.volume < 0 ? std::int8_t{-1} : std::int8_t{1};
        for (const std::uint32_t t : piece.triangles)
            if (facing[t] != right)
                out.push_back(t);
    }
    std::sort(out.begin(), out.end());
    return out;
}

TriangleList speckTriangles(const Mesh& mesh, const Weld& weld, double share) {
    Joined joined(weld.pointCount);
    for (std::uint32_t t = 0; t < mesh.triangleCount(); ++t) {
        const Corners p = pointsOf(mesh, weld, t);
        joined.join(p[0], p[1]);
        joined.join(p[0], p[2]);
    }
    std::vector<Box> boxes(weld.pointCount); // of the first points of pieces
    for (std::uint32_t t = 0; t < mesh.triangleCount(); ++t) {
        Box& box = boxes[joined.of(pointsOf(mesh, weld, t)[0])];
        for (std::uint32_t k = 0; k < 3; ++k) {
            box.low = box.low.cwiseMin(mesh.positions[mesh.indices[3 * t + k]]);
            box.high = box.high.cwiseMax(mesh.positions[mesh.indices[3 * t + k]]);
        }
    }
    double largest = 0;
    for (const Box& box : boxes)
        largest = std::max(largest, box.diagonal());
    const double least = std::min(share * boundsOf(mesh).diagonal(), largest);
    TriangleList out;
    for (std::uint32_t t = 0; t < mesh.triangleCount(); ++t)
        if (boxes[joined.of(pointsOf(mesh, weld, t)[0])].diagonal() < least)
            out.push_back(t);
    return out;
}

TriangleList needleTriangles(const Mesh& mesh, const Weld& weld, double share) {
    TriangleList out;
    for (std::uint32_t t = 0; t < mesh.triangleCount(); ++t) {
        const auto [longest, area] = shapeAt(mesh, t);
        if (area < share * longest && !isFlat(longest, area) && !repeats(pointsOf(mesh, weld, t)))
            out.push_back(t);
    }
    return out;
}

std::vector<std::pair<std::uint32_t, std::uint32_t>> unweldedPoints(const Mesh& mesh, const Weld& weld,
                                                                    const std::vector<MeshSide>& sides, double metres) {
    std::vector<std::vector<std::uint32_t>> along(weld.pointCount); // of points of open borders: those beside it
    eachEdge(sides, [&](std::size_t from, std::size_t to) {
        if (to - from != 1)
            return;
        along[sides[from].low].push_back(sides[from].high);
        along[sides[from].high].push_back(sides[from].low);
    });
    std::vector<Vec3d> place(weld.pointCount);
    for (std::size_t v = 0; v < weld.pointOf.size(); ++v)
        place[weld.pointOf[v]] = mesh.positions[v].cast<double>();
    struct Hash {
        std::size_t operator()(const std::array<std::int64_t, 3>& c) const {
            std::uint64_t h = 0;
            for (const std::int64_t v : c)
                h = (h ^ static_cast<std::uint64_t>(v)) * 0x9E3779B97F4A7C15ULL;
            return static_cast<std::size_t>(h ^ (h >> 29));
        }
    };
    std::unordered_map<std::array<std::int64_t, 3>, std::vector<std::uint32_t>, Hash> grid;
    const auto cellOf = [metres](const Vec3d& p) {
        return std::array<std::int64_t, 3>{static_cast<std::int64_t>(std::floor(p.x() / metres)),
                                           static_cast<std::int64_t>(std::floor(p.y() / metres)),
                                           static_cast<std::int64_t>(std::floor(p.z() / metres))};
    };
    std::vector<std::pair<std::uint32_t, std::uint32_t>> out;
    if (!(metres > 0))
        return out;
    for (std::uint32_t p = 0; p < weld.pointCount; ++p) {
        if (along[p].empty())
            continue;
        const auto at = cellOf(place[p]);
        std::uint32_t to = p;
        for (std::int64_t k = 0; k < 27; ++k) {
            const auto found = grid.find({at[0] + k % 3 - 1, at[1] + k / 3 % 3 - 1, at[2] + k / 9 - 1});
            if (found == grid.end())
                continue;
            for (const std::uint32_t q : found->second)
                if (q < to && (place[q] - place[p]).norm() <= metres &&
                    std::find(along[p].begin(), along[p].end(), q) == along[p].end())
                    to = q;
        }
        if (to != p)
            out.emplace_back(p, to); // what has gone is nobody's goal
        else
            grid[at].push_back(p);
    }
    return out;
}

} // namespace thicket
