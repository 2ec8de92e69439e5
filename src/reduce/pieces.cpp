#include "reduce/pieces.h"

#include "reduce/drop_order.h"

#include <algorithm>
#include <array>
#include <numeric>

namespace thicket {
namespace {

constexpr std::uint32_t kCoarseTriangles = 400'000;

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

/// Pieces that care was taken of. The record's nodes stand where the source's vertices do.
std::vector<std::uint8_t> carefulPieces(const Record& record, const std::vector<std::uint32_t>& pieceOf,
                                        const PieceOptions& options) {
    constexpr float kEnough = 0.5F;
    const auto key = [](const Vec3f& p) { return std::array<float, 3>{p.x(), p.y(), p.z()}; };
    std::vector<std::array<float, 3>> places;
    for (std::size_t v = 0; v < options.care.size(); ++v)
        if (options.care[v] >= kEnough)
            places.push_back(key(options.source->positions[v]));
    std::sort(places.begin(), places.end());
    std::vector<std::uint8_t> stays(record.pieces, 0);
    for (std::size_t c = 0; c < record.indices.size(); ++c)
        if (stays[pieceOf[c / 3]] == 0)
            stays[pieceOf[c / 3]] =
                std::binary_search(places.begin(), places.end(), key(record.positions[record.indices[c]])) ? 1 : 0;
    return stays;
}

/// Puts the drops among the collapses. Collapses of a piece that has gone stay as events that remove nothing.
void insertDrops(Record& record, const DeviationCurve& curve, const reduce::DropPlan& plan,
                 std::vector<std::uint32_t> pieceOf) {
    std::vector<std::uint32_t> after; // the collapse each drop follows
    for (const reduce::DropPlan::Drop& d : plan.order) {
        const double count = d.error < curve.deviation.back() ? curve.trianglesAt(d.error) : 0;
        after.push_back(collapsesForTriangles(record, static_cast<std::uint32_t>(count)));
    }
    const auto shifted = [&after](std::uint32_t time) {
        return time + static_cast<std::uint32_t>(std::lower_bound(after.begin(), after.end(), time) - after.begin());
    };
    std::vector<std::uint32_t> goneAt(plan.areas.size(), kNone);
    double area = std::accumulate(plan.areas.begin(), plan.areas.end(), 0.0);
    const double all = area;
    for (std::size_t j = 0; j < plan.order.size(); ++j) {
        const auto time = static_cast<std::uint32_t>(after[j] + j + 1);
        goneAt[plan.order[j].piece] = time;
        area -= plan.areas[plan.order[j].piece];
        record.drops.push_back({time, static_cast<float>(std::max(area / all, 1e-6))});
    }
    const std::size_t times = record.alive.size() + plan.order.size();
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
    for (std::size_t j = 0; j < plan.order.size(); ++j)
        error[record.drops[j].time] = static_cast<float>(plan.order[j].error);
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

std::uint32_t countPieces(const Record& record) {
    std::vector<std::uint32_t> pieceOf;
    return findPieces(record, pieceOf);
}

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
    auto plan = reduce::planDrops(level, pieceOfLevel, record.pieces, options, job);
    if (!plan)
        return plan.error();
    if (!options.care.empty()) {
        const std::vector<std::uint8_t> stays = carefulPieces(record, pieceOf, options);
        std::erase_if(plan->order, [&stays](const auto& drop) { return stays[drop.piece] != 0; });
    }
    record.aggregate = plan->aggregate;
    record.area = record.aggregate ? areaOf(record.positions, record.indices) : 0;
    if (!plan->order.empty())
        insertDrops(record, curve, *plan, std::move(pieceOf));
    return {};
}

} // namespace thicket
