#include "reduce/drop_order.h"

#include "base/parallel.h"
#include "reduce/piece_shape.h"
#include "reduce/surface.h"

#include <cmath>
#include <limits>
#include <queue>

namespace thicket::reduce {
namespace {

constexpr double kNever = std::numeric_limits<double>::infinity();
constexpr std::uint32_t kMostWeighed = 20'000; // pieces; weighing so many takes about a second
constexpr std::size_t kLookedAt = 20'000;      // pieces whose absence is measured at each share
constexpr double kLeastShare = 0.02;
constexpr std::uint32_t kMostSamples = 48; // a piece
constexpr std::uint32_t kAllSamples = 400'000;
constexpr double kAggregatePieces = 40; // so many alike, counted by area, make an aggregate
constexpr double kAggregateShare = 0.6; // of the area stands so near to other pieces that it may go

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

    Result<DropPlan> plan(const PieceOptions& options, const JobContext& job);

private:
    [[nodiscard]] double areaOf(std::uint32_t t) const {
        const Vec3d a = m_level.positions[m_level.indices[3 * t]].cast<double>();
        const Vec3d b = m_level.positions[m_level.indices[3 * t + 1]].cast<double>();
        const Vec3d c = m_level.positions[m_level.indices[3 * t + 2]].cast<double>();
        return (b - a).cross(c - a).norm() / 2;
    }
    void placeSamples();
    void lean(std::uint32_t sample, std::uint32_t without);
    /// What a piece's absence costs, and how far those that stay are from it, which tells pieces apart that all cost their
    /// own width: else they would go in the order of the file, one side of a tree before the other.
    struct Cost {
        double error = 0;
        double apart = 0;
        auto operator<=>(const Cost&) const = default;
    };
    Cost costOf(std::uint32_t piece);
    void drop(std::uint32_t piece);
    Result<void> weighEach(const std::vector<Cost>& first, double most, DropPlan& plan, const JobContext& job);
    Result<void> spread(const std::vector<Cost>& first, double most, DropPlan& plan, const JobContext& job);

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

DropOrder::Cost DropOrder::costOf(std::uint32_t piece) {
    double apart = 0;
    for (std::uint32_t s = m_firstSample[piece]; s < m_firstSample[piece + 1] && apart <= m_limit; ++s) {
        if (m_supporter[s] != kNone && m_gone[m_supporter[s]] != 0)
            lean(s, piece);
        apart = std::max(apart, m_distance[s]);
    }
    for (std::uint32_t s = m_leaning[piece]; s != kNone && apart <= m_limit; s = m_nextLeaning[s]) {
        const auto next = m_query.closestOther(m_sample[s], m_limit, m_pieceOf, piece, m_gone);
        apart = std::max(apart, next ? next->distance : kNever);
    }
    const double error = std::max(m_shape[piece].width(), apart);
    return error <= m_limit ? Cost{error, apart} : Cost{kNever, kNever};
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

/// One by one, the cheapest next; costs are brought up to date when a piece comes to its turn, for they only rise.
Result<void> DropOrder::weighEach(const std::vector<Cost>& first, double most, DropPlan& plan, const JobContext& job) {
    using Entry = std::pair<Cost, std::uint32_t>;
    std::priority_queue<Entry, std::vector<Entry>, std::greater<>> queue;
    for (std::uint32_t piece = 0; piece < first.size(); ++piece)
        if (first[piece].error <= most)
            queue.emplace(first[piece], piece);
    std::uint32_t steps = 0;
    while (!queue.empty() && plan.order.size() + 1 < first.size()) {
        if (++steps % 256 == 0) {
            if (job.cancelled())
                return cancelledError();
            job.report(static_cast<double>(plan.order.size()) / static_cast<double>(first.size()),
                       "weighing loose pieces");
        }
        const auto [known, piece] = queue.top();
        queue.pop();
        const Cost cost = costOf(piece);
        if (cost.error > most)
            continue;
        if (cost > known && !queue.empty() && cost > queue.top().first) {
            queue.emplace(cost, piece);
            continue;
        }
        drop(piece);
        plan.order.push_back({piece, plan.order.empty() ? cost.error : std::max(cost.error, plan.order.back().error)});
    }
    return {};
}

/// Too many to weigh each: every piece gets a number from the golden ratio's sequence along the curve, so that those
/// below any limit are evenly spread, and what it costs to keep only them is measured at falling shares.
Result<void> DropOrder::spread(const std::vector<Cost>& first, double most, DropPlan& plan, const JobContext& job) {
    const Bounds bounds = boundsOf(m_level);
    std::vector<std::uint32_t> mayGo;
    BigVector<Vec3d> places;
    for (std::uint32_t piece = 0; piece < first.size(); ++piece)
        if (first[piece].error <= most) {
            mayGo.push_back(piece);
            places.emplace_back((m_shape[piece].bounds.centre() - bounds.centre()) / bounds.diagonal());
        }
    const BigVector<std::uint32_t> along = curveOrder(places, 0);
    std::vector<std::pair<double, std::uint32_t>> number(along.size());
    for (std::size_t i = 0; i < along.size(); ++i)
        number[i] = {std::fmod((static_cast<double>(i) + 0.5) * std::numbers::phi, 1.0), mayGo[along[i]]};
    std::sort(number.begin(), number.end(), std::greater<>());

    std::size_t gone = 0;
    double error = 0;
    for (double share = 0.75; share > kLeastShare; share *= 0.75) {
        if (job.cancelled())
            return cancelledError();
        job.report(1 - share, "thinning loose pieces");
        const auto wanted = static_cast<std::size_t>((1 - share) * static_cast<double>(number.size()));
        for (std::size_t i = gone; i < wanted; ++i)
            m_gone[number[i].second] = 1;
        Mesh rest;
        rest.positions = m_level.positions;
        for (std::uint32_t t = 0; t < m_level.triangleCount(); ++t)
            if (m_gone[m_pieceOf[t]] == 0)
                for (std::size_t k = 0; k < 3; ++k)
                    rest.indices.push_back(m_level.indices[3 * std::size_t{t} + k]);
        if (rest.indices.empty())
            return {};
        const SurfaceQuery query(rest);
        const std::size_t stride = wanted / kLookedAt + 1;
        std::vector<double> farthest(wanted / stride + 1, 0);
        parallelChunks(farthest.size(), 64, [&](std::size_t begin, std::size_t end) {
            for (std::size_t j = begin; j < end && j * stride < wanted && !job.cancelled(); ++j) {
                const std::uint32_t piece = number[j * stride].second;
                farthest[j] = m_shape[piece].width();
                for (std::uint32_t s = m_firstSample[piece]; s < m_firstSample[piece + 1]; ++s)
                    farthest[j] = std::max(farthest[j], query.closest(m_sample[s]).distance);
            }
        });
        error = std::max(error, *std::max_element(farthest.begin(), farthest.end()));
        if (error > most)
            return {};
        for (; gone < wanted; ++gone)
            plan.order.push_back({number[gone].second, error});
    }
    return {};
}

Result<DropPlan> DropOrder::plan(const PieceOptions& options, const JobContext& job) {
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

    DropPlan plan;
    std::vector<Cost> first(pieces);
    double area = 0;
    double squares = 0;
    double near = 0;
    for (std::uint32_t piece = 0; piece < pieces; ++piece) {
        first[piece] = costOf(piece);
        const double a = m_shape[piece].area;
        plan.areas.push_back(a);
        area += a;
        squares += a * a;
        near += first[piece].error <= m_limit ? a : 0;
    }
    plan.aggregate = squares > 0 && area * area / squares >= kAggregatePieces && near >= kAggregateShare * area;
    const double most = diagonal * (plan.aggregate ? options.mostShareOfAggregate : options.mostShare);
    const auto done = pieces > kMostWeighed ? spread(first, most, plan, job) : weighEach(first, most, plan, job);
    if (!done)
        return done.error();
    return plan;
}

} // namespace

Result<DropPlan> planDrops(const Mesh& level, const std::vector<std::uint32_t>& pieceOf, std::uint32_t pieces,
                           const PieceOptions& options, const JobContext& job) {
    return DropOrder(level, pieceOf, pieces).plan(options, job);
}

} // namespace thicket::reduce
