#include "measure/bracket.h"

#include "base/parallel.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace thicket::measure {
namespace {

constexpr std::size_t kBracketChunk = 512;
constexpr int kRounds = 8;
constexpr std::ptrdiff_t kPiecesARound = 24'000;

/// A piece of one of A's triangles: its corners, each with a triangle of B and how far that is from it. Of pieces that
/// are split on these are the nearest; of others any that say enough.
struct Piece {
    std::array<Vec3d, 3> corner;
    std::array<double, 3> distance;
    std::array<std::uint32_t, 3> closest;
    double bound = 0;

    /// Whether the triangle of a corner is that of one before it.
    [[nodiscard]] bool again(std::size_t k) const {
        return (k > 0 && closest[k] == closest[0]) || (k == 2 && closest[2] == closest[1]);
    }
    [[nodiscard]] double most() const { return std::max({distance[0], distance[1], distance[2]}); }
    /// The distance is 1-Lipschitz: no point is farther than a corner's distance plus its way to that corner.
    [[nodiscard]] double byReach() const {
        std::array<double, 3> side{}; // the one from each corner to the next
        for (std::size_t k = 0; k < 3; ++k)
            side[k] = (corner[k] - corner[(k + 1) % 3]).norm();
        double best = HUGE_VAL;
        for (std::size_t k = 0; k < 3; ++k)
            best = std::min(best, distance[k] + std::max(side[k], side[(k + 2) % 3]));
        return best;
    }
};

/// What no point of a piece is farther than; where that is `enough` or less, any such number. Distance to a triangle is
/// convex, so it is largest at a corner.
double boundOf(const Piece& piece, const SurfaceQuery& target, double enough) {
    double best = piece.byReach();
    // Where two corners share a triangle it takes one distance to know how far all three are from that.
    const std::size_t first = piece.closest[1] == piece.closest[2] ? 1 : 0;
    for (std::size_t i = 0; i < 3 && best > enough; ++i) {
        const std::size_t k = (first + i) % 3;
        if (i > 0 && (piece.closest[k] == piece.closest[first] ||
                      (i == 2 && piece.closest[k] == piece.closest[(first + 1) % 3])))
            continue;
        double largest = piece.distance[k];
        for (std::size_t c = 0; c < 3 && largest < best; ++c)
            if (c != k)
                largest = std::max(largest, piece.closest[c] == piece.closest[k]
                                                ? piece.distance[c]
                                                : target.distanceToTriangle(piece.corner[c], piece.closest[k]));
        best = std::min(best, largest);
    }
    return best;
}

struct Found {
    double distance = 0;
    Vec3d place{0, 0, 0};
    void offer(double d, const Vec3d& p) {
        if (d > distance) {
            distance = d;
            place = p;
        }
    }
};

/// What is left of a piece that was looked at more closely.
struct Split {
    std::array<Piece, 4> children; ///< cut at the middles of its edges; their bounds are 0 where nothing is left open
    Found farthest;                ///< of the places that were looked up
};

/// One piece and a few triangles of B about it, with the distance of each of these from all that is asked of the piece.
class Splitter {
public:
    Splitter(const SurfaceQuery& target, const Piece& piece) : m_target(target), m_piece(piece) {
        for (std::size_t k = 0; k < 3; ++k) {
            m_place[k] = piece.corner[k];
            m_place[3 + k] = (piece.corner[k] + piece.corner[(k + 1) % 3]) / 2;
        }
        for (std::size_t i = 0; i < m_place.size(); ++i)
            m_lanes.set(i, m_place[i]);
        for (std::size_t k = 0; k < 3; ++k)
            m_rowOf[k] = rowOf(piece.closest[k]);
    }

    /// `found`: what was found so far. `limit`: a bound that is enough. `whole`: the piece is one of A's triangles.
    void run(double found, double limit, bool whole, Split& out) {
        if (boundAcross(limit) <= limit)
            return;
        if (whole && liesOn(limit)) {
            // A corner has the one that comes first of all that meet where it lies: that of the middle is the one below
            // the whole of it, where there is such a one.
            const Vec3d middle = (m_place[0] + m_place[1] + m_place[2]) / 3;
            const ClosestPoint below = m_target.closest(middle, m_piece.closest[0]);
            out.farthest.offer(below.distance, middle);
            if (largest(m_row[rowOf(below.triangle)], 0, 1, 2) <= limit)
                return;
        }
        for (std::size_t k = 0; k < 3; ++k) {
            std::size_t nearest = 0;
            for (std::size_t r = 1; r < m_rows; ++r)
                nearest = m_row[r][3 + k] < m_row[nearest][3 + k] ? r : nearest;
            m_distance[k] = m_row[nearest][3 + k];
            m_closest[k] = m_triangle[nearest];
            if (m_distance[k] > found)
                look(k, out.farthest);
        }
        // The nearest triangle is looked up of those middles only that may be farther than `found`, or without which a
        // child would stay open: of others one that is the nearest at an end of their edge says enough.
        for (std::size_t k = 0; k < 4; ++k) {
            out.children[k] = childOf(k);
            if ((out.children[k].bound = boundOfChild(out.children[k], k)) <= limit)
                continue;
            bool anew = false;
            for (std::size_t m = 0; m < 3; ++m)
                if (!m_known[m] && (k == 3 || m == k || m == (k + 2) % 3)) {
                    look(m, out.farthest);
                    anew = true;
                }
            if (!anew)
                continue;
            out.children[k] = childOf(k);
            out.children[k].bound = boundOfChild(out.children[k], k);
        }
    }

private:
    using Row = PointLanes::Row;

    static double largest(const Row& row, std::size_t a, std::size_t b, std::size_t c) {
        return std::max({row[a], row[b], row[c]});
    }
    /// Where the distances from a triangle are; asked for the first time it is measured.
    std::size_t rowOf(std::uint32_t triangle) {
        for (std::size_t r = 0; r < m_rows; ++r)
            if (m_triangle[r] == triangle)
                return r;
        m_triangle[m_rows] = triangle;
        m_target.distancesToTriangle(m_lanes, triangle, m_row[m_rows]);
        return m_rows++;
    }

    /// Whether the piece touches B with two corners: where a level kept its source's points, those of it do.
    [[nodiscard]] bool liesOn(double limit) const {
        return std::count_if(m_piece.distance.begin(), m_piece.distance.end(),
                             [limit](double d) { return d < 1e-3 * limit; }) >= 2;
    }

    void look(std::size_t k, Found& farthest) {
        const ClosestPoint hit = m_target.closest(m_place[3 + k], m_closest[k]);
        m_distance[k] = hit.distance;
        m_closest[k] = hit.triangle;
        m_known[k] = true;
        farthest.offer(hit.distance, m_place[3 + k]);
        rowOf(hit.triangle);
    }

    /// The one at a corner, or that in the middle.
    [[nodiscard]] Piece childOf(std::size_t k) const {
        if (k == 3)
            return {{m_place[3], m_place[4], m_place[5]}, m_distance, m_closest, 0};
        const std::size_t before = (k + 2) % 3;
        return {{m_place[k], m_place[3 + k], m_place[3 + before]},
                {m_piece.distance[k], m_distance[k], m_distance[before]},
                {m_piece.closest[k], m_closest[k], m_closest[before]},
                0};
    }
    /// By all triangles that are known here.
    [[nodiscard]] double boundOfChild(const Piece& child, std::size_t k) const {
        double best = std::min(m_piece.bound, child.byReach());
        for (std::size_t r = 0; r < m_rows; ++r)
            best = std::min(best, k == 3 ? largest(m_row[r], 3, 4, 5) : largest(m_row[r], k, 3 + k, 3 + (k + 2) % 3));
        return best;
    }

    /// A place on the side from corner k on, which is near the triangles of both of its ends, and how far it is from the
    /// farther one.
    std::pair<Vec3d, double> crossingOf(std::size_t k, double enough) const {
        const std::size_t next = (k + 1) % 3;
        const double middle = std::max(m_row[m_rowOf[k]][3 + k], m_row[m_rowOf[next]][3 + k]);
        if (middle <= enough)
            return {m_place[3 + k], middle};
        PointLanes places;
        const Vec3d step = (m_place[next] - m_place[k]) / (PointLanes::kLanes + 1);
        for (std::size_t i = 0; i < PointLanes::kLanes; ++i)
            places.set(i, m_place[k] + static_cast<double>(i + 1) * step);
        Row first;
        Row second;
        m_target.distancesToTriangle(places, m_piece.closest[k], first);
        m_target.distancesToTriangle(places, m_piece.closest[next], second);
        std::size_t best = 0;
        for (std::size_t i = 1; i < PointLanes::kLanes; ++i)
            best = std::max(first[i], second[i]) < std::max(first[best], second[best]) ? i : best;
        return {m_place[k] + static_cast<double>(best + 1) * step, std::max(first[best], second[best])};
    }

    /// What no point is farther than of a piece that lies across an edge of B, or a corner. Cut up between the triangles
    /// of its corners, each part is no farther than the farthest of its own corners is from its triangle. That holds
    /// wherever the cuts are, but says something only where they are good. More than `enough`: any such number.
    [[nodiscard]] double boundAcross(double enough) const {
        double most = m_piece.most();
        Vec3d middle(0, 0, 0);
        int crossed = 0;
        for (std::size_t k = 0; k < 3 && most <= enough; ++k) {
            if (m_rowOf[k] == m_rowOf[(k + 1) % 3])
                continue;
            const auto [place, off] = crossingOf(k, enough);
            most = std::max(most, off);
            middle += place;
            ++crossed;
        }
        if (crossed == 3) // three parts, which meet within
            for (const std::uint32_t triangle : m_piece.closest)
                most = std::max(most, m_target.distanceToTriangle(middle / 3, triangle));
        return most;
    }

    const SurfaceQuery& m_target;
    const Piece& m_piece;
    std::array<Vec3d, 6> m_place; ///< corners, then the middles of the sides that follow on them
    PointLanes m_lanes;           ///< the same
    std::array<double, 3> m_distance{};
    std::array<std::uint32_t, 3> m_closest{};
    std::array<bool, 3> m_known{}; ///< of the middles: looked up
    std::array<std::uint32_t, 7> m_triangle{};
    std::array<Row, 7> m_row; ///< of each of these triangles, from all places
    std::size_t m_rows = 0;
    std::array<std::size_t, 3> m_rowOf{}; ///< those of the corners' triangles
};

OfVertices measureVertices(const Mesh& from, const SurfaceQuery& target, const JobContext& job) {
    OfVertices out;
    out.distance.resize(from.positions.size());
    out.closest.resize(from.positions.size());
    parallelChunks(from.positions.size(), kBracketChunk, [&](std::size_t begin, std::size_t end) {
        if (job.cancelled())
            return;
        std::uint32_t hint = 0;
        for (std::size_t i = begin; i < end; ++i) {
            const ClosestPoint hit = target.closest(from.positions[i].cast<double>(), hint);
            hint = hit.triangle;
            out.distance[i] = hit.distance;
            out.closest[i] = hit.triangle;
        }
    });
    return out;
}

/// A's triangles that may hold a point farther than `enough`.
std::vector<Piece> openTriangles(const Mesh& from, const SurfaceQuery& target, const OfVertices& measured,
                                 double enough, const JobContext& job) {
    std::vector<std::vector<Piece>> openOf(from.triangleCount() / kBracketChunk + 1);
    parallelChunks(from.triangleCount(), kBracketChunk, job, [&](std::size_t begin, std::size_t end) {
        for (std::size_t t = begin; t < end; ++t) {
            Piece piece;
            for (std::size_t k = 0; k < 3; ++k) {
                const std::uint32_t v = from.indices[3 * t + k];
                piece.distance[k] = measured.distance[v];
                piece.closest[k] = measured.closest[v];
            }
            // Near one triangle with all corners: most are, and none of them can be farther off than a corner is.
            if (piece.again(1) && piece.again(2) && piece.most() <= enough)
                continue;
            for (std::size_t k = 0; k < 3; ++k)
                piece.corner[k] = from.positions[from.indices[3 * t + k]].cast<double>();
            piece.bound = boundOf(piece, target, enough);
            if (piece.bound > enough)
                openOf[begin / kBracketChunk].push_back(piece);
        }
    });
    std::size_t opened = 0;
    for (const std::vector<Piece>& some : openOf)
        opened += some.size();
    std::vector<Piece> open;
    open.reserve(opened);
    for (std::vector<Piece>& some : openOf) {
        open.insert(open.end(), some.begin(), some.end());
        some = {};
    }
    return open;
}

} // namespace

std::optional<Bracket> bracketDistance(const Mesh& from, const SurfaceQuery& target, const BracketOptions& options,
                                       const JobContext& job, OfVertices& measured) {
    measured = measureVertices(from, target, job);
    if (job.cancelled())
        return std::nullopt;
    Found largest;
    for (std::size_t i = 0; i < from.positions.size(); ++i)
        largest.offer(measured.distance[i], from.positions[i].cast<double>());
    const auto allowed = [&] { return std::max(largest.distance * (1 + options.tolerance), options.floorMetres); };
    std::vector<Piece> open = openTriangles(from, target, measured, allowed(), job);
    if (job.cancelled())
        return std::nullopt;

    // Each round looks at the most promising open pieces and splits them in four. A piece that straddles edges of B may
    // keep a bound of about its own size, so coplanar surfaces could be split for ever: work is bounded, and what is left
    // open loosens the bound.
    double leftover = 0;
    const auto higher = [](const Piece& x, const Piece& y) { return x.bound > y.bound; };
    for (int round = 0; round < kRounds && !open.empty(); ++round) {
        if (open.size() > static_cast<std::size_t>(kPiecesARound)) {
            std::nth_element(open.begin(), open.begin() + kPiecesARound, open.end(), higher);
            leftover = std::max(leftover, open[static_cast<std::size_t>(kPiecesARound)].bound);
            open.resize(static_cast<std::size_t>(kPiecesARound));
        }
        std::vector<Split> splits(open.size());
        const double found = largest.distance;
        const double limit = allowed();
        parallelChunks(open.size(), kBracketChunk, [&](std::size_t begin, std::size_t end) {
            if (job.cancelled())
                return;
            for (std::size_t i = begin; i < end; ++i)
                Splitter(target, open[i]).run(found, limit, round == 0, splits[i]);
        });
        if (job.cancelled())
            return std::nullopt;
        for (const Split& split : splits)
            largest.offer(split.farthest.distance, split.farthest.place);
        open.clear();
        // Less than what was left out can be is of no account for the bound.
        const double still = std::max(allowed(), leftover);
        for (const Split& split : splits)
            std::copy_if(split.children.begin(), split.children.end(), std::back_inserter(open),
                         [still](const Piece& child) { return child.bound > still; });
    }
    for (const Piece& piece : open)
        leftover = std::max(leftover, piece.bound);
    return Bracket{largest.distance, std::max(allowed(), leftover), largest.place};
}

} // namespace thicket::measure
