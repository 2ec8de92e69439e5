#include "reduce/polish.h"

#include "measure/deviation.h"
#include "reduce/even_surface.h"

#include <optional>

namespace thicket {
namespace {

constexpr std::uint32_t kPolishPoints = 60'000; // measured a direction
constexpr double kWorthIt = 0.97;
constexpr double kGoesOn = 0.99;
constexpr double kFewestFree = 0.2; // of the points; with fewer that may move there is nothing to gain
constexpr double kLost = 1.1; // times as far off in the mean after its first round: from there it comes back to nothing

/// The best that was found so far, and how far off it is.
struct Best {
    const Mesh& source;
    const SurfaceQuery& query;
    Mesh mesh;
    SampledDeviation off;
    double share = kWorthIt; ///< of that, to be better

    /// A single place may stay as far off as it was while all others come nearer.
    [[nodiscard]] bool betterBy(double times, const SampledDeviation& now) const {
        return now.max < times * off.max || (now.max <= off.max && now.mean < times * off.mean);
    }
    /// Takes it where it is better. `before`: what was offered before it of the same surface, or null. True when going
    /// on with it is worth while; then `before` is what it is.
    bool offer(const reduce::EvenSurface& surface, std::optional<SampledDeviation>& before) {
        Mesh made = surface.finish(source, query);
        const SampledDeviation now = sampleDeviation(source, query, made, kPolishPoints);
        const bool goOn = before ? now.max < kGoesOn * off.max || now.mean < kGoesOn * before->mean
                                 : now.max < off.max || now.mean < off.mean;
        before = now;
        if (betterBy(share, now)) {
            off = now;
            share = 1;
            mesh = std::move(made);
        }
        return goOn;
    }

    /// Whether a surface is farther off than what was cut, beyond hope.
    [[nodiscard]] bool lost(const reduce::EvenSurface& surface) const {
        const SampledDeviation now = sampleDeviation(source, query, surface.finish(source, query), kPolishPoints);
        return now.max >= off.max && now.mean > kLost * off.mean;
    }
};

} // namespace

Result<Mesh> polishLevel(const Mesh& source, const SurfaceQuery& query, Mesh level, const PolishOptions& options,
                         const JobContext& job) {
    if (level.triangleCount() > options.mostTriangles)
        return level;
    const SampledDeviation off = sampleDeviation(source, query, level, kPolishPoints);
    const reduce::EvenSurface asCut(level, options.creaseDegrees);
    // Triangles without extent are not for this; nor is a level that is exact already.
    if (asCut.triangleCount() != level.triangleCount() || asCut.freeShare() < kFewestFree ||
        !(off.max > 1e-7 * boundsOf(source).diagonal()))
        return level;
    Best best{source, query, std::move(level), off};
    // Once point by point, which suits what is rough; once after spreading the error as a whole, which suits what is
    // smooth, and is not tried where moving points brought nothing at all. The better one is kept.
    bool promising = true;
    for (const bool whole : {false, true}) {
        reduce::EvenSurface surface = asCut;
        for (int round = 0; round < (whole ? options.spreadRounds : 0) && promising; ++round) {
            if (job.cancelled())
                return cancelledError();
            surface.flip(&query);
            surface.flipNearer(query);
            surface.spreadError(query);
        }
        std::optional<SampledDeviation> before;
        for (int round = 0; round < options.rounds && promising; ++round) {
            if (job.cancelled())
                return cancelledError();
            job.report((static_cast<double>(round) / options.rounds + (whole ? 1 : 0)) / 2, "placing points");
            surface.improve(query);
            if (round == 0 && !whole && best.lost(surface)) {
                promising = false;
                break;
            }
            if (round % 2 == 1) {
                const bool first = !before;
                if (!best.offer(surface, before)) {
                    promising = !first;
                    break;
                }
            }
            surface.flipNearer(query);
        }
    }
    return std::move(best.mesh);
}

} // namespace thicket
