#include "reduce/chain.h"

#include "base/parallel.h"
#include "base/text.h"
#include "measure/visible.h"
#include "reduce/fit_normals.h"
#include "reduce/polish.h"
#include "reduce/untangle.h"

#include <algorithm>
#include <array>
#include <atomic>
#include <chrono>
#include <cmath>
#include <fmt/format.h>
#include <thread>

namespace thicket {
namespace {

constexpr int kCurveCounts = 13;
constexpr std::uint32_t kCurvePoints = 20'000;
constexpr int kTries = 4; // counts for what is to be visible, before the one that is kept
constexpr std::uint32_t kAimPoints = 40'000;
constexpr double kNearEnough = 1.2; // how far from what is asked a level may be, either way

/// Adds the time until it goes out of scope to `total`, when there is one.
class AddTime {
public:
    explicit AddTime(double* total) : m_total(total), m_start(std::chrono::steady_clock::now()) {}
    ~AddTime() {
        if (m_total != nullptr)
            *m_total += std::chrono::duration<double, std::milli>(std::chrono::steady_clock::now() - m_start).count();
    }
    AddTime(const AddTime&) = delete;
    AddTime& operator=(const AddTime&) = delete;

private:
    double* m_total;
    std::chrono::steady_clock::time_point m_start;
};

double mixLog(double a, double b, double t) {
    return std::exp(std::log(a) * (1 - t) + std::log(b) * t);
}

} // namespace

namespace {

double offAt(const std::vector<std::uint32_t>& triangles, const std::vector<double>& deviation, double count) {
    if (triangles.empty() || count >= triangles.front())
        return 0;
    for (std::size_t i = 1; i < triangles.size(); ++i) {
        if (count < triangles[i])
            continue;
        const double t =
            std::log(triangles[i - 1] / count) / std::log(static_cast<double>(triangles[i - 1]) / triangles[i]);
        if (deviation[i - 1] <= 0)
            return deviation[i] * t;
        return mixLog(deviation[i - 1], deviation[i], t);
    }
    return deviation.back();
}

double countAt(const std::vector<std::uint32_t>& triangles, const std::vector<double>& deviation, double metres) {
    if (triangles.empty())
        return 0;
    for (std::size_t i = 1; i < triangles.size(); ++i) {
        if (deviation[i] < metres)
            continue;
        if (deviation[i] <= deviation[i - 1])
            return triangles[i];
        const double t = deviation[i - 1] <= 0
                             ? metres / deviation[i]
                             : std::log(metres / deviation[i - 1]) / std::log(deviation[i] / deviation[i - 1]);
        return mixLog(triangles[i - 1], triangles[i], std::clamp(t, 0.0, 1.0));
    }
    return triangles.back();
}

} // namespace

double DeviationCurve::at(double count) const {
    return offAt(triangles, deviation, count);
}
double DeviationCurve::trianglesAt(double metres) const {
    return countAt(triangles, deviation, metres);
}
double DeviationCurve::visibleAt(double count) const {
    return offAt(triangles, visible.empty() ? deviation : visible, count);
}
double DeviationCurve::trianglesForVisible(double metres) const {
    return countAt(triangles, visible.empty() ? deviation : visible, metres);
}

Result<DeviationCurve> measureCurve(const Mesh& source, const SurfaceQuery& query, const Record& record,
                                    const JobContext& job, std::span<const float> care) {
    DeviationCurve curve;
    curve.triangles.push_back(record.alive.front());
    curve.deviation.push_back(0);
    curve.visible.push_back(0);
    if (!care.empty())
        curve.careful.push_back(0);
    const double most = record.alive.front();
    const double fewest = std::max(1.0, static_cast<double>(record.fewestTriangles()));
    struct Off {
        std::uint32_t triangles = 0;
        SampledDeviation found;
        double seen = 0;
    };
    std::array<Off, kCurveCounts + 1> offs;
    const auto measureAt = [&](int i) {
        const auto count =
            static_cast<std::uint32_t>(std::lround(mixLog(most, fewest, static_cast<double>(i) / kCurveCounts)));
        const Mesh level = cutRecord(record, count);
        const SurfaceQuery levelQuery(level);
        const VertexSamples samples = sampleVertices(source, query, level, levelQuery, kCurvePoints);
        offs[static_cast<std::size_t>(i)] = {level.triangleCount(), sampleDeviation(source, samples, care),
                                             sampleVisible(source, query, level, levelQuery, samples)};
    };
    // None keeps all cores busy by itself, and as each is about half of the one before all of them together take little
    // more memory than the first.
    const auto caller = std::this_thread::get_id();
    std::atomic<int> done = 0;
    const bool all = parallelChunks(kCurveCounts, 1, job, [&](std::size_t i, std::size_t /*end*/) {
        measureAt(static_cast<int>(i) + 1);
        ++done;
        if (std::this_thread::get_id() == caller)
            job.report(done / (kCurveCounts + 1.0), "measuring the curve");
    });
    if (!all)
        return cancelledError();
    for (int i = 1; i <= kCurveCounts; ++i) {
        const Off& off = offs[static_cast<std::size_t>(i)];
        if (off.triangles >= curve.triangles.back())
            continue;
        curve.triangles.push_back(off.triangles);
        curve.deviation.push_back(std::max(off.found.max, curve.deviation.back()));
        curve.visible.push_back(std::min(curve.deviation.back(), std::max(off.seen, curve.visible.back())));
        if (!care.empty())
            curve.careful.push_back(std::max(off.found.weighted, curve.careful.back()));
    }
    return curve;
}

namespace {

/// Whether a level stays as it was cut: with the source's own vertices, or of fewer pieces, each as it was.
bool staysAsCut(const Record& record, std::uint32_t triangles) {
    return record.asCut || (record.aggregate && piecesLeft(record, triangles) < record.pieces);
}

} // namespace

Result<Mesh> cutAndPolish(const Mesh& source, const SurfaceQuery& query, const Record& record, std::uint32_t triangles,
                          const JobContext& job) {
    Mesh level = cutRecord(record, triangles);
    if (staysAsCut(record, triangles))
        return level;
    auto polished = polishLevel(source, query, std::move(level), {}, job);
    if (polished)
        polished = untangleLevel(source, query, std::move(*polished), job);
    return polished ? fitNormals(source, query, std::move(*polished), job) : std::move(polished);
}

Result<CutLevel> cutLevel(const Mesh& source, const SurfaceQuery& query, const Record& record,
                          const DeviationCurve& curve, const LevelTarget& target, std::uint32_t lighterThan,
                          const JobContext& job, ChainTimings* timings) {
    std::uint32_t heaviest = 0;
    const auto cut = [&](double count) {
        const AddTime time(timings != nullptr ? &timings->cutMs : nullptr);
        const double most = static_cast<double>(lighterThan) - 1;
        const auto asked = static_cast<std::uint32_t>(std::clamp(count, 0.0, std::max(most, 0.0)));
        heaviest = std::max(heaviest, asked);
        return CutLevel{cutRecord(record, asked), {}, piecesLeft(record, asked), heaviest};
    };
    const auto polish = [&](std::uint32_t count, const JobContext& own) {
        const AddTime time(timings != nullptr ? &timings->polishMs : nullptr);
        return cutAndPolish(source, query, record, count, own);
    };
    const auto measure = [&](const Mesh& level, const JobContext& own) {
        const AddTime time(timings != nullptr ? &timings->measureMs : nullptr);
        return measureDeviation(source, query, level, {}, own);
    };
    const auto noLighter = [&] {
        return Error{ErrorCode::CheckFailed, "",
                     fmt::format("no level lighter than {} triangles can be made", grouped(lighterThan)),
                     "the record ends at " + grouped(record.fewestTriangles()) + "; ask for fewer levels"};
    };

    if (target.kind == TargetKind::VisibleMetres) {
        // The curve is a sample of a few counts: the count that it gives is tried and set right, by samples too.
        const double fewest = std::max(1.0, static_cast<double>(record.fewestTriangles()));
        const double most = std::max(fewest, lighterThan - 1.0);
        double count = std::clamp(curve.trianglesForVisible(target.value), fewest, most);
        double holds = 0; // the lightest that does, and the heaviest that does not
        double fails = 0;
        for (int step = 0; step < kTries; ++step) {
            if (job.cancelled())
                return cancelledError();
            const Mesh level = cut(count).mesh;
            if (level.triangleCount() >= lighterThan)
                return noLighter();
            const AddTime time(timings != nullptr ? &timings->measureMs : nullptr);
            const double ratio = sampleVisible(source, query, level, SurfaceQuery(level), kAimPoints) / target.value;
            if (ratio < kNearEnough)
                holds = count;
            else
                fails = count;
            if (ratio > 1 / kNearEnough && ratio < kNearEnough)
                break;
            // What is off falls about as triangles rise.
            const double next = holds > 0 && fails > 0 ? std::sqrt(holds * fails)
                                                       : std::clamp(count * std::clamp(ratio, 0.3, 3.0), fewest, most);
            if (std::abs(next - count) < 1)
                break;
            count = next;
        }
        if (holds > 0)
            count = holds;
        auto level = cutLevel(source, query, record, curve, {TargetKind::Triangles, count}, lighterThan,
                              job.part(0, 0.6), timings);
        // Better placed it may be less far off than was asked: then fewer triangles do.
        if (const double ratio = level ? level->deviation.visible / target.value : 1; ratio < 1 / kNearEnough) {
            const double fewer = std::max({fewest, count * std::max(ratio, 0.3), 1.1 * fails});
            if (fewer < 0.9 * count) {
                auto lighter = cutLevel(source, query, record, curve, {TargetKind::Triangles, fewer}, lighterThan,
                                        job.part(0.6, 1), timings);
                if (!lighter && lighter.error().code == ErrorCode::Cancelled)
                    return lighter.error();
                if (lighter && lighter->deviation.visible < kNearEnough * target.value) {
                    lighter->heaviest = std::max(heaviest, lighter->heaviest);
                    return lighter;
                }
            }
        }
        if (level)
            level->heaviest = std::max(heaviest, level->heaviest);
        return level;
    }
    if (target.kind != TargetKind::DeviationMetres) {
        double count = target.value;
        if (target.kind == TargetKind::ShareOfFirst)
            count *= record.alive.front();
        if (target.kind == TargetKind::ShareOfPrevious)
            count *= lighterThan;
        CutLevel level = cut(std::round(count));
        if (level.mesh.triangleCount() >= lighterThan)
            return noLighter();
        auto polished = polish(level.mesh.triangleCount(), job.part(0, 0.5));
        if (!polished)
            return polished.error();
        level.mesh = std::move(*polished);
        auto deviation = measure(level.mesh, job.part(0.5, 1));
        if (!deviation)
            return deviation.error();
        level.deviation = *deviation;
        return level;
    }

    // Bisection on the logarithm of the count, begun from the curve's own answer.
    double low = std::max(1.0, static_cast<double>(record.fewestTriangles()));
    double high = static_cast<double>(lighterThan) - 1;
    std::optional<CutLevel> best;
    double count = std::clamp(curve.trianglesAt(target.value), low, std::max(low, high));
    constexpr int kSteps = 8;
    for (int step = 0; step < kSteps && high >= low; ++step) {
        CutLevel level = cut(count);
        if (level.mesh.triangleCount() >= lighterThan)
            break;
        auto deviation = measure(level.mesh, job.part(0.8 * step / kSteps, 0.8 * (step + 1) / kSteps));
        if (!deviation)
            return deviation.error();
        level.deviation = *deviation;
        const bool holds = level.deviation.max() <= target.value;
        if (holds) {
            high = count;
            if (!best || level.mesh.triangleCount() < best->mesh.triangleCount())
                best = std::move(level);
        } else {
            low = count;
        }
        const bool fits = holds && deviation->max() >= 0.85 * target.value;
        if (fits || high - low < 0.02 * high)
            break;
        count = step == 0 ? (holds ? std::max(low, count * 0.8) : std::min(high, count * 1.25)) : std::sqrt(low * high);
    }
    if (!best)
        return Error{ErrorCode::CheckFailed, "", "no lighter level stays within " + length(target.value),
                     "allow a larger deviation"};
    // With its points in better places it is less far off: better still.
    auto polished = polish(best->mesh.triangleCount(), job.part(0.8, 0.9));
    if (!polished)
        return polished.error();
    auto deviation = measure(*polished, job.part(0.9, 1));
    if (!deviation)
        return deviation.error();
    if (deviation->max() < best->deviation.max()) {
        best->mesh = std::move(*polished);
        best->deviation = *deviation;
        return std::move(*best);
    }
    if (staysAsCut(record, best->mesh.triangleCount()))
        return std::move(*best);
    auto shaded = fitNormals(source, query, std::move(best->mesh), job);
    if (!shaded)
        return shaded.error();
    best->mesh = std::move(*shaded);
    return std::move(*best);
}

} // namespace thicket
