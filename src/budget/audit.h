#pragma once
// What a frame costs, who spends it, and whether a route holds.

#include "base/job.h"
#include "scene/select_input.h"

namespace thicket {

/// Milliseconds of a frame: max(geometry, pixels) + draws + base, as the device's figures say.
double frameMs(const Device& device, const SubjectCost& cost);

/// Whether a frame is over any of a device's three budgets.
bool overBudget(const Device& device, double ms, std::uint64_t triangles, std::uint64_t draws);

struct LedgerRow {
    std::uint32_t subject = 0; ///< id
    SubjectCost cost;
    double ms = 0; ///< this subject's share, so that rows and base add up to the frame
};
struct Ledger {
    std::vector<LedgerRow> rows; ///< one a subject, scene order
    SubjectCost total;           ///< pixels clipped to the viewport
    double ms = 0;
};
Ledger ledgerOf(const SelectInput& input, const Selection& selection, const View& view, const Device& device);

constexpr double kLongestRoute = 6 * 3600; ///< seconds; beyond, someone has mistyped a time

struct AuditFrame {
    double seconds = 0;
    std::uint64_t triangles = 0;
    std::uint64_t draws = 0;
    double ms = 0;
    double worstErrorPx = 0;
    std::uint32_t switches = 0;
    std::vector<float> subjectMs;                ///< one a subject
    std::vector<std::uint32_t> subjectTriangles; ///< one a subject
};

struct Audit {
    std::string route;
    std::string device;
    std::vector<AuditFrame> frames;
    std::uint32_t framesOver = 0; ///< over any of the three budgets
    std::size_t worstFrame = 0;   ///< by estimated ms
    double framesPerSecond = 60;
    [[nodiscard]] bool holds() const { return framesOver == 0; }
};

/// Walks every frame of a route at the device's frame rate, with hysteresis and cross-fades as they would happen.
/// ERRORS  BadInput when the route has no length, or lasts longer than kLongestRoute; Cancelled.
/// COST    frames * (cells + copies of cells that do not agree).
Result<Audit> auditRoute(const Scene& scene, const Route& route, const Device& device, const JobContext& job);

} // namespace thicket
