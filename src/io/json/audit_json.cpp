#include "io/json/audit_json.h"

namespace thicket::json {
namespace {
constexpr double kLargestFigure = 1e15;
} // namespace

ordered_json encodeSummary(const AuditSummary& s) {
    ordered_json subjects = ordered_json::object();
    for (const auto& [name, ms] : s.subjectMs)
        subjects[name] = ms;
    return {{"route", s.route},
            {"device", s.device},
            {"frames", s.frames},
            {"frames_over", s.framesOver},
            {"p50_ms", s.p50},
            {"p95_ms", s.p95},
            {"p99_ms", s.p99},
            {"worst_ms", s.worst},
            {"most_triangles", s.mostTriangles},
            {"most_draws", s.mostDraws},
            {"subject_ms", subjects}};
}

AuditSummary decodeSummary(const ordered_json& in, const std::string& at) {
    AuditSummary out;
    out.route = string(in, "route", at);
    out.device = string(in, "device", at);
    for (const auto& [name, value] :
         {std::pair("frames_over", &out.framesOver), std::pair("p50_ms", &out.p50), std::pair("p95_ms", &out.p95),
          std::pair("p99_ms", &out.p99), std::pair("worst_ms", &out.worst),
          std::pair("most_triangles", &out.mostTriangles), std::pair("most_draws", &out.mostDraws)})
        *value = number(in, name, at, 0, kLargestFigure);
    const ordered_json& subjects = object(in, "subject_ms", at);
    for (const auto& [name, ms] : subjects.items())
        out.subjectMs[name] = number(subjects, name.c_str(), at + "subject_ms.", 0, kLargestFigure);
    return out;
}

} // namespace thicket::json
