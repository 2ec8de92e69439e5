#include "reduce/pieces.h"

#include "base/parallel.h"
#include "reduce/drop_order.h"
#include "reduce/near_points.h"

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

/// The nearest neighbours of a piece, those that say where the rest stands.
constexpr std::size_t kNeighbours = 16;

/// Where the neighbours of each piece do not stand. Of a half-space full of pieces, the mean of those within a ball lies
/// half as far off as they do in the mean.
std::vector<Vec3f> outwardOf(const std::vector<Vec3d>& centres) {
    constexpr double kOneSided = 0.4;
    std::vector<Vec3f> out(centres.size(), Vec3f(0, 0, 0));
    if (centres.size() <= kNeighbours)
        return out;
    const reduce::NearPoints near(centres);
    parallelChunks(centres.size(), 256, [&](std::size_t begin, std::size_t end) {
        std::array<std::uint32_t, kNeighbours + 1> found{}; // itself among them
        for (std::size_t i = begin; i < end; ++i) {
            near.nearest(centres[i], found);
            Vec3d way(0, 0, 0);
            double far = 0;
            for (const std::uint32_t other : found) {
                way += centres[i] - centres[other];
                far += (centres[i] - centres[other]).norm();
            }
            const double sided = far > 0 ? way.norm() / far : 0;
            if (sided > 0)
                out[i] = (std::min(1.0, sided / kOneSided) * way.normalized()).cast<float>();
        }
    });
    return out;
}

/// What is one of the many: about as large as most of what goes, or smaller.
std::vector<Record::Piece> kindsOf(const Mesh& level, const std::vector<std::uint32_t>& pieceOf,
                                   const reduce::DropPlan& plan) {
    constexpr double kMuchLarger = 4; // times the area of the one in the middle of the area that goes
    std::vector<double> going;
    for (const reduce::DropPlan::Drop& drop : plan.order)
        going.push_back(plan.areas[drop.piece]);
    std::vector<Record::Piece> out(plan.areas.size());
    std::sort(going.begin(), going.end());
    const double half = std::accumulate(going.begin(), going.end(), 0.0) / 2;
    double usual = 0;
    for (double sum = 0; const double area : going)
        if ((sum += area) >= half) {
            usual = area;
            break;
        }
    for (std::size_t piece = 0; piece < out.size(); ++piece)
        out[piece].grows = plan.areas[piece] <= kMuchLarger * usual;
    std::vector<Bounds> boxes(out.size());
    std::vector<bool> met(out.size(), false);
    for (std::uint32_t t = 0; t < level.triangleCount(); ++t)
        for (std::uint32_t k = 0; k < 3; ++k) {
            const Vec3d at = level.positions[level.indices[3 * t + k]].cast<double>();
            Bounds& box = boxes[pieceOf[t]];
            box = met[pieceOf[t]] ? Bounds{box.low.cwiseMin(at), box.high.cwiseMax(at)} : Bounds{at, at};
            met[pieceOf[t]] = true;
        }
    std::vector<std::uint32_t> many;
    std::vector<Vec3d> centres;
    for (std::uint32_t piece = 0; piece < out.size(); ++piece)
        if (out[piece].grows && met[piece]) {
            many.push_back(piece);
            centres.push_back(boxes[piece].centre());
        }
    const std::vector<Vec3f> outward = outwardOf(centres);
    for (std::size_t i = 0; i < many.size(); ++i)
        out[many[i]].outward = outward[i];
    return out;
}

/// Square metres of each piece as it is in the source.
std::vector<double> areasOf(const Record& record, const std::vector<std::uint32_t>& pieceOf) {
    std::vector<double> out(record.pieces, 0);
    for (std::size_t t = 0; t < pieceOf.size(); ++t) {
        const auto at = [&](std::size_t k) {
            return record.positions[record.indices[3 * t + k]].cast<double>().eval();
        };
        out[pieceOf[t]] += (at(1) - at(0)).cross(at(2) - at(0)).norm() / 2;
    }
    return out;
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
    std::vector<std::uint32_t> goneAt(record.pieces, kNone);
    // The cover that has to be held is that of the pieces that grow, as they are in the source: the plan knows them as
    // coarse as they could be for it.
    const std::vector<double> areas = areasOf(record, pieceOf);
    const auto coverOf = [&](std::size_t piece) {
        return record.pieceKinds.empty() || record.pieceKinds[piece].grows ? areas[piece] : 0.0;
    };
    double area = 0;
    for (std::size_t piece = 0; piece < areas.size(); ++piece)
        area += coverOf(piece);
    const double all = area;
    for (std::size_t j = 0; j < plan.order.size(); ++j) {
        const auto time = static_cast<std::uint32_t>(after[j] + j + 1);
        goneAt[plan.order[j].piece] = time;
        area -= coverOf(plan.order[j].piece);
        record.drops.push_back({time, static_cast<float>(all > 0 ? std::max(area / all, 1e-6) : 1.0)});
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
    if (record.aggregate) {
        record.pieceKinds = kindsOf(level, pieceOfLevel, *plan);
        Mesh source;
        source.positions = record.positions;
        source.indices = record.indices;
        record.area = areaThatGrows(source, pieceOf, record.pieceKinds);
    }
    if (!plan->order.empty())
        insertDrops(record, curve, *plan, std::move(pieceOf));
    return {};
}

} // namespace thicket
