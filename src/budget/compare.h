#pragma once
// An audit against an earlier one of the same route on the same device: what got worse.

#include "budget/audit.h"

#include <map>

namespace thicket {

/// What is kept of an audit to compare with.
struct AuditSummary {
    std::string route;
    std::string device;
    std::size_t frames = 0;
    double framesOver = 0;
    double p50 = 0; ///< milliseconds, as Pacing's
    double p95 = 0;
    double p99 = 0;
    double worst = 0;
    double mostTriangles = 0;
    double mostDraws = 0;
    std::map<std::string, double> subjectMs; ///< by name: the mean of all frames; of one name, together
};
AuditSummary summaryOf(const Audit& audit, const Scene& scene);

struct BaselineFrame {
    double seconds = 0;
    double ms = 0;
    double triangles = 0;
    double draws = 0;
};
/// What is kept of an audit under a name.
struct AuditBaseline {
    AuditSummary summary;
    std::vector<BaselineFrame> frames; ///< by rising time; may be empty
};
AuditBaseline baselineOf(const Audit& audit, const Scene& scene);
/// The frame of a baseline at a time of the route; null when there is none so near.
const BaselineFrame* frameAt(const AuditBaseline& baseline, double seconds);

/// A figure that rose by more than is let pass.
struct Worse {
    std::string what; ///< "p95", "frames over", or the name of a subject
    double before = 0;
    double after = 0;
    [[nodiscard]] double share() const { return before > 0 ? after / before - 1 : HUGE_VAL; }
};

/// What rose by more than a share of what it was. Subjects count where they take a hundredth of the frame or more, and
/// those that were not there before count as worse.
/// share    0.05: five hundredths.
/// ERRORS   BadInput when the two are of other routes or devices.
Result<std::vector<Worse>> worseThan(const AuditSummary& before, const AuditSummary& after, double share);

} // namespace thicket
