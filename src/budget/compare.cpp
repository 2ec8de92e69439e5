#include "budget/compare.h"

#include <algorithm>
#include <cmath>
#include <iterator>

namespace thicket {

AuditSummary summaryOf(const Audit& audit, const Scene& scene) {
    AuditSummary out;
    out.route = audit.route;
    out.device = audit.device;
    out.frames = audit.frames.size();
    out.framesOver = audit.framesOver;
    const Pacing pacing = pacingOf(audit);
    out.p50 = pacing.p50;
    out.p95 = pacing.p95;
    out.p99 = pacing.p99;
    out.worst = pacing.worst;
    for (const AuditFrame& frame : audit.frames) {
        out.mostTriangles = std::max(out.mostTriangles, static_cast<double>(frame.triangles));
        out.mostDraws = std::max(out.mostDraws, static_cast<double>(frame.draws));
        for (std::size_t s = 0; s < frame.subjectMs.size() && s < scene.subjects.size(); ++s)
            out.subjectMs[scene.subjects[s].name] +=
                static_cast<double>(frame.subjectMs[s]) / static_cast<double>(audit.frames.size());
    }
    return out;
}

AuditBaseline baselineOf(const Audit& audit, const Scene& scene) {
    AuditBaseline out{summaryOf(audit, scene), {}};
    out.frames.reserve(audit.frames.size());
    for (const AuditFrame& f : audit.frames)
        out.frames.push_back({f.seconds, f.ms, static_cast<double>(f.triangles), static_cast<double>(f.draws)});
    return out;
}

const BaselineFrame* frameAt(const AuditBaseline& baseline, double seconds) {
    constexpr double kNear = 0.1; // seconds
    const auto at = std::lower_bound(baseline.frames.begin(), baseline.frames.end(), seconds,
                                     [](const BaselineFrame& f, double s) { return f.seconds < s; });
    const BaselineFrame* best = nullptr;
    if (at != baseline.frames.end())
        best = &*at;
    if (at != baseline.frames.begin() &&
        (best == nullptr || seconds - std::prev(at)->seconds < best->seconds - seconds))
        best = &*std::prev(at);
    return best != nullptr && std::abs(best->seconds - seconds) <= kNear ? best : nullptr;
}

Result<std::vector<Worse>> worseThan(const AuditSummary& before, const AuditSummary& after, double share) {
    if (before.route != after.route || before.device != after.device)
        return Error{ErrorCode::BadInput, "baseline",
                     "is of " + before.route + " on " + before.device + ", not of " + after.route + " on " +
                         after.device,
                     "compare with an audit of the same route on the same device"};
    std::vector<Worse> out;
    const auto look = [&](const std::string& what, double was, double is) {
        if (is > was * (1 + share) && is > 0)
            out.push_back({what, was, is});
    };
    look("p50", before.p50, after.p50);
    look("p95", before.p95, after.p95);
    look("p99", before.p99, after.p99);
    look("worst", before.worst, after.worst);
    look("most triangles", before.mostTriangles, after.mostTriangles);
    look("most draws", before.mostDraws, after.mostDraws);
    look("frames over", before.framesOver, after.framesOver);
    constexpr double kCounts = 0.01; // of half of all frames' time
    for (const auto& [name, ms] : after.subjectMs) {
        const auto known = before.subjectMs.find(name);
        if (ms >= kCounts * after.p50)
            look(name, known == before.subjectMs.end() ? 0 : known->second, ms);
    }
    return out;
}

} // namespace thicket
