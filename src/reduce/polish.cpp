#include "reduce/polish.h"

#include "measure/deviation.h"
#include "reduce/even_surface.h"

#include <cmath>

namespace thicket {
namespace {

constexpr std::uint32_t kPoints = 60'000; // measured a direction
constexpr double kWorthIt = 0.97;
constexpr double kGoesOn = 0.99;
constexpr double kFewestFree = 0.2; // of the points; with fewer that may move there is nothing to gain

/// The best that was found so far, and how far off it is.
struct Best {
    const Mesh& source;
    const SurfaceQuery& query;
    Mesh mesh;
    double off;
    double mean = HUGE_VAL; ///< of what was offered last

    /// True when it is better by so much that going on is worth while.
    bool offer(const reduce::EvenSurface& surface) {
        Mesh made = surface.finish(source, query);
        const auto stats = sampleDeviation(source, query, made, kPoints);
        const double now = stats.max;
        // A single place may stay as far off as it was while all others come nearer, and then come after.
        const bool goOn = now < kGoesOn * off || stats.mean < kGoesOn * mean;
        mean = stats.mean;
        if (now < off) {
            off = now;
            mesh = std::move(made);
        }
        return goOn;
    }
};

} // namespace

Result<Mesh> polishLevel(const Mesh& source, const SurfaceQuery& query, Mesh level, const PolishOptions& options,
                         const JobContext& job) {
    if (level.triangleCount() > options.mostTriangles)
        return level;
    const double before = sampleDeviation(source, query, level, kPoints).max;
    const reduce::EvenSurface asCut(level, options.creaseDegrees);
    // Triangles without extent are not for this; nor is a level that is exact already.
    if (asCut.triangleCount() != level.triangleCount() || asCut.freeShare() < kFewestFree ||
        !(before > 1e-7 * boundsOf(source).diagonal()))
        return level;
    Best best{source, query, std::move(level), kWorthIt * before, HUGE_VAL};
    // Once point by point, which suits what is rough; once after spreading the error as a whole, which suits what is
    // smooth. The better one is kept.
    for (const bool whole : {false, true}) {
        reduce::EvenSurface surface = asCut;
        for (int round = 0; round < (whole ? options.spreadRounds : 0); ++round) {
            if (job.cancelled())
                return cancelledError();
            surface.flip(&query);
            surface.flipNearer(query);
            surface.spreadError(query);
        }
        best.mean = HUGE_VAL;
        for (int round = 0; round < options.rounds; ++round) {
            if (job.cancelled())
                return cancelledError();
            job.report((static_cast<double>(round) / options.rounds + (whole ? 1 : 0)) / 2, "placing points");
            surface.improve(query);
            if (round % 2 == 1 && !best.offer(surface))
                break;
            surface.flipNearer(query);
        }
    }
    return std::move(best.mesh);
}

} // namespace thicket
