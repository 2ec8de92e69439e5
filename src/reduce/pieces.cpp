#include "reduce/pieces.h"

#include "base/parallel.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <fmt/format.h>
#include <limits>
#include <numbers>
#include <numeric>
#include <queue>

namespace thicket {
namespace {

constexpr double kNever = std::numeric_limits<double>::infinity();
constexpr std::uint32_t kMostSamples = 48; // a piece
constexpr std::uint32_t kAllSamples = 400'000;
constexpr std::uint32_t kCoarseTriangles = 400'000;
constexpr double kAggregatePieces = 40;   // so many alike, counted by area, make an aggregate
constexpr double kThinnestStrand = 0.001; // of its extent; what is thinner is a sheet folded on itself
constexpr double kAggregateShare = 0.6;   // of the area stands so near to other pieces that it may go

/// Piece numbers of the record's triangles, in order of first use; returns how many there are.
std::uint32_t findPieces(const Record& record, std::vector<std::uint32_t>& pieceOf) {
    const auto inputs =
        static_cast<std::size_t>(std::upper_bound(record.birth.begin(), record.birth.end(), 0U) - record.birth.begin());
    Mesh places;
    places.positions.assign(record.positions.begin(), record.positions.begin() + static_cast<std::ptrdiff_t>(inputs));
    const Weld points = weldPositions(places);
    std::vector<std::uint32_t> root(points.pointCount);
    std::iota(root.begin(), root.end(), 0U);
    const auto find = [&root](std::uint32_t i) {
        while (root[i] != i) {
            root[i] = root[root[i]];
            i = root[i];
        }
        return i;
    };
    for (std::size_t c = 0; c < record.indices.size(); c += 3)
        for (const std::size_t k : {1U, 2U}) {
            const std::uint32_t a = find(points.pointOf[record.indices[c]]);
            const std::uint32_t b = find(points.pointOf[record.indices[c + k]]);
            root[std::max(a, b)] = std::min(a, b);
        }
    std::vector<std::uint32_t> number(points.pointCount, kNone);
    std::uint32_t pieces = 0;
    pieceOf.resize(record.death.size());
    for (std::size_t t = 0; t < pieceOf.size(); ++t) {
        std::uint32_t& n = number[find(points.pointOf[record.indices[3 * t]])];
        if (n == kNone)
            n = pieces++;
        pieceOf[t] = n;
    }
    return pieces;
}

struct PieceShape {
    double area = 0;
    Bounds bounds;
    bool empty = true;

    void add(const Vec3d& p) {
        bounds.low = empty ? p : Vec3d(bounds.low.cwiseMin(p));
        bounds.high = empty ? p : Vec3d(bounds.high.cwiseMax(p));
        empty = false;
    }
    /// At least a ball's diameter, a strand's thickness, a sheet's width; twice that of a round one, since a level's
    /// pieces have corners.
    [[nodiscard]] double width() const {
        const double across = bounds.diagonal();
        return across > 0 ? std::min(across, 2 * area / (std::numbers::pi * across)) : 0;
    }
};

struct Dropped {
    std::uint32_t piece;
    double error; ///< metres; never falls along the order
};

/// Decides which pieces go, in which order, at which cost: always the cheapest next, costs brought up to date when a
/// piece comes to its turn (they only rise).
class DropOrder {
public:
    DropOrder(const Mesh& level, const std::vector<std::uint32_t>& pieceOf, std::uint32_t pieces)
        : m_level(level), m_pieceOf(pieceOf), m_query(level), m_shape(pieces), m_gone(pieces, 0),
          m_leaning(pieces, kNone) {
        for (std::uint32_t t = 0; t < level.triangleCount(); ++t) {
            PieceShape& shape = m_shape[pieceOf[t]];
            shape.area += areaOf(t);
            for (std::uint32_t k = 0; k < 3; ++k)
                shape.add(level.positions[level.indices[3 * t + k]].cast<double>());
        }
        placeSamples();
    }

    Result<std::vector<Dropped>> run(const PieceOptions& options, bool& aggregate, const JobContext& job);
    [[nodiscard]] double areaOfPiece(std::uint32_t piece) const { return m_shape[piece].area; }

private:
    [[nodiscard]] double areaOf(std::uint32_t t) const {
        const Vec3d a = m_level.positions[m_level.indices[3 * t]].cast<double>();
        const Vec3d b = m_level.positions[m_level.indices[3 * t + 1]].cast<double>();
        const Vec3d c = m_level.positions[m_level.indices[3 * t + 2]].cast<double>();
        return (b - a).cross(c - a).norm() / 2;
    }
    void placeSamples();
    void lean(std::uint32_t sample, std::uint32_t without);
    double costOf(std::uint32_t piece);
    void drop(std::uint32_t piece);

    const Mesh& m_level;
    const std::vector<std::uint32_t>& m_pieceOf;
    SurfaceQuery m_query;
    std::vector<PieceShape> m_shape;
    std::vector<std::uint8_t> m_gone;
    double m_limit = 0;

    std::vector<std::uint32_t> m_firstSample; ///< one more than pieces
    std::vector<Vec3d> m_sample;
    std::vector<double> m_distance;           ///< to the nearest other piece that stays, kNever beyond the limit
    std::vector<std::uint32_t> m_supporter;   ///< that piece
    std::vector<std::uint32_t> m_nextLeaning; ///< samples of gone pieces in lists by supporter
    std::vector<std::uint32_t> m_leaning;
};

/// Evenly by area over each piece, at the middles of equal slices, so that long strands are covered end to end.
void DropOrder::placeSamples() {
    const auto pieces = static_cast<std::uint32_t>(m_shape.size());
    const std::uint32_t each = std::clamp(kAllSamples / pieces, 1U, kMostSamples);
    std::vector<std::vector<std::uint32_t>> byPiece(pieces);
    for (std::uint32_t t = 0; t < m_level.triangleCount(); ++t)
        byPiece[m_pieceOf[t]].push_back(t);
    m_firstSample.push_back(0);
    for (std::uint32_t piece = 0; piece < pieces; ++piece) {
        double before = 0;
        std::uint32_t placed = 0;
        for (const std::uint32_t t : byPiece[piece]) {
            const double area = areaOf(t);
            const Vec3d a = m_level.positions[m_level.indices[3 * t]].cast<double>();
            const Vec3d b = m_level.positions[m_level.indices[3 * t + 1]].cast<double>();
            const Vec3d c = m_level.positions[m_level.indices[3 * t + 2]].cast<double>();
            while (placed < each && (placed + 0.5) * m_shape[piece].area / each <= before + area && area > 0) {
                // The R2 sequence folded into the triangle (Roberts 2018).
                double u = std::fmod(0.5 + 0.7548776662466927 * placed, 1.0);
                double v = std::fmod(0.5 + 0.5698402909980532 * placed, 1.0);
                if (u + v > 1) {
                    u = 1 - u;
                    v = 1 - v;
                }
                m_sample.push_back(a + u * (b - a) + v * (c - a));
                ++placed;
            }
            before += area;
        }
        m_firstSample.push_back(static_cast<std::uint32_t>(m_sample.size()));
    }
    m_distance.assign(m_sample.size(), kNever);
    m_supporter.assign(m_sample.size(), kNone);
    m_nextLeaning.assign(m_sample.size(), kNone);
}

void DropOrder::lean(std::uint32_t sample, std::uint32_t without) {
    const auto found = m_query.closestOther(m_sample[sample], m_limit, m_pieceOf, without, m_gone);
    m_distance[sample] = found ? found->distance : kNever;
    m_supporter[sample] = found ? m_pieceOf[found->triangle] : kNone;
}

double DropOrder::costOf(std::uint32_t piece) {
    double cost = m_shape[piece].width();
    for (std::uint32_t s = m_firstSample[piece]; s < m_firstSample[piece + 1] && cost <= m_limit; ++s) {
        if (m_supporter[s] != kNone && m_gone[m_supporter[s]] != 0)
            lean(s, piece);
        cost = std::max(cost, m_distance[s]);
    }
    for (std::uint32_t s = m_leaning[piece]; s != kNone && cost <= m_limit; s = m_nextLeaning[s]) {
        const auto next = m_query.closestOther(m_sample[s], m_limit, m_pieceOf, piece, m_gone);
        cost = std::max(cost, next ? next->distance : kNever);
    }
    return cost <= m_limit ? cost : kNever;
}

void DropOrder::drop(std::uint32_t piece) {
    m_gone[piece] = 1;
    const auto attach = [this](std::uint32_t s) {
        if (m_supporter[s] == kNone)
            return;
        m_nextLeaning[s] = m_leaning[m_supporter[s]];
        m_leaning[m_supporter[s]] = s;
    };
    std::uint32_t s = m_leaning[piece];
    m_leaning[piece] = kNone;
    while (s != kNone) {
        const std::uint32_t next = m_nextLeaning[s];
        lean(s, piece);
        attach(s);
        s = next;
    }
    for (std::uint32_t own = m_firstSample[piece]; own < m_firstSample[piece + 1]; ++own)
        attach(own);
}

Result<std::vector<Dropped>> DropOrder::run(const PieceOptions& options, bool& aggregate, const JobContext& job) {
    const auto pieces = static_cast<std::uint32_t>(m_shape.size());
    const double diagonal = boundsOf(m_level).diagonal();
    m_limit = diagonal * std::max(options.mostShare, options.mostShareOfAggregate);
    parallelChunks(pieces, 64, [&](std::size_t begin, std::size_t end) {
        for (auto piece = static_cast<std::uint32_t>(begin); piece < end && !job.cancelled(); ++piece)
            if (m_shape[piece].width() <= m_limit)
                for (std::uint32_t s = m_firstSample[piece]; s < m_firstSample[piece + 1]; ++s)
                    lean(s, piece);
    });
    if (job.cancelled())
        return cancelledError();

    std::vector<double> first(pieces);
    double area = 0;
    double squares = 0;
    double near = 0;
    for (std::uint32_t piece = 0; piece < pieces; ++piece) {
        first[piece] = costOf(piece);
        const double a = m_shape[piece].area;
        area += a;
        squares += a * a;
        near += first[piece] <= m_limit ? a : 0;
    }
    aggregate = squares > 0 && area * area / squares >= kAggregatePieces && near >= kAggregateShare * area;
    const double most = diagonal * (aggregate ? options.mostShareOfAggregate : options.mostShare);

    using Entry = std::pair<double, std::uint32_t>;
    std::priority_queue<Entry, std::vector<Entry>, std::greater<>> queue;
    for (std::uint32_t piece = 0; piece < pieces; ++piece)
        if (first[piece] <= most)
            queue.emplace(first[piece], piece);
    std::vector<Dropped> order;
    std::uint32_t steps = 0;
    while (!queue.empty() && order.size() + 1 < pieces) {
        if (++steps % 256 == 0) {
            if (job.cancelled())
                return cancelledError();
            job.report(std::min(1.0, static_cast<double>(order.size()) / pieces), "weighing loose pieces");
        }
        const auto [known, piece] = queue.top();
        queue.pop();
        const double cost = costOf(piece);
        if (cost > most)
            continue;
        if (cost > known && !queue.empty() && cost > queue.top().first) {
            queue.emplace(cost, piece);
            continue;
        }
        drop(piece);
        order.push_back({piece, order.empty() ? cost : std::max(cost, order.back().error)});
    }
    return order;
}

/// Puts the drops among the collapses. Collapses of a piece that has gone stay as events that remove nothing.
void insertDrops(Record& record, const DeviationCurve& curve, const std::vector<Dropped>& order,
                 std::vector<std::uint32_t> pieceOf, const std::vector<double>& areas) {
    std::vector<std::uint32_t> after; // the collapse each drop follows
    for (const Dropped& d : order) {
        const double count = d.error < curve.deviation.back() ? curve.trianglesAt(d.error) : 0;
        after.push_back(collapsesForTriangles(record, static_cast<std::uint32_t>(count)));
    }
    const auto shifted = [&after](std::uint32_t time) {
        return time + static_cast<std::uint32_t>(std::lower_bound(after.begin(), after.end(), time) - after.begin());
    };
    std::vector<std::uint32_t> goneAt(areas.size(), kNone);
    double area = std::accumulate(areas.begin(), areas.end(), 0.0);
    const double all = area;
    for (std::size_t j = 0; j < order.size(); ++j) {
        const auto time = static_cast<std::uint32_t>(after[j] + j + 1);
        goneAt[order[j].piece] = time;
        area -= areas[order[j].piece];
        record.drops.push_back({time, static_cast<float>(std::max(area / all, 1e-6))});
    }
    const std::size_t times = record.alive.size() + order.size();
    std::vector<std::uint32_t> deaths(times, 0);
    for (std::size_t t = 0; t < record.death.size(); ++t) {
        const std::uint32_t collapsed = record.death[t] == kNone ? kNone : shifted(record.death[t]);
        record.death[t] = std::min(collapsed, goneAt[pieceOf[t]]);
        if (record.death[t] != kNone)
            ++deaths[record.death[t]];
    }
    for (std::uint32_t& birth : record.birth)
        birth = birth == 0 ? 0 : shifted(birth);
    std::vector<float> error(times, 0);
    for (std::uint32_t k = 0; k < record.error.size(); ++k)
        error[k == 0 ? 0 : shifted(k)] = record.error[k];
    for (std::size_t j = 0; j < order.size(); ++j)
        error[record.drops[j].time] = static_cast<float>(order[j].error);
    for (std::size_t k = 1; k < times; ++k)
        error[k] = std::max(error[k], error[k - 1]);
    record.error = std::move(error);
    const std::uint32_t first = record.alive.front();
    record.alive.assign(times, first);
    for (std::size_t k = 1; k < times; ++k)
        record.alive[k] = record.alive[k - 1] - deaths[k];
    record.pieceOf = std::move(pieceOf);
    record.checkpoints.clear(); // of the times before
}

} // namespace

Result<void> dropPieces(Record& record, const DeviationCurve& curve, const PieceOptions& options,
                        const JobContext& job) {
    std::vector<std::uint32_t> pieceOf;
    record.pieces = findPieces(record, pieceOf);
    if (record.pieces < 2 || curve.empty())
        return {};
    job.report(0, "weighing loose pieces");
    // Distances are measured on a level that is itself off by no more than a quarter of what matters here.
    const double diagonal = boundsOf(cutRecord(record, 0)).diagonal();
    const auto count = static_cast<std::uint32_t>(curve.trianglesAt(options.mostShare * diagonal / 4));
    const std::uint32_t coarse = std::min(count, kCoarseTriangles);
    const Mesh level = cutRecord(record, coarse);
    const std::uint32_t time = collapsesForTriangles(record, coarse);
    std::vector<std::uint32_t> pieceOfLevel;
    for (std::size_t t = 0; t < record.death.size(); ++t)
        if (record.death[t] > time)
            pieceOfLevel.push_back(pieceOf[t]);
    DropOrder drops(level, pieceOfLevel, record.pieces);
    auto order = drops.run(options, record.aggregate, job);
    if (!order)
        return order.error();
    std::vector<double> areas(record.pieces);
    for (std::uint32_t piece = 0; piece < record.pieces; ++piece)
        areas[piece] = drops.areaOfPiece(piece);
    if (order->empty())
        return {};
    insertDrops(record, curve, *order, std::move(pieceOf), areas);
    return {};
}

void growPieces(Mesh& level, const std::vector<std::uint32_t>& pieceOf, double keptShare, double mostMetres) {
    if (level.indices.empty() || keptShare >= 1)
        return;
    const double thicker = std::min(1 / keptShare, kMostGrowth);
    const double larger = std::min(1 / std::sqrt(keptShare), kMostGrowth);
    const Weld points = weldPositions(level);
    struct Grown {
        PieceShape shape;
        double volume = 0;
        Vec3d anchor{0, 0, 0};     ///< one of its corners: volumes about it cost no digits far from the origin
        Vec3d vectorArea{0, 0, 0}; ///< none when the piece is closed
        Vec3d moment{0, 0, 0};     ///< centre times area
    };
    std::vector<Grown> pieces(*std::max_element(pieceOf.begin(), pieceOf.end()) + std::size_t{1});
    std::vector<Vec3d> normal(points.pointCount, Vec3d::Zero()); ///< sum of the faces', weighted by angle
    std::vector<double> turn(points.pointCount, 0);              ///< sum of the angles
    std::vector<std::uint32_t> pieceOfVertex(level.vertexCount(), kNone);
    for (std::uint32_t t = 0; t < level.triangleCount(); ++t) {
        Grown& piece = pieces[pieceOf[t]];
        std::array<Vec3d, 3> c;
        for (std::uint32_t k = 0; k < 3; ++k) {
            const std::uint32_t v = level.indices[3 * t + k];
            c[k] = level.positions[v].cast<double>();
            if (piece.shape.empty)
                piece.anchor = c[k];
            piece.shape.add(c[k]);
            pieceOfVertex[v] = pieceOf[t];
        }
        const Vec3d cross = (c[1] - c[0]).cross(c[2] - c[0]);
        for (std::uint32_t k = 0; k < 3; ++k) {
            // Weighted by the angle, so that the way a box is cut into triangles does not tilt its corners.
            const Vec3d u = (c[(k + 1) % 3] - c[k]).normalized();
            const Vec3d v = (c[(k + 2) % 3] - c[k]).normalized();
            const double angle = std::atan2(u.cross(v).norm(), u.dot(v));
            if (cross.norm() > 0 && std::isfinite(angle)) {
                normal[points.pointOf[level.indices[3 * t + k]]] += angle * cross.normalized();
                turn[points.pointOf[level.indices[3 * t + k]]] += angle;
            }
        }
        const double area = cross.norm() / 2;
        piece.shape.area += area;
        piece.vectorArea += cross / 2;
        piece.moment += area * (c[0] + c[1] + c[2]) / 3;
        piece.volume += (c[0] - piece.anchor).dot(cross) / 6;
    }
    for (std::uint32_t v = 0; v < level.vertexCount(); ++v) {
        if (pieceOfVertex[v] == kNone)
            continue;
        const Grown& piece = pieces[pieceOfVertex[v]];
        if (!(piece.shape.area > 0))
            continue;
        const Vec3d at = level.positions[v].cast<double>();
        const double across = piece.shape.bounds.diagonal();
        const double thickness = 4 * std::abs(piece.volume) / piece.shape.area; // of the circle inside the strand
        const bool closed = piece.vectorArea.norm() < 0.05 * piece.shape.area;
        const bool strand = closed && thickness > kThinnestStrand * across && thickness < 0.25 * across;
        const Vec3d& n = normal[points.pointOf[v]];
        if (strand) {
            // A corner goes farther than the faces beside it, so that these keep their distance.
            const double slant = turn[points.pointOf[v]] > 0 ? n.norm() / turn[points.pointOf[v]] : 0;
            if (slant > 0) {
                const double by = (thicker - 1) * thickness / 2 / std::max(slant, 0.4);
                level.positions[v] = (at + std::min(by, mostMetres) * n.normalized()).cast<float>();
            }
        } else {
            const Vec3d centre = piece.moment / piece.shape.area;
            const double scale = 1 + std::min(larger - 1, 2 * mostMetres / std::max(across, 1e-30));
            level.positions[v] = (centre + scale * (at - centre)).cast<float>();
        }
    }
}

} // namespace thicket
