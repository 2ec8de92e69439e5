#pragma once
// A budget that fits itself: which subjects may be off by how much more, so that every frame of a route holds on a
// device with the least visible error.

#include "budget/audit.h"

#include <set>

namespace thicket {

/// What a frame may have too much of.
enum class FrameLimit { Milliseconds, Triangles, Draws };
constexpr Named<FrameLimit> kFrameLimits[] = {{FrameLimit::Milliseconds, "ms", "milliseconds"},
                                              {FrameLimit::Triangles, "triangles", "triangles"},
                                              {FrameLimit::Draws, "draws", "draws"}};
constexpr std::span<const Named<FrameLimit>> namesOf(FrameLimit /*any*/) {
    return kFrameLimits;
}
/// What a frame has of it, and may have.
double amountOf(FrameLimit limit, const AuditFrame& frame);
double budgetOf(FrameLimit limit, const Device& device);

struct FitOptions {
    std::set<std::uint32_t> leftOut; ///< ids that stay as they are
    double most = 32;                ///< times an allowance that a subject is loosened at most
    std::size_t frames = 240;        ///< of the route that are weighed about so many; all of them are flown at the end
};

/// What a fit does to one subject.
struct FitRow {
    std::uint32_t subject = 0; ///< id
    double before = 1;         ///< times its allowance, as it was
    double times = 1;          ///< as it is to be
    double errorBefore = 0;    ///< pixels off where it is off most, the mean of the frames that show it
    double errorAfter = 0;
    /// Of the frame that took longest, by what it waited for, whatever it waits for now: so rows need not add up to what
    /// the frame became shorter by.
    double savesMs = 0;
    double savesTriangles = 0;
    bool mayLoosen = true; ///< false: all of its switches were set by hand, or it has none
};

/// A limit that is not held: no setting within the bounds does.
struct Unheld {
    FrameLimit limit = FrameLimit::Milliseconds;
    std::size_t frames = 0;    ///< that are over it
    double seconds = 0;        ///< of the worst of them
    double needed = 0;         ///< what that frame has of it as fitted
    double budget = 0;         ///< what it may have
    std::uint32_t without = 0; ///< id of the cheapest subject without which the limit would hold; 0: none alone
};

struct Fit {
    std::vector<FitRow> rows; ///< one a subject, scene order
    Loosened fitted;          ///< for Device::fitted
    Audit before;
    Audit after;
    std::vector<Unheld> unheld; ///< empty when every frame holds
    int flights = 0;            ///< of the route, those at a part of its frames counted by that part
    [[nodiscard]] bool holds() const { return after.framesOver == 0; }
};

/// Finds how many times their allowance subjects are loosened (and thinned out so many times nearer). What was set by
/// hand stays. A setting is one of a dozen factors; costs and errors of each subject at each are flown at a part of the
/// frames, then the step that takes most of what is over for the least error, weighted by importance, is taken until
/// nothing is over, then given back where there is room, then exchanged between two subjects where less is seen so, and
/// all frames are flown; where one is over after all, the aim is put lower and the same is done again. What holds is
/// gone over once more in steps a third as large. A limit that even the loosest settings bring less than half-way to its
/// budget is left alone: it would not hold whatever is seen, and the others are held for the least error.
/// SOURCE  Funkhouser & Sequin 1993 for choosing by benefit over cost.
/// ERRORS  as auditRoute's; BadInput for a device whose budgets are not positive.
/// COST    twenty flights at a part of the frames (FitOptions::frames of them each), and two to nine whole audits.
Result<Fit> fitScene(const Scene& scene, const Route& route, const Device& device, const FitOptions& options,
                     const JobContext& job);

/// What would have to give, in words; the name of a subject is looked up in the scene.
std::string sentenceOf(const Unheld& unheld, const Scene& scene);

} // namespace thicket
