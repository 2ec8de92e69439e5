#pragma once
// What a frame costs, who spends it, and whether a route holds.

#include "base/job.h"
#include "budget/memory.h"
#include "scene/select_input.h"

#include <functional>

namespace thicket {

/// Milliseconds of a frame: max(geometry, pixels) + draws + base, as the device's figures say.
double frameMs(const Device& device, const SubjectCost& cost);

/// Whether a frame is over any of a device's three budgets.
bool overBudget(const Device& device, double ms, std::uint64_t triangles, std::uint64_t draws);

struct LedgerRow {
    std::uint32_t subject = 0; ///< id
    SubjectCost cost;
    double ms = 0;       ///< this subject's share, so that rows and base add up to the frame
    double memoryMb = 0; ///< millions of bytes that are there for it, as withMemory says
};
struct Ledger {
    std::vector<LedgerRow> rows; ///< one a subject, scene order
    SubjectCost total;           ///< pixels clipped to the viewport
    double ms = 0;
};
Ledger ledgerOf(const SelectInput& input, const Selection& selection, const View& view, const Device& device);

/// The same with what each subject has in memory in this frame: the levels and tiles that show, and what is always there.
/// memory   of the same scene
Ledger withMemory(Ledger ledger, const Selection& selection, const std::vector<SubjectMemory>& memory);

/// What a frame waits for: the longest of what it does.
enum class Bound { Geometry, Pixels, Draws };
constexpr Named<Bound> kBounds[] = {
    {Bound::Geometry, "geometry", "geometry"}, {Bound::Pixels, "pixels", "pixels"}, {Bound::Draws, "draws", "draws"}};
constexpr std::span<const Named<Bound>> namesOf(Bound /*any*/) {
    return kBounds;
}
/// A frame's total, pixels clipped to the viewport.
Bound boundOf(const Device& device, const SubjectCost& total);

/// Milliseconds of geometry, of pixels and of draws, of which a frame takes the larger of the first two and the third.
double geometryMs(const Device& device, const SubjectCost& cost);
double pixelMs(const Device& device, const SubjectCost& cost);
double drawMs(const Device& device, const SubjectCost& cost);

constexpr double kLongestRoute = 6 * 3600; ///< seconds; beyond, someone has mistyped a time

struct AuditFrame {
    double seconds = 0;
    std::uint64_t triangles = 0;
    std::uint64_t draws = 0;
    double ms = 0;
    double worstErrorPx = 0;
    std::uint32_t switches = 0;
    bool over = false;                           ///< over any of the three budgets
    Bound bound = Bound::Geometry;               ///< what it waits for
    double memoryMb = 0;                         ///< there in this frame, millions of bytes
    double boundMs = 0;                          ///< how long that takes
    std::vector<float> subjectMs;                ///< one a subject
    std::vector<std::uint32_t> subjectTriangles; ///< one a subject
};

/// Levels that any frame shows, and switches that are made in view, by the finer of their levels; a bit each.
struct OwnLevels {
    std::uint64_t shown = 0;
    std::uint64_t crossed = 0;
};

struct Audit {
    std::string route;
    std::string device;
    std::vector<AuditFrame> frames;
    std::vector<std::uint64_t> shown; ///< one a subject: its levels that any frame shows, in fields too, a bit each
    /// One a subject, of its own copies alone, whose switches are by its own rule.
    std::vector<OwnLevels> own;
    std::vector<std::uint64_t> shownAtWorst; ///< the same of the worst frame alone
    /// One a subject: copies by Culled, all frames together.
    std::vector<std::array<std::uint64_t, kCullReasons>> culled;
    std::uint32_t framesOver = 0; ///< over any of the three budgets
    std::size_t worstFrame = 0;   ///< by estimated ms
    Ledger watched;               ///< of the frame that was asked for, or of the worst
    double framesPerSecond = 60;
    MemoryUse memory;
    [[nodiscard]] bool holds() const { return framesOver == 0 && memory.framesOver == 0; }
};

/// How a route's frames feel: not only how many are over, but how far and how long.
struct Pacing {
    double p50 = 0; ///< milliseconds that so many of a hundred frames hold
    double p95 = 0;
    double p99 = 0;
    double worst = 0;
    std::size_t longestOver = 0; ///< the longest run of frames over budget
    std::size_t longestFrom = 0; ///< where it begins
};
Pacing pacingOf(const Audit& audit);

/// How many frames a route has on a device.
/// ERRORS  as auditRoute's, but for Cancelled.
Result<std::size_t> framesOf(const Route& route, const Device& device);

/// Calls `each` with what is selected at every `step`-th frame of a route, as the camera comes there through those
/// before.
/// input      of the scene for its view stated on the device.
/// ERRORS     as auditRoute's.
Result<void> flyRoute(const Scene& scene, const SelectInput& input, const Route& route, const Device& device,
                      std::size_t step, const JobContext& job,
                      const std::function<void(std::size_t frame, const View& view, const Selection& selection)>& each);

/// Walks every frame of a route at the device's frame rate, with hysteresis and cross-fades as they would happen.
/// ERRORS  BadInput when the route has no length, or lasts longer than kLongestRoute; Cancelled.
/// COST    frames * (cells + copies of cells that do not agree).
/// watch   the frame whose ledger is wanted; none: the worst.
Result<Audit> auditRoute(const Scene& scene, const Route& route, const Device& device, const JobContext& job,
                         std::optional<std::size_t> watch = {});

} // namespace thicket
